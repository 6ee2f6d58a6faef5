"""Two converters summed, coarse and fine: what a second one adds, and the codes of both for wanted volts.

The fine one must span more than a coarse step and twice the coarse linearity, or there are volts that neither
pair of codes reaches.  Source: derived.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.dac import Dac
from dynamis.errors import InputError
from dynamis.notation.style import plain

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class CoarseFine:
    """share : of the fine converter's volts in the sum.  The jack carries coarse + share · fine."""

    coarse: Dac
    fine: Dac
    share: float

    def __post_init__(self) -> None:
        if not (np.isfinite(self.share) and self.share != 0):
            raise InputError(f"A share of {plain(self.share)} adds nothing; another number than 0 was expected.")

    @property
    def step_volts(self) -> float:
        """The smallest step at the jack."""
        return abs(self.share) * self.fine.lsb_volts

    @property
    def fine_span_volts(self) -> float:
        low, high = self.fine.reach_volts
        return abs(self.share) * (high - low)

    def needed_span_volts(self, inl_lsb: float = 0.0) -> float:
        """What the fine one has to span, with a coarse linearity of ± inl_lsb."""
        return self.coarse.lsb_volts * (1.0 + 2.0 * inl_lsb)

    def gapless(self, inl_lsb: float = 0.0) -> bool:
        """Whether every volt of the range is reached within half a fine step."""
        return self.fine_span_volts + self.step_volts >= self.needed_span_volts(inl_lsb) * (1.0 - 1e-12)

    @property
    def as_bits(self) -> float:
        """How many bits one converter of the coarse range would need for the same step."""
        return float(np.log2(self.coarse.codes * self.coarse.lsb_volts / self.step_volts))

    def codes_for(self, volts: ArrayLike) -> tuple[FloatArray, FloatArray]:
        """Codes of both for wanted volts, any shape: the coarse one so that the fine one stands near its middle."""
        wanted = np.asarray(volts, float)
        middle = self.share * float(np.mean(self.fine.reach_volts))
        coarse = self.coarse.code_for(wanted - middle).codes
        rest = (wanted - self.coarse.volts(coarse)) / self.share
        return coarse, self.fine.code_for(rest).codes

    def volts(self, coarse: ArrayLike, fine: ArrayLike) -> FloatArray:
        """What the jack carries."""
        return self.coarse.volts(coarse) + self.share * self.fine.volts(fine)
