"""Unity proved by an octave: two readings an octave apart tell the gain of a way through an adder, or of a depth knob.

A level knob has no mark for "exactly one", and 1 % is 12 cents of every octave.  Source: the definition of the cent.
The readings' resolution is that of their last digit, uniform within half a step.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Final, Literal

from msgspec.structs import replace

from dynamis.bench.chains.node import link_net
from dynamis.bench.chains.sending import law_ahead
from dynamis.bench.chains.tree import path_in
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.knobs import turned
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import ExponentialLaw
from dynamis.transfer.parameter import NOMINAL

Quantity = Literal["volts", "hertz"]
_USUAL_CENTS: Final = 5.0


@dataclass(frozen=True)
class Octave:
    """What an octave came to.

    gain : of the way, times; expanded : its U, k = 2.  enters_volts : of the octave where it goes in.
    """

    gain: float
    expanded: float
    enters_volts: float

    @property
    def cents(self) -> float:
        """How much wider or narrower an octave comes out."""
        return 1200.0 * (self.gain - 1.0)

    @property
    def expanded_cents(self) -> float:
        return 1200.0 * self.expanded


def octave_through(
    bench: Bench,
    entry: PortRef,
    low: float,
    high: float,
    quantity: Quantity,
    steps: tuple[float, float],
    *,
    beyond_knobs: bool = True,
) -> Octave:
    """What two readings behind a way say of its gain.

    low, high : read at the output, or of an oscillator behind it, while a note and the one an octave above it are sent.
    steps : the last digit of each.  beyond_knobs : the octave counts behind the input's own knobs, and not ahead of
    them, as where one of these is proved.  Raises `InputError` where they tell none.
    """
    enters = _entering_volts(bench, entry, beyond_knobs)
    if not all(math.isfinite(one) for one in (low, high)):
        raise InputError("A reading is no number.")
    if quantity == "hertz":
        if min(low, high) <= 0:
            raise InputError(f"A reading of {plain(min(low, high))} Hz makes no pitch; more than 0 Hz was expected.")
        rise, u = math.log2(high / low), math.hypot(steps[0] / low, steps[1] / high) / math.log(2.0)
    else:
        rise, u = (high - low) / enters, math.hypot(*steps) / enters
    if not 0.25 < rise < 4.0:
        raise InputError(
            f"The two readings are {plain(round(1200.0 * rise, 1))} ct apart; about 1200 ct were expected: play an "
            "octave."
        )
    return Octave(rise, 2.0 * u / math.sqrt(12.0), enters)


def _entering_volts(bench: Bench, entry: PortRef, beyond_knobs: bool) -> float:
    """The volts of an octave where it goes in, behind the input's other knobs; 1 V where nothing is joined there."""
    gain = turned(bench.port(entry)).gain if beyond_knobs else 1.0
    for feeding in bench.links_into(entry)[:1]:
        path = path_in(bench, feeding, entry)
        law, net = law_ahead(bench, path), link_net(bench, path)
        if isinstance(law, ExponentialLaw) and net is not None:
            share, _ = net.share(f"{path.output.gear}.{path.output.port}", NOMINAL)
            return law.volts_per_octave * float(share) * gain
    return 1.0


@dataclass(frozen=True)
class Provable:
    """What an octave can prove.  words : of it.  entry : where the octave goes in.  allowed_cents : of an octave.
    keep : makes the change that keeps what was read."""

    words: str
    entry: PortRef
    allowed_cents: float
    keep: Callable[[Octave], Change]
    beyond_knobs: bool = True


def provable(bench: Bench, ref: PortRef) -> list[Provable]:
    """The ways into an output, and the depth knobs of an input, that an octave can prove."""
    port = bench.port(ref)
    links = [bench.link_from(ref)] if port.direction == "output" else list(bench.links_into(ref))
    allowed = min((link.tightest_cents for link in links if link is not None), default=_USUAL_CENTS)
    found = []
    for way in () if port.through is None or port.through.kind == "joined" else port.through.ways:
        entry = PortRef(ref.gear, way.input)
        keep = partial(prove_way, bench, ref, entry)
        found.append(Provable(f"the way from {bench.port(entry).name}", entry, allowed, keep))
    for knob in port.knobs:
        if knob.does == "depth":
            found.append(Provable(knob.name, ref, allowed, partial(prove_knob, bench, ref, knob.name), False))
    return found


def octave_words(octave: Octave, allowed_cents: float, style: Style) -> str:
    """What the readings say, and what to do."""
    told = style.plus_minus(octave.cents, max(octave.expanded_cents, 0.05), "ct", sign=True)
    gain = style.number(octave.gain, 4)
    if abs(octave.cents) + octave.expanded_cents <= allowed_cents:
        return f"An octave comes out {told} off, a gain of {gain}: within {style.cents(allowed_cents)} ct."
    if abs(octave.cents) - octave.expanded_cents > allowed_cents:
        turn = 100.0 * (1.0 / octave.gain - 1.0)
        return (
            f"An octave comes out {told} off, a gain of {gain}; {style.cents(allowed_cents)} ct are allowed. Turn its "
            f"gain by {style.percent(turn, 2, sign=True)}, until the octave is "
            f"{style.volts(octave.enters_volts, 4)} wide."
        )
    within = f"within {style.cents(allowed_cents)} ct"
    return f"An octave comes out {told} off: it cannot be told whether that is {within}. Read it with more digits."


def prove_way(bench: Bench, output: PortRef, entry: PortRef, octave: Octave) -> Change:
    """Keep what the readings said of a way: its gain, and its uncertainty as the limit."""
    port = bench.port(output)
    if port.through is None:
        raise InputError(f"{bench.label(output)} follows no input.")
    ways = tuple(
        replace(one, gain=octave.gain, gain_limit=octave.expanded / octave.gain, proved=True)
        if one.input == entry.port
        else one
        for one in port.through.ways
    )
    changed = replace(port, through=replace(port.through, ways=ways))
    words = f"{bench.label(entry)} proved by an octave, × {plain(round(octave.gain, 4))}"
    return Change(words, bench.with_port(output, changed))


def prove_knob(bench: Bench, ref: PortRef, name: str, octave: Octave) -> Change:
    """Keep what the readings said of a depth knob: where it stands, by what it does there."""
    port = bench.port(ref)
    knobs = tuple(
        replace(one, at=one.share_of(octave.gain), proved=True) if one.name == name and one.does == "depth" else one
        for one in port.knobs
    )
    if knobs == port.knobs:
        raise InputError(f"{bench.label(ref)} has no knob {name!r} that multiplies what comes in.")
    words = f"{name} of {bench.label(ref)} proved by an octave, × {plain(round(octave.gain, 4))}"
    return Change(words, bench.with_port(ref, replace(port, knobs=knobs)))
