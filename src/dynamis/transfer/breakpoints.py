"""Signals in time as breakpoints, exact until somebody asks for samples."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.transfer.parameter import World


@dataclass(frozen=True, eq=False)
class Breakpoints:
    """A signal: from each instant on it is held, or ramped to the next instant's value.

    seconds : (N,) rising.  values : (N,).  ramped : (N,) booleans, False means held.
    """

    seconds: NDArray[np.float64]
    values: NDArray[np.float64]
    ramped: NDArray[np.bool_]

    def __post_init__(self) -> None:
        if not (self.seconds.shape == self.values.shape == self.ramped.shape) or self.seconds.ndim != 1:
            raise InputError("A signal needs one value and one kind for each instant.")
        if self.seconds.size == 0 or np.any(np.diff(self.seconds) <= 0):
            raise InputError("The instants of a signal have to rise.")

    def at(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Value at each asked instant; before the first breakpoint it is NaN."""
        index = np.searchsorted(self.seconds, seconds, side="right") - 1
        after = np.minimum(index + 1, self.seconds.size - 1)
        span = np.where(after > index, self.seconds[after] - self.seconds[index], 1.0)
        share = np.where(self.ramped[index], (seconds - self.seconds[index]) / span, 0.0)
        share = np.where(after > index, share, 0.0)
        value = self.values[index] + share * (self.values[after] - self.values[index])
        return np.where(index < 0, np.nan, value)


class SignalTransfer(Protocol):
    """What remembers: hysteresis, glide, stretcher, sample and hold."""

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints: ...
