"""The quantity in which a calibration is a straight line: measured = offset + gain * expected.

Volts for readings in volts; octaves above the law's note for readings in hertz under V/oct; hertz for
readings in hertz under Hz/V.  Everything that fits, judges or corrects asks this one object.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.laws import CENTS_PER_NEPER, ExponentialLaw, Law, LinearLaw
from dynamis.pitch.tuning import EqualTemperament, FloatArray, Tuning

LineQuantity = Literal["volts", "hertz"]


@dataclass(frozen=True)
class PitchModel:
    """Law, tuning and what is read, with the conversions between them.

    law : what the receiver expects.  quantity : "volts" (a meter on the jack) or "hertz" (a counter or
    tuner on the oscillator).  tuning : which frequency a note has.
    """

    law: Law
    quantity: LineQuantity = "volts"
    tuning: Tuning = field(default_factory=EqualTemperament)

    def __post_init__(self) -> None:
        if not np.isfinite(self.reference_hertz):
            raise InputError(f"The law's note {plain(self.law.reference_note)} has no frequency.")

    @property
    def reference_hertz(self) -> float:
        return float(self.tuning.hertz(self.law.reference_note))

    def hertz(self, octaves: float) -> float:
        """Frequency of octaves above the law's note; infinite or 0 where no double holds it."""
        with np.errstate(over="ignore", under="ignore"):
            return float(self.reference_hertz * np.exp2(octaves))

    @property
    def kind(self) -> Literal["volts", "octaves", "hertz"]:
        """The unit of the line."""
        if self.quantity == "volts":
            return "volts"
        return "octaves" if isinstance(self.law, ExponentialLaw) else "hertz"

    @property
    def is_ratio(self) -> bool:
        """Whether cents are a ratio in the line's quantity (Hz/V) rather than a difference (V/oct)."""
        return isinstance(self.law, LinearLaw)

    @property
    def zero(self) -> float:
        """What is taken off before a ratio is formed: the linear law's offset, in the line's quantity."""
        return self.law.offset_volts if isinstance(self.law, LinearLaw) and self.quantity == "volts" else 0.0

    def expected(self, notes: ArrayLike) -> FloatArray:
        """The wanted value of each note in the line's quantity; any shape; NaN without a frequency."""
        octaves = self.tuning.octaves(notes, self.law.reference_note)
        if self.kind == "volts":
            return self.law.volts(octaves)
        return octaves if self.kind == "octaves" else self.reference_hertz * np.exp2(octaves)

    def expected_shown(self, notes: ArrayLike) -> FloatArray:
        """The wanted reading of each note, in volts or hertz as it is read."""
        return self.law.volts(self._octaves(notes)) if self.quantity == "volts" else self.tuning.hertz(notes)

    def measured(self, readings: ArrayLike) -> FloatArray:
        """Readings (volts or hertz) in the line's quantity; any shape.

        Raises `InputError` for hertz that are not above 0 and for volts at or under a linear law's offset.
        """
        readings = np.asarray(readings, float)
        if self.quantity == "hertz" and np.any(readings <= 0):
            raise InputError(f"A reading is {plain(float(readings[readings <= 0].flat[0]))} Hz; it has to be above 0.")
        if self.is_ratio and np.any(readings <= self.zero):
            low = float(readings[readings <= self.zero].flat[0])
            raise InputError(
                f"A reading is {plain(low)} V, at or under the law's offset of {plain(self.zero)} V; "
                "hertz per volt makes no pitch there."
            )
        return np.log2(readings / self.reference_hertz) if self.kind == "octaves" else readings

    def from_volts(self, volts: ArrayLike) -> FloatArray:
        """What volts at the jack stand for in the line's quantity, by the law; NaN where it has no pitch."""
        if self.kind == "volts":
            return np.asarray(volts, float)
        octaves = self.law.octaves(volts, strict=False)
        return octaves if self.kind == "octaves" else self.reference_hertz * np.exp2(octaves)

    def to_volts(self, values: ArrayLike) -> FloatArray:
        """The volts that the law gives a value in the line's quantity; NaN below a frequency of 0."""
        values = np.asarray(values, float)
        if self.kind == "volts":
            return values
        if self.kind == "octaves":
            return self.law.volts(values)
        with np.errstate(divide="ignore", invalid="ignore"):
            return self.law.volts(np.log2(values / self.reference_hertz))

    def cents(self, values: ArrayLike, line: ArrayLike) -> FloatArray:
        """Cents from the line up to what was found, both in the line's quantity.

        Any shapes that broadcast; NaN where a ratio cannot be formed.
        Source: the contract of `fit`; derived from c = 1200*log2(f2/f1) and the law.
        """
        values, line = np.asarray(values, float), np.asarray(line, float)
        if not self.is_ratio:
            return (values - line) * self._cents_per_unit
        over, under = values - self.zero, line - self.zero
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where((over > 0) & (under > 0), 1200.0 * np.log2(over / under), np.nan)

    def cents_per_unit(self, at: ArrayLike) -> FloatArray:
        """How many cents a unit of the line's quantity is worth at a value; any shape."""
        at = np.asarray(at, float)
        if not self.is_ratio:
            return np.full(at.shape, self._cents_per_unit)
        return CENTS_PER_NEPER / (at - self.zero)

    def cents_per_reading_unit(self, readings: ArrayLike) -> FloatArray:
        """How many cents one volt or one hertz of a reading is worth; any shape."""
        readings = np.asarray(readings, float)
        if self.quantity == "hertz":
            return CENTS_PER_NEPER / readings
        return self.cents_per_unit(readings)

    @property
    def _cents_per_unit(self) -> float:
        if self.kind == "volts" and isinstance(self.law, ExponentialLaw):
            return 1200.0 / self.law.volts_per_octave
        return 1200.0

    def _octaves(self, notes: ArrayLike) -> FloatArray:
        return self.tuning.octaves(notes, self.law.reference_note)
