"""The knobs of a port in the chain: what they do where they stand, and where those that nobody looked at stand best.

A knob of which somebody said where it stands does what it does there.  Any other one of the receiver is taken to be set
for the link, as its tune knob is, and the verdict says where; a sender's stands at unity, or at nought, until somebody
looks.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, partial
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.ports import Knob, Port
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, Law

FloatArray = NDArray[np.float64]
_GOLDEN: Final = (np.sqrt(5.0) - 1.0) / 2.0
_ROUNDS: Final = 48
# Gain and offset move each other where neither stands at the law's zero.
_TURNS_AGAIN: Final = 3
_GAINS: Final = ("depth", "scale")


@dataclass(frozen=True)
class Turned:
    """The knobs of a port where they stand, or are to be set.

    knobs : those that do something known.  set_to : by name what those do that nobody looked at.
    """

    knobs: tuple[Knob, ...] = ()
    set_to: Mapping[str, float] = field(default_factory=dict)

    def value(self, knob: Knob) -> float:
        """What a knob does: where it stands, else where it is to be set, else at unity or nought."""
        if knob.at is not None:
            return knob.value_at(knob.at)
        return self.set_to.get(knob.name, neutral(knob))

    @cached_property
    def gain(self) -> float:
        """Of all its knobs together, times the volts."""
        return float(np.prod([_as_gain(knob, self.value(knob)) for knob in self.knobs if knob.does in _GAINS]))

    @cached_property
    def offset_volts(self) -> float:
        return sum(self.value(knob) for knob in self.knobs if knob.does == "offset")

    @cached_property
    def octaves(self) -> float:
        return sum(self.value(knob) for knob in self.knobs if knob.does == "octave")

    @property
    def does_nothing(self) -> bool:
        return not self.knobs or (self.gain == 1.0 and self.offset_volts == 0.0 and self.octaves == 0.0)

    @property
    def to_turn(self) -> list[tuple[Knob, float]]:
        """The knobs that nobody looked at, with what each has to do."""
        return [(knob, self.value(knob)) for knob in self.knobs if knob.at is None]

    def key(self) -> tuple[float, float, float]:
        return self.gain, self.offset_volts, self.octaves

    def label(self, style: Style) -> str:
        """`Depth 57 %, Offset 63 %`: knobs with the share of their turn."""
        return ", ".join(f"{knob.name} {turn_words(knob, self.value(knob), style)}" for knob in self.knobs)


NOT_TURNED: Final = Turned()


def turned(port: Port, set_to: Mapping[str, float] | None = None) -> Turned:
    """The knobs of a port that do something known."""
    if not port.knobs:
        return NOT_TURNED
    return Turned(tuple(knob for knob in port.knobs if knob.reach is not None), set_to or {})


def without_reach(port: Port) -> list[Knob]:
    """Knobs that turn something, of which nobody said how far."""
    return [knob for knob in port.knobs if knob.does and knob.reach is None]


def neutral(knob: Knob) -> float:
    """What a knob does that nobody looked at: unity, or nought, or as near to it as it comes."""
    return knob.value_at(knob.share_of(1.0 if knob.does == "depth" else 0.0))


def turn_words(knob: Knob, value: float, style: Style) -> str:
    """`57 %`, of its turn; of a switch its position's value."""
    if knob.steps:
        return value_words(knob, value, style)
    return f"{style.number(100.0 * knob.share_of(value), 0)} %"


def value_words(knob: Knob, value: float, style: Style) -> str:
    """What a knob does, in its own terms."""
    if knob.does == "offset":
        return style.volts(value, 3, sign=True)
    if knob.does == "octave":
        return f"{style.number(value, 0, sign=True)} octave{'' if abs(value) == 1 else 's'}"
    if knob.does == "scale":
        return style.percent(100.0 * value, 2, sign=True)
    return f"× {style.number(value, 3)}"


def set_for_swing(port: Port, low: float, high: float, acts_low: float, acts_high: float) -> Turned:
    """A receiver's knobs where a swing fills what the input acts on, as far as they reach."""
    knobs = turned(port)
    if not knobs.to_turn or high <= low or acts_high <= acts_low:
        return knobs
    gain, set_to = _allotted(knobs, (acts_high - acts_low) / (high - low))
    middle = (acts_low + acts_high) / 2.0 - gain * (low + high) / 2.0
    set_to |= _added(knobs, "offset", middle)
    return turned(port, set_to)


def set_for_pitch(
    port: Port, law: Law, volts: FloatArray, sounds_above: FloatArray | float, allowed_cents: FloatArray
) -> Turned:
    """A receiver's knobs where the worst of its notes is as good as can be, as far as they reach.

    volts : at the input, nominal.  sounds_above : octaves that the law's own reference lies above what each should
    sound.  Under V/oct the gain straightens the intervals and offset, octave and tune take out what is left of all
    alike; under Hz/V it is the offset that straightens, and the gain that moves all.
    """
    knobs = turned(port)
    if not knobs.to_turn:
        return knobs

    def cents(gain: float, offset_volts: float) -> FloatArray:
        moved = gain * volts + offset_volts
        return 1200.0 * (law.octaves(moved, strict=False) + sounds_above)

    def spread(off: FloatArray) -> tuple[float, float]:
        """(half of the width, middle) of what all notes have alike, beyond what is allowed."""
        judged = np.isfinite(off - allowed_cents)
        if judged.sum() < volts.size or not volts.size:
            return np.inf, 0.0
        high, low = np.max(off - allowed_cents), np.min(off + allowed_cents)
        return float(high - low) / 2.0, float(high + low) / 2.0

    if isinstance(law, ExponentialLaw):
        low, high = _reach(knobs, _GAINS)
        gain, set_to = _allotted(knobs, _least(lambda one: spread(cents(one, 0.0))[0], low, high, knobs.gain))
        middle = spread(cents(gain, 0.0))[1]
        set_to |= _added(knobs, "octave", -middle / 1200.0)
        left = middle + 1200.0 * turned(port, set_to).octaves
        return turned(port, set_to | _added(knobs, "offset", -left * law.volts_per_octave / 1200.0))
    low, high = _reach(knobs, ("offset",))
    gain, set_to = knobs.gain, dict[str, float]()
    for _ in range(_TURNS_AGAIN):
        best = _least(partial(_width, cents, spread, gain), low, high, knobs.offset_volts)
        set_to |= _added(knobs, "offset", best)
        tried = turned(port, set_to)
        middle = spread(cents(gain, tried.offset_volts))[1]
        octaves = _added(knobs, "octave", -middle / 1200.0)
        left = middle + 1200.0 * turned(port, octaves).octaves
        gain, gains = _allotted(knobs, gain * 2.0 ** (-left / 1200.0))
        set_to |= octaves | gains
    return turned(port, set_to)


def _width(
    cents: Callable[[float, float], FloatArray],
    spread: Callable[[FloatArray], tuple[float, float]],
    gain: float,
    offset_volts: float,
) -> float:
    return spread(cents(gain, offset_volts))[0]


def _as_gain(knob: Knob, value: float) -> float:
    return 1.0 + value if knob.does == "scale" else value


def _reach(knobs: Turned, does: Sequence[str]) -> tuple[float, float]:
    """The least and the most that the free knobs of some kinds come to, with those that stand."""
    gains = does == _GAINS
    low = high = 1.0 if gains else 0.0
    for knob in knobs.knobs:
        if knob.does not in does or knob.reach is None:
            continue
        ends = knob.reach if knob.at is None else (knobs.value(knob),) * 2
        first, last = (_as_gain(knob, end) if gains else end for end in ends)
        if gains:
            corners = [one * two for one in (low, high) for two in (first, last)]
            low, high = min(corners), max(corners)
        else:
            low, high = low + first, high + last
    return low, high


def _allotted(knobs: Turned, gain: float) -> tuple[float, dict[str, float]]:
    """(gain that is reached, what each free gain knob does for it), the first as much as it can."""
    free = [knob for knob, _ in knobs.to_turn if knob.does in _GAINS]
    stands = float(
        np.prod([_as_gain(knob, knobs.value(knob)) for knob in knobs.knobs if knob.does in _GAINS and knob not in free])
    )
    rest = gain / stands if stands else 0.0
    reached, set_to = stands, {}
    for k, knob in enumerate(free):
        others = float(np.prod([_as_gain(one, neutral(one)) for one in free[k + 1 :]])) or 1.0
        wanted = rest / others
        value = knob.value_at(knob.share_of(wanted - 1.0 if knob.does == "scale" else wanted))
        set_to[knob.name] = value
        does = _as_gain(knob, value)
        rest, reached = (rest / does if does else 0.0), reached * does
    return reached, set_to


def _added(knobs: Turned, does: str, wanted: float) -> dict[str, float]:
    """What each free knob of a kind adds, so that all of them come to what is wanted."""
    free = [knob for knob, _ in knobs.to_turn if knob.does == does]
    rest = wanted - sum(knobs.value(knob) for knob in knobs.knobs if knob.does == does and knob not in free)
    set_to: dict[str, float] = {}
    for knob in free:
        set_to[knob.name] = knob.value_at(knob.share_of(rest))
        rest -= set_to[knob.name]
    return set_to


def _least(off: Callable[[float], float], low: float, high: float, start: float) -> float:
    """Where a function with one valley is least between two ends, by golden section; the start where it is nowhere
    finite."""
    if low >= high:
        return low
    inner = [high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)]
    values = [off(one) for one in inner]
    for _ in range(_ROUNDS):
        if values[0] <= values[1]:
            high, inner, values = inner[1], [inner[1] - _GOLDEN * (inner[1] - low), inner[0]], [0.0, values[0]]
            values[0] = off(inner[0])
        else:
            low, inner, values = inner[0], [inner[1], inner[0] + _GOLDEN * (high - inner[0])], [values[1], 0.0]
            values[1] = off(inner[1])
    best = (low + high) / 2.0
    return best if np.isfinite(off(best)) else start
