"""A pulse stretcher: a diode charges a capacitor through the sender's own resistance, a resistor lets it down, and a
comparator tells when it has.

seconds = R·C·ln(charged / reference), charged = (high − diode)·(1 − exp(−pulse / (sender's ohms · C))).  Source:
derived.  What the comparator's rails are to the receiver is as with the other circuits for gates.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Final

from dynamis.electrics.gates.candidate import Candidate, Rails
from dynamis.electrics.gates.circuits import RACK, GateCircuit, fitting
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.gates.library import CLAMP_OHMS, ends, powered
from dynamis.electrics.part import DIODE_VOLTS, Part
from dynamis.electrics.series import nearest, values_between

NAME: Final = "stretcher"
_FARADS: Final = (100e-9, 47e-9, 22e-9, 10e-9, 4.7e-9, 2.2e-9, 1e-9)
_MOST_OHMS: Final = 2.2e6
# What the resistor across the capacitor is to the sender's own, at least.
_STIFF: Final = 20.0
_LEAST_CHARGED: Final = 0.6
# Time constants of the sender that its pulse has to last; 95 % are reached.
_CONSTANTS: Final = 3.0
_REFERENCE: Final = 0.4


def stretching(
    output: GateOutput,
    sink: GateInput,
    count: int,
    seconds: float,
    pulse_seconds: float | None,
    supplies: tuple[Rails, ...] = RACK,
    *,
    battery: bool = False,
) -> GateCircuit | None:
    """The stretcher that makes pulses of `seconds` and at most a quarter more, fits and stays safe; None where none
    does.

    pulse_seconds : of the sender, None where it stays up as long as a key is held.
    """
    for candidate in _candidates(output, sink, seconds, pulse_seconds, supplies):
        circuit = fitting(candidate, output, sink, count, battery=battery)
        if circuit is not None:
            return circuit
    return None


def _candidates(
    output: GateOutput, sink: GateInput, seconds: float, pulse_seconds: float | None, supplies: tuple[Rails, ...]
) -> Iterator[Candidate]:
    if output.kind != "driven" or sink.kind != "positive":
        return
    for rails in sorted(supplies, key=lambda one: (one[0] < 0, one[1])):
        least, most = rails
        room = 0.0 if least == 0 else 1.5
        for farads in _FARADS:
            constant = output.ohms * farads
            if pulse_seconds is not None and pulse_seconds < _CONSTANTS * constant:
                continue
            reached = 1.0 if pulse_seconds is None or constant == 0 else 1.0 - math.exp(-pulse_seconds / constant)
            charged = (output.high_volts - DIODE_VOLTS) * reached
            if not _LEAST_CHARGED <= charged <= most - room:
                break
            upper = nearest(10e3 * (most / (_REFERENCE * charged) - 1.0))
            reference = most * 10e3 / (10e3 + upper)
            if output.low_volts - DIODE_VOLTS >= 0.8 * reference:
                break
            ohms = seconds / (farads * math.log(charged / reference))
            if ohms > _MOST_OHMS or ohms < _STIFF * output.ohms:
                continue
            across = next(one for one in values_between(ohms, 2.0 * ohms, "E24") if one >= ohms)
            parts = (
                Part("D4", None, "small silicon diode, from the output to the capacitor"),
                Part("C1", None, "from the diode to ground", farads=farads),
                Part("R1", across, "across the capacitor: the length"),
                Part("R3", upper, f"from +{most:g} V to its − input", most),
                Part("R4", 10e3, "from there to ground"),
                powered("U1", "comparator", rails),
            )
            for end in ends(rails, sink, supplies, "R5", CLAMP_OHMS):
                yield Candidate(NAME, (*parts, *end), rails)
            break
