"""A potentiometer that is fed through a resistance and loaded at its wiper.

Source: Kirchhoff's laws; a potentiometer's own output resistance peaks at mid-travel, a quarter of its value.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.series import values_between
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

    def source_ohms(self, wiper_share: ArrayLike) -> FloatArray:
        """Of the wiper as an output, for travel from 0 to 1."""
        x = np.asarray(wiper_share, float)
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


@dataclass(frozen=True)
class Straightening:
    """One way to straighten a loaded potentiometer.

    kind : "lower", another potentiometer of `ohms`; "upper", a resistor of `ohms` from the wiper to the fed end.
    bend : the share it is then off at most.  reach_volts : fully up.  amperes : what it then draws at most.
    """

    kind: Literal["lower", "upper"]
    ohms: float
    bend: float
    reach_volts: float
    amperes: float


_BUYABLE: Final = tuple(base * 10.0**decade for decade in range(2, 7) for base in (1.0, 2.2, 4.7))
_STRAIGHT: Final = 0.05


def straightenings(pot: LoadedPot) -> list[Straightening]:
    """What straightens a loaded potentiometer besides buffers on both sides of it.

    A lower one, the largest that can be bought and bends by at most 5 %; and a resistor from its wiper to the fed end,
    of the value that bends it least: with the load below the wiper and as much above it, the curve bends both ways.
    Source: derived, Kirchhoff's laws.
    """
    found = []
    lower = [replace(pot, ohms=ohms) for ohms in _BUYABLE if ohms < pot.ohms]
    fine = [one for one in lower if abs(one.bend[1]) <= _STRAIGHT]
    if fine:
        best = max(fine, key=lambda one: one.ohms)
        amperes = abs(pot.fed_volts) / (pot.fed_ohms + 1.0 / (1.0 / best.ohms + 1.0 / pot.load_ohms))
        found.append(Straightening("lower", best.ohms, abs(best.bend[1]), best.reach_volts, amperes))
    if np.isfinite(pot.load_ohms):
        uppers = values_between(pot.load_ohms / 10.0, pot.load_ohms * 10.0, "E12")
        tried = [(abs(_bend_with(pot, ohms)), ohms) for ohms in uppers]
        bend, ohms = min(tried)
        if bend < 0.7 * abs(pot.bend[1]):
            reach = float(_volts_with(pot, ohms, np.array([1.0]))[0])
            amperes = abs(pot.fed_volts) / (pot.fed_ohms + 1.0 / (1.0 / pot.ohms + 1.0 / pot.load_ohms))
            found.append(Straightening("upper", ohms, bend, reach, amperes))
    return found


def straightened(pot: LoadedPot, straightening: Straightening, travel_share: ArrayLike) -> FloatArray:
    """Volts at the wiper once it is straightened; travel : from 0 to 1, any shape."""
    x = np.asarray(travel_share, float)
    return (
        replace(pot, ohms=straightening.ohms).volts(x)
        if straightening.kind == "lower"
        else _volts_with(pot, straightening.ohms, x)
    )


def _volts_with(pot: LoadedPot, upper_ohms: float, travel_share: FloatArray) -> FloatArray:
    """At the wiper, with a resistor from it to the fed end; solved as two nodes, the fed end and the wiper."""
    above, below = np.maximum((1.0 - travel_share) * pot.ohms, 1e-3), np.maximum(travel_share * pot.ohms, 1e-3)
    across = 1.0 / above + 1.0 / upper_ohms
    down = 1.0 / below + 1.0 / pot.load_ohms
    total = 1.0 / across + 1.0 / down
    return pot.fed_volts * (1.0 / down) / (pot.fed_ohms + total)


def _bend_with(pot: LoadedPot, upper_ohms: float) -> float:
    travel = np.linspace(0.0, 1.0, 401)
    volts = _volts_with(pot, upper_ohms, travel)
    off = (volts - volts[0]) / (volts[-1] - volts[0]) - travel
    return float(off[int(np.argmax(np.abs(off)))])
