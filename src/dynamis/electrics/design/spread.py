"""What tolerances make of a circuit: samples before and after trimming, worst case, and what each part adds.

A sample's cents are its largest error over the input range.  The output is linear in the input: under V/oct the
error is a line over the note, under Hz/V it never turns round, so the two ends of the range decide.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.network import Values
from dynamis.electrics.circuits.variation import Counting, Varied, at, varied_in
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.trims import Trimming, corner_values
from dynamis.notation.style import Style

FloatArray = NDArray[np.float64]
# Large enough that two threads seldom wait for the interpreter.
BLOCK: Final = 65536
SAMPLES: Final = 100_000
_STREAMS: Final = 2
Distribution = Literal["uniform", "normal"]


@dataclass(frozen=True, eq=False)
class SpreadSide:
    """cents : of each sample.  tolerance_cents : what is allowed."""

    cents: FloatArray
    tolerance_cents: float

    @property
    def within(self) -> float:
        """The yield: what share of the samples is within the tolerance."""
        return float(np.count_nonzero(self.cents <= self.tolerance_cents) / self.cents.size)

    def within_words(self, style: Style = Style()) -> str:
        """The share within in per cent, rounded down: all of them only where none is outside."""
        return style.percent(math.floor(1000.0 * self.within + 1e-9) / 10.0, 1)

    @property
    def p95_cents(self) -> float:
        return float(np.percentile(self.cents, 95.0))

    @property
    def worst(self) -> float:
        return float(self.cents.max())


@dataclass(frozen=True, eq=False)
class Spread:
    samples: int
    seed: int
    before: SpreadSide
    after: SpreadSide


@dataclass(frozen=True)
class BudgetPart:
    """What one thing adds: cents at its limit at the end of the range where it weighs most, and standard."""

    key: str
    label: str
    cents: float
    standard_cents: float


@dataclass(frozen=True, eq=False)
class Laid:
    """One circuit's samples and their words."""

    spread: Spread
    words: str


@dataclass(frozen=True)
class Budget:
    """parts : largest first.  worst_cents : all limits at their worst together.  rss_cents : standard, joined."""

    parts: tuple[BudgetPart, ...]
    worst_cents: float
    rss_cents: float

    @property
    def expanded_cents(self) -> float:
        """The root sum of squares with k = 2."""
        return 2.0 * self.rss_cents


def spread(
    circuit: Circuit,
    requirement: Requirement,
    counting: Counting = Counting(op_amps=False),
    samples: int = SAMPLES,
    seed: int = 1,
    shape: Distribution = "uniform",
    progress: Callable[[float], bool] | None = None,
) -> Spread:
    """Samples of a circuit, before and after its trimmers are set at 25 °C.

    shape : uniform within the limits, or normal with the limits at 3 sigma.  progress : is told the share done and
    answers whether to go on; where it does not, what was done so far is given.
    """
    varied, bench = varied_in(circuit, counting), Trimming(circuit, requirement)
    drifting = [one for one in varied if one.drift and counting.kelvin]
    before, after = np.empty(samples), np.empty(samples)
    trouble: list[Exception] = []
    going, reached = True, [0] * _STREAMS
    ends = [samples * k // _STREAMS for k in range(_STREAMS + 1)]

    def draw(stream: int, rng: np.random.Generator) -> None:
        nonlocal going
        at, end = ends[stream], ends[stream + 1]
        while at < end and going:
            count = min(BLOCK, end - at)
            cold = drawn(rng, varied, count, shape)
            warm = {**cold, **_drifted(rng, drifting, counting.kelvin, cold, count, shape)} if drifting else cold
            before[at : at + count] = cents_off(bench, warm)
            if bench.names:
                after[at : at + count] = cents_off(bench, {**warm, **bench.set(cold)})
            at += count
            reached[stream] = at - ends[stream]
            if progress is not None and not progress(sum(reached) / samples):
                going = False

    _in_streams(draw, seed, trouble)
    if trouble:
        raise trouble[0]
    done = np.concatenate([np.arange(ends[k], ends[k] + reached[k]) for k in range(_STREAMS)])
    sides = [
        SpreadSide(one[done] if not going else one, requirement.tolerance_cents)
        for one in (before, after if bench.names else before)
    ]
    return Spread(int(done.size), seed, sides[0], sides[1] if bench.names else sides[0])


def _in_streams(draw: Callable[[int, np.random.Generator], None], seed: int, trouble: list[Exception]) -> None:
    """Draw each stream in a thread of its own; NumPy lets them run side by side.

    There are as many on every machine, each with its own generator, so that a seed gives the same everywhere.
    """
    generators = [np.random.default_rng(stream_seed) for stream_seed in np.random.SeedSequence(seed).spawn(_STREAMS)]

    def run(stream: int) -> None:
        try:
            draw(stream, generators[stream])
        except Exception as error:  # noqa: BLE001  # raised again in the thread that asked
            trouble.append(error)

    threads = [threading.Thread(target=run, args=(k,), name="spread") for k in range(1, _STREAMS)]
    for thread in threads:
        thread.start()
    run(0)
    for thread in threads:
        thread.join()


def cents_off(bench: Trimming, values: dict[str, Values]) -> FloatArray:
    """The largest error over the input range, cents; shape of the values."""
    requirement = bench.requirement
    if requirement.zero_volts is not None:
        first, last = bench.errors(values)
        return np.maximum(
            np.abs(requirement.cents(first, requirement.in_low_volts)),
            np.abs(requirement.cents(last, requirement.in_high_volts)),
        )
    # Of a line the larger end is |at the middle| + |slope|·half the range; in place, since a spread waits for this.
    line = bench.circuit.line(values)
    slope, off = np.asarray(line.gain - requirement.gain), line.offset - requirement.offset_volts
    off = np.asarray(off + slope * (0.5 * (requirement.in_low_volts + requirement.in_high_volts)))
    np.abs(off, out=off)
    np.abs(slope, out=slope)
    slope *= 0.5 * (requirement.in_high_volts - requirement.in_low_volts)
    off += slope
    off *= requirement.cents_per_volt(requirement.in_low_volts)
    return off


def drawn(rng: np.random.Generator, varied: Sequence[Varied], count: int, shape: Distribution) -> dict[str, Values]:
    """Values of everything that varies; turned from what was drawn in place, since this is what a spread waits for."""
    if shape == "normal":
        rows, spans = rng.standard_normal((len(varied), count)), [(one.nominal, one.limit / 3.0) for one in varied]
    else:
        rows = rng.random((len(varied), count))
        spans = [(one.nominal - one.limit, 2.0 * one.limit) for one in varied]
    for row, (low, wide) in zip(rows, spans, strict=True):
        row *= wide
        row += low
    return {one.key: row for one, row in zip(varied, rows, strict=True)}


def _drifted(
    rng: np.random.Generator,
    drifting: Sequence[Varied],
    kelvin: float,
    cold: dict[str, Values],
    count: int,
    shape: Distribution,
) -> dict[str, Values]:
    """What drifts, at another temperature."""
    moved = drawn(rng, [Varied(one.key, "", 0.0, one.drift * abs(kelvin)) for one in drifting], count, shape)
    return {key: cold[key] + row for key, row in moved.items()}


def budget(
    circuit: Circuit, requirement: Requirement, counting: Counting = Counting(), shape: Distribution = "uniform"
) -> Budget:
    """What each thing adds on its own, before trimming; the worst case and the root sum of squares.

    Source: GUM 4.3.7 (a uniform limit is √3 standard uncertainties), 5.1.2 (root sum of squares).
    """
    bench = Trimming(circuit, requirement)
    varied = varied_in(circuit, counting)
    nominal = np.array(bench.errors({}))
    parts = []
    rows = []
    for one in varied:
        moved = np.array(bench.errors(_at_limit(one, counting))) - nominal
        row = moved * requirement.weights
        rows.append(row)
        k = int(np.argmax(np.abs(row)))
        fraction = 1.0 / math.sqrt(3.0) if shape == "uniform" else 1.0 / 3.0
        parts.append(BudgetPart(one.key, one.label, float(row[k]), abs(float(row[k])) * fraction))
    if not rows:
        own = float(np.max(np.abs(nominal * requirement.weights)))
        return Budget((), own, 0.0)
    worst = cents_off(bench, corner_values(varied, circuit))
    fraction = 1.0 / math.sqrt(3.0) if shape == "uniform" else 1.0 / 3.0
    joined = np.sqrt(np.sum(np.square(np.array(rows)), axis=0)) * fraction
    ranked = sorted(parts, key=lambda one: -abs(one.cents))
    return Budget(tuple(ranked), float(np.max(worst)), float(joined.max()))


def _at_limit(varied: Varied, counting: Counting) -> dict[str, Values]:
    ones: dict[str, Values] = {varied.key: 1.0}
    return at([varied], ones, counting.kelvin, ones)
