"""A song as a converter plays it: which keys sound on which voice, and where the wheel and the controllers stand."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from dynamis.converter.playing.controls import (
    ALL_NOTES_OFF,
    ALL_SOUND_OFF,
    CENTRE,
    MODULATION,
    PARAMETERS,
    RESET,
    SUSTAIN,
    BendRange,
)
from dynamis.converter.playing.song import Song
from dynamis.converter.playing.voices import VoiceRules, Voices, VoiceTrack, voices_for
from dynamis.errors import InputError

IntArray = NDArray[np.int64]
FloatArray = NDArray[np.float64]
# What controller 121 sets controllers to (RP-015); all others stay.
RESET_TO = {MODULATION: 0, 11: 127, SUSTAIN: 0, 65: 0, 66: 0, 67: 0}


@dataclass(frozen=True, eq=False)
class Course:
    """Something that stands still from change to change: `values[k]` from the message `stamps[k]` on, `start`
    before."""

    stamps: IntArray
    values: FloatArray
    start: float

    def at(self, stamps: IntArray) -> FloatArray:
        """What it stands at after messages, any shape; -1 is before the first."""
        index = np.searchsorted(self.stamps, stamps, side="right")
        return np.concatenate([[self.start], self.values])[index]


@dataclass(frozen=True, eq=False)
class Bend:
    """One wheel, from 0 to 16383, and its range in semitones."""

    wheel: Course
    semitones: Course

    @property
    def stamps(self) -> IntArray:
        return np.concatenate([self.wheel.stamps, self.semitones.stamps])

    def octaves(self, stamps: IntArray) -> FloatArray:
        """What it adds after messages, any shape; -1 is before the first."""
        return (self.wheel.at(stamps) - CENTRE) / CENTRE * self.semitones.at(stamps) / 12.0


@dataclass(frozen=True, eq=False)
class Performance:
    """song : what was played.  notes : its note-ons of the channel, or of a zone.  tracks : what each voice did.

    bend : the wheel of the channel, or of the zone's master.  bends : by voice, the wheels that move it.  controllers :
    by number, from 0 to 127.  numbers : of the voices, from 1.  pressures, timbres : by voice, where each has a channel
    of its own.  unplayed : notes for which no voice was left.
    """

    song: Song
    notes: int
    tracks: list[VoiceTrack]
    bend: Bend
    bends: list[tuple[Bend, ...]]
    controllers: dict[int, Course]
    numbers: tuple[int, ...]
    pressures: list[Course] = field(default_factory=list)
    timbres: list[Course] = field(default_factory=list)
    unplayed: int = 0

    @property
    def several(self) -> bool:
        """Whether there may be more voices than one."""
        return bool(self.pressures) or len(self.numbers) > 1

    @property
    def endings(self) -> tuple[str, ...]:
        """What stands behind the names of each voice's signals."""
        return tuple(map(str, self.numbers)) if self.several else ("",)


def perform(
    song: Song,
    channel: int | None = 1,
    rules: VoiceRules = VoiceRules(),
    *,
    bend_semitones: float = 2.0,
    controllers: tuple[int, ...] = (MODULATION,),
) -> Performance:
    """Play the messages of a channel, from 1 to 16; of all of them where it is None.

    bend_semitones : the wheel's range until the song sets it.  Raises `InputError` where the channel has no note.
    """
    mine = np.ones(song.ticks.size, bool) if channel is None else song.channels == channel
    notes = int(np.sum(mine & song.presses))
    if not notes:
        raise InputError(_no_notes(song, channel))
    voices = voices_for(rules)
    if song.seats is None or len(song.seats.sounding) != rules.voices:
        play_keys(voices, song, mine)
    else:
        early = np.arange(mine.size) < song.over
        play_keys(voices, song, mine & early)
        voices.take_seats(song.over - 1, song.seats)
        play_keys(voices, song, mine & ~early)
    bend = Bend(wheel_of(song, mine), bend_range_of(song, mine, bend_semitones))
    made = {number: controller_of(song, mine, number) for number in controllers}
    count = len(voices.tracks)
    return Performance(song, notes, voices.tracks, bend, [(bend,)] * count, made, tuple(range(1, count + 1)))


def _resets(song: Song, mine: NDArray[np.bool_]) -> IntArray:
    return np.flatnonzero(mine & (song.kinds == 0xB0) & (song.first_bytes == RESET))


def wheel_of(song: Song, mine: NDArray[np.bool_]) -> Course:
    """Where the wheel of some messages stands."""
    wheeled = np.flatnonzero(mine & (song.kinds == 0xE0))
    wheel = song.first_bytes[wheeled].astype(float) + 128.0 * song.second_bytes[wheeled]
    return _course(wheeled, wheel, _resets(song, mine), float(CENTRE), float(CENTRE))


def controller_of(song: Song, mine: NDArray[np.bool_], number: int, start: float | None = None) -> Course:
    """Where a controller of some messages stands; `start` before the first, the standard's where it is None."""
    moved = np.flatnonzero(mine & (song.kinds == 0xB0) & (song.first_bytes == number))
    back = RESET_TO.get(number)
    usual = 127.0 if number == 11 else 0.0
    values = song.second_bytes[moved].astype(float)
    return _course(
        moved, values, _resets(song, mine), None if back is None else float(back), usual if start is None else start
    )


def pressure_of(song: Song, mine: NDArray[np.bool_]) -> Course:
    """Where the channel pressure of some messages stands."""
    moved = np.flatnonzero(mine & (song.kinds == 0xD0))
    return _course(moved, song.first_bytes[moved].astype(float), _resets(song, mine), 0.0, 0.0)


def play_keys(voices: Voices, song: Song, mine: NDArray[np.bool_]) -> None:
    """Let voices play the keys, the pedal and the mode messages of some messages."""
    kinds = song.kinds
    firsts = song.first_bytes
    modes = (kinds == 0xB0) & (
        (firsts == SUSTAIN) | (firsts == ALL_SOUND_OFF) | (firsts == RESET) | (firsts >= ALL_NOTES_OFF)
    )
    stamps = np.flatnonzero(mine & ((kinds == 0x80) | (kinds == 0x90) | modes))
    columns = (stamps, kinds[stamps], firsts[stamps], song.second_bytes[stamps])
    for stamp, kind, first, second in zip(*(column.tolist() for column in columns), strict=True):
        heed(voices, stamp, kind, first, second)


def heed(voices: Voices, stamp: int, kind: int, first: int, second: int) -> None:
    """Let voices take a message of a channel; kind : its status without the channel."""
    if kind == 0x90 and second:
        voices.press(stamp, first, second)
    elif kind in (0x80, 0x90):
        voices.release(stamp, first)
    elif kind == 0xB0:
        obey(voices, stamp, first, second)


def obey(voices: Voices, stamp: int, controller: int, value: int) -> None:
    """Let voices take the pedal or a mode message; other controllers are nothing to them."""
    if controller == SUSTAIN:
        voices.hold(stamp, value >= 64)
    elif controller == ALL_SOUND_OFF:
        voices.silence(stamp)
    elif controller == RESET:
        voices.hold(stamp, False)
    elif controller >= ALL_NOTES_OFF:
        voices.release_all(stamp)


def _course(stamps: IntArray, values: FloatArray, resets: IntArray, back: float | None, start: float) -> Course:
    """Changes and what resets put back, in their order."""
    if back is None or not resets.size:
        return Course(stamps, values, start)
    every = np.concatenate([stamps, resets])
    order = np.argsort(every, kind="stable")
    return Course(every[order], np.concatenate([values, np.full(resets.size, back)])[order], start)


def bend_range_of(song: Song, mine: NDArray[np.bool_], semitones: float) -> Course:
    """The wheel's range, as some messages set it."""
    controls = mine & (song.kinds == 0xB0)
    made, stamps, values = BendRange(semitones), [], []
    asked = np.isin(song.first_bytes, [*PARAMETERS, RESET]) & controls
    for stamp in np.flatnonzero(asked).tolist():
        controller = int(song.first_bytes[stamp])
        if controller == RESET:
            made.reset()
        elif made.control(controller, int(song.second_bytes[stamp])):
            stamps.append(stamp)
            values.append(made.semitones)
    return Course(np.array(stamps, np.int64), np.array(values, float), semitones)


def _no_notes(song: Song, channel: int | None) -> str:
    have = sorted({int(one) for one in song.channels[song.presses]})
    if not have:
        return "There is no note in it."
    named = ", ".join(str(one) for one in have)
    which = f"channels {named} have some" if len(have) > 1 else f"channel {named} has some"
    return f"There is no note on channel {channel}; {which}."
