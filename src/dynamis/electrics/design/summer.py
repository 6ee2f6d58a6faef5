"""A summer of pitch voltages: inputs at a gain of one, octaves and semitones added from a reference by switches.

Adding two pitch voltages transposes on an exponential law.  Source: derived, Kirchhoff's laws.
"""

from __future__ import annotations

from typing import Final

from dynamis.electrics.circuits.circuit import Circuit, Fitted, Reference
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.design.preferred import choices, stock
from dynamis.electrics.design.wish import Wish
from dynamis.errors import InputError
from dynamis.notation.style import plain

_OHMS: Final = 100e3
MOST_INPUTS: Final = 3


def summer(wish: Wish, inputs: int = 2, octaves: float = 0.0, semitones: float = 0.0) -> Circuit:
    """A summer whose first input has the wish's gain, and the others a gain of one, behind senders of the same ohms.

    octaves, semitones : what their switches add while they are closed, 0 for none.  Raises `InputError` for a count of
    inputs or an offset that it cannot do.
    """
    if not 1 <= inputs <= MOST_INPUTS:
        raise InputError(f"A summer of {inputs} inputs was asked for; 1 to {MOST_INPUTS} were expected.")
    if wish.supply.single:
        raise InputError("A summer works round 0 V and needs two rails.")
    reference = Reference("vp", wish.supply.high, wish.supply.tolerance)
    if wish.reference_volts is not None:
        reference = Reference("ref", wish.reference_volts, wish.reference_tolerance)
    values = stock(wish.series, wish.drawer)
    wanted = {"R1": _OHMS / wish.gain - wish.source_ohms, "R2": _OHMS, "R4": _OHMS, "R5": _OHMS}
    for slot in ("R6", "R7")[: inputs - 1]:
        wanted[slot] = _OHMS - wish.source_ohms
    for slot, steps in (("R8", octaves), ("R9", semitones / 12.0)):
        if steps:
            wanted[slot] = _OHMS * reference.volts / (steps * wish.volts_per_octave)
    fitted = {}
    for slot, ohms in wanted.items():
        found = choices(ohms, values, wish.pairs)
        if not found:
            raise InputError(f"{slot} would be {plain(round(ohms, 1))} Ω, which no values at hand make.")
        fitted[slot] = min(found, key=lambda one, ohms=ohms: abs(one.total - ohms))  # type: ignore[misc]
    bare = Circuit(TOPOLOGIES["summer"], (), wish.supply, wish.op_amp, reference, wish.source_ohms,
                   wish.load_ohms, wish.tolerance, wish.resistor_per_kelvin, wish.clamp(amplified=True))  # fmt: skip
    return bare.fitting(**fitted)


def with_switches(circuit: Circuit, *, octave: bool, semitones: bool) -> Circuit:
    """The summer as it stands with its switches; an open one leaves its resistor out."""
    open_ones: dict[str, Fitted | None] = {}
    if not octave:
        open_ones["R8"] = None
    if not semitones:
        open_ones["R9"] = None
    return circuit.fitting(**open_ones)
