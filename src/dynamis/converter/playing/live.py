"""Messages as they come, kept as a song that grows: what is played live goes the same way as a file.

Source: MIDI 1.0, active sensing: a sender that has begun to say that it is there, and is silent for 300 ms, is gone.
"""

from __future__ import annotations

import threading
from itertools import islice
from typing import Final

import numpy as np

from dynamis.converter.midi_stream import ALL_SOUND_OFF, CONTROL_CHANGE, SYSEX, MidiMessage
from dynamis.converter.playing.controls import (
    ALL_NOTES_OFF,
    DATA_LSB,
    DATA_MSB,
    NO_PARAMETER,
    PARAMETERS,
    RESET,
    RPN_LSB,
    RPN_MSB,
    SUSTAIN,
    BendRange,
    Parameter,
)
from dynamis.converter.playing.following import TRANSPORT, Beat, Follower
from dynamis.converter.playing.performance import RESET_TO
from dynamis.converter.playing.song import USUAL_QUARTER_SECONDS, Song, tempo_map

_TICKS_A_SECOND: Final = 1_000_000.0
_MOST_KEPT: Final = 200_000
# Of what is long over only what it led to counts, where more than so many messages have come since; it is looked for
# where there are twice as many, since keys may change their voices by it.
_RECENT: Final = 500
_ACTIVE_SENSING: Final = 0xFE
SENSING_SECONDS: Final = 0.3
_CENTRE: Final = (0, 64)

Row = tuple[float, int, int, int]


class _Channel:
    """What the messages of one channel have led to, as the fewest messages that lead to it again."""

    def __init__(self) -> None:
        self._keys: dict[int, tuple[int, bool]] = {}  # by note, in the order pressed: velocity, and whether it is down
        self._controls: dict[int, int] = {}  # in the order of their last change
        self._parameters: dict[int, tuple[int, int]] = {}  # registered ones that were set, coarse and fine
        self._parameter, self._range = Parameter(), BendRange(0.0)
        self._wheel = _CENTRE
        self._pressure = 0

    def take(self, status: int, first: int, second: int) -> None:
        kind, keys = status & 0xF0, self._keys
        pedal = self._controls.get(SUSTAIN, 0) >= 64
        if kind == 0x90 and second:
            keys.pop(first, None)
            keys[first] = second, True
        elif kind in (0x80, 0x90) and first in keys:
            if pedal:
                keys[first] = keys[first][0], False
            else:
                del keys[first]
        elif kind == 0xE0:
            self._wheel = first, second
        elif kind == 0xD0:
            self._pressure = first
        elif kind == 0xB0:
            self._control(first, second, pedal=pedal)

    def _control(self, first: int, second: int, *, pedal: bool) -> None:
        if first == ALL_SOUND_OFF:
            self._keys.clear()
        elif first >= ALL_NOTES_OFF:
            self._keys = {note: (velocity, False) for note, (velocity, _) in self._keys.items()} if pedal else {}
        elif first == RESET:
            self._controls |= RESET_TO
            self._wheel, self._pressure = _CENTRE, 0
            self._parameter.reset()
            self._range.reset()
            self._lift()
        elif first in PARAMETERS:
            self._set_parameter(first, second)
        else:
            self._controls.pop(first, None)
            self._controls[first] = second
            if first == SUSTAIN and second < 64:
                self._lift()

    def _set_parameter(self, first: int, second: int) -> None:
        self._range.control(first, second)
        if self._parameter.choose(first, second):
            return
        number = self._parameter.number
        if number == 0:  # the wheel's range, which can be counted up and down too
            whole, part = divmod(self._range.semitones, 1.0)
            self._parameters[0] = int(whole), round(100.0 * part)
        elif first == DATA_MSB:
            self._parameters[number] = second, 0
        elif first == DATA_LSB:
            self._parameters[number] = self._parameters.get(number, (0, 0))[0], second

    def _lift(self) -> None:
        self._keys = {note: one for note, one in self._keys.items() if one[1]}

    def rows(self, seconds: float, channel: int) -> list[Row]:
        """Messages of an instant, from which everything is as it is."""
        controls = {number: value for number, value in self._controls.items() if number != SUSTAIN}
        made: list[Row] = []
        for parameter, (coarse, fine) in self._parameters.items():
            if parameter != NO_PARAMETER:
                made += self._chosen(seconds, channel, parameter)
                made += [(seconds, 0xB0 | channel, DATA_MSB, coarse), (seconds, 0xB0 | channel, DATA_LSB, fine)]
        if self._parameters or self._parameter.number != NO_PARAMETER:
            made += self._chosen(seconds, channel, self._parameter.number)
        made += [(seconds, 0xB0 | channel, number, value) for number, value in controls.items()]
        if self._wheel != _CENTRE:
            made.append((seconds, 0xE0 | channel, *self._wheel))
        if self._pressure:
            made.append((seconds, 0xD0 | channel, self._pressure, 0))
        made += [(seconds, 0x90 | channel, note, velocity) for note, (velocity, _) in self._keys.items()]
        if self._controls.get(SUSTAIN, 0) >= 64:
            made.append((seconds, 0xB0 | channel, SUSTAIN, self._controls[SUSTAIN]))
        made += [(seconds, 0x80 | channel, note, 0) for note, (_, down) in self._keys.items() if not down]
        return made

    @staticmethod
    def _chosen(seconds: float, channel: int, parameter: int) -> list[Row]:
        """The messages that choose a registered parameter."""
        status = 0xB0 | channel
        return [(seconds, status, RPN_MSB, parameter >> 7), (seconds, status, RPN_LSB, parameter & 0x7F)]


class LiveSong:
    """Messages with their instants, in seconds since it began; may be added to from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._rows: list[Row] = []
        self._beats: list[Beat] = []
        self._over, self._beats_over = 0, 0  # so many of them count by what they led to only
        self._channels = [_Channel() for _ in range(16)]
        self._follower = Follower((), 1.0, lambda name, rise, fall: None, lambda name, when: None)
        self._senses = False
        self._heard = 0.0
        self.changes = 0

    def add(self, seconds: float, message: MidiMessage) -> None:
        """A message that came; what is neither a channel's nor a clock's only tells that somebody is there."""
        with self._lock:
            self._heard = max(self._heard, seconds)
            if message.status == _ACTIVE_SENSING:
                self._senses = True
            first, second = (*message.data, 0, 0)[:2]
            if message.status in TRANSPORT:
                at = max(seconds, self._beats[-1].seconds) if self._beats else max(0.0, seconds)
                self._beats.append(Beat(at, message.status, first | second << 7))
                self.changes += 1
            elif message.status < SYSEX:
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

    def song(self, seconds: float) -> Song:
        """All of it up to an instant; of very much the latest."""
        with self._lock:
            rows, beats = self._rows[-_MOST_KEPT:], tuple(self._beats[-_MOST_KEPT:])
        return _song(rows, beats, seconds)

    def recent(self, seconds: float, since: float) -> Song:
        """What has come since an instant, and what all before has led to; never an earlier instant than asked before.

        So a picture of it costs no more however long it goes on.
        """
        with self._lock:
            folds = len(self._rows) - self._over > 2 * _RECENT
            while folds and len(self._rows) - self._over > _RECENT and self._rows[self._over][0] < since:
                _, status, first, second = self._rows[self._over]
                self._channels[status & 0x0F].take(status, first, second)
                self._over += 1
            while len(self._beats) - self._beats_over > _RECENT and self._beats[self._beats_over].seconds < since:
                self._follower.take(self._beats[self._beats_over])
                self._beats_over += 1
            rows = self._rows[self._over :]
            beats = tuple(islice(self._beats, self._beats_over, None))
            if self._over:
                at = rows[0][0]
                rows = [one for k, made in enumerate(self._channels) for one in made.rows(at, k)] + rows
            if self._beats_over and beats:
                beats = (self._follower.resumed(self._beats[self._beats_over - 1].seconds), *beats)
            self._let_go()
        return _song(rows, beats, seconds)

    def _let_go(self) -> None:
        """What is over and more than anybody keeps."""
        if self._over > 2 * _MOST_KEPT:
            del self._rows[:_MOST_KEPT]
            self._over -= _MOST_KEPT
        if self._beats_over > 2 * _MOST_KEPT:
            del self._beats[:_MOST_KEPT]
            self._beats_over -= _MOST_KEPT


def _song(rows: list[Row], beats: tuple[Beat, ...], seconds: float) -> Song:
    table = np.array(rows, float).reshape(-1, 4)
    ticks = np.rint(table[:, 0] * _TICKS_A_SECOND).astype(np.int64)
    statuses, firsts, seconds_of = (table[:, k].astype(np.uint8) for k in (1, 2, 3))
    tempo = tempo_map([], USUAL_QUARTER_SECONDS * _TICKS_A_SECOND)
    end = max(int(seconds * _TICKS_A_SECOND), int(ticks[-1]) if ticks.size else 0)
    return Song(0, ticks, statuses, firsts, seconds_of, np.ones(ticks.size, np.int64), tempo, end, beats=beats)
