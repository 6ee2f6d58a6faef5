"""Single readings that their neighbours, or another reading of the same note, contradict."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.causes.chance import Noise, positions_of, quantile, row_medians, samples
from dynamis.calibration.causes.series import MAD_TO_SIGMA, Places, Series
from dynamis.calibration.causes.term import Term

FloatArray = NDArray[np.float64]
_RARE_SLIP: Final = 0.995
RARE_JUMP: Final = 0.97
# Of the places, how many may be called slips before it is no longer a matter of single readings.
_MOST_SLIPS: Final = 0.2


def slip_excess(off_cents: FloatArray) -> FloatArray:
    """How far each inner place lies beyond both neighbours, cents; (..., G) -> (..., G), 0 at the ends."""
    below, above = off_cents[..., 1:-1] - off_cents[..., :-2], off_cents[..., 1:-1] - off_cents[..., 2:]
    least = np.where(below * above > 0, np.minimum(np.abs(below), np.abs(above)), 0.0)
    excess = np.zeros(off_cents.shape)
    excess[..., 1:-1] = least * np.sign(below)
    return excess


def _scaled(off_cents: FloatArray) -> tuple[FloatArray, FloatArray]:
    """(S, G) -> changes from place to place less their median (S, G-1), and their robust scale (S, 1)."""
    steps = np.diff(off_cents, axis=-1)
    steps = steps - row_medians(steps)
    scale = MAD_TO_SIGMA * row_medians(np.abs(steps))
    return steps, np.maximum(scale, 1e-12)


def _largest_excess(off_cents: FloatArray) -> FloatArray:
    _, scale = _scaled(off_cents)
    return np.max(np.abs(slip_excess(off_cents)) / scale, axis=-1)


def _largest_jump(off_cents: FloatArray) -> FloatArray:
    steps, scale = _scaled(off_cents)
    return np.max(np.abs(steps) / scale, axis=-1)


@lru_cache(maxsize=128)
def _rare(positions: tuple[float, ...], what: Literal["slip", "jump"], share: float) -> float:
    statistic = _largest_excess if what == "slip" else _largest_jump
    kinds: tuple[Noise, ...] = ("walk", "white")
    return max(quantile(statistic, samples(positions, kind), share) for kind in kinds)


@dataclass(frozen=True, eq=False)
class Jump:
    """A change between neighbours that chance does not make: it lies behind place `after`."""

    after: int
    cents: float


def find_slips(places: Places) -> list[int]:
    """Places of one reading that both neighbours contradict, the worst first."""
    counts: list[int] = []
    kept = np.arange(places.count)
    lone = np.array([one.size == 1 for one in places.members])
    newest = places.series.last_taken
    while kept.size >= 5 and len(counts) <= _MOST_SLIPS * places.count:
        off = places.off[kept]
        excess = slip_excess(off)
        excess[~lone[kept]] = 0.0
        k = int(np.argmax(np.abs(excess)))
        scale = _scaled(off)[1][0]
        rare = _rare(positions_of(_spread(places.position[kept])), "slip", _RARE_SLIP)
        limit = max(places.least(int(kept[k]), int(kept[k - 1])), scale * rare)
        if not abs(excess[k]) > limit:
            break
        if newest in places.members[kept[k]]:
            break
        counts.append(int(kept[k]))
        kept = np.delete(kept, k)
    return counts


def find_jumps(places: Places, off_cents: FloatArray, share: float = RARE_JUMP) -> list[Jump]:
    """Changes from place to place that chance does not make, in what the causes told leave; the largest first.

    share : in how much of all walks and white noises none is as large.
    """
    if places.count < 4:
        return []
    steps, scale = _scaled(off_cents)
    limit = float(scale[0]) * _rare(positions_of(_spread(places.position)), "jump", share)
    jumps = [
        Jump(int(k), float(steps[k])) for k in range(steps.size) if abs(steps[k]) > max(limit, places.least(k, k + 1))
    ]
    return sorted(jumps, key=lambda one: -abs(one.cents))


def _spread(position: FloatArray) -> FloatArray:
    """Even positions: a reading more or less shall not ask for new samples each time."""
    return np.arange(position.size, dtype=float)


def between_neighbours(places: Places, k: int) -> float:
    """Cents that the neighbours of a place speak for there."""
    others = np.delete(np.arange(places.count), k)
    return float(np.interp(places.position[k], places.position[others], places.off[others]))


def slip_term(series: Series, reading: int, cents: float, noise: float) -> Term:
    note = float(series.notes[reading])
    expanded = 2.0 * float(np.hypot(series.own[reading], noise))
    return Term("slip", cents, expanded, "cents", cents, expanded, (note, note))
