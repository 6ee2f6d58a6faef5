"""The different values among many, in rising order.

NumPy's own `unique` imports its masked arrays at its first call, which costs the start of the window 15 ms.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]
IndexArray = NDArray[np.intp]


class Distinct(NamedTuple):
    """values : (D,) rising.  first : where each stands first.  which : (N,) which of them each is.  counts : (D,)."""

    values: FloatArray
    first: IndexArray
    which: IndexArray
    counts: IndexArray


def among(values: ArrayLike, some: ArrayLike) -> NDArray[np.bool_]:
    """(N,) whether each value is one of some, which are few."""
    values, some = np.asarray(values, float), np.asarray(some, float)
    return np.asarray((values[:, None] == some).any(axis=1))


def distinct(values: ArrayLike) -> Distinct:
    """The different values of an array of shape (N,); NaN counts as one value, the last."""
    values = np.asarray(values, float).ravel()
    order = np.argsort(values, kind="stable")
    rising = values[order]
    fresh = np.ones(rising.shape, bool)
    fresh[1:] = (rising[1:] != rising[:-1]) & ~np.isnan(rising[:-1])
    starts = np.flatnonzero(fresh)
    which = np.empty(values.shape, np.intp)
    which[order] = np.cumsum(fresh) - 1
    return Distinct(rising[starts], order[starts], which, np.diff(np.append(starts, values.size)))
