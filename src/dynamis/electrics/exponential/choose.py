"""Choosing the parts of a converter of the law.

The middle of the notes lies at the pair's own pivot, where temperature does least.  The largest current is the one of
a few that leaves the least after trimming: the more, the less op-amps' bias weighs at the bottom and the more the
emitters' bulk resistance takes off at the top.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Final

from dynamis.electrics.design.trims import next_size, trimmer_sizes
from dynamis.electrics.exponential.adjust import left, steps, trim
from dynamis.electrics.exponential.converter import CONVERTERS, Converter
from dynamis.electrics.exponential.parts import LEVEL_TRIMMER, SCALE_TRIMMER, PairParts
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.exponential.thermal import volts_per_octave
from dynamis.electrics.series import nearest
from dynamis.errors import InputError
from dynamis.notation.style import plain

_INPUT_OHMS: Final = 100e3
_BASE_OHMS: Final = 1e3
_TOP_AMPERES: Final = (20e-6, 50e-6, 100e-6, 200e-6)
_FEED_AMPERES: Final = 1e-3
_EMITTER_VOLTS: Final = 0.75
_MOST_EMITTER_OHMS: Final = 10e3
_LEAST_MIDDLE_VOLTS: Final = 0.02
# A trimmer reaches beyond what the worst parts need.
_MARGIN: Final = 1.15
_SIZINGS: Final = 2
# How far the nearest preferred value may be off.
_ROUNDING: Final = {"E12": 0.1, "E24": 0.05, "E48": 0.025, "E96": 0.0125, "E192": 0.0065}
# Rails from which a shunt reference of 5 V is fed; below it is one of 2.5 V.
_FOR_FIVE_VOLTS: Final = 6.5
_LOW_REFERENCE: Final = 2.5
_LEAST_RAIL_VOLTS: Final = 4.0
# How far a sender goes beyond the notes that are used.
_LOUDER: Final = 1.5


@dataclass(frozen=True)
class _Reach:
    """What the trimmers have to reach, as a share of all that stands where they stand."""

    scale: float
    level: float


def choose(requirement: LawRequirement) -> Converter:
    """The parts, with the trimmers where nominal ones want them; raises `InputError` where the supply cannot."""
    if requirement.supply.single:
        raise InputError("A converter of the law needs a rail below 0 V: the pair's emitters go there.")
    if min(-requirement.supply.low, requirement.supply.high) < _LEAST_RAIL_VOLTS:
        raise InputError(
            f"{requirement.supply.words} feeds no reference of {plain(_LOW_REFERENCE)} V; rails of at least "
            f"{plain(_LEAST_RAIL_VOLTS)} V were expected."
        )
    converters = ((top, _made(requirement, top, _first_reach(requirement))) for top in _TOP_AMPERES)
    first = [(top, one) for top, one in converters if one is not None]
    if not first:
        raise InputError(_too_high(requirement))
    best: Converter | None = None
    for top, one in sorted(first, key=lambda converters: left(replace(converters[1], trimmed=True), requirement).most):
        sized = _sized(requirement, top, one)
        if _short(sized, requirement) == 0.0:
            return sized
        best = sized if best is None or _short(sized, requirement) < _short(best, requirement) else best
    assert best is not None
    return best


def _short(converter: Converter, requirement: LawRequirement) -> float:
    """Cents that the trimmers lack for the worst parts."""
    return sum(max(0.0, one.needed_cents - one.reach_cents) for one in steps(converter, requirement))


def _too_high(requirement: LawRequirement) -> str:
    low, high = requirement.floor_volts, requirement.reach_volts
    clamp = requirement.absolute_limits.needed(*requirement.op_amp.swing(requirement.supply))
    supply = f"op-amps from {requirement.supply.words}"
    if requirement.out_low_volts < low:
        why = "the diodes that keep to what the input bears" if clamp.low is not None else supply
        return f"The lowest note wants {_volts(requirement.out_low_volts)}, and {why} let it go down to {_volts(low)}."
    reached = max(0.0, requirement.octaves - requirement.octaves_beyond)
    why = "the diodes that keep to what the input bears" if clamp.high is not None else supply
    return (
        f"The highest note wants {_volts(requirement.out_high_volts)}, and {why} let it have at most {_volts(high)}: "
        f"{plain(round(reached, 2))} of {plain(round(requirement.octaves, 2))} octaves."
    )


def _volts(volts: float) -> str:
    return f"{plain(round(volts, 3))} V"


def _first_reach(requirement: LawRequirement) -> _Reach:
    return _Reach(4.0 * requirement.tolerance + 0.02, 6.0 * requirement.tolerance + 0.05)


def _made(requirement: LawRequirement, top_volts: float, reach: _Reach) -> Converter | None:
    """The converter whose largest current is about `top` amperes; None where its output does not reach."""
    parts = _parts(requirement, top_volts, reach)
    if requirement.reach_volts < requirement.out_high_volts or (
        requirement.direction == "logarithmic" and requirement.floor_volts > requirement.out_low_volts
    ):
        return None
    return trim(CONVERTERS[requirement.direction]("between", parts, source_ohms=requirement.source_ohms), requirement)


def _sized(requirement: LawRequirement, top_volts: float, converter: Converter) -> Converter:
    """The same with trimmers that reach what the worst of its parts need."""
    for _ in range(_SIZINGS):
        level, scale = steps(converter, requirement)
        octaves = abs(float(requirement.octaves_in(scale.send_volts) - requirement.octaves_in(level.send_volts)))
        reach = _Reach(
            _MARGIN * scale.needed_cents / (1200.0 * octaves) + _ROUNDING[requirement.series],
            _MARGIN * (2.0 ** (level.needed_cents / 1200.0) - 1.0) + _ROUNDING[requirement.series],
        )
        again = _made(requirement, top_volts, reach)
        assert again is not None  # its output reaches as far as before
        converter = again
    return converter


def _parts(requirement: LawRequirement, top_volts: float, reach: _Reach) -> PairParts:
    swing, series = requirement.op_amp.swing(requirement.supply), requirement.series
    (least, most), (_, loudest) = requirement.sides
    half, forward = (most - least) / 2.0, requirement.direction == "exponential"
    ohms = {"R1": nearest(_INPUT_OHMS, series)}
    ohms["R2"] = nearest(ohms["R1"] * min(1.0, 0.8 * min(-swing[0], swing[1]) / half), series)
    into, middle = ohms["R1"] + (requirement.source_ohms if forward else 0.0), requirement.middle_volts
    reference = 5.0 if min(-requirement.supply.low, requirement.supply.high) >= _FOR_FIVE_VOLTS else _LOW_REFERENCE
    if abs(middle) >= _LEAST_MIDDLE_VOLTS:
        ohms["R3"] = nearest(into * reference / abs(middle), series)
    ohms["R5"] = nearest(_BASE_OHMS, series)
    share = float(volts_per_octave(25.0)) / (requirement.volts_per_octave * ohms["R2"] / into)
    if share >= 0.5:
        raise InputError(f"{plain(round(requirement.volts_per_octave, 4))} V/oct is too little; amplify it first.")
    trimmers: dict[str, float] = {}
    trimmers[SCALE_TRIMMER], ohms["R4"] = _split(ohms["R5"] * (1.0 / share - 1.0), reach.scale, series)
    ahead = 0.0 if forward else requirement.source_ohms
    ohms["R8"] = nearest(max(loudest / top_volts - ahead, 1e3), series)
    # Rounded, R3 puts the pair's pivot a little beside the middle: the reference's current is that of the note there.
    pivot = math.copysign(into * reference / ohms["R3"], middle) if "R3" in ohms else 0.0
    rest = loudest / (ohms["R8"] + ahead) / 2.0 ** ((most - pivot) / requirement.volts_per_octave)
    trimmers[LEVEL_TRIMMER], ohms["R6"] = _split(reference / rest, reach.level, series)
    current = rest + (swing[1] if forward else _LOUDER * loudest) / ohms["R8"]
    ohms["R7"] = nearest(min(_MOST_EMITTER_OHMS, 0.7 * (-swing[0] - _EMITTER_VOLTS) / current), "E24")
    ohms["R9"] = nearest((requirement.supply.high - reference) / (_FEED_AMPERES + rest), "E24")
    if "R3" in ohms and middle > 0:
        ohms["R10"] = nearest((-requirement.supply.low - reference) / _FEED_AMPERES, "E24")
    return PairParts(
        ohms,
        trimmers,
        requirement.direction,
        requirement.base_ppm,
        reference,
        middle < 0,
        requirement.supply,
        requirement.op_amp,
        requirement.tolerance,
        clamp=requirement.absolute_limits.needed(*swing),
        load_ohms=requirement.load_ohms,
    )


def _split(total_ohms: float, within_fraction: float, series: str) -> tuple[float, float]:
    """A trimmer that reaches ± `within` of a total, and the part in series that comes to it in the middle."""
    size = next_size(2.0 * within_fraction * total_ohms) or trimmer_sizes()[-1]
    return size, nearest(max(total_ohms - size / 2.0, 0.05 * total_ohms), series)
