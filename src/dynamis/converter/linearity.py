"""INL and DNL of a converter from its levels, by end points and by best fit.

Source: IEEE Std 1658, terms of digital-to-analogue converters (from memory): DNL is the difference of a
step from the mean step; INL what is left of a level when offset and gain are taken out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Linearity:
    """One way of taking offset and gain out.

    lsb_volts, offset_volts : the line's step, and its value at code 0.
    inl_lsb : (codes,) ; dnl_lsb : (codes - 1,).
    """

    lsb_volts: float
    offset_volts: float
    inl_lsb: FloatArray
    dnl_lsb: FloatArray

    @property
    def worst_inl_lsb(self) -> float:
        return float(np.max(np.abs(self.inl_lsb)))

    @property
    def worst_dnl_lsb(self) -> float:
        return float(np.max(np.abs(self.dnl_lsb)))


def linearity(volts_by_code: ArrayLike, *, best_fit: bool = False) -> Linearity:
    """INL and DNL of measured levels, one for each code from 0 on.

    Raises `InputError` for fewer than three levels, one that is no number, or ends that are equal.
    """
    volts = np.asarray(volts_by_code, float)
    if volts.ndim != 1 or volts.size < 3 or not np.all(np.isfinite(volts)):
        raise InputError("Linearity needs three levels or more, each a finite number.")
    codes = np.arange(volts.size, dtype=float)
    if best_fit:
        centred = codes - codes.mean()
        step = float(centred @ volts / (centred @ centred))
        offset = float(volts.mean() - step * codes.mean())
    else:
        step, offset = float((volts[-1] - volts[0]) / (volts.size - 1)), float(volts[0])
    if step == 0:
        raise InputError("The levels do not rise or fall from the first code to the last; they have no LSB.")
    return Linearity(step, offset, (volts - offset) / step - codes, np.diff(volts) / step - 1.0)


def is_monotonic(volts_by_code: ArrayLike) -> bool:
    """Whether the levels never turn back from one code to the next."""
    steps = np.diff(np.asarray(volts_by_code, float))
    return bool(np.all(steps >= 0) or np.all(steps <= 0))
