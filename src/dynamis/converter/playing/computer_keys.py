"""The computer's keys as keys to play: to the right a semitone, a row up a fourth; the lowest row begins at a C."""

from __future__ import annotations

from typing import Final

# By the place of a key, which no layout changes (codes of evdev, eight more as windows tell them), and by its letter
# where no place is told.
_FIRST_CODES: Final = (52, 38, 24, 10)
_ROWS: Final = ("zxcvbnm,./", "asdfghjkl;", "qwertyuiop", "1234567890")
_FOURTH: Final = 5
_KEYS_A_ROW: Final = 10
LOWEST, USUAL, HIGHEST, OCTAVE = 0, 48, 108, 12


def semitones_of(code: int, text: str) -> int | None:
    """How many semitones a key lies above the first; None for one that plays nothing."""
    for row, first in enumerate(_FIRST_CODES):
        if first <= code < first + _KEYS_A_ROW:
            return _FOURTH * row + code - first
    if code:
        return None
    letter = text.lower()
    for row, letters in enumerate(_ROWS):
        if len(letter) == 1 and letter in letters:
            return _FOURTH * row + letters.index(letter)
    return None
