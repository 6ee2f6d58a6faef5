"""What a bench has come through: runs, corrections and sendings in their order.

A run counts here by the straight line through its errors, from sums that a file adds up by itself, so that a thousand
runs are looked through at once.  Source: least squares by its normal equations, any text on regression.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final, Literal

import numpy as np

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.ranges import meter_range
from dynamis.bench.document.records import (
    AdoptionRecord,
    InstrumentRecord,
    ReadQuantity,
    RunRecord,
    SendRecord,
    in_force,
)
from dynamis.bench.runs.analysis import limits_of
from dynamis.calibration.meter import MeterRange
from dynamis.notation.style import Style
from dynamis.pitch.laws import CENTS_PER_NEPER, ExponentialLaw, LinearLaw, parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament

# Sums are taken of octaves from this note on, which keeps them small.
MIDDLE_NOTE: Final = 66.0
# Octaves squared; a line wants notes apart.
_LEAST_SPREAD: Final = 1e-9
Kind = Literal["run", "adopted", "withdrawn", "sent"]
Part = Literal["scale", "offset"]


@dataclass(frozen=True)
class Sums:
    """Of the readings of a run that count: x in octaves from note 66, v the value, w its natural logarithm.

    positive : readings that have one.
    """

    count: int
    x: float
    xx: float
    v: float
    xv: float
    vv: float
    w: float = 0.0
    xw: float = 0.0
    ww: float = 0.0
    positive: int = 0


def tuned_sums(run: RunRecord, notes: Sequence[float], values: Sequence[float]) -> Sums:
    """The same of a run in a tuning of its own, whose notes lie where the tuning puts them."""
    model, v = run.model, np.array(values, float)
    reference = model.law.reference_note
    x = model.tuning.octaves(notes, reference) + (reference - MIDDLE_NOTE) / 12.0
    w = np.log(np.where(v > 0.0, v, 1.0))
    of_x, of_v, of_w = float(np.sum(x)), float(np.sum(v)), float(np.sum(w))
    with_v, with_w = (float(x @ x), of_v, float(x @ v), float(v @ v)), (of_w, float(x @ w), float(w @ w))
    return Sums(int(v.size), of_x, *with_v, *with_w, int(np.sum(v > 0.0)))


def _equal_a4(run: RunRecord) -> float:
    """The A4 of equal temperament through the law's own note, as the run's tuning has it."""
    if run.tuning is None:
        return run.a4_hertz
    model = run.model
    return model.hertz((69.0 - model.law.reference_note) / 12.0)


@dataclass(frozen=True)
class RunLine:
    """scale_cents : per octave, found minus wanted; offset_cents : at note 66; each with its U = 2u.

    known : whether the instrument is; without it U is of the spread alone.
    """

    scale_cents: float
    scale_expanded: float
    offset_cents: float
    offset_expanded: float
    count: int
    known: bool = True

    def part(self, which: Part) -> tuple[float, float]:
        if which == "scale":
            return self.scale_cents, self.scale_expanded
        return self.offset_cents, self.offset_expanded


@dataclass(frozen=True)
class _Line:
    """What a run's readings would be on: per octave, and at note 66; unit : cents in one.  logs : of logarithms."""

    logs: bool
    unit: float
    per_octave: float
    at_middle: float


@lru_cache(maxsize=64)
def _wanted(law_text: str, quantity: ReadQuantity, a4_hertz: float) -> _Line | None:
    """None under Hz/V with an offset of its own, where no straight line is wanted."""
    if quantity == "cents":
        return _Line(False, 1.0, 0.0, 0.0)
    model = PitchModel(parse_law(law_text), quantity, EqualTemperament(a4_hertz))
    law, octaves = model.law, float(model.tuning.octaves([MIDDLE_NOTE], model.law.reference_note)[0])
    if quantity == "volts" and isinstance(law, ExponentialLaw):
        per_octave = law.volts_per_octave
        return _Line(False, 1200.0 / per_octave, per_octave, float(law.volts([octaves])[0]))
    at = model.hertz(octaves)
    if quantity == "volts" and isinstance(law, LinearLaw):
        if law.offset_volts:
            return None
        at = float(law.volts([octaves])[0])
    return _Line(True, CENTS_PER_NEPER, math.log(2.0), math.log(at))


def run_line(run: RunRecord, sums: Sums) -> RunLine | None:
    """The line through a run's errors; None with fewer than two notes, where a reading has no pitch, or under Hz/V with
    an offset of its own."""
    n, wanted = float(sums.count), _wanted(run.law, run.quantity, _equal_a4(run))
    spread = sums.xx - sums.x**2 / n if n else 0.0
    if wanted is None or sums.count < 2 or spread <= _LEAST_SPREAD:
        return None
    if wanted.logs and sums.positive < sums.count:
        return None
    y, xy, yy = (sums.w, sums.xw, sums.ww) if wanted.logs else (sums.v, sums.xv, sums.vv)
    slope = (xy - sums.x * y / n) / spread
    start = (y - slope * sums.x) / n
    left = max(0.0, yy - start * y - slope * xy)
    start, slope = _less_known(run, wanted, start, slope)
    shares = _shares(run.meter, run.quantity, wanted, run.source)
    known = shares or _Shares()
    deviation = max(wanted.unit * math.sqrt(left / max(1.0, n - 2.0)), known.rounding)
    return RunLine(
        wanted.unit * (slope - wanted.per_octave),
        2.0 * math.hypot(deviation / math.sqrt(spread), known.scale),
        wanted.unit * (start - wanted.at_middle),
        2.0 * math.hypot(deviation * math.sqrt(1.0 / n + (sums.x / n) ** 2 / spread), known.offset),
        sums.count,
        shares is not None,
    )


def _less_known(run: RunRecord, wanted: _Line, start: float, slope: float) -> tuple[float, float]:
    """A line without the errors of a meter that are known; of logarithms to first order about note 66."""
    if run.quantity != "volts" or run.meter is None or run.meter.check is None:
        return start, slope
    checked = meter_range(run.meter)
    if not wanted.logs:
        least, most = checked.true_volts([start, start + slope]).tolist()
        return least, most - least
    at = math.exp(start)
    return float(np.log(checked.true_volts(at))), slope * at / float(checked.true_volts(at))


@dataclass(frozen=True)
class _Shares:
    """What an instrument makes of a line, standard, cents: of its scale and its offset in all readings alike, and of
    one reading by its last digit."""

    scale: float = 0.0
    offset: float = 0.0
    rounding: float = 0.0


def wants_logs(runs: Sequence[RunRecord]) -> bool:
    """Whether any of the runs is judged by logarithms of its readings."""
    wanted = {_wanted(run.law, run.quantity, _equal_a4(run)) for run in runs}
    return any(line is not None and line.logs for line in wanted)


@lru_cache(maxsize=64)
def _shares(
    meter: InstrumentRecord | None, quantity: ReadQuantity, wanted: _Line, source: InstrumentRecord | None
) -> _Shares | None:
    """To first order about note 66; None where no instrument is known."""
    limits = limits_of(meter, quantity, source)
    if limits is None:
        return None
    if not isinstance(limits, MeterRange):
        hertz = 440.0 if quantity == "cents" else math.exp(wanted.at_middle)
        return _Shares(0.0, float(limits.common_cents(hertz)), float(limits.rounding_cents(hertz)))
    gain, zero, last = limits.gain_fraction, limits.zero_volts, limits.rounding_volts
    if wanted.logs:
        at = math.exp(wanted.at_middle)
        with_gain = float(limits.gain_volts(at)) / at
        u = wanted.unit * np.array([zero * wanted.per_octave / at, math.hypot(with_gain, zero / at), last / at])
    else:
        middle = math.hypot(float(limits.gain_volts(wanted.at_middle)), zero)
        u = wanted.unit * np.array([gain * wanted.per_octave, middle, last])
    return _Shares(*u.tolist())


# -- the entries -----------------------------------------------------------------------------------


@dataclass(frozen=True)
class Entry:
    """Something that happened to a channel of a unit.  run : its id, where it was one; line : of its readings."""

    when: str
    kind: Kind
    channel: PortRef
    serial: str
    title: str
    run: RunRecord | None = None
    line: RunLine | None = None
    detail: str = ""

    def cells(self, style: Style) -> tuple[str, str, str]:
        """Readings, scale and offset as they are shown; empty where it is no run or has no line."""
        if self.line is None:
            return "", "", ""
        scale, offset = (
            style.number(value, 2, sign=True) + (f" ± {style.number(expanded, 2)}" if self.line.known else "")
            for value, expanded in (self.line.part("scale"), self.line.part("offset"))
        )
        return str(self.line.count), scale, offset

    def raw(self) -> tuple[str, str, str]:
        """The same with all digits."""
        if self.line is None:
            return "", "", ""
        return str(self.line.count), repr(self.line.scale_cents), repr(self.line.offset_cents)

    def text(self, bench: Bench) -> str:
        """All words that a search looks at."""
        label = bench.label(self.channel) if bench.has(self.channel) else self.channel.gear
        return " ".join((self.when[:16], label, self.serial, self.title, self.detail, self.kind)).casefold()


def entries(
    bench: Bench,
    runs: Sequence[RunRecord],
    sums: Mapping[str, Sums],
    adoptions: Sequence[AdoptionRecord],
    sends: Sequence[SendRecord],
    style: Style,
) -> list[Entry]:
    """Everything that happened, the newest first."""
    found = []
    for run in runs:
        mine = sums.get(run.id)
        line = None if mine is None else run_line(run, mine)
        found.append(Entry(run.created, "run", run.channel, run.serial, run.title, run, line, _conditions(run, style)))
    for one in adoptions:
        ref = PortRef(one.gear, one.port)
        if one.kind == "withdrawn":
            found.append(Entry(one.adopted, "withdrawn", ref, one.serial, "nominal values again"))
            continue
        leaves = f"expected to leave {style.cents(one.leaves_cents)} ± {style.cents(one.expanded_cents)} ct"
        found.append(Entry(one.adopted, "adopted", ref, one.serial, one.kind, detail=leaves))
    for sent in sends:
        if sent.verified:
            told = f"{sent.after.correction.hash}, in the place of {sent.before.correction.hash}"
            found.append(
                Entry(sent.at, "sent", PortRef(sent.gear, sent.port), sent.serial, "to the board", detail=told)
            )
    return sorted(found, key=lambda one: one.when, reverse=True)


def _conditions(run: RunRecord, style: Style) -> str:
    """Temperature, warming up, what it was read with and what was in force."""
    parts = [] if run.celsius is None else [f"{style.number(run.celsius, 1)} °C"]
    if run.warm_minutes is not None:
        parts.append(f"{style.number(run.warm_minutes, 0)} min warm")
    if run.meter is not None:
        parts.append(run.meter.label)
    parts.append({"nominal": "nominal codes", "constants": "with constants", "table": "with a table"}[run.head.kind])
    return ", ".join(parts)


def carried(
    adoptions: Sequence[AdoptionRecord], sends: Sequence[SendRecord], channel: PortRef, serial: str, style: Style
) -> str:
    """What a channel of a unit carries: the correction in force with its numbers, and what its board was sent last."""
    adopted = in_force(adoptions, channel, serial)
    if adopted is None:
        said = "Nominal values are in force"
    else:
        said = f"{adopted.kind.capitalize()} in force since {adopted.adopted[:10]}"
        if adopted.head.kind != "nominal":
            said += f", gain {style.number(adopted.head.gain, 5)}"
        said += f", left {style.cents(adopted.leaves_cents)} ± {style.cents(adopted.expanded_cents)} ct"
    mine = [one for one in sends if (PortRef(one.gear, one.port), one.serial, one.verified) == (channel, serial, True)]
    if not mine:
        return f"{said}; no board was sent any."
    after = mine[-1].after
    base, scale = (style.number(one, 0) for one in (after.base, after.scale))
    what = f"base {base}, scale {scale}" + (", a table" if after.sixteenths else "")
    return f"{said}; its board was sent {what} ({after.correction.hash}) on {mine[-1].at[:10]}."


def searched(found: Sequence[Entry], bench: Bench, words: str) -> list[Entry]:
    """Those that hold all of the words."""
    wanted = words.casefold().split()
    if not wanted:
        return list(found)
    return [one for one in found if all(word in text for text in (one.text(bench),) for word in wanted)]
