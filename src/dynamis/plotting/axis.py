"""A scale from values to pixels and back, panned and zoomed."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
Position = TypeVar("Position", float, FloatArray)


@dataclass(frozen=True)
class Axis:
    """Values from `low` to `high`, of which the first lies at the pixel `start` and the last at `end`.

    An axis that rises up the screen has its start below its end.
    """

    low: float
    high: float
    start: float = 0.0
    end: float = 1.0

    @property
    def span(self) -> float:
        return self.high - self.low

    @property
    def pixels(self) -> float:
        return abs(self.end - self.start)

    def at(self, value: Position) -> Position:
        """The pixel of a value."""
        return self.start + (value - self.low) * ((self.end - self.start) / self.span)

    def value(self, pixel: float) -> float:
        """The value at a pixel."""
        return self.low + (pixel - self.start) * (self.span / (self.end - self.start))

    def placed(self, start: float, end: float) -> Axis:
        return replace(self, start=start, end=end)

    def panned(self, by: float) -> Axis:
        """Moved by so much of its values."""
        return replace(self, low=self.low + by, high=self.high + by)

    def zoomed(self, factor: float, about: float | None = None) -> Axis:
        """The span times a factor, round a value that stays where it is, else round the middle."""
        still = (self.low + self.high) / 2.0 if about is None else about
        return replace(self, low=still + (self.low - still) * factor, high=still + (self.high - still) * factor)
