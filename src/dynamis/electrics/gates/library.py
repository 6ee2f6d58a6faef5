"""Circuits that may make a gate output and an input fit, from the rails at hand: each a name and its parts.

Nothing is judged here; `circuits.py` keeps what fits and stays safe.  Values, and which parts a builder would take:
common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from dynamis.electrics.gates.candidate import UP, Candidate, Rails, bottom_of, top_of
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.gates.stages import (
    FORWARD_VOLTS,
    JUNCTION_VOLTS,
    OUT_OHMS,
    RAIL,
    SATURATED_VOLTS,
    SCHOTTKY_VOLTS,
    transistor_drive,
)
from dynamis.electrics.gates.two_amplifiers import network_for, targets, two_amplifiers
from dynamis.electrics.part import Part
from dynamis.electrics.series import nearest

_MOST_AMPERES: Final = 0.02
_REVERSE_VOLTS: Final = -4.0
_MOSFET_MOST_VOLTS: Final = 50.0
# Behind a stage that may pass what an input bears; less and the diodes carry too much.
CLAMP_OHMS: Final = 1e3
_ZENERS: Final = (2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1, 10.0, 12.0)
_ZENER_LIMIT: Final = 0.05
# A divider into a limit aims at this share of it first, so that tolerances stay under it.
_AIMS: Final = (0.87, 0.85, 0.8, 0.7, 0.6, 0.5, 0.9, 0.95)


def candidates(output: GateOutput, sink: GateInput, count: int, supplies: tuple[Rails, ...]) -> Iterator[Candidate]:
    """What may do it, the usual first among those of equal size."""
    if sink.kind == "positive":
        if output.kind == "driven":
            yield from _dividers(output, sink, count)
            yield from _clamps(output, sink, supplies)
            yield from _diodes(output, sink, count)
        for rails in supplies:
            if output.kind == "switch":
                yield from _transistors(output, sink, count, rails)
            else:
                yield from _logic(output, sink, rails)
                yield from _followers(output, sink, rails, supplies)
                yield from _amplifiers(output, sink, rails, supplies)
                yield from _comparators(output, sink, rails, supplies)
        if (-RAIL, RAIL) in supplies:
            for low, high in targets(sink):
                yield from two_amplifiers(output, network_for(low, high))
        return
    if output.kind == "driven":
        yield from _to_ground(output, sink, count)
    if 0.0 <= sink.pullup_volts <= _MOSFET_MOST_VOLTS and (-RAIL, RAIL) in supplies:
        more = (Part("R7", 10e3, "in series with the MOSFET's gate"), Part("Q1", None, "small MOSFET to ground"))
        yield from two_amplifiers(output, [("MOSFET to ground", more)])


# -- without an active part ------------------------------------------------------------------------


def _wanted(sink: GateInput, most_volts: float) -> Iterator[float]:
    """Levels to aim for at an input: well under its limit where it has one, else well above its threshold."""
    top = top_of(sink)
    if top is not None:
        yield from (share * top for share in _AIMS if share * top > sink.on_volts)
    yield from (sink.on_volts + share * (most_volts - sink.on_volts) for share in (0.85, 0.7, 0.95, 0.55))


def _divided(output: GateOutput, sink: GateInput, count: int, drop_volts: float) -> Iterator[tuple[Part, Part]]:
    """Two resistors behind a drop, from the lightest load on the sender to the stiffest."""
    most = output.high_volts - drop_volts
    for wanted in _wanted(sink, most):
        if not 0 < wanted < most:
            continue
        for lower in (10e3, 4.7e3, 2.2e3, 1e3):
            beside = 1.0 / (1.0 / lower + count / sink.ohms)
            above = beside * (most / wanted - 1.0) - output.ohms
            if above < 10.0:
                continue
            upper = nearest(above)
            if abs(most) / (output.ohms + upper + lower) > _MOST_AMPERES:
                continue
            yield (Part("R1", upper, "from the output to the input"), Part("R2", lower, "from the input to ground"))


def _dividers(output: GateOutput, sink: GateInput, count: int) -> Iterator[Candidate]:
    if output.high_volts > 0:
        yield from (Candidate("divider", parts) for parts in _divided(output, sink, count, 0.0))


def _clamps(output: GateOutput, sink: GateInput, supplies: tuple[Rails, ...]) -> Iterator[Candidate]:
    """A resistor, and diodes where the output passes what the input bears."""
    for diodes in diode_sets(output.low_volts * UP, output.high_volts * UP, sink, supplies):
        for ohms in (10e3, 4.7e3, 2.2e3, CLAMP_OHMS):
            yield Candidate("resistor and clamp", (Part("R1", ohms, "from the output to the input"), *diodes), None)


def diode_sets(
    low_volts: float, high_volts: float, sink: GateInput, supplies: tuple[Rails, ...], *, always: bool = False
) -> Iterator[tuple[Part, ...]]:
    """Diodes at an input that hold levels within what it bears, the fewest first.

    A Zener diode holds both ends, 0.7 V below ground; Schottky diodes go to ground and to a rail that is there.
    """
    top, bottom = top_of(sink), bottom_of(sink)
    needs_top = top is not None and high_volts > top
    needs_bottom = low_volts < 0 and (low_volts < bottom if bottom is not None else low_volts < -FORWARD_VOLTS)
    ground = Part("D1", None, "small Schottky diode, from ground to the input")
    if not (needs_top or needs_bottom):
        if always:
            yield ()
        return
    below = (ground,) if needs_bottom else ()
    if not needs_top or top is None:
        yield below
        return
    for volts in reversed(_ZENERS):
        if volts * (1.0 + _ZENER_LIMIT) <= top:
            words = f"Zener diode of {volts:g} V, from the input to ground"
            both = needs_bottom and bottom is not None and bottom > -FORWARD_VOLTS
            yield (*((ground,) if both else ()), Part("Z1", None, words, volts=volts))
    for _, rail in supplies:
        if rail > 0 and rail * UP + SCHOTTKY_VOLTS <= top + (
            0.0 if sink.rail_volts is None else (UP - 1) * sink.rail_volts
        ):
            yield (*below, Part("D2", None, f"small Schottky diode, from the input to +{rail:g} V", rail))


def _diodes(output: GateOutput, sink: GateInput, count: int) -> Iterator[Candidate]:
    """A diode that keeps what is below ground away, and a divider."""
    if output.low_volts >= 0 or output.high_volts <= SCHOTTKY_VOLTS:
        return
    diode = Part("D1", None, "small Schottky diode, from the output to R1")
    for upper, lower in _divided(output, sink, count, SCHOTTKY_VOLTS):
        yield Candidate("diode and divider", (diode, upper, lower))


# -- with one ----------------------------------------------------------------------------------------


def _to_ground(output: GateOutput, sink: GateInput, count: int) -> Iterator[Candidate]:
    """A bipolar transistor to ground, driven ten times as hard as it needs."""
    carried = sink.pullup_volts * count / sink.ohms
    off = output.low_volts <= 0.4 and output.low_volts >= _REVERSE_VOLTS
    if not off or output.high_volts < 1.5 or carried <= 0 or sink.pullup_volts > 40.0:
        return
    base = (output.high_volts - JUNCTION_VOLTS) / (carried / 10.0)
    ohms = nearest(min(47e3, max(base - output.ohms, 10.0)) / 1.05)
    drive = transistor_drive(output, ohms)
    if ohms < 1e3 or drive < carried / 10.0 or drive > _MOST_AMPERES or carried > 0.1:
        return
    if carried - SATURATED_VOLTS * count / sink.ohms <= 0:
        return
    parts = (Part("R1", ohms, "from the output to the base"), Part("Q1", None, "NPN transistor, emitter to ground"))
    yield Candidate("transistor to ground", parts)


def _transistors(output: GateOutput, sink: GateInput, count: int, rails: Rails) -> Iterator[Candidate]:
    """A contact that takes a transistor's base current away: closed it lets the collector rise."""
    rail = rails[1]
    if rail < 2.0 or output.absolute_limits.outside(JUNCTION_VOLTS):
        return
    named, load = f"+{rail:g} V", count / sink.ohms
    aims = [None, *(wanted for wanted in _wanted(sink, rail) if wanted < 0.97 * rail)]
    for collector in (4.7e3, 2.2e3, 1e3):
        base = nearest(7.0 * collector)
        for wanted in aims:
            parts = [
                Part("R1", base, f"pull-up of the contact and the base, to {named}", rail),
                Part("Q1", None, "NPN transistor, base to the contact, emitter to ground"),
                Part("R2", collector, f"pull-up of the collector, to {named}", rail),
            ]
            if wanted is not None:
                conductance = (rail / wanted - 1.0) / collector - load
                if conductance <= 0:
                    continue
                through = 1.0 / ((rail / wanted - 1.0) / collector)
                parts.append(Part("R3", nearest(1.0 / (1.0 / through - load)), "from the collector to ground"))
            yield Candidate("transistor", tuple(parts), rails)


def _fronts(output: GateOutput, low_volts: float, high_volts: float) -> Iterator[tuple[Part, ...]]:
    """What brings an output within an active part's own input range, the least first."""
    if output.low_volts * UP >= low_volts and output.high_volts * UP <= high_volts:
        yield ()
        return
    below = output.low_volts * UP < low_volts
    drop = SCHOTTKY_VOLTS if below else 0.0
    most = output.high_volts - drop
    if most <= 0:
        return
    for share in (0.87, 0.75, 0.6):
        upper = max(1e3, 10e3 * (most / (share * high_volts) - 1.0) - output.ohms)
        parts = (Part("R11", nearest(upper), "from the output to R12"), Part("R12", 10e3, "from there to ground"))
        diode = (Part("D3", None, "small Schottky diode, from the output to R11"),) if below else ()
        yield (*diode, *parts)


def _logic(output: GateOutput, sink: GateInput, rails: Rails) -> Iterator[Candidate]:
    """A logic buffer from a single rail: TTL thresholds at 3.3 and 5 V, CMOS ones from 2 to 15 V."""
    low, rail = rails
    if low < 0 or not 2.0 <= rail <= 15.0:
        return
    kinds = ["TTL thresholds (0.8 and 2.0 V)"] if 3.0 <= rail <= 5.5 else []
    kinds.append("CMOS thresholds (30 and 70 % of it)")
    for front in _fronts(output, -SCHOTTKY_VOLTS, rail + SCHOTTKY_VOLTS):
        for kind in kinds:
            buffer = Part("U1", None, f"logic buffer from +{rail:g} V, {kind}", rail)
            last = Part("R10", OUT_OHMS, "in series with its output")
            yield Candidate("logic buffer", (*front, buffer, last), rails)


def ends(
    rails: Rails, sink: GateInput, supplies: tuple[Rails, ...], name: str, ohms: float
) -> Iterator[tuple[Part, ...]]:
    """The resistor at an op-amp's output, and the diodes behind it where its rails could pass what the input bears."""
    for diodes in diode_sets(rails[0] * UP, rails[1] * UP, sink, supplies, always=True):
        for value in (CLAMP_OHMS, 2.2e3) if diodes else (ohms,):
            yield (Part(name, value, "in series with its output"), *diodes)


def powered(name: str, words: str, rails: Rails) -> Part:
    low, high = rails
    from_rails = f"from {low:g} and +{high:g} V".replace("-", "−") if low < 0 else f"from +{high:g} V"
    kind = "op-amp" if low < 0 else "rail-to-rail op-amp"
    return Part(name, None, f"{kind} as {words}, {from_rails}", high, low)


def _followers(output: GateOutput, sink: GateInput, rails: Rails, supplies: tuple[Rails, ...]) -> Iterator[Candidate]:
    room = 0.0 if rails[0] == 0 else 1.5
    if output.low_volts < rails[0] + room or output.high_volts > rails[1] - room:
        return
    for end in ends(rails, sink, supplies, "R1", OUT_OHMS):
        yield Candidate("buffer", (powered("U1", "follower", rails), *end), rails)


def _amplifiers(output: GateOutput, sink: GateInput, rails: Rails, supplies: tuple[Rails, ...]) -> Iterator[Candidate]:
    """A gate that is too weak, several times as large."""
    room = 0.05 if rails[0] == 0 else 1.5
    top, limit = rails[1] - room, top_of(sink)
    for front in _fronts(output, rails[0] - (SCHOTTKY_VOLTS if rails[0] == 0 else 0.0), top):
        _, most = _entered(output, front)
        for aim in (0.5 * (sink.on_volts + top), sink.on_volts + 1.0, sink.on_volts + 2.0, 0.95 * top):
            gain = min(aim, top if limit is None else max(limit, sink.on_volts + 0.5)) / most if most > 0 else 0.0
            if gain <= 1.05:
                continue
            parts = (
                *front,
                powered("U1", "amplifier", rails),
                Part("R3", 10e3, "from its − input to ground"),
                Part("R4", nearest(10e3 * (gain - 1.0)), "from its output to its − input"),
            )
            for end in ends(rails, sink, supplies, "R1", OUT_OHMS):
                yield Candidate("amplifier", (*parts, *end), rails)


def _entered(output: GateOutput, front: tuple[Part, ...]) -> tuple[float, float]:
    """The two levels behind what stands ahead of an active part."""
    low, high = output.low_volts, output.high_volts
    if not front:
        return low, high
    values = {part.name: part.ohms or 0.0 for part in front}
    share = values["R12"] / (values["R11"] + values["R12"] + output.ohms)
    if "D3" in values:
        low, high = max(0.0, low - SCHOTTKY_VOLTS), max(0.0, high - SCHOTTKY_VOLTS)
    return low * share, high * share


def _comparators(output: GateOutput, sink: GateInput, rails: Rails, supplies: tuple[Rails, ...]) -> Iterator[Candidate]:
    """A comparator with hysteresis in the middle of the sender's swing."""
    least, most = rails
    for front in _fronts(output, least - (SCHOTTKY_VOLTS if least == 0 else 0.0), most - (0.0 if least == 0 else 1.5)):
        low, high = _entered(output, front)
        middle, width = 0.5 * (low + high), high - low
        if width < 0.2 or middle > 0.9 * most or middle < 0.9 * least:
            continue
        if (UP - 1.0) * abs(middle) + 0.1 * width > 0.45 * width:
            continue  # the reference moves with its rail
        span = most - least
        parts = [
            powered("U1", "comparator", rails),
            Part("R1", 10e3, "from the output to its + input" if not front else "from R12 to its + input"),
            Part("R2", nearest(10e3 * span / (0.2 * width)), "from its output to its + input: hysteresis"),
        ]
        if abs(middle) >= 0.05:
            rail = most if middle > 0 else least
            if abs(rail) <= abs(middle):
                continue
            sign = f"{rail:+g} V".replace("-", "−")
            upper = nearest(10e3 * (abs(rail) / abs(middle) - 1.0))
            parts += [Part("R3", upper, f"from {sign} to its − input", rail), Part("R4", 10e3, "from there to ground")]
        for end in ends(rails, sink, supplies, "R5", CLAMP_OHMS):
            yield Candidate("comparator", (*front, *parts, *end), rails)
