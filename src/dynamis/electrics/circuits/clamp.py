"""A clamp at a circuit's output: diodes to rails short of what the receiver bears, behind a resistor.

Behind an op-amp the resistor stands inside the feedback loop: until a diode conducts it costs nothing.
Source: a Schottky diode drops 0.3 V at some milliamperes; common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

from dynamis.electrics.span import Span
from dynamis.errors import InputError
from dynamis.notation.style import plain

DIODE_VOLTS: Final = 0.3
LOOP_OHMS: Final = 1e3
LOOP_NAME: Final = "RC"
_NEAR: Final = 1e-3


@dataclass(frozen=True)
class Diode:
    """side : which way it holds.  rail_volts : where its other end goes, 0 for ground."""

    name: str
    side: Literal["low", "high"]
    rail_volts: float


@dataclass(frozen=True)
class Clamp(Span):
    """Volts that the output does not pass, None for no limit on that side."""

    def __post_init__(self) -> None:
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise InputError(
                f"A clamp from {plain(self.low)} V to {plain(self.high)} V is none; the lower end first was expected."
            )

    @property
    def diodes(self) -> tuple[Diode, ...]:
        """Those that it takes."""
        found = []
        if self.low is not None:
            found.append(Diode("D1", "low", _rounded(self.low + DIODE_VOLTS)))
        if self.high is not None:
            found.append(Diode("D2", "high", _rounded(self.high - DIODE_VOLTS)))
        return tuple(found)

    def ends(self, *, amplified: bool) -> tuple[float, float]:
        """Where volts at the output stop being what they should.

        An op-amp makes up for a diode that begins to conduct; behind resistors it bends from its rail on.
        """
        low = -math.inf if self.low is None else self.low if amplified else _rounded(self.low + DIODE_VOLTS)
        high = math.inf if self.high is None else self.high if amplified else _rounded(self.high - DIODE_VOLTS)
        return low, high

    def needed(self, low_volts: float, high_volts: float) -> Clamp:
        """The same on the sides where volts from `low` to `high` would pass it."""
        return Clamp(
            self.low if self.low is not None and low_volts < self.low - _NEAR else None,
            self.high if self.high is not None and high_volts > self.high + _NEAR else None,
        )


def _rounded(volts: float) -> float:
    return 0.0 if abs(volts) < _NEAR else round(volts, 6)
