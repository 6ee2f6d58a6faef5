"""Circuits for gates as built: what an output becomes behind the parts that stand between.

The same levels of parts as in `circuits.py`, which chooses them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from dynamis.electrics.gates.levels import GateOutput
from dynamis.electrics.part import Part

RAIL: Final = 12.0
SWING: Final = RAIL - 1.5
SATURATED_VOLTS, JUNCTION_VOLTS, MOSFET_OHMS = 0.2, 0.7, 5.0
OUT_OHMS: Final = 100.0
NEVER: Final = GateOutput("driven", 0.0, 0.0, OUT_OHMS)
CIRCUITS: Final = ("divider", "buffer", "transistor to ground", "comparator and divider",
                   "comparator and MOSFET to ground", "stretcher")  # fmt: skip


def becomes(circuit: str, parts: Sequence[Part], output: GateOutput, carried_amperes: float = 0.0) -> GateOutput:
    """The output behind a circuit.

    carried_amperes : what a closed contact has to carry, the pull-ups' current.  A circuit that the output does
    not drive stays off.  Raises `KeyError` for a circuit or a part that is not there.
    """
    by_name = {part.name: part for part in parts}
    if circuit == "divider":
        return divided(output, _ohms(by_name, "R1"), _ohms(by_name, "R2"))
    if circuit in ("buffer", "stretcher"):
        low, high = (min(SWING, max(-SWING, volts)) for volts in (output.low_volts, output.high_volts))
        return GateOutput("driven", low, high, OUT_OHMS)
    if circuit == "transistor to ground":
        return _transistor(output, _ohms(by_name, "R1"), carried_amperes)
    if circuit not in CIRCUITS:
        raise KeyError(circuit)
    if not _switches(output, by_name):
        return NEVER
    if circuit == "comparator and MOSFET to ground":
        return GateOutput("switch", ohms=MOSFET_OHMS)
    second = by_name.get("R6")
    low, high = network_levels(_ohms(by_name, "R5"), second, _ohms(by_name, "R7"), 1.0)
    return GateOutput("driven", low, high, OUT_OHMS)


def _ohms(parts: Mapping[str, Part], name: str) -> float:
    ohms = parts[name].ohms
    if ohms is None:
        raise KeyError(name)
    return ohms


def divided(output: GateOutput, upper: float, lower: float, up: float = 1.0) -> GateOutput:
    """A divider; up : the sender's levels at their tolerance."""
    total = output.ohms + upper + lower
    ratio = lower / total
    return GateOutput("driven", output.low_volts * ratio * up, output.high_volts * ratio * up,
                      (output.ohms + upper) * lower / total)  # fmt: skip


def network_levels(first: float, second: Part | None, third: float, up: float) -> tuple[float, float]:
    """The two levels that three resistors make of a comparator's: from it, from a rail, to ground.

    up : the rails as a share of what they should be.
    """
    ohms = None if second is None else second.ohms
    beside = 0.0 if second is None or ohms is None else 1.0 / ohms
    total = 1.0 / first + beside + 1.0 / third
    gain, bias = 1.0 / first / total, beside / total
    swing, rail = RAIL * up - 1.5, 0.0 if second is None else second.rail_volts * up
    return bias * rail - gain * swing, bias * rail + gain * swing


def transistor_drive(output: GateOutput, ohms: float) -> float:
    """Amperes into a transistor's base through `ohms` while the output is high."""
    return (output.high_volts - JUNCTION_VOLTS) / (output.ohms + ohms)


def _transistor(output: GateOutput, ohms: float, carried: float) -> GateOutput:
    if output.kind != "driven" or output.low_volts > 0.4 or transistor_drive(output, ohms) < carried / 10.0:
        return NEVER
    return GateOutput("switch", ohms=SATURATED_VOLTS / carried if carried > 0 else MOSFET_OHMS)


def _switches(output: GateOutput, parts: Mapping[str, Part]) -> bool:
    """Whether an output takes a comparator past both of its thresholds."""
    if output.kind == "switch":
        upper, lower = _ohms(parts, "R8"), _ohms(parts, "R9")
        high = RAIL * lower / (upper + lower)
        low = high * output.ohms / (output.ohms + upper * lower / (upper + lower))
        if output.bears.outside(high):
            return False
    else:
        low, high = output.low_volts, output.high_volts
        if "R11" in parts:
            share = _ohms(parts, "R12") / (_ohms(parts, "R12") + _ohms(parts, "R11") + output.ohms)
            low, high = low * share, high * share
    above = parts.get("R3")
    middle = 0.0
    if above is not None:
        middle = above.rail_volts * _ohms(parts, "R4") / (_ohms(parts, "R3") + _ohms(parts, "R4"))
    half = SWING * _ohms(parts, "R1") / (_ohms(parts, "R1") + _ohms(parts, "R2"))
    return low < middle - half and high > middle + half
