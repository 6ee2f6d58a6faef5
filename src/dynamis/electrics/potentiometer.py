"""A potentiometer that is fed through a resistance and loaded at its wiper.

Source: Kirchhoff's laws; a potentiometer's own output resistance peaks at mid-travel, a quarter of its value.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class LoadedPot:
    """fed_volts through fed_ohms onto a potentiometer of `ohms` to ground, its wiper into load_ohms (inf: nothing)."""

    ohms: float
    fed_volts: float
    fed_ohms: float = 0.0
    load_ohms: float = np.inf

    def __post_init__(self) -> None:
        if not (self.ohms > 0 and self.fed_ohms >= 0 and self.load_ohms > 0):
            raise InputError(
                f"A potentiometer of {plain(self.ohms)} Ω, fed through {plain(self.fed_ohms)} Ω into "
                f"{plain(self.load_ohms)} Ω, is none that can be worked out."
            )

    def volts(self, wiper: ArrayLike) -> FloatArray:
        """At the wiper; wiper : travel from 0 to 1, any shape."""
        x = np.asarray(wiper, float)
        return self.fed_volts * self._open_share(x) / (1.0 + self.source_ohms(x) / self.load_ohms)

    def _open_share(self, x: FloatArray) -> FloatArray:
        return x * self.ohms / (self.ohms + self.fed_ohms)

    def source_ohms(self, wiper: ArrayLike) -> FloatArray:
        """Of the wiper as an output, for travel from 0 to 1."""
        x = np.asarray(wiper, float)
        below, above = x * self.ohms, (1.0 - x) * self.ohms + self.fed_ohms
        return below * above / (below + above)

    @property
    def reach_volts(self) -> float:
        """With the wiper fully up."""
        return float(self.volts(1.0))

    @property
    def bend(self) -> tuple[float, float]:
        """(travel, share): where the curve is furthest from a straight line, and by what share of its reach."""
        x = np.linspace(0.0, 1.0, 401)
        off = self.volts(x) / self.reach_volts - x
        k = int(np.argmax(np.abs(off)))
        return float(x[k]), float(off[k])
