"""A DAC of N bits between two voltages, straight binary, with its output buffer's limits.

V(code) = offset + gain*(low + code*(high - low)/2**N), so the top code is one LSB short of `high`.
Source: IEEE Std 1658 (DAC terms), from memory; derived for gain and offset after the converter.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.coding import CODINGS
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]
MOST_BITS: Final = 24
# A level table of every code is kept only while it is small; INL by code is not known for larger ones.
MOST_BITS_WITH_INL: Final = 16


@dataclass(frozen=True, eq=False)
class Reach:
    """Codes for wanted volts: shapes as the wanted volts.

    codes : nearest codes (NaN where the wanted volts are).
    reason : `Reason` of each.
    """

    codes: FloatArray
    reason: NDArray[np.int8]

    @property
    def clipped(self) -> NDArray[np.bool_]:
        return self.reason == Reason.CLAMP


@dataclass(frozen=True)
class Dac:
    """One converter channel as its jack shows it.

    bits : 1 to 24.  low_volts, high_volts : the converter's ends; gain, offset_volts : what follows it.
    inl_lsb : one value a code, or None where it is not known.
    floor_volts, ceiling_volts : where the output buffer stops at the jack, or None.
    coding : how it wants codes written, one of `CODINGS`; codes here count from its lowest level whatever it is.
    """

    bits: int
    low_volts: float
    high_volts: float
    gain: float = 1.0
    offset_volts: float = 0.0
    inl_lsb: tuple[float, ...] | None = None
    floor_volts: float | None = None
    ceiling_volts: float | None = None
    coding: str = "straight"

    def __post_init__(self) -> None:
        numbers = (self.low_volts, self.high_volts, self.gain, self.offset_volts)
        if not all(math.isfinite(number) for number in numbers):
            raise InputError("A converter needs finite numbers.")
        if not 1 <= self.bits <= MOST_BITS or self.bits != int(self.bits):
            raise InputError(f"bits is {plain(self.bits)}; a whole number from 1 to {MOST_BITS} was expected.")
        if not self.high_volts > self.low_volts:
            raise InputError(
                f"The converter's high end, {plain(self.high_volts)} V, is not above its low end, "
                f"{plain(self.low_volts)} V."
            )
        if self.coding not in CODINGS:
            raise InputError(f"{self.coding!r} is no coding of a converter; one of {', '.join(CODINGS)} was expected.")
        if self.gain == 0:
            raise InputError("The gain after the converter is 0; nothing would reach the jack.")
        if not 1e-30 < abs(self.step_volts) < 1e30:
            raise InputError("The converter's step at the jack is not a number that can be worked with.")
        if self.inl_lsb is not None and (self.bits > MOST_BITS_WITH_INL or len(self.inl_lsb) != self.codes):
            raise InputError(f"The INL table has {len(self.inl_lsb)} values; {self.codes} codes were expected.")
        if self.floor_volts is not None and self.ceiling_volts is not None and self.floor_volts >= self.ceiling_volts:
            raise InputError("The buffer's lowest output is not below its highest.")

    @property
    def codes(self) -> int:
        """How many codes there are."""
        return int(2**self.bits)

    @property
    def step_volts(self) -> float:
        """Change of the jack from one code to the next, signed."""
        return self.gain * (self.high_volts - self.low_volts) / self.codes

    @property
    def lsb_volts(self) -> float:
        """One LSB at the jack, positive."""
        return abs(self.step_volts)

    @property
    def reach_volts(self) -> tuple[float, float]:
        """Lowest and highest volts at the jack, buffer included."""
        ends = self.volts(np.array([0.0, self.codes - 1.0]))
        return float(np.min(ends)), float(np.max(ends))

    @cached_property
    def _levels(self) -> tuple[FloatArray, NDArray[np.int64]]:
        """Every level in rising order with its code; only where there is an INL table."""
        levels = self.volts(np.arange(self.codes, dtype=float))
        order = np.argsort(levels, kind="stable")
        return levels[order], order

    def nominal_volts(self, codes: ArrayLike) -> FloatArray:
        """Volts at the jack by the formula alone; fractions of a code allowed; any shape."""
        codes = np.asarray(codes, float)
        # Divided last, as the definition is written: 2**N is exact, so nothing is rounded twice.
        inside = self.low_volts + codes * (self.high_volts - self.low_volts) / self.codes
        return self.offset_volts + self.gain * inside

    def volts(self, codes: ArrayLike) -> FloatArray:
        """Volts that the jack shows: INL and the buffer's limits included; any shape; NaN stays NaN.

        Codes outside 0 … 2**N - 1 are taken at the nearest end.
        """
        inside: FloatArray = np.clip(np.asarray(codes, float), 0, self.codes - 1)
        volts = self.nominal_volts(inside)
        if self.inl_lsb is not None:
            volts = volts + self.step_volts * np.interp(inside, np.arange(self.codes), np.asarray(self.inl_lsb))
        low = -math.inf if self.floor_volts is None else self.floor_volts
        high = math.inf if self.ceiling_volts is None else self.ceiling_volts
        return np.clip(volts, low, high)

    def exact_code(self, volts: ArrayLike) -> FloatArray:
        """The unrounded, unlimited code of wanted volts; any shape."""
        with np.errstate(over="ignore"):
            inside = (np.asarray(volts, float) - self.offset_volts) / self.gain
            return (inside - self.low_volts) * self.codes / (self.high_volts - self.low_volts)

    def code_for(self, volts: ArrayLike) -> Reach:
        """The code whose level is nearest to the wanted volts, ties to the lower code; any shape.

        The reason is CLAMP where the nearest code would lie outside, DEAD_BAND where the buffer cannot
        reach the wanted volts, STEP where the level is more than 1e-9 LSB away, else EXACT.
        """
        wanted = np.asarray(volts, float)
        exact = self.exact_code(wanted)
        # Rounding halves down keeps "ties to the lower" without disturbing anything else.
        nearest = np.ceil(exact - 0.5)
        outside = (nearest < 0) | (nearest > self.codes - 1)
        if self.inl_lsb is None:
            codes = self._nearest_by_formula(wanted, np.clip(nearest, 0, self.codes - 1))
        else:
            codes = self._nearest_by_level(wanted)
        off = np.abs(self.volts(codes) - wanted)
        reason = np.where(off > 1e-9 * self.lsb_volts, Reason.STEP, Reason.EXACT).astype(np.int8)
        reason[np.asarray(self.beyond_buffer(wanted))] = Reason.DEAD_BAND
        reason[outside] = Reason.CLAMP
        return Reach(np.where(np.isnan(wanted), np.nan, codes), reason)

    def beyond_buffer(self, wanted_volts: FloatArray) -> NDArray[np.bool_]:
        """Whether the buffer cannot reach the wanted volts; any shape."""
        below = np.zeros(wanted_volts.shape, bool) if self.floor_volts is None else wanted_volts < self.floor_volts
        return below if self.ceiling_volts is None else below | (wanted_volts > self.ceiling_volts)

    def _nearest_by_formula(self, wanted_volts: FloatArray, nearest: FloatArray) -> FloatArray:
        if self.floor_volts is None and self.ceiling_volts is None:
            return nearest
        # At the edge of a dead band the buffer's own level may be nearer than the next code's.
        tries = np.clip(nearest[..., None] + np.array([-1.0, 0.0, 1.0]), 0, self.codes - 1)
        distance = np.abs(self.volts(tries) - wanted_volts[..., None])
        distance[..., [0, 2]] += 1e-12 * self.lsb_volts  # equal levels: stay at the formula's code
        best = np.nanargmin(np.where(np.isnan(distance), np.inf, distance), axis=-1)
        return np.take_along_axis(tries, best[..., None], axis=-1)[..., 0]

    def _nearest_by_level(self, wanted_volts: FloatArray) -> FloatArray:
        levels, order = self._levels
        right = np.clip(np.searchsorted(levels, wanted_volts), 1, len(levels) - 1)
        left = right - 1
        pick = np.where(wanted_volts - levels[left] <= levels[right] - wanted_volts, left, right)
        # Several codes may share a level (stuck or clipped codes): the lowest of them is taken.
        pick = np.searchsorted(levels, levels[pick])
        return order[pick].astype(float)


def floor_bound_lsb(worst_dnl_lsb: float) -> float:
    """The bound of the floor that can be stated beforehand: half of the widest gap, (1 + DNL)/2 LSB.

    Source: derived; the floor of a unit is the worst distance from wanted volts to its nearest level.
    """
    return 0.5 * (1.0 + max(0.0, worst_dnl_lsb))
