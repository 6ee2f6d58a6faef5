"""Where some parts are kept: the others worked out round them.

The equations of a topology know nothing of what is kept.  Two of the free resistances are moved until gain and offset
are right again, by Newton's method on their logarithms; the trimmed ones are tried first, then all other pairs.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import Circuit, Fitted
from dynamis.electrics.circuits.topology import Topology
from dynamis.electrics.design.equations import Set
from dynamis.electrics.design.requirement import Requirement
from dynamis.errors import InputError

FloatArray = NDArray[np.float64]
_MOST_SETS: Final = 3
_STEPS: Final = 12
_NEAR: Final = 1e-6
_SAME: Final = 1e-6
_OHMS: Final = (10.0, 20e6)
Builds = Callable[[Set], Circuit]


def round_locked(
    topology: Topology,
    requirement: Requirement,
    sets: Sequence[Set],
    locked: Mapping[str, Fitted],
    trimmers: Mapping[str, float],
    build: Builds,
) -> list[Set]:
    """The sets with the locked values in them and what is free moved to suit; those that cannot be are left out.

    trimmers : ohms by slot in series there, at mid-travel.  build : a circuit with exactly the ohms of a set.
    """
    moved = []
    for one in sets[:: max(1, len(sets) // _MOST_SETS)]:
        held = {
            slot: replace(fitted, trimmer_ohms=trimmers.get(slot, 0.0)).total
            for slot, fitted in locked.items()
            if slot in one.ohms
        }
        fitting = _moved(topology, requirement, replace(one, ohms={**one.ohms, **held}), frozenset(held), build)
        if fitting is not None:
            moved.append(fitting)
    return moved


def _moved(topology: Topology, requirement: Requirement, exact: Set, held: frozenset[str], build: Builds) -> Set | None:
    """The nearest set with the free values moved, None where no two of them do it."""
    first = [slot for slot in (topology.scale_slot, topology.offset_slot) if slot in exact.ohms and slot not in held]
    free = [*first, *(slot for slot in exact.ohms if slot not in held and slot not in first)]
    pairs: list[tuple[str, ...]] = [*itertools.combinations(free, 2)] or [(slot,) for slot in free]
    for slots in pairs:
        solved = _solved(requirement, exact, slots, build)
        if solved is not None:
            return solved
    return None


def _solved(requirement: Requirement, exact: Set, slots: Sequence[str], build: Builds) -> Set | None:
    """The set with these slots moved until gain and offset are right; None where that does not come about."""
    span = max(abs(requirement.ends[0] - requirement.ends[1]), 1e-3)

    def at(logs: FloatArray) -> Set:
        return replace(exact, ohms={**exact.ohms, **dict(zip(slots, map(float, np.exp(logs)), strict=True))})

    def off(logs: FloatArray) -> FloatArray:
        line = build(at(logs)).line()
        return np.array(
            [float(line.gain) / requirement.gain - 1.0, (float(line.offset) - requirement.offset_volts) / span]
        )

    logs = np.log([exact.ohms[slot] for slot in slots])
    try:
        for _ in range(_STEPS):
            now = off(logs)
            if np.abs(now).max() < _NEAR:
                return at(logs)
            slopes = np.column_stack([(off(logs + 1e-5 * unit) - now) / 1e-5 for unit in np.eye(logs.size)])
            if len(slots) == 2 and abs(np.linalg.det(slopes)) < _SAME:
                return None  # both do the same
            move, *_ = np.linalg.lstsq(slopes, -now, rcond=1e-9)
            logs = logs + np.clip(move, -1.0, 1.0)
            if not (np.isfinite(logs).all() and np.log(_OHMS[0]) < logs.min() <= logs.max() < np.log(_OHMS[1])):
                return None
    except InputError:
        return None
    return None
