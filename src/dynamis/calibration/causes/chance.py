"""What chance makes of a statistic: its quantiles over random walks and white noise, seeded.

Linearity walks from code to code, so neighbouring notes share it: what a walk makes by itself is no fault.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
Noise = Literal["walk", "white"]
_SAMPLES: Final = 1000
_SEED: Final = 20


@lru_cache(maxsize=16)
def samples(positions: tuple[float, ...], noise: Noise, count: int = _SAMPLES) -> FloatArray:
    """(count, G) samples of noise at these positions; a walk's steps grow with the square root of the distance."""
    random = np.random.default_rng(_SEED)
    size = len(positions)
    if noise == "white":
        return random.normal(size=(count, size))
    gaps = np.sqrt(np.maximum(np.diff(np.array(positions)), 0.0))
    walk = np.cumsum(random.normal(size=(count, max(0, size - 1))) * gaps, axis=1)
    return np.concatenate([np.zeros((count, 1)), walk], axis=1)


def positions_of(values: FloatArray) -> tuple[float, ...]:
    """Positions as they are kept by: even ones alike however they came about."""
    return tuple(np.round(values, 3).tolist())


def quantile(statistic: Callable[[FloatArray], FloatArray], drawn: FloatArray, share: float) -> float:
    """The value that a statistic of (samples, G) passes in `1 - share` of the samples."""
    rising = np.sort(statistic(drawn))
    return float(rising[min(rising.size - 1, int(share * rising.size))])


def row_medians(values: FloatArray) -> FloatArray:
    """(…, G) -> (…, 1).  (NumPy's own imports its masked arrays at its first call.)"""
    rising, size = np.sort(values, axis=-1), values.shape[-1]
    return 0.5 * (rising[..., (size - 1) // 2] + rising[..., size // 2])[..., None]
