"""What the levels of some codes show of a converter: INL and DNL both ways, whether it is monotonic, steps that are
missing.

Source: IEEE Std 1658, terms of digital-to-analogue converters (from memory): INL is what is left of a level when offset
and gain are taken out, by end points or by the best fit; DNL of a code how far its step is from the mean step;
monotonic, where no level turns back.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError

FloatArray = NDArray[np.float64]
Told = Literal["yes", "no", "cannot-tell"]

FEWEST_CODES: Final = 3
# A step smaller than this part of an LSB is missing.
_MISSING: Final = 0.5


@dataclass(frozen=True, eq=False)
class Ramp:
    """One row a code that was read, lowest first; several readings of one are their mean.

    codes, volts : (N,).  deviation_volts : (N,) standard uncertainty of each by itself.  lsb_volts : of the best fit.
    endpoint_lsb, bestfit_lsb : (N,) INL both ways.  dnl_codes, dnl_lsb, dnl_deviation : of the pairs of neighbouring
    codes that were both read: the lower one, its step's difference from the mean step, and its standard uncertainty.
    """

    codes: NDArray[np.int64]
    volts: FloatArray
    deviation_volts: FloatArray
    lsb_volts: float
    endpoint_lsb: FloatArray
    bestfit_lsb: FloatArray
    dnl_codes: NDArray[np.int64]
    dnl_lsb: FloatArray
    dnl_deviation: FloatArray

    @property
    def expanded_lsb(self) -> FloatArray:
        """U = 2u of each level, LSB."""
        return 2.0 * self.deviation_volts / abs(self.lsb_volts)

    @property
    def worst(self) -> int:
        """The row with the largest INL by the best fit."""
        return int(np.argmax(np.abs(self.bestfit_lsb)))

    @property
    def monotonic(self) -> Told:
        """Whether every level that was read lies above the one before, beyond what their uncertainty explains; no where
        one lies so below."""
        steps, apart = self._steps()
        if np.any(steps < -2.0 * apart):
            return "no"
        return "yes" if np.all(steps > 2.0 * apart) else "cannot-tell"

    @property
    def turns_back(self) -> NDArray[np.int64]:
        """Codes behind which the next level that was read lies lower, beyond what the uncertainty explains."""
        steps, apart = self._steps()
        return self.codes[:-1][steps < -2.0 * apart]

    @property
    def missing(self) -> NDArray[np.int64]:
        """Codes whose step to the next one is missing, beyond what the uncertainty explains; one that turns back is
        not."""
        step, sure = self.dnl_lsb + 1.0, 2.0 * self.dnl_deviation
        return self.dnl_codes[(step + sure < _MISSING) & (step + sure >= 0.0)]

    @property
    def steps_told(self) -> bool:
        """Whether the readings are good enough to tell a missing step from one that is there."""
        return bool(self.dnl_lsb.size and np.all(2.0 * self.dnl_deviation < _MISSING))

    def _steps(self) -> tuple[FloatArray, FloatArray]:
        """Differences of neighbours in the direction of the line, and their standard uncertainty, volts."""
        steps = np.diff(self.volts) * np.sign(self.lsb_volts)
        return steps, np.hypot(self.deviation_volts[1:], self.deviation_volts[:-1])


def ramp(codes: ArrayLike, volts: ArrayLike, deviation_volts: ArrayLike) -> Ramp:
    """What readings of codes show.

    codes, volts, deviation_volts : (N,), in any order, repeats allowed; deviation_volts is the standard uncertainty of
    each reading by itself, without what all share.  Raises `InputError` for fewer than three codes, what is no number,
    or ends that are equal.
    """
    codes, volts, own = np.asarray(codes, np.int64), np.asarray(volts, float), np.asarray(deviation_volts, float)
    known, rows = np.unique(codes, return_inverse=True)
    if known.size < FEWEST_CODES or not np.all(np.isfinite(volts)):
        raise InputError("A ramp needs readings of three codes or more, each a finite number.")
    count = np.bincount(rows)
    level = np.bincount(rows, volts) / count
    deviation = np.sqrt(np.bincount(rows, own**2)) / count
    at = known.astype(float)
    slope, start = np.polyfit(at, level, 1)
    ends = (level[-1] - level[0]) / (at[-1] - at[0])
    if slope == 0 or ends == 0:
        raise InputError("The levels do not rise or fall from the first code to the last; they have no LSB.")
    beside = np.flatnonzero(np.diff(known) == 1)
    return Ramp(
        known,
        level,
        deviation,
        float(slope),
        (level - level[0]) / ends - (at - at[0]),
        (level - start) / slope - at,
        known[beside],
        np.diff(level)[beside] / slope - 1.0,
        np.hypot(deviation[1:], deviation[:-1])[beside] / abs(slope),
    )
