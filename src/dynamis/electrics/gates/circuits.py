"""What to put between a gate output and an input that do not fit: the smallest circuit that makes them fit.

Each circuit is worked out as the output that it becomes and is judged like any other, at its nominal rails
of ± 12 V and at rails (or, without rails, a sender) 5 % up; where none fits both ways, one that is safe
both ways.  Levels of the parts: an op-amp's output reaches to 1.5 V from its rails, a saturated transistor
leaves 0.2 V, a base-emitter junction takes 0.7 V, a small MOSFET is 5 ohms when on.
Source: common practice, no source.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from dynamis.electrics.gates.levels import GateFit, GateInput, GateOutput, Span, judge_gate
from dynamis.electrics.gates.stages import (
    JUNCTION_VOLTS,
    MOSFET_OHMS,
    OUT_OHMS,
    RAIL,
    SATURATED_VOLTS,
    SWING,
    divided,
    network_levels,
    transistor_drive,
)
from dynamis.electrics.part import Part
from dynamis.electrics.series import nearest, values_between
from dynamis.electrics.signals.switching import DIODE_VOLTS

_UP: Final = 1.05
_MOST_AMPERES: Final = 0.02
_REVERSE_VOLTS: Final = -4.0
_MOSFET_MOST_VOLTS: Final = 50.0
STRETCH_FARADS: Final = 100e-9
STRETCH_VOLTS: Final = 1.0
STRETCH_GATE_VOLTS: Final = 5.0


@dataclass(frozen=True)
class GateCircuit:
    """A circuit between, and what it leaves.

    becomes : the output that the input then meets.  holds : it also fits with rails or sender 5 % up.
    """

    name: str
    parts: tuple[Part, ...]
    becomes: GateOutput
    leaves: GateFit
    holds: bool = True


@dataclass(frozen=True)
class _Tried:
    """A circuit to be judged: what it becomes, and what it becomes 5 % up."""

    name: str
    parts: tuple[Part, ...]
    becomes: GateOutput
    up: GateOutput


def gate_circuit(output: GateOutput, sink: GateInput, count: int = 1) -> GateCircuit | None:
    """The first of divider, buffer, transistor, comparator that fits; None where nothing does, or nothing is needed."""
    second = None
    for made in _fitting(output, sink, count):
        if made.holds:
            return made
        second = second or made
    return second


def gate_circuits(output: GateOutput, sink: GateInput, count: int = 1) -> list[GateCircuit]:
    """One of each kind that fits, the simplest first and those that hold with 5 % more ahead of the others."""
    best: dict[str, GateCircuit] = {}
    for made in _fitting(output, sink, count):
        if made.name not in best or (made.holds and not best[made.name].holds):
            best[made.name] = made
    return sorted(best.values(), key=lambda one: not one.holds)


def _fitting(output: GateOutput, sink: GateInput, count: int) -> Iterator[GateCircuit]:
    """Circuits that fit at nominal rails and are safe with rails or sender 5 % up."""
    if judge_gate(output, sink, count).verdict == "fits" or _hurts_itself(output):
        return
    for tried in _candidates(output, sink, count):
        leaves = judge_gate(tried.becomes, sink, count)
        if leaves.verdict != "fits":
            continue
        up = judge_gate(tried.up, sink, count).verdict
        if up != "unsafe":
            yield GateCircuit(tried.name, tried.parts, tried.becomes, leaves, up == "fits")


def _hurts_itself(output: GateOutput) -> bool:
    """Whether an output leaves its own limits with nothing plugged in; no circuit behind it mends that."""
    return output.kind == "driven" and any(
        output.bears.outside(volts) != 0.0 for volts in (output.low_volts, output.high_volts)
    )


def _candidates(output: GateOutput, sink: GateInput, count: int) -> Iterator[_Tried]:
    if sink.kind == "positive":
        if output.kind == "driven":
            yield from _dividers(output, sink, count)
            yield from _buffers(output)
        for low, high in _targets(sink):
            yield from _comparators(output, _network(low, high))
    else:
        if output.kind == "driven":
            yield from _transistors(output, sink, count)
        if 0.0 <= sink.pullup_volts <= _MOSFET_MOST_VOLTS:
            contact = GateOutput("switch", ohms=MOSFET_OHMS)
            more = (Part("R7", 10e3, "in series with the MOSFET's gate"), Part("Q1", None, "small MOSFET to ground"))
            yield from _comparators(output, [("MOSFET to ground", more, contact, contact)])


def _dividers(output: GateOutput, sink: GateInput, count: int) -> Iterator[_Tried]:
    """Two resistors, from the lightest load on the sender to the stiffest."""
    if output.high_volts <= 0:
        return
    top = min((high for high in (sink.works.high, sink.bears.high) if high is not None), default=output.high_volts)
    for share in (0.85, 0.7, 0.95, 0.55):
        wanted = sink.on_volts + share * (top - sink.on_volts)
        if not 0 < wanted < output.high_volts:
            continue
        for lower in (10e3, 4.7e3, 2.2e3, 1e3):
            beside = 1.0 / (1.0 / lower + count / sink.ohms)
            above = beside * (output.high_volts / wanted - 1.0) - output.ohms
            if above < 10.0:
                continue
            upper = nearest(above)
            total = output.ohms + upper + lower
            if abs(output.high_volts) / total > _MOST_AMPERES:
                continue
            parts = (Part("R1", upper, "from the output to the input"), Part("R2", lower, "from the input to ground"))
            yield _Tried("divider", parts, divided(output, upper, lower), divided(output, upper, lower, _UP))


def _buffers(output: GateOutput) -> Iterator[_Tried]:
    low, high = output.low_volts, output.high_volts
    if max(abs(low), abs(high)) > SWING:
        return
    parts = (Part("U1", None, "op-amp as follower, from ± 12 V"), Part("R1", OUT_OHMS, "in series with its output"))
    yield _Tried("buffer", parts, _driven(low, high, OUT_OHMS), _driven(low, high, OUT_OHMS))


def _transistors(output: GateOutput, sink: GateInput, count: int) -> Iterator[_Tried]:
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
    parts = (Part("R1", ohms, "from the output to the base"), Part("Q1", None, "NPN transistor, emitter to ground"))
    left = carried - SATURATED_VOLTS * count / sink.ohms
    if left <= 0:
        return
    becomes = GateOutput("switch", ohms=SATURATED_VOLTS / left)
    yield _Tried("transistor to ground", parts, becomes, becomes)


def _comparators(
    output: GateOutput, endings: list[tuple[str, tuple[Part, ...], GateOutput, GateOutput]]
) -> Iterator[_Tried]:
    """A comparator with hysteresis in the middle of the sender's swing, and what makes its levels fit."""
    front = _front(output)
    if front is None:
        return
    for name, parts, becomes, up in endings:
        yield _Tried(f"comparator and {name}", (*front, *parts), becomes, up)


def _front(output: GateOutput) -> tuple[Part, ...] | None:
    """Pull-up where there is a contact, reference, hysteresis; None where the sender's swing is too small."""
    parts: list[Part] = []
    turned = output.kind == "switch"
    if turned:
        bears = RAIL / _UP if output.bears.high is None else output.bears.high
        open_volts = min(5.0, 0.8 * bears)
        if open_volts < 0.5:
            return None
        lower = 10e3
        upper = nearest(lower * (RAIL / open_volts - 1.0))
        high = RAIL * lower / (upper + lower)
        low = high * output.ohms / (output.ohms + upper * lower / (upper + lower))
        parts += [
            Part("R8", upper, "pull-up of the contact, to +12 V", RAIL),
            Part("R9", lower, "from the contact to ground"),
        ]
        if output.bears.outside(high * _UP):
            return None
    else:
        low, high = output.low_volts, output.high_volts
        beyond = max(abs(low), abs(high)) * _UP / SWING
        if beyond > 1.0:
            upper = max(100.0, nearest(10e3 * (beyond - 1.0)))
            while 10e3 * beyond > 10e3 + upper + output.ohms:
                upper = nearest(upper * 1.1)
            share = 10e3 / (10e3 + upper + output.ohms)
            low, high = low * share, high * share
            parts += [
                Part("R11", upper, "from the output to the comparator's divider"),
                Part("R12", 10e3, "from the divider to ground"),
            ]
    if high - low < 0.2:
        return None
    middle, width = (low + high) / 2.0, 0.2 * (high - low)
    if (_UP - 1.0) * abs(middle) + width / 2.0 > 0.45 * (high - low):
        return None  # the reference moves with its rail
    feedback = nearest(10e3 * (2.0 * SWING / width - 1.0))
    parts += [
        Part("U1", None, f"op-amp as comparator, from ± 12 V; {'contact' if turned else 'reference'} at its − input"),
        Part("R1", 10e3, f"from the {'reference' if turned else 'output'} to its + input"),
        Part("R2", feedback, "from its output to its + input: hysteresis"),
    ]
    if abs(middle) >= 0.05:
        rail = "+12 V" if middle > 0 else "−12 V"
        parts += [
            Part(
                "R3",
                nearest(10e3 * (RAIL / abs(middle) - 1.0)),
                f"from {rail} to the reference",
                RAIL if middle > 0 else -RAIL,
            ),
            Part("R4", 10e3, "from the reference to ground"),
        ]
    return tuple(parts)


def _network(low: float, high: float) -> list[tuple[str, tuple[Part, ...], GateOutput, GateOutput]]:
    """Resistors that bring a comparator's ± 10.5 V to two levels, and a follower; empty where they cannot."""
    gain, bias = (high - low) / (2.0 * SWING), (high + low) / (2.0 * RAIL)
    if not 0 < gain < 0.95 or gain + abs(bias) > 0.98:
        return []
    first = nearest(10e3 / gain, "E96")
    second = None
    if abs(bias) > 0.002:
        sign = 1.0 if bias > 0 else -1.0
        role = f"from {'+' if bias > 0 else '−'}12 V to the divider"
        second = Part("R6", nearest(10e3 / abs(bias), "E96"), role, sign * RAIL)
    third = nearest(10e3 / (1.0 - gain - abs(bias)), "E96")
    parts = [Part("R5", first, "from the comparator to the divider")]
    if second is not None:
        parts.append(second)
    parts += [
        Part("R7", third, "from the divider to ground"),
        Part("U2", None, "op-amp as follower, from ± 12 V"),
        Part("R10", OUT_OHMS, "in series with its output"),
    ]
    levels = [network_levels(first, second, third, up) for up in (1.0, _UP)]
    if max(abs(one) for one in levels[0]) > SWING:
        return []
    becomes, up_too = (_driven(*pair, OUT_OHMS) for pair in levels)
    return [("divider", tuple(parts), becomes, up_too)]


def _targets(sink: GateInput) -> Iterator[tuple[float, float]]:
    """Levels to aim for at an input, the roundest first: on well above, off well below, inside all limits."""
    least = max([-10.0, *(low for low in (sink.works.low, sink.bears.low) if low is not None)])
    most = min([10.0, *(high for high in (sink.works.high, sink.bears.high) if high is not None)])
    room, below = most - sink.on_volts, sink.off_volts - least
    highs = [
        5.0,
        *(sink.on_volts + volts for volts in (1.5, 1.0, 0.6, 0.45)),
        *(sink.on_volts + part * room for part in (0.5, 0.75, 0.9)),
    ]
    lows = [0.0, 0.02, 0.05, *(sink.off_volts - part * below for part in (0.5, 0.75, 0.9)), sink.off_volts - 0.5]
    for high in highs:
        for low in lows:
            if least <= low < sink.off_volts and sink.on_volts < high <= most and high > low:
                yield low, high


def _driven(low: float, high: float, ohms: float) -> GateOutput:
    return GateOutput("driven", low, high, ohms, Span())


def stretcher_parts(seconds: float) -> tuple[Part, ...]:
    """A diode, a capacitor that it charges, a resistor that lets it down, and a comparator at 1 V, from a 5 V gate.

    Source: derived, seconds = R·C·ln((5 V − diode)/1 V); the resistor is the next preferred value up.
    """
    ohms = seconds / (STRETCH_FARADS * math.log((STRETCH_GATE_VOLTS - DIODE_VOLTS) / STRETCH_VOLTS))
    chosen = next(one for one in values_between(ohms, 2.0 * ohms, "E24") if one >= ohms)
    return (
        Part("D1", None, "small diode, from the gate to the capacitor"),
        Part("C1", None, "100 nF, from the diode to ground"),
        Part("R1", chosen, "across the capacitor: the length"),
        Part("U1", None, "op-amp as comparator at 1 V, from ± 12 V, its output limited to 0 and 5 V"),
    )
