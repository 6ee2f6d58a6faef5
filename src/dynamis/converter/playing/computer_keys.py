"""The computer's keys as keys to play: to the right a semitone, a row up a fourth; the lowest row begins at a C."""

from __future__ import annotations

from typing import Final

from dynamis.converter.playing.mpe import members_of
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.voices import MOST_VOICES

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


class KeyChannels:
    """On which channel a key plays: on the converter's, in a zone each on a member of its own, the next in turn."""

    def __init__(self) -> None:
        self._held: dict[int, int] = {}  # by note
        self._turn = -1

    def of(self, note: int, down: bool, setting: ConverterSetting) -> int:
        """From 1 to 16; a key goes up where it went down."""
        channel = self._held.pop(note, None)
        if channel is None or down:
            channel = self._next(setting)
        if down:
            self._held[note] = channel
        return channel

    def _next(self, setting: ConverterSetting) -> int:
        if setting.zone is None:
            return setting.channel or 1
        members = members_of(setting.zone, MOST_VOICES).members
        in_turn = [members[(self._turn + k) % len(members)] for k in range(1, len(members) + 1)]
        held = list(self._held.values())
        channel = min(in_turn, key=held.count)
        self._turn = members.index(channel)
        return channel
