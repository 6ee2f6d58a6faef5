"""What each topology asks of its slots, with ideal op-amps: gain and offset solved for resistances.

Each gives sets of ohms by slot for seeds of one free value, or a sentence that says why it cannot do the requirement.
Source: derived, Kirchhoff's laws with no current into and no volts between the inputs of an op-amp.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Final

from dynamis.electrics.circuits.circuit import Reference
from dynamis.electrics.design.requirement import Requirement
from dynamis.errors import InputError
from dynamis.notation.style import plain

Ohms = dict[str, float]
# An offset that may be left out where nothing makes it: within what counts as done.
SLIGHT_VOLTS: Final = 0.9e-3
# An offset under this share of the rail, and a branch under this share of a node, are left out.
_NOTHING: Final = 1e-9
_SECOND_STAGE_OHMS: Final = 100e3
_LEAST_STAGE_OHMS, _LEAST_BIAS_OHMS = 620.0, 100.0
_HIGH_OHMS: Final = 5e6
_BIAS_OHMS: Final = (10e3, 33e3, 22e3, 15e3, 47e3)


@dataclass(frozen=True)
class Set:
    """Ohms wanted by slot, and where the offset is taken from."""

    ohms: Ohms
    reference: Reference


def reference_for(requirement: Requirement, opposite: bool) -> Reference:
    """The rail, or reference part, that an offset comes from; opposite : where the circuit turns its sign.

    Raises `InputError` where there is no such rail.
    """
    positive = (requirement.offset_volts >= 0) != opposite or not requirement.offset_volts
    if requirement.reference_volts is not None:
        volts = requirement.reference_volts if positive else -requirement.reference_volts
        if volts < 0 and requirement.supply.single:
            raise InputError("it needs a negative reference, and the supply has one rail only")
        return Reference("ref", volts, requirement.reference_tolerance_fraction)
    if positive:
        return Reference("vp", requirement.supply.high, requirement.supply.tolerance)
    if requirement.supply.single:
        raise InputError(f"an offset of {plain(requirement.offset_volts)} V needs a negative rail here")
    return Reference("vn", requirement.supply.low, requirement.supply.tolerance)


def equations_for(name: str) -> Callable[[Requirement, Sequence[float]], Iterator[Set]]:
    """The sets of ohms for the seeds of a topology; they raise `InputError` with the reason where there are none."""
    return _EQUATIONS[name]


def _summed(
    requirement: Requirement, seeds: Sequence[float], gain: float, offset: float, load_ohms: float, what: str
) -> Iterator[Set]:
    """The sender and a rail at one node: R1, R3 and what is left to ground, R2."""
    reference = reference_for(requirement, False)
    share = gain + abs(offset) / abs(reference.volts)
    if gain <= 0:
        raise InputError("resistors and a follower turn nothing over, and the gain is negative")
    if gain > 1.0 - 1e-4 and not offset and not load_ohms:
        raise InputError("a follower does it" if gain < 1.0 + 1e-4 else "a divider gives less than it gets")
    if share > 1 + _NOTHING or (gain >= 1 and load_ohms > 0):
        raise InputError(
            f"{what} of {plain(gain)} and {plain(offset)} V from {plain(reference.volts)} V is more than "
            "a divider gives"
        )
    for seed in seeds:
        first = 1.0 / (seed + requirement.source_ohms)
        total = first / gain
        rail = abs(offset) / abs(reference.volts) * total
        ground = total - first - rail - load_ohms
        if ground < -_NOTHING * total:
            continue
        ohms = {"R1": seed}
        if rail > _NOTHING * total:
            ohms["R3"] = 1.0 / rail
        if ground > _NOTHING * total:
            ohms["R2"] = 1.0 / ground
        yield Set(ohms, reference)


def _resistors(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    load = 0.0 if requirement.load_ohms is None else 1.0 / requirement.load_ohms
    return _summed(requirement, seeds, requirement.gain, requirement.offset_volts, load, "a gain and offset")


def _attenuated(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    return _summed(requirement, seeds, requirement.gain, requirement.offset_volts, 0.0, "a gain and offset")


def _follower(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    if abs(requirement.gain - 1.0) > 5e-4 or abs(requirement.offset_volts) > SLIGHT_VOLTS:
        raise InputError("a follower has a gain of 1 and no offset")
    yield Set({}, Reference("vp", requirement.supply.high))


def _non_inverting(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    reference = (
        reference_for(requirement, True) if requirement.offset_volts else Reference("vp", requirement.supply.high)
    )
    ratio = abs(requirement.offset_volts) / abs(reference.volts)
    ground = requirement.gain - 1.0 - ratio
    if ground < -_NOTHING:
        raise InputError(
            f"a gain of {plain(requirement.gain)} is less than the {plain(1 + ratio)} that it has at least with this "
            "offset"
        )
    if ground + ratio < 1e-6:
        raise InputError("a follower does it")
    for seed in seeds:
        ohms = {"R2": seed}
        if ground > 1e-6:
            ohms["R1"] = seed / ground
        if ratio > _NOTHING:
            ohms["R3"] = seed / ratio
        yield Set(ohms, reference)


def _biased_non_inverting(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    reference = reference_for(requirement, False)
    if requirement.gain <= 0:
        raise InputError("it turns nothing over, and the gain is negative")
    least = requirement.gain + abs(requirement.offset_volts) / abs(reference.volts)
    if least <= 1.0 or not requirement.offset_volts:
        raise InputError("a divider and a follower, or plain gain, do it with less")
    for more in (1.0, 1.2, 1.6):
        gain = least * more
        for one in _summed(
            requirement, seeds, requirement.gain / gain, requirement.offset_volts / gain, 0.0, "the divider"
        ):
            yield Set({**one.ohms, "R4": _SECOND_STAGE_OHMS / (gain - 1.0), "R5": _SECOND_STAGE_OHMS}, reference)


def _inverting(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    if requirement.gain >= 0:
        raise InputError("it turns its input over, and the gain is positive")
    yield from _summing(requirement, seeds, -requirement.gain)


def _inverting_pair(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    if requirement.gain <= 0:
        raise InputError("two inversions leave the sign as it is, and the gain is negative")
    for one in _summing(requirement, seeds, requirement.gain):
        # A slight offset from a high rail asks for more megohms than there are, so the stage comes down.
        share = abs(requirement.offset_volts / one.reference.volts)
        second = min(_SECOND_STAGE_OHMS, max(_LEAST_STAGE_OHMS, _HIGH_OHMS * share)) if share else _SECOND_STAGE_OHMS
        more = {"R4": second, "R5": second}
        if "R3" in one.ohms:
            more["R3"] = second / share
        yield Set({**one.ohms, **more}, one.reference)


def _summing(requirement: Requirement, seeds: Sequence[float], gain: float) -> Iterator[Set]:
    reference = reference_for(requirement, True)
    for seed in seeds:
        feedback = gain * (seed + requirement.source_ohms)
        ohms = {"R1": seed, "R2": feedback}
        if abs(requirement.offset_volts) > _NOTHING:
            ohms["R3"] = feedback * abs(reference.volts) / abs(requirement.offset_volts)
        yield Set(ohms, reference)


def _biased_inverting(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    if requirement.gain >= 0:
        raise InputError("it turns its input over, and the gain is positive")
    reference = reference_for(requirement, False)
    share = requirement.offset_volts / (1.0 - requirement.gain) / reference.volts
    if not 0 < share < 1:
        raise InputError("its bias would lie outside the supply")
    for k, seed in enumerate(seeds):
        # Of several dividers one comes nearer where a series is coarse.
        bias = min(_BIAS_OHMS[k % len(_BIAS_OHMS)], max(_LEAST_BIAS_OHMS, _HIGH_OHMS * share))
        yield Set(
            {
                "R1": seed,
                "R2": -requirement.gain * (seed + requirement.source_ohms),
                "R4": bias,
                "R3": bias * (1.0 / share - 1.0),
            },
            reference,
        )


def _difference(requirement: Requirement, seeds: Sequence[float]) -> Iterator[Set]:
    if requirement.gain <= 0 or abs(requirement.offset_volts) < 1e-6:
        raise InputError("it takes an offset away from a positive gain; without one a simpler circuit does it")
    reference = reference_for(requirement, True)
    ratio = abs(requirement.offset_volts) / abs(reference.volts)
    share = requirement.gain / (1.0 + ratio)
    if share >= 1:
        raise InputError(f"its gain is at most {plain(1 + ratio)} with this offset")
    for seed in seeds:
        yield Set(
            {
                "R1": seed,
                "R2": (seed + requirement.source_ohms) * share / (1.0 - share),
                "R3": _SECOND_STAGE_OHMS,
                "R4": ratio * _SECOND_STAGE_OHMS,
            },
            reference,
        )


_EQUATIONS: Final[dict[str, Callable[[Requirement, Sequence[float]], Iterator[Set]]]] = {
    "resistors": _resistors,
    "follower": _follower,
    "attenuator-follower": _attenuated,
    "non-inverting": _non_inverting,
    "biased-non-inverting": _biased_non_inverting,
    "inverting": _inverting,
    "biased-inverting": _biased_inverting,
    "difference": _difference,
    "inverting-pair": _inverting_pair,
}
