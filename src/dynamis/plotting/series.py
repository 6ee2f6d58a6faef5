"""Many points on few pixels: what a plot shows of a series, without losing its extremes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]

_LEAST_MARKER, _MARKER_SHARE = 2.5, 0.8


def thinned(x: FloatArray, y: FloatArray, low: float, high: float, pixels: int) -> tuple[FloatArray, FloatArray]:
    """A series as a line of the least and the most at each pixel.

    Parameters
    ----------
    x, y : arrays of shape (N,)
        x rising; a NaN in y breaks the line, here too.
    low, high : float
        The part of x that is seen; one point beyond either end is kept, so that the line leaves the picture.
    pixels : int
        Columns of the picture.

    Returns
    -------
    x, y of shape (M,), M at most twice the pixels and three; a series of no more than four times them as it is.
    """
    first = max(0, int(np.searchsorted(x, low)) - 1)
    last = min(x.size, int(np.searchsorted(x, high, side="right")) + 1)
    x, y = x[first:last], y[first:last]
    if pixels < 1 or x.size <= 4 * pixels:
        return x, y
    starts = np.searchsorted(x, np.linspace(low, high, pixels + 1)[:-1])
    starts = np.unique(np.append(0, starts[starts < x.size]))
    # A column that has nothing but NaN stays a gap.
    ends = np.column_stack([np.fmin.reduceat(y, starts), np.fmax.reduceat(y, starts)])
    return np.append(np.repeat(x[starts], 2), x[-1]), np.append(ends.ravel(), y[-1])


def marker_size(places: FloatArray, size: float) -> float:
    """How large the markers at these pixels (N,) may be, so that each is seen by itself; never less than a dot."""
    if places.size < 2:
        return size
    width = float(np.max(places) - np.min(places))
    return min(size, max(_LEAST_MARKER, _MARKER_SHARE * width / (places.size - 1)))
