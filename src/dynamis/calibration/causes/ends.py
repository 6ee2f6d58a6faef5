"""Ends that no longer follow: two notes or more that move by less than half of what they should."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.causes.noise import estimate
from dynamis.calibration.causes.series import BoolArray, Places, Series
from dynamis.calibration.causes.term import Cause, Term

FloatArray = NDArray[np.float64]
_HALF: Final = 0.5
_FEWEST_THAT_FOLLOW: Final = 3


@dataclass(frozen=True, eq=False)
class Stuck:
    """Readings at the ends that do not move, (N,), and what is said of them."""

    readings: BoolArray
    terms: tuple[Term, ...]


def find_stuck(series: Series) -> Stuck:
    """Dead band at the bottom, clipping at the top."""
    readings, terms = np.zeros(series.good.shape, bool), []
    causes: tuple[tuple[Cause, int], ...] = (("dead-band", -1), ("clipping", 1))
    for cause, side in causes:
        places = series.without(readings).places
        held = _held(places, side)
        if held:
            chosen = range(held) if side < 0 else range(places.count - held, places.count)
            for k in chosen:
                readings[places.members[k]] = True
            terms.append(_term(places, np.array(chosen), cause, side))
    return Stuck(readings, tuple(terms))


def _held(places: Places, side: int) -> int:
    """How many places from one end on are stuck; 0 for none."""
    if places.count < _FEWEST_THAT_FOLLOW + 2:
        return 0
    middle = places.means(places.series.measured)
    moves, steps = np.diff(middle), np.diff(places.sent)
    flat = moves < _HALF * steps
    gaps = flat[::-1] if side > 0 else flat
    count = int(np.argmin(gaps)) if not gaps.all() else gaps.size
    if count == 0 or places.count - (count + 1) < _FEWEST_THAT_FOLLOW:
        return 0
    held = np.arange(places.count - count - 1, places.count) if side > 0 else np.arange(count + 1)
    away, noise = _from_rest(places, held)
    outer = away[-1] if side > 0 else away[0]
    inner = away[0] if side > 0 else away[-1]
    limit = max(places.least(int(held[0])), places.least(int(held[-1])), 4.0 * noise)
    if not (np.all(np.isfinite(away)) and -side * outer > limit):
        return 0
    # Two that stand alike may be one that slipped beside one that is right: both have to be off.
    if count == 1 and not -side * inner > limit:
        return 0
    # The innermost of a flat end may still be right, and is not called stuck then.
    return count + 1 if -side * inner > limit or count == 1 else count


def _from_rest(places: Places, held: NDArray[np.intp]) -> tuple[FloatArray, float]:
    """Cents of some places from the line of the others, and the others' scatter about it."""
    rest = np.delete(np.arange(places.count), held)
    fitted = estimate(places.basis[rest], places.off[rest], places.position[rest], places.own[rest])
    away = places.off[held] - places.basis[held] @ fitted.values
    return away, float(np.sqrt(np.mean(fitted.left**2)))


def _term(places: Places, held: NDArray[np.intp], cause: Cause, side: int) -> Term:
    rest = np.delete(np.arange(places.count), held)
    fitted = estimate(places.basis[rest], places.off[rest], places.position[rest], places.own[rest])
    outer = held[-1] if side > 0 else held[0]
    value = float(places.off[outer] - places.basis[outer] @ fitted.values)
    line = fitted.expanded(fitted.weights.T @ places.basis[outer])
    expanded = None if line is None else float(np.hypot(line, 2.0 * max(places.own[outer], _rms(fitted.left))))
    level = float(np.mean(places.means(places.series.measured)[held]))
    model = places.series.model
    level = model.hertz(level) if model.kind == "octaves" else level
    return Term(
        cause,
        value,
        expanded,
        "cents",
        value,
        expanded,
        (float(places.notes[held[0]]), float(places.notes[held[-1]])),
        level=level,
    )


def _rms(values: FloatArray) -> float:
    return float(np.sqrt(np.mean(values**2))) if values.size else 0.0
