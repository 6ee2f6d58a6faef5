"""Tunings by a scale of any number of steps, laid on the keys by a keymap.

The forms are those of Scala's scale (.scl) and keymap (.kbm) files, whose open description says what each
number means (from memory); `files/scala.py` reads and writes them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.tuning import EqualTemperament

FloatArray = NDArray[np.float64]
_ANY_NOTE: Final = 1_000_000


@dataclass(frozen=True)
class Scale:
    """octaves : of each degree above 1/1, the last of them the period; 1/1 itself is not among them."""

    octaves: tuple[float, ...]
    description: str = ""

    def __post_init__(self) -> None:
        if not self.octaves:
            raise InputError("A scale needs at least one degree, its period.")
        if not all(np.isfinite(self.octaves)):
            raise InputError("A degree of the scale is no number.")

    def at(self, degree: int) -> float:
        """Octaves of a degree above 1/1; degrees go on beyond the period, and below 0."""
        periods, rest = divmod(degree, len(self.octaves))
        return periods * self.octaves[-1] + (self.octaves[rest - 1] if rest else 0.0)


@dataclass(frozen=True)
class Keymap:
    """Which key plays which degree.

    degrees : of the keys from `middle` on, None for a key that plays nothing; none given means that each key plays
    the next degree.  The pattern comes again, `octave_degree` higher, after as many keys as it has.
    first, last : the keys that are tuned at all.  reference_note, reference_hertz : the key whose frequency is given.
    """

    degrees: tuple[int | None, ...] = ()
    first: int = 0
    last: int = 127
    middle: int = 60
    reference_note: int = 60
    reference_hertz: float = 261.6255653005986
    octave_degree: int = 0

    def __post_init__(self) -> None:
        if not (np.isfinite(self.reference_hertz) and self.reference_hertz > 0):
            raise InputError(
                f"The keymap's reference frequency is {plain(self.reference_hertz)} Hz; more than 0 was expected."
            )
        if self.first > self.last:
            raise InputError(f"The keymap's first note, {self.first}, is above its last, {self.last}.")

    def degree_of(self, key: int) -> int | None:
        """The degree of a key above `middle`, counted on through all repetitions; None where it plays nothing.

        A repetition is `octave_degree` degrees, which `ScaleTuning` turns into octaves.
        """
        if not self.degrees:
            return key - self.middle
        return self.degrees[(key - self.middle) % len(self.degrees)]

    def repetition_of(self, key: int) -> int:
        return (key - self.middle) // len(self.degrees) if self.degrees else 0


@dataclass(frozen=True)
class ScaleTuning:
    """A scale on the keys; notes are whole.

    Raises `InputError` where the keymap's reference note itself plays nothing.
    """

    scale: Scale
    keymap: Keymap = Keymap()

    def __post_init__(self) -> None:
        if self._above_middle(self.keymap.reference_note) is None:
            raise InputError(
                f"The keymap's reference note, {self.keymap.reference_note}, is mapped to no degree of the scale."
            )

    @classmethod
    def on_note_60(cls, scale: Scale, a4_hertz: float) -> ScaleTuning:
        """Without a keymap: 1/1 on note 60 at its equal-tempered frequency."""
        middle = float(EqualTemperament(a4_hertz).hertz(60.0))
        return cls(scale, Keymap(first=-_ANY_NOTE, last=_ANY_NOTE, reference_hertz=middle))

    def _above_middle(self, key: int) -> float | None:
        """Octaves of a key above the middle one; None where it plays nothing."""
        degree = self.keymap.degree_of(key)
        if degree is None:
            return None
        return self.keymap.repetition_of(key) * self.scale.at(self.keymap.octave_degree) + self.scale.at(degree)

    def _octaves_of(self, note: float) -> float:
        """Octaves above the keymap's reference note; NaN where a note has no frequency."""
        if not float(note).is_integer() or not self.keymap.first <= note <= self.keymap.last:
            return float("nan")
        degrees, reference = self._above_middle(int(note)), self._above_middle(self.keymap.reference_note)
        return float("nan") if degrees is None or reference is None else degrees - reference

    def _above_reference(self, notes: ArrayLike) -> FloatArray:
        whole = np.asarray(notes, float)
        return np.array([self._octaves_of(float(note)) for note in whole.ravel()]).reshape(whole.shape)

    def hertz(self, notes: ArrayLike) -> FloatArray:
        """Frequency in hertz, same shape as `notes`; NaN for a key that plays nothing, and for no whole note."""
        with np.errstate(over="ignore", under="ignore"):
            hertz = self.keymap.reference_hertz * np.exp2(self._above_reference(notes))
        return np.where(np.isfinite(hertz) & (hertz > 0), hertz, np.nan)

    def octaves(self, notes: ArrayLike, reference_note: float) -> FloatArray:
        """Octaves above the reference note, same shape as `notes`; NaN where either has no frequency."""
        octaves = self._above_reference(notes) - self._octaves_of(float(reference_note))
        return np.where(np.isfinite(self.hertz(notes)), octaves, np.nan)

    def notes(self, octaves: ArrayLike, reference_note: float) -> FloatArray:
        """Equal-tempered note number (69 is 440 Hz) of a pitch given in octaves from a reference note."""
        above = np.log2(self.hertz(reference_note) / 440.0)
        return 69.0 + 12.0 * (np.asarray(octaves, float) + above)
