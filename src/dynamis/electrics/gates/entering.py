"""What the input of a circuit for gates hangs on the node ahead of it."""

from __future__ import annotations

from collections.abc import Sequence

from dynamis.electrics.part import Part


def entering_ohms(circuit: str, parts: Sequence[Part]) -> tuple[float | None, float]:
    """(ohms, volts behind them) of a circuit's input; None where it takes no current to speak of.

    A divider is its two resistors; a transistor's base is taken as ground behind its resistor, which is the most
    that it takes; a capacitor lets an edge through to its resistor; a contact's pull-up drives; op-amps and logic take
    none but through what stands ahead of them.
    """
    ohms = {part.name: part.ohms for part in parts if part.ohms is not None}
    rails = {part.name: part.rail_volts for part in parts}
    if "R11" in ohms and "R12" in ohms:
        return ohms["R11"] + ohms["R12"], 0.0
    if circuit in ("divider", "diode and divider"):
        return ohms["R1"] + ohms["R2"], 0.0
    if circuit == "pulse from a rise":
        return ohms["R1"] + ohms["R2"], 0.0
    if circuit == "transistor to ground":
        return ohms["R1"], 0.0
    if circuit == "transistor":
        return ohms["R1"], rails["R1"]
    if "R8" in ohms and "R9" in ohms:
        parallel = ohms["R8"] * ohms["R9"] / (ohms["R8"] + ohms["R9"])
        return parallel, rails["R8"] * ohms["R9"] / (ohms["R8"] + ohms["R9"])
    if circuit.startswith("comparator") and "R1" in ohms and "R2" in ohms:
        return ohms["R1"] + ohms["R2"], 0.0
    return None, 0.0
