"""A summer of pitch voltages: inputs at one gain, octaves and semitones added from a reference by switches.

Adding two pitch voltages transposes on an exponential law.  Source: derived, Kirchhoff's laws.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Final

import numpy as np

from dynamis.electrics.circuits.circuit import MID, Circuit, Fitted, Reference
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting, varied_in
from dynamis.electrics.design.preferred import choices, stock
from dynamis.electrics.design.proposal import ORDER, Proposal, Proposals, Rejected
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import cents_off
from dynamis.electrics.design.trims import Trim, Trimming, corner_values, needed_range, trimmer_sizes
from dynamis.errors import InputError
from dynamis.notation.style import plain

_OHMS: Final = (100e3, 47e3, 22e3, 10e3)
MOST_INPUTS: Final = 3
_MARGIN: Final = 1.1


def summer(requirement: Requirement, inputs: int = 2, octaves: float = 0.0, semitones: float = 0.0) -> Circuit:
    """A summer whose inputs all have the required gain, behind senders of the same ohms; the offset is added.

    octaves, semitones : what their switches add while they are closed, 0 for none.  Raises `InputError` for a count of
    inputs, a gain or volts that it cannot do.
    """
    if not 1 <= inputs <= MOST_INPUTS:
        raise InputError(f"A summer of {inputs} inputs was asked for; 1 to {MOST_INPUTS} were expected.")
    if requirement.supply.single:
        raise InputError("A summer works round 0 V and needs two rails.")
    if requirement.gain <= 0:
        raise InputError(f"A summer of two inverting stages has a positive gain, not {plain(requirement.gain)}.")
    if requirement.zero_volts is not None:
        raise InputError("Under Hz/V adding volts does not transpose; a summer is for V/oct.")
    an_octave = requirement.volts_per_octave * requirement.gain
    most = max(requirement.ends) + an_octave * (octaves + semitones / 12.0)
    low, high = requirement.reach()
    if min(requirement.ends) < low or most > high:
        raise InputError(
            f"With its switches closed {plain(round(most, 3))} V would be wanted; from {requirement.supply.words} "
            f"{plain(round(low, 3))} V to {plain(round(high, 3))} V can be had."
        )
    reference = Reference("vp", requirement.supply.high, requirement.supply.tolerance)
    if requirement.reference_volts is not None:
        reference = Reference("ref", requirement.reference_volts, requirement.reference_tolerance_fraction)
    volts = {
        "R8": octaves * an_octave,
        "R9": semitones / 12.0 * an_octave,
        "R10": max(0.0, requirement.offset_volts),
        "R3": max(0.0, -requirement.offset_volts),
    }
    fitted, refused = {}, ""
    for ohms in _OHMS:  # a semitone from a high rail asks for many megohms, so the rest comes down
        wanted = {"R1": ohms / requirement.gain - requirement.source_ohms, "R2": ohms, "R4": ohms, "R5": ohms}
        wanted |= dict.fromkeys(("R6", "R7")[: inputs - 1], wanted["R1"])
        wanted |= {slot: ohms * reference.volts / one for slot, one in volts.items() if one}
        try:
            fitted = {slot: _nearest(slot, one, requirement) for slot, one in wanted.items()}
            break
        except InputError as error:
            refused = refused or str(error)
    if not fitted:
        raise InputError(refused)
    bare = Circuit(
        TOPOLOGIES["summer"],
        (),
        requirement.supply,
        requirement.op_amp,
        reference,
        requirement.source_ohms,
        requirement.load_ohms,
        requirement.tolerance,
        requirement.resistor_per_kelvin,
        requirement.clamp(amplified=True),
    )
    return bare.fitting(**fitted)


def _nearest(slot: str, ohms: float, requirement: Requirement) -> Fitted:
    fillings = choices(ohms, stock(requirement.series, requirement.drawer), requirement.pairs)
    if not fillings:
        raise InputError(f"{slot} would be {plain(round(ohms, 1))} Ω, which no values at hand make.")
    return min(fillings, key=lambda one: abs(one.total - ohms))


def propose_summer(
    requirement: Requirement,
    inputs: int,
    octaves: float,
    semitones: float,
    counting: Counting = Counting(op_amps=False),
) -> Proposals:
    """The summer as the one proposal, with a scale trimmer where the tolerances ask for one; its switches are open.

    Raises `InputError` as `summer`.
    """
    circuit = summer(requirement, inputs, octaves, semitones)
    varied = varied_in(circuit, counting)
    trims: tuple[Trim, ...] = ()
    if (
        varied
        and float(np.max(cents_off(Trimming(circuit, requirement), corner_values(varied, circuit))))
        > requirement.tolerance_cents
    ):
        needed = needed_range(circuit, requirement, varied)
        total = circuit.by_slot["R4"].total
        size = next(one for one in trimmer_sizes() if one >= 2.0 * _MARGIN * needed["scale"] * total)
        fixed = _nearest("R4", total - MID * size, requirement)
        circuit = circuit.fitting(R4=replace(fixed, trimmer_ohms=size))
        trims = tuple(Trimming(circuit, requirement).describe(needed))
    others = tuple(Rejected(TOPOLOGIES[name], "it has one input and no switches") for name in ORDER)
    return Proposals((Proposal(circuit, requirement, trims),), others, requirement, requirement)


def with_switches(circuit: Circuit, *, octave: bool, semitones: bool) -> Circuit:
    """The summer as it stands with its switches."""
    return replace(circuit, closed=frozenset(slot for slot, on in (("R8", octave), ("R9", semitones)) if on))
