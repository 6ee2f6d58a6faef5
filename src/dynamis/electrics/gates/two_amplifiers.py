"""The largest circuits for gates, from ± 12 V: a comparator with its reference, and what follows it."""

from __future__ import annotations

from collections.abc import Iterator

from dynamis.electrics.gates.candidate import UP, Candidate, bottom_of, top_of
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.gates.stages import OUT_OHMS, RAIL, SWING
from dynamis.electrics.part import Part
from dynamis.electrics.series import nearest


def two_amplifiers(output: GateOutput, endings: list[tuple[str, tuple[Part, ...]]]) -> Iterator[Candidate]:
    front = _front(output)
    if front is None:
        return
    for name, parts in endings:
        yield Candidate(f"comparator and {name}", (*front, *parts), (-RAIL, RAIL))


def _front(output: GateOutput) -> tuple[Part, ...] | None:
    """Pull-up where there is a contact, reference, hysteresis; None where the sender's swing is too small."""
    parts: list[Part] = []
    turned = output.kind == "switch"
    if turned:
        absolute_limits = RAIL / UP if output.absolute_limits.high is None else output.absolute_limits.high
        open_volts = min(5.0, 0.8 * absolute_limits)
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
        if output.absolute_limits.outside(high * UP):
            return None
    else:
        low, high = output.low_volts, output.high_volts
        beyond = max(abs(low), abs(high)) * UP / SWING
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
    if (UP - 1.0) * abs(middle) + width / 2.0 > 0.45 * (high - low):
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


def network_for(low_volts: float, high_volts: float) -> list[tuple[str, tuple[Part, ...]]]:
    """Resistors that bring a comparator's ± 10.5 V to two levels, and a follower; empty where they cannot."""
    gain, bias = (high_volts - low_volts) / (2.0 * SWING), (high_volts + low_volts) / (2.0 * RAIL)
    if not 0 < gain < 0.95 or gain + abs(bias) > 0.98 or max(abs(low_volts), abs(high_volts)) > SWING:
        return []
    parts = [Part("R5", nearest(10e3 / gain, "E96"), "from the comparator to the divider")]
    if abs(bias) > 0.002:
        role = f"from {'+' if bias > 0 else '−'}12 V to the divider"
        parts.append(Part("R6", nearest(10e3 / abs(bias), "E96"), role, RAIL if bias > 0 else -RAIL))
    parts += [
        Part("R7", nearest(10e3 / (1.0 - gain - abs(bias)), "E96"), "from the divider to ground"),
        Part("U2", None, "op-amp as follower, from ± 12 V"),
        Part("R10", OUT_OHMS, "in series with its output"),
    ]
    return [("divider", tuple(parts))]


def targets(sink: GateInput) -> Iterator[tuple[float, float]]:
    """Levels to aim for at an input, the roundest first: on well above, off well below, inside all limits."""
    bottom, top = bottom_of(sink), top_of(sink)
    least, most = max(-10.0, -10.0 if bottom is None else bottom), min(10.0, 10.0 if top is None else top)
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
