"""A tuning key by key: the frequency of each of the 128 MIDI notes, as a scale, a keymap or a dump gives it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.pitch.tuning import Tuning

FloatArray = NDArray[np.float64]
KEYS: Final = 128


@dataclass(frozen=True)
class KeyTuning:
    """of_keys : hertz of the notes 0 to 127, None for one that plays nothing.  Notes are whole."""

    of_keys: tuple[float | None, ...]

    def __post_init__(self) -> None:
        if len(self.of_keys) != KEYS:
            raise InputError(f"A tuning by keys has {len(self.of_keys)} frequencies; {KEYS} were expected.")
        for note, hertz in enumerate(self.of_keys):
            if hertz is not None and not (np.isfinite(hertz) and hertz > 0):
                raise InputError(f"Note {note} is tuned to {hertz} Hz; more than 0 was expected.")
        if all(hertz is None for hertz in self.of_keys):
            raise InputError("A tuning by keys tunes no key at all.")

    @classmethod
    def of(cls, tuning: Tuning) -> KeyTuning:
        """What another tuning does on the 128 keys."""
        hertz = tuning.hertz(np.arange(KEYS))
        return cls(tuple(float(one) if np.isfinite(one) else None for one in hertz))

    @cached_property
    def _octaves(self) -> FloatArray:
        """Log2 of hertz, NaN where a key plays nothing."""
        return np.log2(np.array([np.nan if one is None else one for one in self.of_keys]))

    def _at(self, notes: ArrayLike) -> FloatArray:
        asked = np.asarray(notes, float)
        inside = np.isfinite(asked) & (asked == np.floor(asked)) & (asked >= 0) & (asked < KEYS)
        keys = np.where(inside, asked, 0).astype(int)
        return np.where(inside, self._octaves[keys], np.nan)

    def hertz(self, notes: ArrayLike) -> FloatArray:
        """Frequency in hertz, same shape as `notes`; NaN for a key that plays nothing, and for no whole note."""
        return np.exp2(self._at(notes))

    def octaves(self, notes: ArrayLike, reference_note: float) -> FloatArray:
        """Octaves above the reference note, same shape as `notes`; NaN where either has no frequency."""
        return self._at(notes) - self._at(reference_note)

    def nearest(self, hertz: float) -> tuple[int, float]:
        """The key that a frequency above 0 is nearest to, and how many cents it is off it."""
        cents = 1200.0 * (np.log2(hertz) - self._octaves)
        key = int(np.nanargmin(np.abs(cents)))
        return key, float(cents[key])

    def notes(self, octaves: ArrayLike, reference_note: float) -> FloatArray:
        """Equal-tempered note number (69 is 440 Hz) of a pitch given in octaves from a reference note."""
        above = self._at(reference_note) - np.log2(440.0)
        return 69.0 + 12.0 * (np.asarray(octaves, float) + above)
