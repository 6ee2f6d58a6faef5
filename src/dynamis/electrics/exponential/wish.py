"""What an exponential converter is asked to do."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.clamp import LOOP_OHMS, Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp, Supply
from dynamis.electrics.exponential.converter import ExponentialConverter
from dynamis.electrics.exponential.parts import COMPENSATING_PPM
from dynamis.electrics.series import SERIES
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.parameter import NOMINAL, World

FloatArray = NDArray[np.float64]
_MOST_OCTAVES: Final = 12.0
_POINTS: Final = 49
# U3's resistor is at least so large with the currents that a pair is used at.
_LEAST_FEEDBACK: Final = 10e3


@dataclass(frozen=True)
class ExponentialWish:
    """in_low, in_high : the sender's own volts at the lowest and the highest note.  out_low, out_high : volts that the
    loaded input wants for them, above 0.  tolerance : of the resistors, a fraction.  base_ppm : of R5, 0 for an
    ordinary resistor.  bears : what the input survives."""

    in_low: float
    in_high: float
    out_low: float
    out_high: float
    source_ohms: float = 1000.0
    load_ohms: float | None = 100e3
    supply: Supply = Supply()
    op_amp: OpAmp = OP_AMPS["precision"]
    series: str = "E96"
    tolerance: float = 0.01
    base_ppm: float = COMPENSATING_PPM
    tolerance_cents: float = 5.0
    bears: Clamp = Clamp()

    def __post_init__(self) -> None:
        if not (math.isfinite(self.in_high - self.in_low) and self.in_low < self.in_high):
            raise InputError(
                f"The sender's volts run from {plain(self.in_low)} to {plain(self.in_high)}; the lower end first was "
                "expected."
            )
        if not 0 < self.out_low < self.out_high < math.inf:
            raise InputError(
                f"The input is to get {plain(self.out_low)} V to {plain(self.out_high)} V; more than 0 V, and more for "
                "the higher note, was expected."
            )
        if self.octaves > _MOST_OCTAVES:
            raise InputError(
                f"{plain(round(self.octaves, 2))} octaves are more than a pair of transistors keeps to; at most "
                f"{plain(_MOST_OCTAVES)} were expected."
            )
        if self.series not in SERIES:
            raise InputError(f"{self.series!r} is no series; {', '.join(SERIES)} was expected.")
        if not 0 <= self.tolerance <= 0.2:
            raise InputError(f"A tolerance of {plain(100 * self.tolerance)} % cannot be; 0 % to 20 % was expected.")
        if not -1e4 <= self.base_ppm <= 1e4:
            raise InputError(f"{plain(self.base_ppm)} ppm/K is no resistor's; 3300 compensates, 0 is an ordinary one.")

    @cached_property
    def octaves(self) -> float:
        return math.log2(self.out_high / self.out_low)

    @property
    def volts_per_octave(self) -> float:
        """Of the sender, at its own volts."""
        return (self.in_high - self.in_low) / self.octaves

    @property
    def reach_volts(self) -> float:
        """The most that the output gives, with the clamp that the input asks for."""
        high = self.op_amp.swing(self.supply)[1]
        clamp = self.bears.needed(*self.op_amp.swing(self.supply))
        if clamp.diodes:  # the resistor inside the loop drops some of it, by load and feedback
            high /= 1.0 + LOOP_OHMS * (1.0 / self.load_ohms if self.load_ohms else 0.0) + LOOP_OHMS / _LEAST_FEEDBACK
        return clamp.within(0.0, high)[1]

    @property
    def middle_volts(self) -> float:
        return (self.in_low + self.in_high) / 2.0

    def out(self, volts: ArrayLike) -> FloatArray:
        """What the input wants when the sender gives so much."""
        return np.asarray(self.out_low * 2.0 ** ((np.asarray(volts, float) - self.in_low) / self.volts_per_octave))

    def volts(self) -> FloatArray:
        """Input volts over the notes, shape (49,)."""
        return np.linspace(self.in_low, self.in_high, _POINTS)

    def cents(self, converter: ExponentialConverter, volts: ArrayLike, world: World = NOMINAL) -> FloatArray:
        """How far a converter is off at input volts, cents."""
        found = converter.exact(volts, world)
        return 1200.0 * np.log2(np.maximum(found, 1e-12) / self.out(volts))
