"""What a converter of the law is asked to do."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.clamp import LOOP_OHMS, Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp, Supply
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.parts import COMPENSATING_PPM, Direction
from dynamis.electrics.series import SERIES
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.parameter import NOMINAL, World

FloatArray = NDArray[np.float64]
_MOST_OCTAVES: Final = 12.0
_POINTS: Final = 49
# U3's resistor is at least so large with the currents that a pair is used at.
_LEAST_FEEDBACK: Final = 10e3
_NOTHING: Final = 1e-12
_SPARE_VOLTS: Final = 0.02


@dataclass(frozen=True)
class LawRequirement:
    """in_low, in_high : the sender's own volts at the lowest and the highest note.  out_low, out_high : volts that the
    loaded input wants for them.  way : which side is Hz/V, the input's ("exponential") or the sender's
    ("logarithmic"); its volts lie above 0.  tolerance : of the resistors, a fraction.  base_ppm : of R5, 0 for an
    ordinary resistor.  absolute_limits : what the input survives."""

    in_low_volts: float
    in_high_volts: float
    out_low_volts: float
    out_high_volts: float
    direction: Direction = "exponential"
    source_ohms: float = 1000.0
    load_ohms: float | None = 100e3
    supply: Supply = Supply()
    op_amp: OpAmp = OP_AMPS["precision"]
    series: str = "E96"
    tolerance: float = 0.01
    base_ppm: float = COMPENSATING_PPM
    tolerance_cents: float = 5.0
    absolute_limits: Clamp = Clamp()

    def __post_init__(self) -> None:
        for ends, who in ((self.sides[0], "V/oct"), (self.sides[1], "Hz/V")):
            if not (math.isfinite(ends[1] - ends[0]) and ends[0] < ends[1]):
                raise InputError(
                    f"The {who} side runs from {plain(ends[0])} V to {plain(ends[1])} V; the lower end first was "
                    "expected."
                )
        if self.sides[1][0] <= 0:
            raise InputError(f"The Hz/V side begins at {plain(self.sides[1][0])} V; more than 0 V was expected.")
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

    @property
    def sides(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Lowest and highest volts of the side that is V/oct, and of the one that is Hz/V."""
        ins, outs = (self.in_low_volts, self.in_high_volts), (self.out_low_volts, self.out_high_volts)
        return (ins, outs) if self.direction == "exponential" else (outs, ins)

    @cached_property
    def octaves(self) -> float:
        low, high = self.sides[1]
        return math.log2(high / low)

    @property
    def volts_per_octave(self) -> float:
        """Of the side that is V/oct."""
        low, high = self.sides[0]
        return (high - low) / self.octaves

    @property
    def middle_volts(self) -> float:
        """Of the side that is V/oct, half-way up the notes."""
        return sum(self.sides[0]) / 2.0

    @cached_property
    def _reaches(self) -> tuple[float, float]:
        """The least and the most that the output gives, with the clamp that the input asks for and some to spare."""
        swing = self.op_amp.swing(self.supply)
        clamp, dropped = self.absolute_limits.needed(*swing), 1.0
        if clamp.diodes:  # the resistor inside the loop drops some of it, by load and feedback
            dropped += LOOP_OHMS * ((1.0 / self.load_ohms if self.load_ohms else 0.0) + 1.0 / _LEAST_FEEDBACK)
        low, high = clamp.within(swing[0] / dropped, swing[1] / dropped)
        return low + _SPARE_VOLTS, high - _SPARE_VOLTS

    @property
    def reach_volts(self) -> float:
        """The most that the output gives."""
        return self._reaches[1]

    @property
    def floor_volts(self) -> float:
        """The least that it gives."""
        return self._reaches[0]

    @property
    def octaves_beyond(self) -> float:
        """By how much the highest note wants more than the output gives, 0 for not at all."""
        return max(0.0, self.octaves - float(self.octaves_out(self.reach_volts)))

    # Octaves are counted from the lowest note.

    def octaves_in(self, volts: ArrayLike) -> FloatArray:
        """How high a note is for which the sender gives so much."""
        return self._octaves(volts, self.in_low_volts, linear=self.direction == "logarithmic")

    def octaves_out(self, volts: ArrayLike) -> FloatArray:
        """How high the note is that the input makes of so much."""
        return self._octaves(volts, self.out_low_volts, linear=self.direction == "exponential")

    def _octaves(self, volts: ArrayLike, low: float, *, linear: bool) -> FloatArray:
        given = np.asarray(volts, float)
        if linear:
            return np.asarray(np.log2(np.maximum(given, _NOTHING) / low))
        return np.asarray((given - low) / self.volts_per_octave)

    def sends(self, octaves: ArrayLike) -> FloatArray:
        """What the sender gives so high up."""
        return self._volts(octaves, self.in_low_volts, linear=self.direction == "logarithmic")

    def _volts(self, octaves: ArrayLike, low: float, *, linear: bool) -> FloatArray:
        up = np.asarray(octaves, float)
        return np.asarray(low * np.exp2(up) if linear else low + self.volts_per_octave * up)

    def out(self, volts: ArrayLike) -> FloatArray:
        """What the input wants when the sender gives so much."""
        return self._volts(self.octaves_in(volts), self.out_low_volts, linear=self.direction == "exponential")

    def volts(self) -> FloatArray:
        """Input volts over the notes, shape (49,), from note to note alike."""
        return self.sends(np.linspace(0.0, self.octaves, _POINTS))

    def off(self, values: ArrayLike, volts: ArrayLike) -> FloatArray:
        """How far what is found at the output is off at input volts, cents."""
        return np.asarray(1200.0 * (self.octaves_out(values) - self.octaves_in(volts)))

    def cents(self, converter: Converter, volts: ArrayLike, world: World = NOMINAL) -> FloatArray:
        """How far a converter is off at input volts, cents."""
        return self.off(converter.exact(volts, world), volts)
