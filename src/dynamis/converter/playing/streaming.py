"""A converter that is given messages as they come, and tells each change of its jacks at once.

It goes through the same states as a song that is played whole; what it tells is what that would draw, but for messages
of one and the same instant, which come one after the other here.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable

import numpy as np

from dynamis.control.stepped import Level
from dynamis.converter.playing.controls import (
    CENTRE,
    MODULATION,
    PARAMETERS,
    RESET,
    BendRange,
)
from dynamis.converter.playing.following import RESET as RESET_JACK
from dynamis.converter.playing.following import RUN, TRANSPORT, Beat, Follower
from dynamis.converter.playing.performance import RESET_TO, obey
from dynamis.converter.playing.rendering import ConverterSetting, clock_name
from dynamis.converter.playing.voices import UP, VoiceTrack, voices_for
from dynamis.errors import InputError
from dynamis.pitch.key_tuning import KEYS

_WHEEL_STEPS, _MOST_DATA = 16384.0, 127.0

Tell = Callable[[str, float, float], object]


class _LiveTrack(VoiceTrack):
    """What one voice does goes to the jacks at once instead of being kept."""

    def __init__(self, live: LiveConverter, voice: int) -> None:
        super().__init__()
        self.sound = lambda packed: live.sounds(voice, packed & 0x7F)
        self.gate = lambda packed: live.gates(voice, bool(packed & UP))
        self.fire = lambda packed: live.fires(voice)
        self.strike = lambda packed: live.strikes(voice, packed & 0x7F)


class LiveConverter:
    """tell : is given the name of a signal, when, and its volts from then on; in time order of each signal.

    names : of its signals.  Raises `InputError` for a zone of MPE, whose voices a song has to name first.
    """

    def __init__(self, setting: ConverterSetting, tell: Tell) -> None:
        if setting.zone is not None:
            raise InputError("A zone is not played live by outputs: choose a channel, or all of them.")
        self.setting, self._tell = setting, tell
        self._voices = voices_for(setting.rules)
        self._voices.tracks = [_LiveTrack(self, voice) for voice in range(setting.rules.voices)]
        count = setting.rules.voices
        self._ending = [str(voice + 1) if count > 1 else "" for voice in range(count)]
        self._now = 0.0
        self._notes: list[int | None] = [None] * count
        self._up = [False] * count  # what a gate is, gaps apart
        self._was_up = list(self._up)  # ahead of the message
        self._gap_until = [-math.inf] * count
        self._fired_until = [-math.inf] * count
        self._due: list[tuple[float, int, Callable[[float], object]]] = []
        self._order = 0
        self._wheel, self._range = CENTRE, BendRange(setting.bend_semitones)
        with np.errstate(over="ignore"):
            self._octaves = setting.tuning.octaves(np.arange(KEYS, dtype=float), setting.law.reference_note)
            plays = np.isfinite(setting.law.volts(self._octaves))
        self._plays = (plays & np.isfinite(self._octaves)).tolist()
        self._octaves_of = self._octaves.tolist()
        self._stands: dict[str, float] = {}
        clocks = [(clock_name(one), one) for one in setting.clocks]
        self._follower = Follower(clocks, setting.clock_seconds, self._pulse, self._falls)
        self._pulse_until: dict[str, float] = {}
        self._begin([name for name, _ in clocks] + ([RUN, RESET_JACK] if setting.transport else []))

    def _begin(self, clocks: list[str]) -> None:
        setting = self.setting
        rest = float(setting.law.volts(np.zeros(1))[0])
        for ending in self._ending:
            for name, volts in (
                (f"pitch{ending}", rest),
                (f"gate{ending}", setting.gate.low),
                (f"trigger{ending}", setting.trigger.low),
                (f"velocity{ending}", setting.velocity.low),
            ):
                self._put(name, 0.0, volts)
        self._put("bend", 0.0, _of(setting.bend, CENTRE / _WHEEL_STEPS))
        for number in setting.controllers:
            self._controller(0.0, number, _MOST_DATA if number == 11 else 0.0)
        for name in clocks:
            self._put(name, 0.0, setting.clock.low)

    @property
    def names(self) -> list[str]:
        return list(self._stands)

    def stands(self, name: str) -> float:
        """The volts of a signal now."""
        return self._stands[name]

    def note(self, voice: int) -> float | None:
        """The note that a voice sounds, fractions by the wheel where that moves the pitch; None before the first."""
        note = self._notes[voice]
        return None if note is None else note + 12.0 * self._bent

    @property
    def _bent(self) -> float:
        """What the wheel adds to the pitch, octaves."""
        if not self.setting.bend_into_pitch:
            return 0.0
        return (self._wheel - CENTRE) / CENTRE * self._range.semitones / 12.0

    # -- messages ------------------------------------------------------------------------------------

    def take(self, seconds: float, status: int, first: int = 0, second: int = 0) -> None:
        """A message, never ahead of one that was taken."""
        self.settle(seconds)
        self._now = seconds
        if status in TRANSPORT:
            self._follower.take(Beat(seconds, status, first | second << 7))
            return
        kind = status & 0xF0
        if status >= 0xF0 or (self.setting.channel is not None and (status & 0x0F) + 1 != self.setting.channel):
            return
        self._was_up = list(self._up)
        voices = self._voices
        if kind == 0x90 and second:
            voices.press(0, first, second)
        elif kind in (0x80, 0x90):
            voices.release(0, first)
        elif kind == 0xE0:
            self._turn(first | second << 7)
        elif kind == 0xB0:
            self._control(first, second)

    def _control(self, first: int, second: int) -> None:
        obey(self._voices, 0, first, second)
        if first == RESET:
            self._range.reset()
            self._turn(CENTRE)
            for number in self.setting.controllers:
                if number in RESET_TO:
                    self._controller(self._now, number, float(RESET_TO[number]))
            return
        if first in PARAMETERS and self._range.control(first, second):
            self._move_pitch()
        if first in self.setting.controllers:
            self._controller(self._now, first, float(second))

    def silence(self, seconds: float) -> None:
        """Let everything go, on every channel."""
        self.settle(seconds)
        self._now = seconds
        self._voices.silence(0)

    def settle(self, seconds: float) -> None:
        """What comes due before an instant: pulses that fall, gaps that are over, clocks between two of a sender."""
        while (next_due := self.next_due()) < seconds:
            if self._follower.next_due() == next_due:  # a pulse that rises as one falls restarts its length
                self._follower.settle_one()
            else:
                when, _, work = heapq.heappop(self._due)
                work(when)

    def next_due(self) -> float:
        """When something comes due, infinity where nothing does."""
        return min(self._follower.next_due(), self._due[0][0] if self._due else math.inf)

    # -- what voices do ------------------------------------------------------------------------------

    def sounds(self, voice: int, note: int) -> None:
        if self._plays[note]:
            self._notes[voice] = note
            self._put_pitch(voice)

    def gates(self, voice: int, up: bool) -> None:
        self._up[voice] = up
        self._put_gate(voice, self._now)

    def strikes(self, voice: int, velocity: int) -> None:
        self._put(f"velocity{self._ending[voice]}", self._now, _of(self.setting.velocity, velocity / _MOST_DATA))
        gap = self.setting.gap_seconds
        if gap > 0.0 and self._was_up[voice]:
            self._gap_until[voice] = self._now + gap
            self._put_gate(voice, self._now)
            self._later(self._now + gap, lambda when: self._put_gate(voice, when))

    def fires(self, voice: int) -> None:
        name, length = f"trigger{self._ending[voice]}", self.setting.trigger_seconds
        self._fired_until[voice] = until = self._now + length
        self._put(name, self._now, self.setting.trigger.high)

        def over(when: float) -> None:
            if when >= self._fired_until[voice]:  # no press has restarted its length
                self._put(name, when, self.setting.trigger.low)

        self._later(until, over)

    def _put_gate(self, voice: int, when: float) -> None:
        level = self.setting.gate
        up = self._up[voice] and when >= self._gap_until[voice]
        self._put(f"gate{self._ending[voice]}", when, level.high if up else level.low)

    # -- wheel, controllers, clocks ------------------------------------------------------------------

    def _turn(self, wheel: int) -> None:
        self._wheel = wheel
        self._put("bend", self._now, _of(self.setting.bend, wheel / _WHEEL_STEPS))
        self._move_pitch()

    def _move_pitch(self) -> None:
        if self.setting.bend_into_pitch:
            for voice, note in enumerate(self._notes):
                if note is not None:
                    self._put_pitch(voice)

    def _put_pitch(self, voice: int) -> None:
        note = self._notes[voice]
        assert note is not None
        octaves = self._octaves_of[note] + self._bent
        self._put(f"pitch{self._ending[voice]}", self._now, float(self.setting.law.volts(np.array([octaves]))[0]))

    def _controller(self, when: float, number: int, value: float) -> None:
        name = "mod" if number == MODULATION else f"cc{number}"
        self._put(name, when, _of(self.setting.level_of(number), value / _MOST_DATA))

    def _pulse(self, name: str, rise: float, fall: float) -> None:
        if name not in self._stands:
            return  # no jack
        self._pulse_until[name] = max(fall, self._pulse_until.get(name, fall))
        self._put(name, rise, self.setting.clock.high)
        if math.isfinite(fall):
            self._later(fall, lambda when: self._falls(name, when) if when >= self._pulse_until[name] else None)

    def _falls(self, name: str, when: float) -> None:
        if name in self._stands:
            self._put(name, when, self.setting.clock.low)

    # -- jacks ---------------------------------------------------------------------------------------

    def _later(self, when: float, work: Callable[[float], object]) -> None:
        self._order += 1
        heapq.heappush(self._due, (when, self._order, work))

    def _put(self, name: str, when: float, volts: float) -> None:
        if self._stands.get(name) != volts:
            self._stands[name] = volts
            self._tell(name, when, volts)


def _of(level: Level, share: float) -> float:
    return level.low + (level.high - level.low) * share


def signal_names(setting: ConverterSetting) -> list[str]:
    """What a live converter of a setting has jacks for; raises `InputError` for a zone."""
    return LiveConverter(setting, lambda name, when, volts: None).names


def notes_within(setting: ConverterSetting, limit_volts: float) -> tuple[int, int] | None:
    """The lowest and the highest note whose volts stay within ± a limit; None where none does."""
    octaves = setting.tuning.octaves(np.arange(KEYS, dtype=float), setting.law.reference_note)
    with np.errstate(over="ignore", invalid="ignore"):
        fits = np.flatnonzero(np.abs(setting.law.volts(octaves)) <= limit_volts)
    return (int(fits[0]), int(fits[-1])) if fits.size else None
