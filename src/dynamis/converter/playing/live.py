"""Messages as they come, kept as a song that grows: what is played live goes the same way as a file.

Source: MIDI 1.0, active sensing: a sender that has begun to say that it is there, and is silent for 300 ms, is gone.
"""

from __future__ import annotations

import threading
from typing import Final

import numpy as np

from dynamis.converter.midi_stream import ALL_SOUND_OFF, CONTROL_CHANGE, SYSEX, MidiMessage
from dynamis.converter.playing.song import USUAL_QUARTER_SECONDS, Song, tempo_map

_TICKS_A_SECOND: Final = 1_000_000.0
_MOST_MESSAGES: Final = 4000
_ACTIVE_SENSING: Final = 0xFE
SENSING_SECONDS: Final = 0.3


class LiveSong:
    """Messages with their instants, in seconds since it began; may be added to from any thread.

    Of more than some thousand messages the older half is let go.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._rows: list[tuple[float, int, int, int]] = []
        self._senses = False
        self._heard = 0.0
        self.changes = 0

    def add(self, seconds: float, message: MidiMessage) -> None:
        """A message that came; what is no channel message only tells that somebody is there."""
        with self._lock:
            self._heard = max(self._heard, seconds)
            if message.status == _ACTIVE_SENSING:
                self._senses = True
            if message.status < SYSEX:
                first, second = (*message.data, 0, 0)[:2]
                self._append(seconds, message.status, first, second)

    def look(self, seconds: float) -> bool:
        """Whether the sender is gone: it had said that it is there, and is silent.  All that sounds is silenced
        then."""
        with self._lock:
            if not self._senses or seconds - self._heard <= SENSING_SECONDS:
                return False
            self._senses = False
            self._silence(self._heard + SENSING_SECONDS)
            return True

    def silence(self, seconds: float) -> None:
        """Let everything go, on every channel."""
        with self._lock:
            self._silence(seconds)

    def _silence(self, seconds: float) -> None:
        for channel in range(16):
            self._append(seconds, CONTROL_CHANGE | channel, ALL_SOUND_OFF, 0)

    def _append(self, seconds: float, *row: int) -> None:
        at = max(seconds, self._rows[-1][0]) if self._rows else max(0.0, seconds)
        self._rows.append((at, row[0], row[1], row[2]))
        self.changes += 1
        if len(self._rows) > _MOST_MESSAGES:
            del self._rows[: _MOST_MESSAGES // 2]

    def song(self, seconds: float) -> Song:
        """All of it up to an instant."""
        with self._lock:
            rows = list(self._rows)
        table = np.array(rows, float).reshape(-1, 4)
        ticks = np.rint(table[:, 0] * _TICKS_A_SECOND).astype(np.int64)
        statuses, firsts, seconds_of = (table[:, k].astype(np.uint8) for k in (1, 2, 3))
        tempo = tempo_map([], USUAL_QUARTER_SECONDS * _TICKS_A_SECOND)
        end = max(int(seconds * _TICKS_A_SECOND), int(ticks[-1]) if ticks.size else 0)
        return Song(0, ticks, statuses, firsts, seconds_of, np.ones(ticks.size, np.int64), tempo, end)
