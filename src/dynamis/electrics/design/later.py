"""What is left of a trimmed circuit later: 10 °C warmer, with another load, and with its rail or reference moved.

Each part and a reference drift within ± 50 ppm/K, the load changes within its tolerance, a rail within its own (half a
per cent where none is known) and a reference within 0.1 %.  Source: usual data sheets, common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import LOAD, Circuit
from dynamis.electrics.circuits.network import Values
from dynamis.electrics.circuits.variation import Counting, Varied, varied_in
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import BLOCK, SAMPLES, cents_off, drawn
from dynamis.electrics.design.trims import Trimming

FloatArray = NDArray[np.float64]
KELVIN, PER_KELVIN = 10.0, 50e-6
RAIL_MOVES, REFERENCE_MOVES = 0.005, 0.001
_REFERENCE: Final = "VR1"


@dataclass(frozen=True)
class Later:
    """p95, worst : cents over the samples.  decides : what moves it most, a part's name, "load" or "supply"; "" where
    nothing moves.  cents : what that adds at its limit."""

    p95_cents: float
    worst: float
    decides: str
    cents: float


def rail_moves(circuit: Circuit) -> float:
    """How far what an offset is taken from may move later, as a fraction."""
    if circuit.reference.node == "ref":
        return REFERENCE_MOVES
    return circuit.supply.tolerance or RAIL_MOVES


def changes_in(circuit: Circuit, requirement: Requirement) -> list[tuple[str, Varied]]:
    """What may change later: under which name it is told, and by how much from where it stands."""
    found = [
        (name, Varied(name, name, ohms, KELVIN * PER_KELVIN * ohms))
        for name, ohms, _ in circuit.resistors
        if name.rstrip("ab") in circuit.connected
    ]
    if circuit.load_ohms is not None and requirement.load_tolerance_fraction:
        found.append(
            ("load", Varied(LOAD, "load", circuit.load_ohms, requirement.load_tolerance_fraction * circuit.load_ohms))
        )
    reference = circuit.reference
    if circuit.uses_reference:
        own = reference.node == "ref"
        drift = KELVIN * PER_KELVIN if own else 0.0
        limit = abs(reference.volts) * (rail_moves(circuit) + drift)
        found.append((_REFERENCE if own else "supply", Varied(reference.node, "", reference.volts, limit)))
    return found


def later(circuit: Circuit, requirement: Requirement, samples: int = SAMPLES, seed: int = 1) -> Later:
    """Samples of a circuit that was trimmed as a person would, and then changed; seeded."""
    bench, varied, changes = (
        Trimming(circuit, requirement),
        varied_in(circuit, Counting(op_amps=False)),
        changes_in(circuit, requirement),
    )
    random = np.random.default_rng([seed, 10])
    cents = np.empty(samples)
    for start in range(0, samples, BLOCK):
        count = min(BLOCK, samples - start)
        cold = drawn(random, varied, count, "uniform")
        stands = {**cold, **bench.set(cold)} if bench.names else cold
        moved = drawn(random, [replace(one, nominal=0.0) for _, one in changes], count, "uniform")
        cents[start : start + count] = cents_off(bench, {**stands, **_moved(changes, stands, moved)})
    name, most = _decides(bench, changes)
    return Later(float(np.percentile(cents, 95.0)), float(cents.max()), name, most)


def _moved(
    changes: list[tuple[str, Varied]], stands: Mapping[str, Values], moved: Mapping[str, Values]
) -> dict[str, Values]:
    return {one.key: stands.get(one.key, one.nominal) + moved[one.key] for _, one in changes}


def _decides(bench: Trimming, changes: list[tuple[str, Varied]]) -> tuple[str, float]:
    """The change that moves the nominal circuit most at its limit, and by how many cents."""
    names = [(name, moved_cents(bench.circuit, bench.requirement, one)) for name, one in changes]
    return max(names, key=lambda pair: pair[1], default=("", 0.0))


def moved_cents(circuit: Circuit, requirement: Requirement, varied: Varied) -> float:
    """Cents that one thing at either end of its limit moves the output from where it nominally is."""
    first, last = (circuit.line({varied.key: varied.nominal + side * varied.limit}) for side in (-1.0, 1.0))
    here = circuit.line()
    ends = [
        abs(float((moved.gain - here.gain) * volts + moved.offset - here.offset)) * requirement.cents_per_volt(volts)
        for moved in (first, last)
        for volts in (requirement.in_low_volts, requirement.in_high_volts)
    ]
    return max(ends)


def load_cents(circuit: Circuit, requirement: Requirement) -> float:
    """What the load's tolerance moves the output by, cents."""
    return max(
        (moved_cents(circuit, requirement, one) for name, one in changes_in(circuit, requirement) if name == "load"),
        default=0.0,
    )


def rail_cents(circuit: Circuit, requirement: Requirement) -> float:
    """What the rail or reference of an offset moves the output by later, cents; 0 where there is no offset."""
    return _most(circuit, requirement, ("supply", _REFERENCE))


def _most(circuit: Circuit, requirement: Requirement, names: Sequence[str]) -> float:
    changes = [one for name, one in changes_in(circuit, requirement) if name in names]
    return max((moved_cents(circuit, requirement, one) for one in changes), default=0.0)
