"""What an output does that is told to stand still: noise, drift, jumps."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError

FloatArray = NDArray[np.float64]

FEWEST_READINGS: Final = 8
# A level that moves by more than so many standard deviations of its two sides is a jump; of a series of noise alone one
# in a thousand would show it (Gaussian, some hundred places to look at; by simulation).
_JUMP: Final = 5.0
_LEAST_SIDE: Final = 3


@dataclass(frozen=True, eq=False)
class Held:
    """seconds, volts : (N,) as they were read.  mean_volts, mean_deviation : level and its standard uncertainty.

    noise_volts : rms of what changes from reading to reading.  drift_volts : from the first to the last, by a line;
    drift_deviation : its standard uncertainty.  jump_volts, jump_after : the largest sudden change, and the place of
    the last reading ahead of it; None where none is larger than noise makes.
    """

    seconds: FloatArray
    volts: FloatArray
    mean_volts: float
    mean_deviation: float
    noise_volts: float
    drift_volts: float
    drift_deviation: float
    jump_volts: float | None
    jump_after: int | None

    @property
    def drifts(self) -> bool:
        """Whether it drifts beyond what the noise explains, and not by a jump."""
        return self.jump_volts is None and abs(self.drift_volts) > 2.0 * self.drift_deviation

    @property
    def lasted_seconds(self) -> float:
        return float(self.seconds[-1] - self.seconds[0])


def held(seconds: ArrayLike, volts: ArrayLike, rounding_volts: float = 0.0) -> Held:
    """What a series of readings of one level shows.

    seconds, volts : (N,), in time order.  rounding_volts : standard uncertainty of one reading's last digit, which no
    scatter shows where all readings are the same.  Raises `InputError` for fewer than eight readings.
    """
    t, v = np.asarray(seconds, float), np.asarray(volts, float)
    if v.size < FEWEST_READINGS or not np.all(np.isfinite(v)):
        raise InputError(f"A level that is held needs {FEWEST_READINGS} readings or more, each a finite number.")
    if not np.ptp(t) > 0:
        t = np.arange(v.size, dtype=float)
    # Successive differences see the noise, whatever drifts below it (von Neumann 1941; from memory).
    noise = math.sqrt(float(np.mean(np.diff(v) ** 2)) / 2.0)
    each = max(noise, rounding_volts)
    off = t - t.mean()
    slope = float(off @ v / (off @ off))
    jump, after = _jump(v, each)
    return Held(
        t,
        v,
        float(v.mean()),
        each / math.sqrt(v.size),
        noise,
        slope * float(np.ptp(t)),
        each / math.sqrt(float(off @ off)) * float(np.ptp(t)),
        jump,
        after,
    )


def _jump(volts: FloatArray, each: float) -> tuple[float | None, int | None]:
    """The place that parts the series best in two levels, where those lie further apart than noise makes and the parts
    are each still beside it."""
    size = volts.size
    ahead = np.arange(_LEAST_SIDE, size - _LEAST_SIDE + 1)
    if each <= 0.0 or ahead.size == 0:
        return None, None
    total = np.cumsum(volts)
    first = total[ahead - 1] / ahead
    second = (total[-1] - total[ahead - 1]) / (size - ahead)
    apart = (second - first) / (each * np.sqrt(1.0 / ahead + 1.0 / (size - ahead)))
    place = int(np.argmax(np.abs(apart)))
    cut = int(ahead[place])
    change = float(second[place] - first[place])
    # A drift moves each side too; a jump is most of what happens, between two readings.
    there = float(volts[cut] - volts[cut - 1])
    sudden = abs(there) > _JUMP * each * math.sqrt(2.0) and math.copysign(1.0, there) == math.copysign(1.0, change)
    if abs(float(apart[place])) > _JUMP and sudden:
        return change, cut - 1
    return None, None
