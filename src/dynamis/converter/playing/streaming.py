"""A converter that is given messages as they come, and tells each change of its jacks at once.

It goes through the same states as a song that is played whole; what it tells is what that would draw, but for messages
of one and the same instant, which come one after the other here, and for a zone of MPE whose members change while it
is played: a song has the last that it names from its beginning.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType

import numpy as np

from dynamis.control.stepped import FloatArray
from dynamis.converter.playing.controls import (
    CENTRE,
    MODULATION,
    PARAMETERS,
    RESET,
    BendRange,
)
from dynamis.converter.playing.following import RESET as RESET_JACK
from dynamis.converter.playing.following import RUN, TRANSPORT, Beat, Follower
from dynamis.converter.playing.live_jacks import MOST_DATA, LiveJacks, Tell
from dynamis.converter.playing.mpe import (
    MASTER_SEMITONES,
    MEMBER_SEMITONES,
    TIMBRE,
    TIMBRE_REST,
    MemberCount,
    members_of,
    rules_of_members,
)
from dynamis.converter.playing.performance import RESET_TO, heed, obey
from dynamis.converter.playing.rendering import ConverterSetting, clock_name
from dynamis.converter.playing.song import Song
from dynamis.converter.playing.voices import MOST_VOICES, UP, Voices, VoiceTrack, voices_for
from dynamis.pitch.key_tuning import KEYS

_WHEEL_STEPS = 16384.0
# Volts for notes, (N,) each.
Sender = Callable[[FloatArray], FloatArray]


class _LiveTrack(VoiceTrack):
    """What one voice does goes to the jacks at once instead of being kept."""

    def __init__(self, live: LiveConverter, voice: int) -> None:
        super().__init__()
        self.sound = lambda packed: live.sounds(voice, packed & 0x7F)
        self.gate = lambda packed: live.jacks.gate(voice, live.now, bool(packed & UP))
        self.fire = lambda packed: live.jacks.fire(voice, live.now)
        self.strike = lambda packed: live.jacks.strike(voice, live.now, packed & 0x7F)


class _Wheel:
    """Where a wheel stands, and how far it reaches; the members of a zone share their reach."""

    def __init__(self, reach: BendRange) -> None:
        self.stands, self.reach = CENTRE, reach

    @property
    def octaves(self) -> float:
        return (self.stands - CENTRE) / CENTRE * self.reach.semitones / 12.0


class LiveConverter:
    """tell : is given the name of a signal, when, and its volts from then on; in time order of each signal, and not how
    they begin, which `stands` gives.  before : what has come already, and is told nobody.  senders : by the names of
    pitches, what puts out volts for notes instead of the law, such as the codes of a correction.

    Of a zone the first eight members are voices, each by its place; `names` : of its signals.
    """

    def __init__(
        self,
        setting: ConverterSetting,
        tell: Tell,
        before: Song | None = None,
        senders: Mapping[str, Sender] = MappingProxyType({}),
    ) -> None:
        self.setting, self.now, self._senders = setting, 0.0, senders
        zone, rules = setting.zone, setting.rules
        count = rules.voices if zone is None else MOST_VOICES
        endings = tuple(str(voice + 1) if setting.several else "" for voice in range(count))
        self.jacks = LiveJacks(setting, endings, tell)
        tracks = [_LiveTrack(self, voice) for voice in range(count)]
        # Those that share channels: all of them, or in a zone each for itself.
        self._parts: list[Voices] = []
        for own in [tracks] if zone is None else [[one] for one in tracks]:
            part = voices_for(rules if zone is None else rules_of_members(rules))
            part.tracks = list(own)
            self._parts.append(part)
        self._members = MemberCount()
        self._notes: list[int | None] = [None] * count
        self._wheel = _Wheel(BendRange(setting.bend_semitones if zone is None else MASTER_SEMITONES))
        self._reach = BendRange(MEMBER_SEMITONES)
        self._own_wheels = [] if zone is None else [_Wheel(self._reach) for _ in tracks]
        with np.errstate(over="ignore"):
            octaves = setting.tuning.octaves(np.arange(KEYS, dtype=float), setting.law.reference_note)
            plays = np.isfinite(setting.law.volts(octaves))
        self._plays = (plays & np.isfinite(octaves)).tolist()
        self._octaves_of = octaves.tolist()
        clocks = [(clock_name(one), one) for one in setting.clocks]
        self._follower = Follower(clocks, setting.clock_seconds, self.jacks.pulse, self.jacks.fall)
        self._begin([name for name, _ in clocks] + ([RUN, RESET_JACK] if setting.transport else []))
        if before is not None:
            self._play(before)
        self.jacks.silent = False

    def _begin(self, clocks: list[str]) -> None:
        setting, jacks = self.setting, self.jacks
        rest = float(setting.law.volts(np.zeros(1))[0])
        for ending in jacks.endings:
            for name, volts in (
                (f"pitch{ending}", rest),
                (f"gate{ending}", setting.gate.low),
                (f"trigger{ending}", setting.trigger.low),
                (f"velocity{ending}", setting.velocity.low),
            ):
                jacks.put(name, 0.0, volts)
            if setting.zone is not None:
                jacks.put_share(f"pressure{ending}", 0.0, setting.modulation, 0.0)
                jacks.put_share(f"timbre{ending}", 0.0, setting.modulation, TIMBRE_REST / MOST_DATA)
        jacks.put_share("bend", 0.0, setting.bend, CENTRE / _WHEEL_STEPS)
        for number in setting.controllers:
            self._controller(number, MOST_DATA if number == 11 else 0.0)
        for name in clocks:
            jacks.put(name, 0.0, setting.clock.low)

    def _play(self, song: Song) -> None:
        """All messages of a song, and the clock of its sender."""
        beats = list(song.beats)
        columns = (song.seconds, song.statuses, song.first_bytes, song.second_bytes)
        seats = song.seats if len(self._parts) == 1 else None  # members of a zone stand each for itself
        for stamp, (seconds, *row) in enumerate(zip(*(column.tolist() for column in columns), strict=True)):
            while beats and beats[0].seconds <= seconds:
                self._beat(beats.pop(0))
            if seats is not None and stamp == song.over:
                self._parts[0].take_seats(0, seats)
            self.take(seconds, *row)
        for beat in beats:
            self._beat(beat)

    def _beat(self, beat: Beat) -> None:
        self.settle(beat.seconds)
        self.now = beat.seconds
        self._follower.take(beat)

    @property
    def names(self) -> list[str]:
        return list(self.jacks.stands)

    def stands(self, name: str) -> float:
        """The volts of a signal now."""
        return self.jacks.stands[name]

    def note_at(self, pitch: str) -> float | None:
        """The note that a pitch jack gives, fractions by the wheel where that moves it; None before the first."""
        voice = self.jacks.endings.index(pitch.removeprefix("pitch"))
        note = self._notes[voice]
        return None if note is None else note + 12.0 * self._bent(voice)

    def _bent(self, voice: int) -> float:
        """What wheels add to the pitch of a voice, octaves."""
        if not self.setting.bend_into_pitch:
            return 0.0
        return self._wheel.octaves + (self._own_wheels[voice].octaves if self._own_wheels else 0.0)

    # -- messages ------------------------------------------------------------------------------------

    def take(self, seconds: float, status: int, first: int = 0, second: int = 0) -> None:
        """A message, never ahead of one that was taken."""
        if status in TRANSPORT:
            self._beat(Beat(seconds, status, first | second << 7))
            return
        self.settle(seconds)
        self.now = seconds
        if status >= 0xF0:
            return
        self.jacks.begin_message()
        kind, channel, setting = status & 0xF0, (status & 0x0F) + 1, self.setting
        if setting.zone is not None:
            where = members_of(setting.zone, self._members.count)
            if channel == where.master:
                self._of_master(kind, first, second)
            elif channel in where.members:
                self._of_member(where.members.index(channel), kind, first, second)
        elif setting.channel in (None, channel):
            heed(self._parts[0], 0, kind, first, second)
            self._of_all(kind, first, second)

    def _of_all(self, kind: int, first: int, second: int) -> None:
        """The wheel and the controllers that all voices have together."""
        if kind == 0xE0:
            self._turn(first | second << 7)
        elif kind == 0xB0 and first == RESET:
            self._wheel.reach.reset()
            self._turn(CENTRE)
            for number in self.setting.controllers:
                if number in RESET_TO:
                    self._controller(number, float(RESET_TO[number]))
        elif kind == 0xB0:
            if first in PARAMETERS and self._wheel.reach.control(first, second):
                self._move_pitches()
            if first in self.setting.controllers:
                self._controller(first, float(second))

    def _of_master(self, kind: int, first: int, second: int) -> None:
        if kind == 0xB0:
            for part in self._parts:
                obey(part, 0, first, second)
            if self._members.control(first, second):
                for part in self._parts[self._members.count :]:  # no voices any more
                    part.silence(0)
        self._of_all(kind, first, second)

    def _of_member(self, place: int, kind: int, first: int, second: int) -> None:
        """place : of the member, from 0; the reach of wheels that any of them sets is that of all."""
        if kind == 0xB0 and first == RESET:
            self._reach.reset()
        elif kind == 0xB0 and first in PARAMETERS and self._reach.control(first, second):
            self._move_pitches()
        if place >= len(self._parts):
            return
        heed(self._parts[place], 0, kind, first, second)
        ending, level, reset = self.jacks.endings[place], self.setting.modulation, kind == 0xB0 and first == RESET
        if kind == 0xE0 or reset:
            self._own_wheels[place].stands = CENTRE if reset else first | second << 7
            self._move_pitch(place)
        if kind == 0xD0 or reset:
            self.jacks.put_share(f"pressure{ending}", self.now, level, 0.0 if reset else first / MOST_DATA)
        elif kind == 0xB0 and first == TIMBRE:
            self.jacks.put_share(f"timbre{ending}", self.now, level, second / MOST_DATA)

    def silence(self, seconds: float) -> None:
        """Let everything go, on every channel."""
        self.settle(seconds)
        self.now = seconds
        for part in self._parts:
            part.silence(0)

    def settle(self, seconds: float) -> None:
        """What comes due before an instant: pulses that fall, gaps that are over, clocks between two of a sender."""
        while (next_due := self.next_due()) < seconds:
            if self._follower.next_due() == next_due:  # a pulse that rises as one falls restarts its length
                self._follower.settle_one()
            else:
                self.jacks.settle_one()

    def next_due(self) -> float:
        """When something comes due, infinity where nothing does."""
        return min(self._follower.next_due(), self.jacks.next_due)

    # -- pitch, wheel, controllers -------------------------------------------------------------------

    def sounds(self, voice: int, note: int) -> None:
        """A voice sounds a note from now on."""
        if self._plays[note]:
            self._notes[voice] = note
            self._move_pitch(voice)

    def _turn(self, wheel: int) -> None:
        self._wheel.stands = wheel
        self.jacks.put_share("bend", self.now, self.setting.bend, wheel / _WHEEL_STEPS)
        self._move_pitches()

    def _move_pitches(self) -> None:
        if self.setting.bend_into_pitch:
            for voice in range(len(self._notes)):
                self._move_pitch(voice)

    def _move_pitch(self, voice: int) -> None:
        note = self._notes[voice]
        if note is None:
            return
        name, bent = f"pitch{self.jacks.endings[voice]}", self._bent(voice)
        if name in self._senders:
            volts = float(self._senders[name](np.array([note + 12.0 * bent]))[0])
        else:
            volts = float(self.setting.law.volts(np.array([self._octaves_of[note] + bent]))[0])
        if math.isfinite(volts):
            self.jacks.put(name, self.now, volts)

    def _controller(self, number: int, value: float) -> None:
        name = "mod" if number == MODULATION else f"cc{number}"
        self.jacks.put_share(name, self.now, self.setting.level_of(number), value / MOST_DATA)


def signal_names(setting: ConverterSetting) -> list[str]:
    """What a live converter of a setting has jacks for."""
    return LiveConverter(setting, lambda name, when, volts: None).names


def in_turn(names: Sequence[str], channels: int) -> dict[str, int]:
    """A channel, from 0, for the pitch and the gate of each voice, one after the other as far as they go."""
    endings = [name.removeprefix("pitch") for name in names if name.startswith("pitch")]
    wanted = [f"{what}{ending}" for ending in endings for what in ("pitch", "gate") if f"{what}{ending}" in names]
    return dict(zip(wanted[:channels], range(channels), strict=False))


def notes_within(setting: ConverterSetting, limit_volts: float, sender: Sender | None = None) -> tuple[int, int] | None:
    """The lowest and the highest note whose volts stay within ± a limit, and where a sender's do not stand at an end;
    None where none does."""
    notes = np.arange(KEYS, dtype=float)
    with np.errstate(over="ignore", invalid="ignore"):
        octaves = setting.tuning.octaves(notes, setting.law.reference_note)
        volts = setting.law.volts(octaves) if sender is None else sender(notes)
        fits = np.abs(volts) <= limit_volts
        if sender is not None:
            moves = np.diff(volts) != 0.0
            fits &= np.append(True, moves) & np.append(moves, True)
    within = np.flatnonzero(fits)
    return (int(within[0]), int(within[-1])) if within.size else None
