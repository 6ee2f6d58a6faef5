"""Which of the held keys sound, on which voice, and why each edge comes: the converter's state, message by message.

A file and a live port go through the same states.  What a message changes is noted with its stamp, a number that its
source counts messages with, so that a reason can always be shown with the bytes that it comes from.

Source: MIDI 1.0, controllers 64 and 120 to 127; the choice among held keys is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

Priority = Literal["last", "low", "high", "first"]
Allocation = Literal["rotate", "reuse", "lowest"]
FiresOn = Literal["every-press", "new-pitch"]
MOST_VOICES: Final = 8


class Why(IntEnum):
    """What makes a voice do something."""

    PRESS = 0
    RELEASE = 1
    FALLBACK = 2
    PEDAL = 3
    ALL_NOTES_OFF = 4
    SILENCE = 5


# A note of what a voice did is one number, so that a long song stays small: the stamp, and below it what it did.
_SHIFT: Final = 8
UP: Final = 0x80
_PRESS: Final = Why.PRESS  # is 0: nothing has to be added for it


@dataclass(frozen=True, eq=False)
class Marks:
    """What was done at which messages: `stamps` and `values`, (N,) each, in order."""

    stamps: NDArray[np.int64]
    values: NDArray[np.int64]


class VoiceTrack:
    """What one voice was made to do."""

    def __init__(self) -> None:
        self._notes: list[int] = []
        self._gates: list[int] = []
        self._fires: list[int] = []
        self._velocities: list[int] = []
        self.sound, self.fire = self._notes.append, self._fires.append
        self.gate, self.strike = self._gates.append, self._velocities.append

    @property
    def notes(self) -> Marks:
        """The notes that it sounds."""
        return _marks(self._notes)

    @property
    def gates(self) -> Marks:
        """1 where its gate goes up, 0 where it goes down."""
        made = _marks(self._gates)
        return Marks(made.stamps, made.values >> 7)

    @property
    def gate_reasons(self) -> list[Why]:
        """Why each edge of its gate comes."""
        return [Why(one & 0x7F) for one in self._gates]

    @property
    def fires(self) -> Marks:
        """Where its trigger fires; the values are of `Why`."""
        return _marks(self._fires)

    @property
    def velocities(self) -> Marks:
        """The velocities of the presses that it sounds."""
        return _marks(self._velocities)


def _marks(rows: list[int]) -> Marks:
    made = np.array(rows, np.int64)
    return Marks(made >> _SHIFT, made & 0xFF)


@dataclass(frozen=True)
class VoiceRules:
    """voices : 1 to 8.  priority : which keys sound where more are held than there are voices.  allocation : which free
    voice a key gets: the next in turn, the one that played it last, or the lowest."""

    voices: int = 1
    priority: Priority = "last"
    allocation: Allocation = "rotate"
    fires_on: FiresOn = "every-press"


@dataclass(frozen=True)
class Seats:
    """How voices stand: keys, in the order pressed, whether each is down itself; the pedal; what each voice sounds,
    sounded last, and was struck with last (None for never); which was taken last."""

    keys: dict[int, bool]
    pedal: bool
    sounding: tuple[int | None, ...]
    last_notes: tuple[int | None, ...]
    velocities: tuple[int | None, ...]
    turn: int


class Voices:
    """The keys that are down or held by the pedal, and the voices that sound some of them."""

    def __init__(self, rules: VoiceRules = VoiceRules()) -> None:
        self.rules = rules
        self.tracks = [VoiceTrack() for _ in range(rules.voices)]
        self.sounding: list[int | None] = [None] * rules.voices
        self.pedal = False
        # By note, in the order in which they were pressed: whether the key itself is down.
        self.keys: dict[int, bool] = {}
        self._last_note: list[int | None] = [None] * rules.voices
        self._turn = -1
        self._on_press = rules.fires_on == "every-press"

    # -- messages ------------------------------------------------------------------------------------

    def press(self, stamp: int, note: int, velocity: int) -> None:
        """A key goes down; one that is down already counts as newly pressed."""
        keys = self.keys
        keys.pop(note, None)
        keys[note] = True
        voice = self._settle(stamp, Why.PRESS, note)
        if voice is not None:
            track = self.tracks[voice]
            track.strike(stamp << _SHIFT | velocity)
            if self._on_press:
                track.fire(stamp << _SHIFT)

    def release(self, stamp: int, note: int) -> None:
        """A key goes up; the pedal holds it."""
        if note not in self.keys:
            return
        if self.pedal:
            self.keys[note] = False
            return
        del self.keys[note]
        self._settle(stamp, Why.RELEASE, None)

    def hold(self, stamp: int, down: bool) -> None:
        """The pedal; what it alone holds goes when it rises."""
        self.pedal = down
        if not down and not all(self.keys.values()):
            self.keys = {note: True for note, is_down in self.keys.items() if is_down}
            self._settle(stamp, Why.PEDAL, None)

    def release_all(self, stamp: int) -> None:
        """Every key goes up; a held pedal still holds them."""
        if self.pedal:
            self.keys = dict.fromkeys(self.keys, False)
        elif self.keys:
            self.keys = {}
            self._settle(stamp, Why.ALL_NOTES_OFF, None)

    def silence(self, stamp: int) -> None:
        """Nothing is held any more, not even by the pedal."""
        if self.keys:
            self.keys = {}
            self._settle(stamp, Why.SILENCE, None)

    # -- how they stand ------------------------------------------------------------------------------

    def seats(self, velocities: Sequence[int | None]) -> Seats:
        """velocities : with which each voice was struck last."""
        keys, sounding, last = dict(self.keys), tuple(self.sounding), tuple(self._last_note)
        return Seats(keys, self.pedal, sounding, last, tuple(velocities), self._turn)

    def take_seats(self, stamp: int, seats: Seats) -> None:
        """Stand as others did; each voice goes to where it has to be.  seats : of as many voices."""
        packed = stamp << _SHIFT
        for track, had, note, last, velocity in zip(
            self.tracks, self.sounding, seats.sounding, seats.last_notes, seats.velocities, strict=True
        ):
            if last is not None:
                track.sound(packed | last)
            if velocity is not None:
                track.strike(packed | velocity)
            if (had is None) != (note is None):
                track.gate(packed | (Why.RELEASE if note is None else UP | _PRESS))
        self.keys, self.pedal = dict(seats.keys), seats.pedal
        self.sounding, self._last_note, self._turn = list(seats.sounding), list(seats.last_notes), seats.turn

    # -- who sounds ----------------------------------------------------------------------------------

    def _settle(self, stamp: int, why: Why, pressed: int | None) -> int | None:
        """As many of the best keys sound as there are voices, each where it is; the others get voices that are free.

        Gives the voice on which the pressed key sounds.
        """
        chosen = self._chosen()
        left: list[tuple[int, int]] = []
        for voice, note in enumerate(self.sounding):
            if note is not None and note not in chosen:
                left.append((voice, note))
                self.sounding[voice] = None
        playing = {note for note in self.sounding if note is not None}
        before = dict(left)
        for note in chosen:
            if note in playing:
                continue
            voice = self._free_voice(note, before)
            self._take(voice, stamp, note, why if note == pressed else Why.FALLBACK, before.pop(voice, None))
        for voice in before:
            self.tracks[voice].gate(stamp << _SHIFT | why)
        return self.sounding.index(pressed) if pressed is not None and pressed in chosen else None

    def _chosen(self) -> list[int]:
        """The keys that sound, the one that has been held longest first."""
        keys, count, priority = list(self.keys), self.rules.voices, self.rules.priority
        if len(keys) <= count:
            return keys
        if priority == "last":
            return keys[-count:]
        if priority == "first":
            return keys[:count]
        best = set(sorted(keys, reverse=priority == "high")[:count])
        return [note for note in keys if note in best]

    def _free_voice(self, note: int, before: dict[int, int]) -> int:
        """A voice for a key: one that has been silent sooner than one that has just been left."""
        free = [voice for voice, sounds in enumerate(self.sounding) if sounds is None]
        quiet = [voice for voice in free if voice not in before] or free
        if self.rules.allocation == "lowest":
            return quiet[0]
        if self.rules.allocation == "reuse":
            same = [voice for voice in quiet if self._last_note[voice] == note]
            if same:
                return same[0]
        count = self.rules.voices
        return min(quiet, key=lambda voice: (voice - self._turn - 1) % count)

    def _take(self, voice: int, stamp: int, note: int, why: Why, before: int | None) -> None:
        """A voice sounds another key than before; None before: it was silent."""
        track = self.tracks[voice]
        self.sounding[voice] = self._last_note[voice] = note
        self._turn = voice
        track.sound(stamp << _SHIFT | note)
        if before is None:
            track.gate(stamp << _SHIFT | UP | why)
        if not self._on_press:
            track.fire(stamp << _SHIFT | why)


def _last(keys: dict[int, bool]) -> int:
    return next(reversed(keys))


def _first(keys: dict[int, bool]) -> int:
    return next(iter(keys))


def _low(keys: dict[int, bool]) -> int:
    return min(keys)


def _high(keys: dict[int, bool]) -> int:
    return max(keys)


_BEST: Final[dict[Priority, Callable[[dict[int, bool]], int]]] = {
    "last": _last,
    "low": _low,
    "high": _high,
    "first": _first,
}


class OneVoice(Voices):
    """The same with a single voice, which is asked for its best key only where that may be another one."""

    def __init__(self, rules: VoiceRules) -> None:
        super().__init__(rules)
        self._best = _BEST[rules.priority]
        self._takes_last = rules.priority == "last"

    def press(self, stamp: int, note: int, velocity: int) -> None:
        keys, before, track = self.keys, self.sounding[0], self.tracks[0]
        keys.pop(note, None)
        keys[note] = True
        best = note if self._takes_last else self._best(keys)
        if best != before:
            self._take(0, stamp, best, _PRESS if best == note else Why.FALLBACK, before)
        if best == note:
            track.strike(stamp << _SHIFT | velocity)
        if self._on_press:  # also one that does not sound
            track.fire(stamp << _SHIFT)

    def release(self, stamp: int, note: int) -> None:
        if self.pedal or note == self.sounding[0]:
            super().release(stamp, note)
        else:
            self.keys.pop(note, None)

    def _settle(self, stamp: int, why: Why, pressed: int | None) -> int | None:
        before = self.sounding[0]
        if not self.keys:
            if before is not None:
                self.sounding[0] = None
                self.tracks[0].gate(stamp << _SHIFT | why)
        elif before not in self.keys:
            self._take(0, stamp, self._best(self.keys), Why.FALLBACK, before)
        return None


def voices_for(rules: VoiceRules) -> Voices:
    """The state of a converter, nothing held."""
    return OneVoice(rules) if rules.voices == 1 else Voices(rules)
