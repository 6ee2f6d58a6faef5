"""A pulse from the rise of a gate: a capacitor in series, a resistor to ground, a diode that keeps the fall away.

peak = swing · R/(R + ahead), R being R1 with the inputs beside it, ahead the sender's ohms and R2, which spares the
diode; the input sees it until it has come down to the volts at which it goes off: (R + ahead) · C · ln(peak / off).
Source: derived.  The fall of the gate leaves it a Schottky diode below ground.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

from dynamis.electrics.gates.candidate import Candidate
from dynamis.electrics.gates.circuits import GateCircuit, fitting
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.net import parallel
from dynamis.electrics.part import Part
from dynamis.electrics.series import values_between

NAME: Final = "pulse from a rise"
_OHMS: Final = (100e3, 47e3, 22e3, 10e3)
_FARADS: Final = (100e-12, 1e-6)
_ROOM: Final = 1.5
_SPARES: Final = 1000.0


def lengths(parts: Sequence[Part], output: GateOutput, sink: GateInput, count: int) -> tuple[float, float]:
    """(until an input is below its on threshold, until it goes off) of a pulse, seconds; 0 where it is never on."""
    by_name = {one.name: one for one in parts}
    ohms = parallel([by_name["R1"].ohms, *([sink.ohms] * count)])
    ahead = output.ohms + (by_name["R2"].ohms or 0.0)
    peak = (output.high_volts - output.low_volts) * ohms / (ohms + ahead)
    tau = (ohms + ahead) * by_name["C1"].farads
    on, off = (tau * math.log(peak / volts) if 0 < volts < peak else 0.0 for volts in (sink.on_volts, sink.off_volts))
    return on, off


def pulsing(
    output: GateOutput, sink: GateInput, count: int, least_seconds: float, most_seconds: float
) -> tuple[GateCircuit, float] | None:
    """The circuit that keeps an input on for `least_seconds` and off after `most_seconds`, with room to either, and how
    long its pulse is; None where none does, fits and stays safe."""
    if output.kind != "driven" or sink.kind != "positive" or not 0 < sink.off_volts < sink.on_volts:
        return None
    for ohms in _OHMS:
        for farads in values_between(*_FARADS, "E12"):
            parts = (
                Part("R2", _SPARES, "from the output to the capacitor"),
                Part("C1", None, "from there to the input", farads=farads),
                Part("R1", ohms, "from the input to ground: the length"),
                Part("D1", None, "small Schottky diode, from ground to the input"),
            )
            on, off = lengths(parts, output, sink, count)
            if on < _ROOM * least_seconds or off > most_seconds / _ROOM or not off:
                continue
            circuit = fitting(Candidate(NAME, parts, None), output, sink, count)
            if circuit is not None:
                return circuit, off
    return None
