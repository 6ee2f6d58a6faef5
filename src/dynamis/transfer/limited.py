"""What transfers with an end at the bottom and at the top have in common."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.transfer.parameter import World

FloatArray = NDArray[np.float64]


class _WithEnds(Protocol):
    """low_volts, high_volts : where it stops, None where that is not known."""

    @property
    def low_volts(self) -> float | None: ...
    @property
    def high_volts(self) -> float | None: ...
    def exact(self, x: ArrayLike, world: World) -> FloatArray: ...
    def limits(self, world: World) -> tuple[FloatArray, FloatArray]: ...


class Limited:
    """For a transfer that gives volts and stops at `low_volts` and `high_volts`."""

    def forward(self: _WithEnds, x: ArrayLike, world: World) -> FloatArray:
        return np.clip(self.exact(x, world), *self.limits(world))

    def limits(self: _WithEnds, world: World) -> tuple[FloatArray, FloatArray]:
        low = -np.inf if self.low_volts is None else self.low_volts
        return np.array(low), np.array(np.inf if self.high_volts is None else self.high_volts)
