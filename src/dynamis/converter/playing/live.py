"""Messages as they come, kept as a song that grows: what is played live goes the same way as a file.

Source: MIDI 1.0, active sensing: a sender that has begun to say that it is there, and is silent for 300 ms, is gone.
"""

from __future__ import annotations

import threading
from dataclasses import replace
from itertools import count, islice
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
from dynamis.converter.playing.performance import RESET_TO, heed
from dynamis.converter.playing.song import USUAL_QUARTER_SECONDS, Song, tempo_map
from dynamis.converter.playing.voices import Seats, VoiceRules, VoiceTrack, voices_for

_TICKS_A_SECOND: Final = 1_000_000.0
_MOST_KEPT: Final = 200_000
# Of what is long over only what it led to counts, where more than so many messages have come since; it is looked for
# where there are twice as many, since keys may change their voices by it.
_RECENT: Final = 500
_ACTIVE_SENSING: Final = 0xFE
SENSING_SECONDS: Final = 0.3
_CENTRE: Final = (0, 64)
# A wheel's range that is counted up or down before it was set is counted from here.
_USUAL_SEMITONES: Final = 2.0

Row = tuple[float, int, int, int]
# A message of a channel, its status without the channel, with the stamp of what it stands for.
_Stood = tuple[int, int, int, int]


class _Channel:
    """What the messages of one channel have led to, as the fewest messages that lead to it again."""

    def __init__(self) -> None:
        self._stamp = 0
        # By note, in the order pressed: the press, and whether the key is down.
        self._keys: dict[int, tuple[_Stood, bool]] = {}
        self._pedal = 0
        self._stands: dict[int, _Stood] = {}  # controllers by their numbers, the wheel and the pressure by their kinds
        # Registered ones that were set, coarse (None where only fine was) and fine; when one was set or chosen last.
        self._parameters: dict[int, tuple[int | None, int]] = {}
        self._parameter, self._range, self._set_at = Parameter(), BendRange(_USUAL_SEMITONES), -1

    def take(self, stamp: int, status: int, first: int, second: int) -> None:
        self._stamp = stamp
        kind, keys = status & 0xF0, self._keys
        if kind == 0x90 and second:
            keys.pop(first, None)
            keys[first] = (stamp, kind, first, second), True
        elif kind in (0x80, 0x90) and first in keys:
            if self._pedal >= 64:
                keys[first] = keys[first][0], False
            else:
                del keys[first]
        elif kind in (0xE0, 0xD0):
            self._put(kind, kind, first, second)
        elif kind == 0xB0:
            self._control(first, second)

    def _put(self, what: int, kind: int, first: int, second: int) -> None:
        self._stands[what] = self._stamp, kind, first, second

    def _control(self, first: int, second: int) -> None:
        if first == ALL_SOUND_OFF:
            self._keys.clear()
        elif first >= ALL_NOTES_OFF:
            self._keys = {note: (press, False) for note, (press, _) in self._keys.items()} if self._pedal >= 64 else {}
        elif first == RESET:
            for number, value in RESET_TO.items():
                self._put(number, 0xB0, number, value)
            self._put(0xE0, 0xE0, *_CENTRE)
            self._put(0xD0, 0xD0, 0, 0)
            self._parameter.reset()
            self._range.reset()
            self._set_at = self._stamp
            self._move_pedal(0)
        elif first in PARAMETERS:
            self._set_parameter(first, second)
        elif first == SUSTAIN:
            self._move_pedal(second)
        else:
            self._put(first, 0xB0, first, second)

    def _set_parameter(self, first: int, second: int) -> None:
        self._set_at = self._stamp
        self._range.control(first, second)
        if self._parameter.choose(first, second):
            return
        number = self._parameter.number
        if first == DATA_MSB:
            self._parameters[number] = second, 0
        elif first == DATA_LSB:
            self._parameters[number] = self._parameters.get(number, (None, 0))[0], second
        elif number == 0:  # the wheel's range, which can be counted up and down too
            whole, part = divmod(self._range.semitones, 1.0)
            self._parameters[0] = int(whole), round(100.0 * part)

    def _move_pedal(self, value: int) -> None:
        self._pedal = value
        if value < 64:
            self._keys = {note: one for note, one in self._keys.items() if one[1]}

    def stands(self) -> list[_Stood]:
        """Messages from which all but keys and pedal is as it is."""
        made = [one for number, one in self._stands.items() if number != SUSTAIN]
        for parameter, (coarse, fine) in self._parameters.items():
            if parameter != NO_PARAMETER:
                made += self._chosen(parameter)
                made += [] if coarse is None else [(self._set_at, 0xB0, DATA_MSB, coarse)]
                made.append((self._set_at, 0xB0, DATA_LSB, fine))
        return made + (self._chosen(self._parameter.number) if self._set_at >= 0 else [])

    def _chosen(self, parameter: int) -> list[_Stood]:
        """The messages that choose a registered parameter."""
        return [(self._set_at, 0xB0, RPN_MSB, parameter >> 7), (self._set_at, 0xB0, RPN_LSB, parameter & 0x7F)]

    def presses(self) -> list[_Stood]:
        return [press for press, _ in self._keys.values()]

    def held(self) -> list[_Stood]:
        """Behind the presses: the pedal, and keys that it alone holds."""
        pedal = [(0, 0xB0, SUSTAIN, self._pedal)] if self._pedal >= 64 else []
        return pedal + [(0, 0x80, note, 0) for note, (_, down) in self._keys.items() if not down]


class _LastOnly(VoiceTrack):
    """Of what a voice did, only what it was struck with last."""

    def __init__(self) -> None:
        super().__init__()
        self.velocity: int | None = None
        self.sound = self.gate = self.fire = lambda packed: None
        self.strike = self._struck

    def _struck(self, packed: int) -> None:
        self.velocity = packed & 0x7F


class _Follows:
    """Voices of a converter, as what is over has left them.  channel : from 1 to 16, None for all."""

    def __init__(self, channel: int | None, rules: VoiceRules) -> None:
        self.channel, self.rules = channel, rules
        self._voices, self._tracks = voices_for(rules), [_LastOnly() for _ in range(rules.voices)]
        self._voices.tracks = list(self._tracks)

    def take(self, status: int, first: int, second: int) -> None:
        if self.channel in (None, (status & 0x0F) + 1):
            heed(self._voices, 0, status & 0xF0, first, second)

    def seats(self) -> Seats:
        return self._voices.seats([track.velocity for track in self._tracks])


class LiveSong:
    """Messages with their instants, in seconds since it began; may be added to from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._rows: list[Row] = []
        self._beats: list[Beat] = []
        self._over, self._beats_over = 0, 0  # so many of them count by what they led to only
        self._stamps = count()  # of those, which come in the order in which things were moved
        self._channels = [_Channel() for _ in range(16)]
        self._follows: _Follows | None = None
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

    def recent(self, seconds: float, since: float, channel: int | None = None, rules: VoiceRules | None = None) -> Song:
        """What has come since an instant, and what all before has led to; never an earlier instant than asked before.

        So a picture of it costs no more however long it goes on.  channel, rules : of whom its keys are for, so that
        they stay on their voices; rules None where that makes no difference.
        """
        with self._lock:
            self._follow(channel, rules)
            folds = len(self._rows) - self._over > 2 * _RECENT
            while folds and len(self._rows) - self._over > _RECENT and self._rows[self._over][0] < since:
                _, status, first, second = self._rows[self._over]
                self._channels[status & 0x0F].take(next(self._stamps), status, first, second)
                if self._follows is not None:
                    self._follows.take(status, first, second)
                self._over += 1
            while len(self._beats) - self._beats_over > _RECENT and self._beats[self._beats_over].seconds < since:
                self._follower.take(self._beats[self._beats_over])
                self._beats_over += 1
            rows = self._rows[self._over :]
            beats = tuple(islice(self._beats, self._beats_over, None))
            led_to: list[Row] = []
            if self._over:
                led_to = self._led_to(rows[0][0])
                rows = led_to + rows
            if self._beats_over and beats:
                beats = (self._follower.resumed(self._beats[self._beats_over - 1].seconds), *beats)
            self._let_go()
            seats = None if self._follows is None or not led_to else self._follows.seats()
        return replace(_song(rows, beats, seconds), over=len(led_to), seats=seats)

    def _led_to(self, seconds: float) -> list[Row]:
        """Messages of an instant that lead to where those that are over have: in the order in which things were moved,
        since several channels may be played together; then keys in theirs, then what pedals hold."""
        made: list[Row] = []
        for part in (_Channel.stands, _Channel.presses, _Channel.held):
            rows = [(stood[0], k, *stood[1:]) for k, channel in enumerate(self._channels) for stood in part(channel)]
            rows.sort(key=lambda row: row[0])
            made += [(seconds, kind | k, first, second) for _, k, kind, first, second in rows]
        return made

    def _follow(self, channel: int | None, rules: VoiceRules | None) -> None:
        """From now on follow these voices; others stand as if what is held had just been pressed."""
        if rules is None:
            self._follows = None
        elif self._follows is None or (self._follows.channel, self._follows.rules) != (channel, rules):
            self._follows = _Follows(channel, rules)
            for _, status, first, second in self._led_to(0.0):
                self._follows.take(status, first, second)

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
