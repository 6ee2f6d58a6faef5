"""A wanted resistance from preferred values: one of them, or two in series or in parallel.  Source: IEC 60063."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import Fitted
from dynamis.electrics.series import values_between

LEAST_OHMS: Final = 10.0
MOST_OHMS: Final = 10e6
_EXACT: Final = 1e-6
FloatArray = NDArray[np.float64]


@lru_cache(maxsize=32)
def stock(series: str, drawer_ohms: tuple[float, ...] = ()) -> FloatArray:
    """All values from 10 Ω to 10 MΩ of a series; of those, the ones in the drawer where any are named."""
    values = np.array(values_between(LEAST_OHMS, MOST_OHMS, series))
    if drawer_ohms:
        kept = np.unique(np.array(drawer_ohms, float))
        values = kept[(kept >= LEAST_OHMS) & (kept <= MOST_OHMS)]
    values.setflags(write=False)
    return values


def near(ohms: float, values: FloatArray, count: int = 2) -> list[float]:
    """The values nearest to a requirement in ratio, the nearest first."""
    k = int(np.searchsorted(values, ohms))
    around = values[max(0, k - count) : k + count]
    return [float(one) for one in around[np.argsort(np.abs(np.log(around / ohms)), kind="stable")][:count]]


def choices(ohms: float, values: FloatArray, pairs: bool) -> list[Fitted]:
    """What may stand for a wanted resistance; none outside 10 Ω to 10 MΩ, or of two in series 20 MΩ."""
    if not LEAST_OHMS <= ohms <= MOST_OHMS * (2.0 if pairs else 1.0) or not values.size:
        return []
    fillings = [Fitted((one,)) for one in near(ohms, values)]
    if abs(fillings[0].total / ohms - 1.0) < _EXACT:
        return fillings[:1]
    if pairs:
        fillings += [*_series(ohms, values), *_parallel(ohms, values)]
    return fillings


def _series(ohms: float, values: FloatArray) -> list[Fitted]:
    large = values[(values >= ohms / 2.0) & (values < ohms - LEAST_OHMS)]
    small = _nearest(ohms - large, values) if large.size else large
    return [Fitted((float(large[k]), float(small[k]))) for k in _closest(large + small, ohms)]


def _parallel(ohms: float, values: FloatArray) -> list[Fitted]:
    low = values[(values > ohms * (1 + 1e-9)) & (values <= 2.0 * ohms)]
    high = _nearest(1.0 / (1.0 / ohms - 1.0 / low), values) if low.size else low
    total = 1.0 / (1.0 / low + 1.0 / high)
    return [Fitted((float(low[k]), float(high[k])), "parallel") for k in _closest(total, ohms)]


def _closest(values: FloatArray, wanted: float) -> list[int]:
    """The nearest from below and from above."""
    off = values - wanted
    sides = (np.where(off <= 0, -off, np.inf), np.where(off > 0, off, np.inf)) if off.size else ()
    return [int(one.argmin()) for one in sides if np.isfinite(one.min())]


def _nearest(wanted: FloatArray, values: FloatArray) -> FloatArray:
    k = np.clip(np.searchsorted(values, wanted), 1, values.size - 1) if values.size > 1 else np.zeros(wanted.size, int)
    below, above = values[np.maximum(k - 1, 0)], values[k]
    return np.where(wanted - below <= above - wanted, below, above)
