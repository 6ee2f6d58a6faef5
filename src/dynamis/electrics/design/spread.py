"""What tolerances make of a circuit: samples before and after trimming, worst case, and what each part adds.

A sample's cents are its largest error over the input range.  Since the output is linear in the input, and in
the note, the two ends of the range decide.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.network import Value
from dynamis.electrics.circuits.variation import Counting, Varied, at, varied_in
from dynamis.electrics.design.trims import Bench, corner_values
from dynamis.electrics.design.wish import Wish

FloatArray = NDArray[np.float64]
BLOCK: Final = 8192
SAMPLES: Final = 100_000
Shape = Literal["uniform", "normal"]


@dataclass(frozen=True, eq=False)
class Side:
    """cents : of each sample.  tolerance_cents : what is allowed."""

    cents: FloatArray
    tolerance_cents: float

    @property
    def within(self) -> float:
        """The yield: what share of the samples is within the tolerance."""
        return float(np.count_nonzero(self.cents <= self.tolerance_cents) / self.cents.size)

    @property
    def p95(self) -> float:
        return float(np.percentile(self.cents, 95.0))

    @property
    def worst(self) -> float:
        return float(self.cents.max())


@dataclass(frozen=True, eq=False)
class Spread:
    samples: int
    seed: int
    before: Side
    after: Side


@dataclass(frozen=True)
class Part:
    """What one thing adds: cents at its limit at the end of the range where it weighs most, and standard."""

    key: str
    label: str
    cents: float
    standard_cents: float


@dataclass(frozen=True)
class Budget:
    """parts : largest first.  worst_cents : all limits at their worst together.  rss_cents : standard, joined."""

    parts: tuple[Part, ...]
    worst_cents: float
    rss_cents: float


def spread(
    circuit: Circuit, wish: Wish, counting: Counting = Counting(op_amps=False), samples: int = SAMPLES, seed: int = 1,
    shape: Shape = "uniform", progress: Callable[[float], bool] | None = None,
) -> Spread:  # fmt: skip
    """Samples of a circuit, before and after its trimmers are set at 25 °C.

    shape : uniform within the limits, or normal with the limits at 3 sigma.  progress : is told the share done and
    answers whether to go on; where it does not, what was done so far is given.
    """
    rng, varied, bench = np.random.default_rng(seed), varied_in(circuit, counting), Bench(circuit, wish)
    drifting = [one for one in varied if one.drift and counting.kelvin]
    before, after = np.empty(samples), np.empty(samples)
    done = 0
    while done < samples:
        count = min(BLOCK, samples - done)
        drawn = _drawn(rng, len(varied) + len(drifting), count, shape)
        deviations: dict[str, Value] = {one.key: drawn[k] for k, one in enumerate(varied)}
        drifts: dict[str, Value] = {one.key: drawn[len(varied) + k] for k, one in enumerate(drifting)}
        cold = at(varied, deviations)
        warm = at(varied, deviations, counting.kelvin, drifts) if drifting else cold
        before[done : done + count] = cents_off(bench, warm)
        if bench.names:
            after[done : done + count] = cents_off(bench, {**warm, **bench.set(cold)})
        done += count
        if progress is not None and not progress(done / samples):
            break
    sides = [Side(one[:done], wish.tolerance_cents) for one in (before, after if bench.names else before)]
    return Spread(done, seed, *sides)


def cents_off(bench: Bench, values: dict[str, Value]) -> FloatArray:
    """The largest error over the input range, cents; shape of the values."""
    first, last = bench.errors(values)
    return np.maximum(np.abs(first), np.abs(last)) * bench.wish.cents_per_volt


def _drawn(rng: np.random.Generator, rows: int, count: int, shape: Shape) -> FloatArray:
    if shape == "normal":
        return rng.standard_normal((rows, count)) / 3.0
    return rng.random((rows, count)) * 2.0 - 1.0


def budget(circuit: Circuit, wish: Wish, counting: Counting = Counting(), shape: Shape = "uniform") -> Budget:
    """What each thing adds on its own, before trimming; the worst case and the root sum of squares.

    Source: GUM 4.3.7 (a uniform limit is √3 standard uncertainties), 5.1.2 (root sum of squares).
    """
    bench = Bench(circuit, wish)
    varied = varied_in(circuit, counting)
    nominal = np.array(bench.errors({}))
    parts = []
    rows = []
    for one in varied:
        moved = np.array(bench.errors(_at_limit(one, counting))) - nominal
        row = moved * wish.cents_per_volt
        rows.append(row)
        k = int(np.argmax(np.abs(row)))
        fraction = 1.0 / math.sqrt(3.0) if shape == "uniform" else 1.0 / 3.0
        parts.append(Part(one.key, one.label, float(row[k]), abs(float(row[k])) * fraction))
    if not rows:
        own = float(np.max(np.abs(nominal))) * wish.cents_per_volt
        return Budget((), own, 0.0)
    worst = cents_off(bench, corner_values(varied, circuit))
    fraction = 1.0 / math.sqrt(3.0) if shape == "uniform" else 1.0 / 3.0
    joined = np.sqrt(np.sum(np.square(np.array(rows)), axis=0)) * fraction
    ranked = sorted(parts, key=lambda one: -abs(one.cents))
    return Budget(tuple(ranked), float(np.max(worst)), float(joined.max()))


def _at_limit(one: Varied, counting: Counting) -> dict[str, Value]:
    ones: dict[str, Value] = {one.key: 1.0}
    return at([one], ones, counting.kelvin, ones)
