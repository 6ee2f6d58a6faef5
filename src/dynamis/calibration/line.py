"""Straight lines through readings: least squares, minimax, end points, and the Theil–Sen line.

Every fit takes x (expected) and y (measured) in the quantity of the line and gives measured = offset +
gain * expected.  Under V/oct cents are a difference in that quantity; under Hz/V they are a ratio, so
"least squares in cents" is then not linear and is solved by Gauss–Newton on the logarithm.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.pitch.model import PitchModel
from dynamis.transfer.distinct import distinct

FloatArray = NDArray[np.float64]
Method = Literal["least-squares", "minimax", "endpoint"]
METHODS: Final[tuple[Method, ...]] = ("least-squares", "minimax", "endpoint")


@dataclass(frozen=True, eq=False)
class Line:
    """measured = offset + gain * expected.

    weights : (2, N) how offset and gain follow each reading, d(offset, gain)/d(measured).
    """

    offset: float
    gain: float
    weights: FloatArray

    def at(self, expected: FloatArray) -> FloatArray:
        return self.offset + self.gain * np.asarray(expected, float)


def fit_line(model: PitchModel, expected: FloatArray, measured: FloatArray, method: Method = "least-squares") -> Line:
    """Fit the line that minimises squared cents, the largest |cents|, or passes through the ends.

    Parameters
    ----------
    model : gives the quantity, and whether cents are a difference or a ratio.
    expected, measured : (N,) in the line's quantity; N >= 2 with two different expected values.

    Raises `InputError` when all expected values are one, or no rising line keeps every ratio defined.
    """
    if np.ptp(expected) <= 0:
        raise InputError("Readings of one note only; a line needs readings of two different notes or more.")
    solve: Callable[..., tuple[float, float, FloatArray]] = {
        "least-squares": _least_squares,
        "minimax": _minimax,
        "endpoint": _endpoint,
    }[method]
    zero = model.zero
    base, slope, weights = solve(expected - zero, measured - zero, model.is_ratio)
    if not (np.isfinite(base) and np.isfinite(slope)):
        raise InputError("These readings and this law are too far apart in size for a line; check both.")
    # line - zero = base + slope*(x - zero)  =>  line = base + zero*(1 - slope) + slope*x
    weights = np.array([weights[0] - zero * weights[1], weights[1]])
    return Line(base + zero * (1.0 - slope), slope, weights)


def _weighted(x: FloatArray, y: FloatArray, weight: FloatArray) -> tuple[float, float, FloatArray]:
    """Weighted least squares with its weights, centred for the sake of digits."""
    share = weight / weight.sum()
    mean = float(share @ x)
    centred = x - mean
    slope_weights = weight * centred / float(weight @ centred**2)
    base_weights = share - mean * slope_weights
    return float(base_weights @ y), float(slope_weights @ y), np.array([base_weights, slope_weights])


def _least_squares(x: FloatArray, y: FloatArray, ratio: bool) -> tuple[float, float, FloatArray]:
    if not ratio:
        return _weighted(x, y, np.ones_like(x))
    if np.any(x <= 0) or np.any(y <= 0):
        raise InputError("A value at or under the law's offset makes no pitch; no line can be drawn through it.")
    base, slope, weights = _weighted(x, y, y**-2.0)
    if np.any(base + slope * x <= 0):
        base, slope = 0.0, float(np.exp(np.mean(np.log(y / x))))
    line = base + slope * x
    for _ in range(60):
        miss = np.log(y / line)
        step_base, step_slope, weights = _weighted(x, line * miss, line**-2.0)
        step = step_base + step_slope * x
        shrink = _shortened(y, line, step, float(miss @ miss))
        if shrink == 0.0:
            break
        base, slope, line = base + shrink * step_base, slope + shrink * step_slope, line + shrink * step
        if np.max(np.abs(step) / line) < 1e-15:
            break
    return base, slope, weights


def _shortened(y: FloatArray, line: FloatArray, step: FloatArray, squares: float) -> float:
    """The longest of 1, 1/2, 1/4 … of a step that keeps the line above 0 and the squares from growing; 0 for none."""
    shrink = 1.0
    for _ in range(40):
        tried = line + shrink * step
        if np.all(tried > 0):
            miss = np.log(y / tried)
            if float(miss @ miss) <= squares:
                return shrink
        shrink /= 2.0
    return 0.0


def _minimax(x: FloatArray, y: FloatArray, ratio: bool) -> tuple[float, float, FloatArray]:
    """The exact minimax line, by the duality of linear programming.

    The least largest deviation equals half of the widest vertical gap between the upper and the lower
    convex hull of the readings (for ratios: the root of the largest quotient).  The gap is widest at a
    corner of a hull; the line passes midway there with a slope that both hulls allow.
    """
    order = np.lexsort((y, x))
    lower = order[_hull(x[order], y[order])]
    upper = order[::-1][_hull(-x[order][::-1], -y[order][::-1])][::-1]
    corners = np.union1d(x[lower], x[upper])
    low, high = np.interp(corners, x[lower], y[lower]), np.interp(corners, x[upper], y[upper])
    widest = int(np.argmax(high / low if ratio else high - low))
    at, under, over = corners[widest], low[widest], high[widest]
    middle = float(np.sqrt(under * over)) if ratio else 0.5 * (under + over)
    # Slopes of the lower hull rise from left to right, those of the upper hull fall.
    below = np.array(_slopes(x[lower], y[lower], at, -np.inf)) * (middle / under if ratio else 1.0)
    above = np.array(_slopes(x[upper], y[upper], at, np.inf)) * (middle / over if ratio else 1.0)
    least, most = max(below[0], above[1]), min(below[1], above[0])
    _, preferred, weights = _least_squares(x, y, ratio)
    slope = 0.5 * (least + most) if least > most else float(np.clip(preferred, least, most))
    base = middle - slope * at
    active = _active(x, y, base, slope, ratio)
    return float(base), float(slope), weights if active is None else active


def _hull(x: FloatArray, y: FloatArray) -> list[int]:
    """Indices of the lower convex hull of points sorted by x, then y (Andrew's monotone chain)."""
    kept: list[int] = []
    across, up = x.tolist(), y.tolist()  # plain floats: several times quicker one by one
    for k in range(len(across)):
        if kept and across[k] == across[kept[-1]]:
            continue  # a higher point at the same x
        while len(kept) >= 2:
            i, j = kept[-2], kept[-1]
            if (across[j] - across[i]) * (up[k] - up[i]) > (up[j] - up[i]) * (across[k] - across[i]):
                break
            kept.pop()
        kept.append(k)
    return kept


def _slopes(x: FloatArray, y: FloatArray, at: float, past_ends: float) -> tuple[float, float]:
    """Slopes of a hull left and right of a place; left of its first corner the slope is `past_ends`,
    right of its last it is the opposite."""
    slopes = np.concatenate([[past_ends], np.diff(y) / np.diff(x), [-past_ends]])
    index = int(np.searchsorted(x, at))
    if index < x.size and x[index] == at:
        return float(slopes[index]), float(slopes[index + 1])
    return float(slopes[index]), float(slopes[index])


def _active(x: FloatArray, y: FloatArray, base: float, slope: float, ratio: bool) -> FloatArray | None:
    """Weights of the readings that hold the minimax line: three that alternate; None where fewer do."""
    line = base + slope * x
    miss = np.log(y / line) if ratio else y - line
    worst = float(np.max(np.abs(miss)))
    held = np.flatnonzero(np.abs(miss) >= worst * (1 - 1e-9) - 1e-15)
    held = held[np.argsort(x[held], kind="stable")]
    for first in range(held.size - 2):
        trio = [held[first]]
        for k in held[first + 1 :]:
            if np.sign(miss[k]) != np.sign(miss[trio[-1]]) and x[k] > x[trio[-1]]:
                trio.append(k)
            if len(trio) == 3:
                sway = line[trio] if ratio else np.ones(3)
                matrix = np.column_stack([np.ones(3), x[trio], np.sign(miss[trio]) * sway])
                weights = np.zeros((2, x.size))
                weights[:, trio] = np.linalg.inv(matrix)[:2]
                return weights
    return None


def _endpoint(x: FloatArray, y: FloatArray, ratio: bool) -> tuple[float, float, FloatArray]:
    """Through the lowest and the highest note; several readings of one are averaged."""
    first, last = x == x.min(), x == x.max()
    span = float(x.max() - x.min())
    weights = np.zeros((2, x.size))
    weights[1, last], weights[1, first] = 1.0 / span / last.sum(), -1.0 / span / first.sum()
    weights[0, first] = 1.0 / first.sum()
    weights[0] -= x.min() * weights[1]
    return float(weights[0] @ y), float(weights[1] @ y), weights


def theil_sen(x: FloatArray, y: FloatArray) -> tuple[float, float]:
    """(offset, slope) of the Theil–Sen line: few wild readings do not move it.

    slope : the median of all slopes between readings of different x; offset : the median of
    y - slope*x.  Two different x are needed.
    Source: H. Theil 1950, P. K. Sen 1968 (from memory); the offset as this program's contract has it.
    """
    slope = median(_all_slopes(x, y))
    return median(y - slope * x), slope


def median(values: FloatArray) -> float:
    """The exact median of finite values; of many, by looking only at those near it.

    (NumPy's own imports its masked arrays when it is first called: 25 ms of every start.)
    """
    if values.size < 100_000:
        return _middle(np.sort(values))
    sample = np.sort(values[:: values.size // 20_000])
    low, high = sample[int(0.47 * sample.size)], sample[int(0.53 * sample.size)]
    below = int(np.count_nonzero(values < low))
    near = np.sort(values[(values >= low) & (values <= high)])
    first, second = (values.size - 1) // 2 - below, values.size // 2 - below
    if not (first >= 0 and second < near.size):  # an odd order of the values misled the sample
        return _middle(np.sort(values))
    return float(0.5 * (near[first] + near[second]))


def _middle(rising: FloatArray) -> float:
    return float(0.5 * (rising[(rising.size - 1) // 2] + rising[rising.size // 2]))


def _all_slopes(x: FloatArray, y: FloatArray) -> FloatArray:
    """Slopes between all pairs of readings of different x, each pair once."""
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    if x.size <= 600:  # one block is quicker while it stays in the cache
        i, j = np.triu_indices(x.size, 1)
        run = x[j] - x[i]
        apart = run > 0
        return (y[j] - y[i])[apart] / run[apart]
    places, first, _, count = distinct(x)
    after = first + count
    slopes = np.empty(int(np.sum(count * (x.size - after))))
    filled = 0
    for place, start, size, rest in zip(places, first, count, after, strict=True):
        block = slopes[filled : filled + size * (x.size - rest)].reshape(size, x.size - rest)
        np.subtract(y[None, rest:], y[start:rest, None], out=block)
        np.divide(block, x[rest:] - place, out=block)
        filled += block.size
    return slopes
