"""Signals in time as breakpoints, exact until somebody asks for samples."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.transfer.parameter import World

FloatArray = NDArray[np.float64]


class Trajectory(IntEnum):
    """What a signal does from one breakpoint to the next."""

    HELD = 0
    RAMPED = 1
    DECAYING = 2


@dataclass(frozen=True, eq=False)
class Breakpoints:
    """A signal: from each instant on it is held, ramped to the next instant's value, or decays.

    seconds : (N,) rising.  values : (N,) at the instants.  kinds : (N,) of `Course`.
    targets, time_constants : (N,) where it decays to, and how fast (seconds, above 0); looked at only
        where it decays, so they may be left out where nothing does.
    """

    seconds: FloatArray
    values: FloatArray
    kinds: NDArray[np.int8]
    targets: FloatArray | None = None
    time_constant_seconds: FloatArray | None = None

    def __post_init__(self) -> None:
        if not (self.seconds.shape == self.values.shape == self.kinds.shape) or self.seconds.ndim != 1:
            raise InputError("A signal needs one value and one kind for each instant.")
        if self.seconds.size == 0 or np.any(np.diff(self.seconds) <= 0):
            raise InputError("The instants of a signal have to rise.")
        decays = self.kinds == Trajectory.DECAYING
        if np.any(decays):
            given = self.targets is not None and self.time_constant_seconds is not None
            if not given or np.any(np.asarray(self.time_constant_seconds)[decays] <= 0):
                raise InputError("Where a signal decays it needs a target and a time constant above 0.")

    def at(self, seconds: FloatArray) -> FloatArray:
        """Value at each asked instant, any shape; before the first breakpoint it is NaN."""
        index = np.searchsorted(self.seconds, seconds, side="right") - 1
        here = np.maximum(index, 0)
        after = np.minimum(here + 1, self.seconds.size - 1)
        value, kind = self.values[here], self.kinds[here]
        since = seconds - self.seconds[here]
        span = np.where(after > here, self.seconds[after] - self.seconds[here], np.inf)
        ramped = value + since / span * (self.values[after] - value)
        answer = np.where(kind == Trajectory.RAMPED, ramped, value)
        if self.targets is not None and self.time_constant_seconds is not None:
            target = self.targets[here]
            with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
                decayed = target + (value - target) * np.exp(-since / self.time_constant_seconds[here])
            answer = np.where(kind == Trajectory.DECAYING, decayed, answer)
        return np.where(index < 0, np.nan, answer)


class SignalTransfer(Protocol):
    """What remembers: hysteresis, glide, stretcher, sample and hold."""

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints: ...
