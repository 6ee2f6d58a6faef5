"""Tunings: which frequency a note has."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain

FloatArray = NDArray[np.float64]


class Tuning(Protocol):
    """What turns note numbers into frequency; equal temperament now, scale files behind the same shape."""

    def hertz(self, notes: ArrayLike) -> FloatArray:
        """Frequency of each note, hertz; NaN where the tuning has none."""
        ...

    def octaves(self, notes: ArrayLike, reference_note: float) -> FloatArray:
        """Octaves from the reference note up to each note; NaN where the tuning has none."""
        ...

    def notes(self, octaves: ArrayLike, reference_note: float) -> FloatArray:
        """Equal-tempered note number (69 is A4) of a pitch given in octaves from a reference note."""
        ...


@dataclass(frozen=True)
class EqualTemperament:
    """Twelve equal semitones to the octave.

    a4_hertz : frequency of note 69.

    Source: f = A4 * 2**((n - 69)/12), MIDI 1.0 and MIDI Tuning Standard; A4 = 440 Hz, ISO 16:1975.
    """

    a4_hertz: float = 440.0

    def __post_init__(self) -> None:
        if not (np.isfinite(self.a4_hertz) and self.a4_hertz > 0):
            raise InputError(f"A4 is {plain(self.a4_hertz)} Hz; it has to be above 0.")

    def hertz(self, notes: ArrayLike) -> FloatArray:
        """Frequency in hertz, same shape as `notes`; NaN where no double holds it."""
        with np.errstate(over="ignore", under="ignore"):
            hertz = self.a4_hertz * np.exp2((np.asarray(notes, float) - 69.0) / 12.0)
        return np.where(np.isfinite(hertz) & (hertz > 0), hertz, np.nan)

    def octaves(self, notes: ArrayLike, reference_note: float) -> FloatArray:
        """Octaves above the reference note, same shape as `notes`; NaN where either has no frequency."""
        octaves = (np.asarray(notes, float) - reference_note) / 12.0
        known = np.isfinite(self.hertz(notes)) & np.isfinite(self.hertz(reference_note))
        return np.where(known, octaves, np.nan)

    def notes(self, octaves: ArrayLike, reference_note: float) -> FloatArray:
        return reference_note + 12.0 * np.asarray(octaves, float)

    def nearest(self, hertz: float) -> tuple[int, float]:
        """The note that a frequency above 0 is nearest to, and how many cents it is off it."""
        note = float(self.notes(np.log2(hertz / self.a4_hertz), 69.0))
        near = round(note)
        return near, 100.0 * (note - near)


def cents_between(found_hertz: ArrayLike, wanted_hertz: ArrayLike) -> FloatArray:
    """Cents from wanted up to found: positive when sharp.

    Any shapes that broadcast; NaN where either is not above 0.
    Source: c = 1200*log2(f2/f1), the definition of the cent.
    """
    heard, wanted = np.broadcast_arrays(np.asarray(found_hertz, float), np.asarray(wanted_hertz, float))
    with np.errstate(divide="ignore", invalid="ignore"):
        cents = 1200.0 * np.log2(heard / wanted)
    return np.where((heard > 0) & (wanted > 0), cents, np.nan)
