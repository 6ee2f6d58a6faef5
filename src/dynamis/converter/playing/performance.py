"""A song as a converter plays it: which keys sound on which voice, and where the wheel and the controllers stand."""

from __future__ import annotations

from dataclasses import dataclass

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
_RESET_TO = {MODULATION: 0, 11: 127, SUSTAIN: 0, 65: 0, 66: 0, 67: 0}


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
class Performance:
    """song : what was played.  notes : its note-ons of the channel.  tracks : what each voice did.

    wheel : from 0 to 16383.  bend_range : in semitones.  controllers : by number, from 0 to 127.
    """

    song: Song
    notes: int
    tracks: list[VoiceTrack]
    wheel: Course
    bend_range: Course
    controllers: dict[int, Course]


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
    kinds = song.kinds
    notes = int(np.sum(mine & song.presses))
    if not notes:
        raise InputError(_no_notes(song, channel))
    controls = mine & (kinds == 0xB0)
    resets = np.flatnonzero(controls & (song.first_bytes == RESET))
    voices = voices_for(rules)
    _play(voices, song, mine, kinds)
    wheeled = np.flatnonzero(mine & (kinds == 0xE0))
    wheel = song.first_bytes[wheeled].astype(float) + 128.0 * song.second_bytes[wheeled]
    made = {}
    for number in controllers:
        moved = np.flatnonzero(controls & (song.first_bytes == number))
        back = _RESET_TO.get(number)
        values = song.second_bytes[moved].astype(float)
        made[number] = _course(
            moved, values, resets, None if back is None else float(back), 127.0 if number == 11 else 0.0
        )
    return Performance(
        song,
        notes,
        voices.tracks,
        _course(wheeled, wheel, resets, float(CENTRE), float(CENTRE)),
        _bend_range(song, controls, bend_semitones),
        made,
    )


def _play(voices: Voices, song: Song, mine: NDArray[np.bool_], kinds: NDArray[np.uint8]) -> None:
    firsts = song.first_bytes
    modes = (kinds == 0xB0) & (
        (firsts == SUSTAIN) | (firsts == ALL_SOUND_OFF) | (firsts == RESET) | (firsts >= ALL_NOTES_OFF)
    )
    stamps = np.flatnonzero(mine & ((kinds == 0x80) | (kinds == 0x90) | modes))
    press, release = voices.press, voices.release
    # A note-on of velocity 0 ends a note.
    kind = np.where((kinds[stamps] == 0x90) & (song.second_bytes[stamps] == 0), 0x80, kinds[stamps])
    columns = (stamps, kind, firsts[stamps], song.second_bytes[stamps])
    for stamp, what, first, second in zip(*(column.tolist() for column in columns), strict=True):
        if what == 0x90:
            press(stamp, first, second)
        elif what == 0x80:
            release(stamp, first)
        elif first == SUSTAIN:
            voices.hold(stamp, second >= 64)
        elif first == ALL_SOUND_OFF:
            voices.silence(stamp)
        elif first == RESET:
            voices.hold(stamp, False)
        else:
            voices.release_all(stamp)


def _course(stamps: IntArray, values: FloatArray, resets: IntArray, back: float | None, start: float) -> Course:
    """Changes and what resets put back, in their order."""
    if back is None or not resets.size:
        return Course(stamps, values, start)
    every = np.concatenate([stamps, resets])
    order = np.argsort(every, kind="stable")
    return Course(every[order], np.concatenate([values, np.full(resets.size, back)])[order], start)


def _bend_range(song: Song, controls: NDArray[np.bool_], semitones: float) -> Course:
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
