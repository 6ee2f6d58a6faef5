"""A song through a converter of one's choice: what each of its jacks carries, and for how long."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from dynamis.control.pulses import Pulses, pulses
from dynamis.control.stepped import FloatArray, Level, Steps, pulse_steps
from dynamis.converter.playing.clocks import MOST_PULSES, clock_pulses
from dynamis.converter.playing.controls import MODULATION
from dynamis.converter.playing.following import CLOCKS_A_QUARTER, RESET, RUN, followed
from dynamis.converter.playing.mpe import Zone, perform_zone
from dynamis.converter.playing.performance import Course, Performance, perform
from dynamis.converter.playing.signals import (
    bend_steps,
    course_steps,
    gate_steps,
    pitch_steps_of,
    trigger_steps,
    velocity_steps,
)
from dynamis.converter.playing.song import Song, wire_shared
from dynamis.converter.playing.voices import VoiceRules
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.laws import ExponentialLaw, Law
from dynamis.pitch.tuning import EqualTemperament, Tuning

Kind = Literal["pitch", "gate", "trigger", "velocity", "bend", "controller", "clock", "logic"]


@dataclass(frozen=True)
class ConverterSetting:
    """What a converter is set to.

    channel : from 1 to 16, None for all.  bend_semitones : the wheel's range until the song sets it.
    gap_seconds : how long the gate goes down at a press while it is up; 0 for legato.  clocks : pulses a quarter note.
    clock_seconds, clock_share : how long a pulse is, a time and at most this share of the time to the next; swing :
    where between its neighbours every second one comes.  more_controllers : those besides the modulation wheel that
    have a jack of their own, with their levels.  zone : of MPE, where each
    voice has a channel of its own.  by_cable : whether the messages come through a MIDI cable, one after the other.
    transport : whether there are a run and a reset jack; reset_leads_seconds : by how much a reset comes ahead of the
    first clock, which waits for it.
    """

    law: Law = field(default_factory=lambda: ExponentialLaw(1.0, 36.0, 0.0))
    tuning: Tuning = field(default_factory=EqualTemperament)
    channel: int | None = 1
    rules: VoiceRules = VoiceRules()
    trigger_seconds: float = 0.005
    gap_seconds: float = 0.0
    bend_semitones: float = 2.0
    bend_into_pitch: bool = False
    gate: Level = Level(0.0, 5.0)
    trigger: Level = Level(0.0, 5.0)
    velocity: Level = Level(0.0, 5.0)
    bend: Level = Level(-1.0, 1.0)
    modulation: Level = Level(0.0, 5.0)
    clock: Level = Level(0.0, 5.0)
    clocks: tuple[float, ...] = (1.0, 4.0)
    clock_seconds: float = 0.005
    clock_share: float = 0.5
    swing: float = 0.5
    more_controllers: tuple[tuple[int, Level], ...] = ()
    zone: Zone | None = None
    by_cable: bool = False
    transport: bool = False
    reset_leads_seconds: float = 0.0

    def __post_init__(self) -> None:
        if self.channel is not None and not 1 <= self.channel <= 16:
            raise InputError(f"MIDI channel {self.channel}; 1 to 16 were expected.")
        if not 0.0 <= self.bend_semitones <= 127.0:
            raise InputError(f"A wheel of {plain(self.bend_semitones)} semitones; 0 to 127 were expected.")
        for what, seconds in (("trigger", self.trigger_seconds), ("clock pulse", self.clock_seconds)):
            if not 0.0 < seconds <= 60.0:
                raise InputError(f"A {what} of {plain(seconds)} s; more than 0 up to 60 s was expected.")
        if not 0.0 <= self.gap_seconds <= 60.0:
            raise InputError(f"A gap of {plain(self.gap_seconds)} s; 0 up to 60 s was expected.")
        if not 0.0 <= self.reset_leads_seconds <= 1.0:
            raise InputError(f"A reset {plain(self.reset_leads_seconds)} s ahead; 0 up to 1 s was expected.")
        if len(set(self.clocks)) < len(self.clocks):
            raise InputError("A clock is named twice.")
        if not (0.0 < self.clock_share < 1.0 and 0.5 <= self.swing < 1.0):
            raise InputError("A clock's pulses need a share below 100 % and a swing from 50 % to below 100 %.")
        if len(set(self.controllers)) < len(self.controllers):
            raise InputError("A controller is named twice; modulation is number 1, and has its jack.")
        for what, level in (("gate", self.gate), ("trigger", self.trigger), ("clock", self.clock)):
            if level.low == level.high:
                raise InputError(f"The {what} is at {plain(level.low)} V whether it is up or down: nothing sees it.")

    @property
    def controllers(self) -> tuple[int, ...]:
        """Those that have a jack of their own; the modulation wheel is the first."""
        return MODULATION, *(number for number, _ in self.more_controllers)

    @property
    def several(self) -> bool:
        """Whether there may be more voices than one."""
        return self.zone is not None or self.rules.voices > 1

    def level_of(self, controller: int) -> Level:
        """The levels of a controller's jack."""
        return dict(self.more_controllers).get(controller, self.modulation)


@dataclass(frozen=True, eq=False)
class Signal:
    """name : as in a list of events.  voice : from 0 of those that a voice has, else None.  level : of what is a
    pulse.  about : how it is made of others."""

    name: str
    kind: Kind
    steps: Steps
    voice: int | None = None
    level: Level | None = None
    about: str = ""

    @property
    def pulses(self) -> Pulses:
        """When it is up, of one that has a level."""
        assert self.level is not None
        up = self.steps.volts == self.level.high
        ends = np.append(self.steps.seconds[1:], np.inf)
        return Pulses(self.steps.seconds[up], ends[up])

    @property
    def edges(self) -> FloatArray:
        """When it changes, the beginning too where a pulse stands there already."""
        begins_up = self.level is not None and self.steps.volts[0] == self.level.high
        return self.steps.seconds if begins_up else self.steps.seconds[1:]

    def rises_at(self, seconds: float) -> bool:
        """Whether a pulse begins at one of its edges."""
        k = int(np.searchsorted(self.steps.seconds, seconds))
        return k < self.steps.volts.size and self.level is not None and bool(self.steps.volts[k] == self.level.high)


@dataclass(frozen=True, eq=False)
class Rendered:
    """seconds : until the song has ended and the last pulse has fallen.  message_seconds : of all its messages.
    silent : notes that the tuning or the law gives no volts; the pitch stays where it was.  jumps : when a sender's
    clock went on elsewhere, and at which sixteenth.  clocks_late : between which seconds a cable delays its clocks,
    None where it carries none.  courses : by the names of signals, what those follow that stand from message to
    message.
    """

    setting: ConverterSetting
    performance: Performance
    message_seconds: FloatArray
    signals: tuple[Signal, ...]
    seconds: float
    silent: tuple[int, ...]
    jumps: tuple[tuple[float, int], ...] = ()
    clocks_late: tuple[float, float] | None = None
    courses: dict[str, Course] = field(default_factory=dict)

    def signal(self, name: str) -> Signal:
        return next(one for one in self.signals if one.name == name)


def clock_name(per_quarter: float) -> str:
    """What a clock's signal is called."""
    return f"clock{plain(per_quarter)}"


def _performed(song: Song, setting: ConverterSetting) -> Performance:
    if setting.zone is not None:
        return perform_zone(song, setting.zone, setting.rules, controllers=setting.controllers)
    return perform(
        song,
        setting.channel,
        setting.rules,
        bend_semitones=setting.bend_semitones,
        controllers=setting.controllers,
    )


def render_song(song: Song, setting: ConverterSetting) -> Rendered:
    """Raises `InputError` where nothing of the song is for the converter."""
    made = _performed(song, setting)
    seconds, signals, silent = song.seconds, [], set()
    followed_by: dict[str, Course] = {}
    late: FloatArray | None = None
    if setting.by_cable:
        beats = _sent_beats(song, setting)
        seconds, came = wire_shared(seconds, song.byte_counts, beats)
        late = came - beats
    for voice, (track, ending) in enumerate(zip(made.tracks, made.endings, strict=True)):
        if not track.notes.stamps.size:
            continue  # a voice that the song never needs
        pitch, without = pitch_steps_of(
            made, voice, seconds, setting.law, setting.tuning, with_bend=setting.bend_into_pitch
        )
        silent |= set(without)
        own: tuple[tuple[Kind, Steps], ...] = (
            ("pitch", pitch),
            ("gate", gate_steps(track, seconds, setting.gate, setting.gap_seconds)),
            ("trigger", trigger_steps(track, seconds, setting.trigger_seconds, setting.trigger)),
            ("velocity", velocity_steps(track, seconds, setting.velocity)),
        )
        levels = {"gate": setting.gate, "trigger": setting.trigger}
        signals += [Signal(f"{kind}{ending}", kind, one, voice, levels.get(kind)) for kind, one in own]
        for name, courses in (("pressure", made.pressures), ("timbre", made.timbres)):
            if courses:
                followed_by[f"{name}{ending}"] = courses[voice]
                made_of = course_steps(courses[voice], seconds, setting.modulation)
                signals.append(Signal(f"{name}{ending}", "controller", made_of, voice))
    followed_by["bend"] = made.bend.wheel
    signals.append(Signal("bend", "bend", bend_steps(made, seconds, setting.bend)))
    for number in setting.controllers:
        name = "mod" if number == MODULATION else f"cc{number}"
        followed_by[name] = made.controllers[number]
        made_of = course_steps(made.controllers[number], seconds, setting.level_of(number))
        signals.append(Signal(name, "controller", made_of))
    clocks, jumps = _clocks(song, setting)
    if late is not None and late.size:
        beats = _sent_beats(song, setting)
        clocks = [(name, one if name in (RUN, RESET) else _delayed(one, beats, late)) for name, one in clocks]
    signals += [Signal(name, "clock", pulse_steps(one, setting.clock), level=setting.clock) for name, one in clocks]
    falls = [one.steps.seconds[-1] for one in signals if one.kind in ("trigger", "clock")]
    return Rendered(
        setting,
        made,
        seconds,
        tuple(signals),
        float(max([song.end_seconds, float(seconds[-1]), *falls])),
        tuple(sorted(silent)),
        jumps,
        (float(late.min()), float(late.max())) if late is not None and late.size else None,
        followed_by,
    )


def _sent_beats(song: Song, setting: ConverterSetting) -> FloatArray:
    """When a sender puts out its 24 clocks a quarter note; none where nothing follows them."""
    if not setting.clocks or song.beats:
        return np.zeros(0)
    count = int(np.ceil(song.end_tick / song.tempo.quarter_ticks * CLOCKS_A_QUARTER - 1e-9))
    if count > MOST_PULSES:
        raise InputError(f"A clock would give {count} pulses; at most {MOST_PULSES} are made.")
    return song.tempo.seconds_at(np.arange(count) * song.tempo.quarter_ticks / CLOCKS_A_QUARTER)


def _delayed(stream: Pulses, beats: FloatArray, late: FloatArray) -> Pulses:
    """A clock's pulses as late as the sender's clock that each follows."""
    at = np.maximum(np.searchsorted(beats, stream.rises_seconds + 1e-9, side="right") - 1, 0)
    return Pulses(stream.rises_seconds + late[at], stream.falls_seconds + late[at])


def _clocks(song: Song, setting: ConverterSetting) -> tuple[list[tuple[str, Pulses]], tuple[tuple[float, int], ...]]:
    """(name and pulses of each clock, of run and of reset; where a sender's clock went on elsewhere)."""
    named = [(clock_name(one), one) for one in setting.clocks]
    if song.beats:
        spans, jumps = followed(song.beats, named, setting.clock_seconds, song.end_seconds)
        wanted = [name for name, _ in named] + ([RUN, RESET] if setting.transport else [])
        return [(name, pulses(spans[name])) for name in wanted], tuple(jumps)
    lead = setting.reset_leads_seconds if setting.transport else 0.0
    made = []
    for name, per_quarter in named:
        one = clock_pulses(
            song.tempo,
            song.end_tick,
            per_quarter,
            seconds=setting.clock_seconds,
            share=setting.clock_share,
            swing=setting.swing,
        )
        made.append((name, Pulses(one.rises_seconds + lead, one.falls_seconds + lead)))
    if setting.transport:
        made.append((RUN, Pulses(np.zeros(1), np.array([max(song.end_seconds, setting.clock_seconds)]))))
        made.append((RESET, Pulses(np.zeros(1), np.array([setting.clock_seconds]))))
    return made, ()
