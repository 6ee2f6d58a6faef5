"""One channel of an oscilloscope: volts at instants."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError

FloatArray = NDArray[np.float64]
_LEAST_SAMPLES = 16
_SAME = 1e-9


@dataclass(frozen=True, eq=False)
class Trace:
    """seconds, volts : both of shape (N,), seconds rising.  lost : samples that were no number, and are left out.

    Raises InputError for fewer than 16 samples.
    """

    name: str
    seconds: FloatArray
    volts: FloatArray
    lost: int = 0

    def __post_init__(self) -> None:
        if self.seconds.size < _LEAST_SAMPLES or self.seconds.shape != self.volts.shape:
            raise InputError(f"{self.name or 'The trace'} has {self.volts.size} samples; {_LEAST_SAMPLES} are needed.")

    @property
    def step_seconds(self) -> float:
        """Between two samples, in the middle of all."""
        return float(np.median(np.diff(self.seconds)))

    @property
    def step_volts(self) -> float:
        """The smallest step between two volts that it has; 0 where two values or one are all, which tell none."""
        apart = np.diff(np.unique(self.volts))
        apart = apart[apart > _SAME * max(1.0, float(np.abs(self.volts).max()))]
        return float(apart.min()) if apart.size > 1 else 0.0
