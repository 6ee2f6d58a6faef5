"""Part values for a topology: every choice of preferred values near the wanted ones, solved at once."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import Circuit, Fitted
from dynamis.electrics.circuits.topology import Topology
from dynamis.electrics.design.equations import SLIGHT_VOLTS, Set, equations_for
from dynamis.electrics.design.locked import round_locked
from dynamis.electrics.design.preferred import choices, near, stock
from dynamis.electrics.design.requirement import GAIN_WITHIN, OFFSET_WITHIN_VOLTS, Requirement
from dynamis.errors import InputError

FloatArray = NDArray[np.float64]
_MOST_SEEDS: Final = 24
_SEEDS_NEAR: Final = 6
_SEED_OHMS: Final = (4.7e3, 120e3)
_WIDE_OHMS: Final = (470.0, 2e6)
_BEST_OHMS: Final = 22e3
_USUAL_OHMS: Final = (100.0, 1e6)
_SLACK: Final = 0.95
_SLIGHT_VOLTS: Final = 1e-6
# Of the tolerance, what the nearest preferred values may take for themselves.
_NOMINAL_SHARE: Final = 0.2
Locked = Mapping[str, Fitted]


@dataclass(frozen=True, eq=False)
class _Fillings:
    """All ways to fill the slots of one set of ohms.

    options : by slot.  chosen : (slots, ways) which option stands in each.
    """

    exact: Set
    options: dict[str, list[Fitted]]
    chosen: NDArray[np.intp]

    def each(self, of: Callable[[Fitted], float]) -> dict[str, FloatArray]:
        """A number of what stands in each slot, by slot, one for every way."""
        return {
            name: np.array([of(one) for one in options])[self.chosen[k]]
            for k, (name, options) in enumerate(self.options.items())
        }

    def slots(self, choice: int) -> dict[str, Fitted]:
        return {name: options[self.chosen[k, choice]] for k, (name, options) in enumerate(self.options.items())}


def choose(
    topology: Topology,
    requirement: Requirement,
    trimmers: Mapping[str, float] | None = None,
    locked: Locked | None = None,
    near_ohms: float | None = None,
) -> Circuit:
    """The circuit of a topology that does a requirement with the fewest parts.

    trimmers : ohms by slot that stand in series there, at mid-travel.  locked : slots whose parts stay.
    near_ohms : where the free value is looked for, None for everywhere.  Raises `InputError` with the reason where
    the topology, its supply or the values at hand cannot do it.
    """
    try:
        return _chosen(topology, requirement, requirement, trimmers or {}, locked or {}, near_ohms)
    except InputError:
        if not 0 < abs(requirement.offset_volts) <= SLIGHT_VOLTS:
            raise
        bare_wish = replace(requirement, offset_volts=0.0)
        return _chosen(topology, requirement, bare_wish, trimmers or {}, locked or {}, near_ohms)


def _chosen(
    topology: Topology,
    requirement: Requirement,
    built: Requirement,
    trimmers: Mapping[str, float],
    locked: Locked,
    near_ohms: float | None,
) -> Circuit:
    """built : what the parts are worked out for; the requirement is what they are judged by."""
    first = _choose(topology, requirement, built, trimmers, locked, near_ohms, wide=False)
    if first is not None and not first[1]:
        return first[0]
    circuit = [
        one
        for one in (first, _choose(topology, requirement, built, trimmers, locked, None, wide=True))
        if one is not None
    ]
    if not circuit:
        raise InputError("no preferred values come near what it needs")
    return min(circuit, key=lambda one: one[1])[0]


def _choose(
    topology: Topology,
    requirement: Requirement,
    built: Requirement,
    trimmers: Mapping[str, float],
    locked: Locked,
    near_ohms: float | None,
    wide: bool,
) -> tuple[Circuit, float] | None:
    """The best, and by what share of what counts as done it misses, 0 where it does not; None where there is none."""
    if topology.needs_two_rails and requirement.supply.single:
        raise InputError("it works round 0 V and needs two rails")
    values = stock(requirement.series, requirement.drawer)
    seeds = _locked_seeds(topology, built, trimmers, locked) or _seeds(values, near_ohms, wide)
    sets = _sets(topology, built, seeds, trimmers)
    if locked:
        sets = round_locked(topology, built, sets, locked, trimmers, lambda exact: bare(topology, built, exact)) or sets
    found: list[tuple[tuple[float, ...], Circuit]] = []
    for names, group in _by_slots(sets):
        fillings = [_fillings(exact, values, requirement, trimmers, locked, topology) for exact in group]
        fillings = [one for one in fillings if one.chosen.size or not names]
        if fillings:
            found.append(_best(topology, requirement, names, fillings))
    if not found:
        return None
    rank, circuit = min(found, key=lambda one: one[0])
    return circuit, rank[2] if rank[0] > 1 else 0.0


def bare(topology: Topology, requirement: Requirement, exact: Set) -> Circuit:
    """A circuit with exactly the ohms that the equations ask for."""
    return _with(topology, requirement, {name: Fitted((ohms,)) for name, ohms in exact.ohms.items()}, exact)


def _seeds(values: FloatArray, near_ohms: float | None, wide: bool) -> list[float]:
    if near_ohms is not None:
        return near(near_ohms, values, _SEEDS_NEAR)
    ends = _WIDE_OHMS if wide else _SEED_OHMS
    inside = values[(values >= ends[0]) & (values <= ends[1])]
    if not inside.size:
        inside = values
    step = max(1, math.ceil(inside.size / (_MOST_SEEDS * (3 if wide else 1))))
    return [float(one) for one in inside[::step]]


def _locked_seeds(
    topology: Topology, requirement: Requirement, trimmers: Mapping[str, float], locked: Locked
) -> list[float]:
    """The free value where something is locked: itself, or what makes the first locked slot come out right."""
    free = seed_slot(topology)
    if free in locked:
        return [replace(locked[free], trimmer_ohms=0.0).total]
    for slot, fitted in locked.items():
        wanted = replace(fitted, trimmer_ohms=trimmers.get(slot, 0.0)).total
        tried = np.geomspace(*_WIDE_OHMS, 400)
        values = [one.ohms.get(slot, np.nan) for one in equations_for(topology.name)(requirement, list(tried))]
        if len(values) == tried.size and np.isfinite(values).all():
            off = np.log(np.array(values) / wanted)
            cross = np.flatnonzero(np.sign(off[:-1]) != np.sign(off[1:]))
            if cross.size:
                k = int(cross[0])
                share = off[k] / (off[k] - off[k + 1])
                seed = tried[k] * (tried[k + 1] / tried[k]) ** share
                return [float(seed) - trimmers.get(free, 0.0) / 2.0]
    return []


def seed_slot(topology: Topology) -> str:
    """The slot whose value is free and is taken from the series as it is."""
    return "R2" if topology.name == "non-inverting" else "R1"


def _sets(
    topology: Topology, requirement: Requirement, seeds: Sequence[float], trimmers: Mapping[str, float]
) -> list[Set]:
    """Ideal ohms for every seed; corrected once for what ideal op-amps are spared of, their finite gain."""
    with_trim = [seed + trimmers.get(seed_slot(topology), 0.0) / 2.0 for seed in seeds]
    equations = equations_for(topology.name)
    sets = [one for one in equations(requirement, with_trim) if all(math.isfinite(ohms) for ohms in one.ohms.values())]
    if not sets:
        raise InputError("no resistances do it")
    first = bare(topology, requirement, sets[0])
    _within_reach(first, requirement)
    line = first.line()
    gain, offset = requirement.gain**2 / float(line.gain), 2.0 * requirement.offset_volts - float(line.offset)
    if topology.amplifiers and abs(gain / requirement.gain - 1.0) > 1e-7:
        corrected = replace(requirement, gain=gain, offset_volts=offset if requirement.offset_volts else 0.0)
        sets = list(equations(corrected, with_trim))
    return sets


def _within_reach(circuit: Circuit, requirement: Requirement) -> None:
    if not circuit.topology.amplifiers:
        least, most = min(requirement.ends), max(requirement.ends)
        if least < requirement.supply.low - _SLIGHT_VOLTS or most > requirement.supply.high + _SLIGHT_VOLTS:
            raise InputError(f"what is wanted lies beyond the supply of {requirement.supply.words}")
        return
    low, high = circuit.limits
    slack = 1e-3 * (requirement.in_high_volts - requirement.in_low_volts)
    if not (low <= requirement.in_low_volts + slack and high >= requirement.in_high_volts - slack):
        raise InputError(f"its op-amps leave their working range within the input's, from {requirement.supply.words}")


def _by_slots(sets: Iterable[Set]) -> list[tuple[tuple[str, ...], list[Set]]]:
    grouped: dict[tuple[str, ...], list[Set]] = {}
    for one in sets:
        grouped.setdefault(tuple(sorted(one.ohms)), []).append(one)
    return list(grouped.items())


def _fillings(
    exact: Set,
    values: FloatArray,
    requirement: Requirement,
    trimmers: Mapping[str, float],
    locked: Locked,
    topology: Topology,
) -> _Fillings:
    options: dict[str, list[Fitted]] = {}
    for name, ohms in exact.ohms.items():
        trimmer = trimmers.get(name, 0.0)
        if name in locked:
            options[name] = [replace(locked[name], trimmer_ohms=trimmer)]
        elif name == seed_slot(topology) and not locked:
            options[name] = [Fitted((round(ohms - trimmer / 2.0, 6),), trimmer_ohms=trimmer)]
        else:
            options[name] = [
                replace(one, trimmer_ohms=trimmer) for one in choices(ohms - trimmer / 2.0, values, requirement.pairs)
            ]
    sizes = [len(one) for one in options.values()]
    return _Fillings(exact, options, np.indices(sizes).reshape(len(sizes), -1) if sizes else np.zeros((0, 1), np.intp))


def _best(
    topology: Topology, requirement: Requirement, names: Sequence[str], fillings: list[_Fillings]
) -> tuple[tuple[float, ...], Circuit]:
    """The best of many fillings of the same slots, all solved in one go."""

    def every(of: Callable[[Fitted], float]) -> dict[str, FloatArray]:
        columns = [one.each(of) for one in fillings]
        return {name: np.concatenate([one[name] for one in columns]) for name in names}

    counts = [max(1, one.chosen.shape[1]) for one in fillings]
    total = sum(counts)
    line = _with(topology, requirement, fillings[0].slots(0), fillings[0].exact).line_with(every(lambda one: one.total))
    gain_error = np.broadcast_to(line.gain / requirement.gain - 1.0, (total,))
    offset_error = np.broadcast_to(line.offset - requirement.offset_volts, (total,))
    ends = [
        (line.gain - requirement.gain) * volts + offset_error
        for volts in (requirement.in_low_volts, requirement.in_high_volts)
    ]
    weights = requirement.weights
    cents = np.maximum(np.abs(ends[0]) * weights[0], np.abs(ends[1]) * weights[1]) + np.zeros(total)
    contract = np.maximum(np.abs(gain_error) / GAIN_WITHIN, np.abs(offset_error) / OFFSET_WITHIN_VOLTS)
    wanted = np.maximum(contract, cents / (_NOMINAL_SHARE * requirement.tolerance_cents))
    parts = sum(every(lambda one: float(len(one.ohms))).values()) + np.zeros(total)
    # Too low a resistance loads, too high a one picks up hum.
    heavy = sum(every(_awkward).values()) + np.zeros(total)
    rank = np.zeros(total)
    if requirement.pairs:
        rank = np.where(contract > _SLACK, 2.0, np.where(wanted > _SLACK, 1.0, 0.0))
        # Beyond what counts, the fewest parts; within it, the rounder values.
        score = np.where(rank > 0, contract, 0.3 * wanted) + 0.5 * heavy / max(1, len(names))
        order = np.lexsort((score, parts, rank)) if rank.min() < 2 else np.argsort(contract)
    else:
        parts = np.zeros(total)
        order = np.argsort(contract + 1e-3 * heavy)
    k = at = int(order[0])
    for one, count in zip(fillings, counts, strict=True):
        if at < count:
            circuit = _with(topology, requirement, one.slots(at), one.exact)
            return (float(rank[k]), float(parts[k]), float(contract[k])), circuit
        at -= count
    raise AssertionError("a way beyond the last")


def _awkward(fitted: Fitted) -> float:
    """How far the parts of a slot are from what suits signals and lies in a drawer."""
    odd = sum(one < _USUAL_OHMS[0] or one > _USUAL_OHMS[1] for one in fitted.ohms)
    return abs(math.log10(fitted.total / _BEST_OHMS)) + odd


def _with(topology: Topology, requirement: Requirement, slots: Locked, exact: Set) -> Circuit:
    in_order = tuple((slot.name, slots[slot.name]) for slot in topology.slots if slot.name in slots)
    return Circuit(
        topology,
        in_order,
        requirement.supply,
        requirement.op_amp,
        exact.reference,
        requirement.source_ohms,
        requirement.load_ohms,
        requirement.tolerance,
        requirement.resistor_per_kelvin,
        requirement.clamp(amplified=bool(topology.amplifiers)),
    )
