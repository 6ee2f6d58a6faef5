"""Which of the held keys sound, on which voice, and why each edge comes: the converter's state, message by message.

A file and a live port go through the same states.  What a message changes is noted with its stamp, a number that its
source counts messages with, so that a reason can always be shown with the bytes that it comes from.

Source: MIDI 1.0, controllers 64 and 120 to 127; the choice among held keys is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import IntEnum
from typing import Final, Literal

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


@dataclass
class VoiceTrack:
    """What one voice was made to do, each list in order.

    notes : (stamp, note).  gates : (stamp, up, why).  fires : (stamp, why).  velocities : (stamp, velocity).
    """

    notes: list[tuple[int, int]] = field(default_factory=list)
    gates: list[tuple[int, bool, Why]] = field(default_factory=list)
    fires: list[tuple[int, Why]] = field(default_factory=list)
    velocities: list[tuple[int, int]] = field(default_factory=list)


@dataclass(frozen=True)
class VoiceRules:
    """voices : 1 to 8.  priority : which keys sound where more are held than there are voices.  allocation : which free
    voice a key gets: the next in turn, the one that played it last, or the lowest."""

    voices: int = 1
    priority: Priority = "last"
    allocation: Allocation = "rotate"
    fires_on: FiresOn = "every-press"


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
        self._settle: Callable[[int, Why, int | None], int | None] = (
            self._settle_one if rules.voices == 1 else self._settle_many
        )

    # -- messages ------------------------------------------------------------------------------------

    def press(self, stamp: int, note: int, velocity: int) -> None:
        """A key goes down; one that is down already counts as newly pressed."""
        keys = self.keys
        keys.pop(note, None)
        keys[note] = True
        voice = self._settle(stamp, Why.PRESS, note)
        if voice is not None and self.sounding[voice] == note:
            track = self.tracks[voice]
            if not track.velocities or track.velocities[-1][1] != velocity:
                track.velocities.append((stamp, velocity))
        if self._on_press and (voice is not None or self.rules.voices == 1):
            self.tracks[voice or 0].fires.append((stamp, Why.PRESS))

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

    # -- who sounds ----------------------------------------------------------------------------------

    def _settle_one(self, stamp: int, why: Why, pressed: int | None) -> int | None:
        """One voice: the best key sounds.  Gives the voice if the pressed key sounds on it."""
        keys, before = self.keys, self.sounding[0]
        track = self.tracks[0]
        if not keys:
            if before is not None:
                self.sounding[0] = None
                track.gates.append((stamp, False, why))
            return None
        priority = self.rules.priority
        if priority == "last":
            best = next(reversed(keys))
        elif priority == "low":
            best = min(keys)
        elif priority == "high":
            best = max(keys)
        else:
            best = next(iter(keys))
        if best != before:
            self._take(0, stamp, best, why if best == pressed else Why.FALLBACK, before)
        return 0 if best == pressed else None

    def _settle_many(self, stamp: int, why: Why, pressed: int | None) -> int | None:
        """Several voices: as many of the best keys sound, each where it is; the others get voices that are free."""
        chosen = self._chosen()
        left: list[tuple[int, int]] = []
        for voice, note in enumerate(self.sounding):
            if note is not None and note not in chosen:
                left.append((voice, note))
                self.sounding[voice] = None
        placed = None
        playing = {note for note in self.sounding if note is not None}
        before = dict(left)
        for note in chosen:
            if note in playing:
                continue
            voice = self._free_voice(note, before)
            self._take(voice, stamp, note, why if note == pressed else Why.FALLBACK, before.pop(voice, None))
        for voice in before:
            self.tracks[voice].gates.append((stamp, False, why))
        if pressed is not None and pressed in chosen:
            placed = self.sounding.index(pressed)
        return placed

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
        if not track.notes or track.notes[-1][1] != note:
            track.notes.append((stamp, note))
        if before is None:
            track.gates.append((stamp, True, why))
        if not self._on_press:
            track.fires.append((stamp, why))
