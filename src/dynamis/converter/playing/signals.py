"""The signals of a converter's jacks against time, as exact steps: pitch, gate, trigger, velocity, bend, controllers.

Nothing is sampled here.  A signal has one value at an instant, the last that it was given there, and no instant at
which nothing changes.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dynamis.control.pulses import fired
from dynamis.control.stepped import FloatArray, Level, Steps, pulse_steps, steps
from dynamis.converter.playing.performance import Course, Performance
from dynamis.converter.playing.voices import VoiceTrack
from dynamis.errors import InputError
from dynamis.pitch.laws import Law
from dynamis.pitch.tuning import Tuning

_WHEEL_STEPS, _MOST_DATA, _SEMITONES = 16384.0, 127.0, 12.0


def gate_steps(track: VoiceTrack, seconds: FloatArray, level: Level, gap_seconds: float = 0.0) -> Steps:
    """The gate of a voice.

    seconds : (M,) of all messages.  gap_seconds : how long it goes down at each press that its voice sounds while it is
    up, so that an envelope begins again; 0 for legato.
    """
    marks, struck = track.gates, track.velocities.stamps
    ups = marks.values > 0
    when, volts = seconds[marks.stamps], np.where(ups, level.high, level.low)
    if gap_seconds > 0.0 and when.size:
        again = seconds[struck]
        index = np.searchsorted(when, again, side="left") - 1
        again = again[(index >= 0) & ups[np.maximum(index, 0)]]
        when, volts = _with_gaps(when, ups, again, gap_seconds, level)
    return steps(when, volts, level.low)


def _with_gaps(
    when: FloatArray, ups: NDArray[np.bool_], again: FloatArray, gap: float, level: Level
) -> tuple[FloatArray, FloatArray]:
    """Edges of a gate that goes down for a while at each of some instants at which it is up."""
    rises = fired(again, gap)
    edges = np.concatenate([when, rises.rises_seconds, rises.falls_seconds])
    order = np.argsort(edges, kind="stable")
    at = edges[order]
    gate = ups[np.maximum(np.searchsorted(when, at, side="right") - 1, 0)] & (
        np.searchsorted(when, at, side="right") > 0
    )
    return at, np.where(gate & ~rises.up(at), level.high, level.low)


def velocity_steps(track: VoiceTrack, seconds: FloatArray, level: Level) -> Steps:
    """The velocity of the last press that sounded; the first one's before it."""
    marks = track.velocities
    volts = level.of(marks.values / _MOST_DATA)
    return steps(seconds[marks.stamps], volts, float(volts[0]) if volts.size else level.low)


def trigger_steps(track: VoiceTrack, seconds: FloatArray, length: float, level: Level) -> Steps:
    """The trigger of a voice."""
    return pulse_steps(fired(seconds[track.fires.stamps], length), level)


def bend_steps(played: Performance, seconds: FloatArray, level: Level) -> Steps:
    """The wheel at a jack of its own; it rests in the middle."""
    wheel = played.bend.wheel
    rest = float(level.of(np.array(wheel.start / _WHEEL_STEPS)))
    return steps(seconds[wheel.stamps], level.of(wheel.values / _WHEEL_STEPS), rest)


def course_steps(course: Course, seconds: FloatArray, level: Level) -> Steps:
    """What stands from 0 to 127 at a jack of its own."""
    start = float(level.of(np.array(course.start / _MOST_DATA)))
    return steps(seconds[course.stamps], level.of(course.values / _MOST_DATA), start)


def pitch_steps_of(
    played: Performance, voice: int, seconds: FloatArray, law: Law, tuning: Tuning, *, with_bend: bool = False
) -> tuple[Steps, list[int]]:
    """(the pitch of a voice, the notes that have no volts, at which it stays where it is).

    Before the first note it is there already, after the last it stays.  with_bend : the wheel moves it.
    Raises `InputError` where not one note has volts.
    """
    marks = played.tracks[voice].notes
    stamps, notes = marks.stamps, marks.values.astype(float)
    octaves = tuning.octaves(notes, law.reference_note)
    with np.errstate(over="ignore"):
        sounds = np.isfinite(octaves) & np.isfinite(law.volts(octaves))
    silent = sorted({int(note) for note in notes[~sounds]})
    if not np.any(sounds):
        raise InputError("None of its notes has volts: look at the tuning and the law.")
    stamps, octaves = stamps[sounds], octaves[sounds]
    if with_bend:
        every = _moved(played, voice, stamps)
        index = np.maximum(np.searchsorted(stamps, every, side="right") - 1, 0)
        first = octaves[0] + _bent(played, voice, np.array([-1]))[0]
        stamps, octaves = every, octaves[index] + _bent(played, voice, every)
    else:
        first = octaves[0]
    return steps(seconds[stamps], law.volts(octaves), float(law.volts(first))), silent


def note_steps(played: Performance, voice: int, seconds: FloatArray, *, with_bend: bool = False) -> Steps:
    """The note that a voice sounds, fractions by the wheel, in the place of volts."""
    marks = played.tracks[voice].notes
    stamps, notes = marks.stamps, marks.values.astype(float)
    if with_bend:
        every = _moved(played, voice, stamps)
        index = np.maximum(np.searchsorted(stamps, every, side="right") - 1, 0)
        first = float(notes[0] + _SEMITONES * _bent(played, voice, np.array([-1]))[0])
        return steps(seconds[every], notes[index] + _SEMITONES * _bent(played, voice, every), first)
    return steps(seconds[stamps], notes, float(notes[0]))


def _moved(played: Performance, voice: int, stamps: NDArray[np.int64]) -> NDArray[np.int64]:
    """Messages at which a voice's note or one of its wheels changes."""
    return np.unique(np.concatenate([stamps, *(one.stamps for one in played.bends[voice])]))


def _bent(played: Performance, voice: int, stamps: NDArray[np.int64]) -> FloatArray:
    """What the wheels of a voice add after messages, octaves."""
    return np.sum([one.octaves(stamps) for one in played.bends[voice]], axis=0)
