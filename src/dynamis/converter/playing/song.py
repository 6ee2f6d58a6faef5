"""A song: MIDI messages with their times, as a file or a port gives them.

Source: RP-001, Standard MIDI Files 1.0 (ticks a quarter note or SMPTE frames, tempo in microseconds a quarter note,
120 quarter notes a minute where no tempo is given); from memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.playing.following import Beat
from dynamis.converter.playing.voices import Seats

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
USUAL_QUARTER_SECONDS: Final = 0.5
# MIDI 1.0: 31 250 baud, ten bits a byte.
BYTE_SECONDS: Final = 320e-6


@dataclass(frozen=True, eq=False)
class TempoMap:
    """Where time goes: from each of `ticks` (rising, first 0) on, at `seconds`, a tick takes `tick_seconds`; all (T,).

    quarter_ticks : of a quarter note; half a second where a file is timed by frames.
    """

    ticks: FloatArray
    seconds: FloatArray
    tick_seconds: FloatArray
    quarter_ticks: float

    def seconds_at(self, ticks: ArrayLike) -> FloatArray:
        """When ticks come, any shape."""
        asked = np.asarray(ticks, float)
        at = np.maximum(np.searchsorted(self.ticks, asked, side="right") - 1, 0)
        return np.asarray(self.seconds[at] + (asked - self.ticks[at]) * self.tick_seconds[at], float)


def tempo_map(changes: list[tuple[int, float]], quarter_ticks: float) -> TempoMap:
    """changes : (tick, seconds a quarter note) in the order in which they count; of one tick the last."""
    by_tick = {0: USUAL_QUARTER_SECONDS, **dict(sorted(changes, key=lambda one: one[0]))}
    ticks = np.array(list(by_tick), float)
    each = np.array(list(by_tick.values()), float) / quarter_ticks
    seconds = np.concatenate([[0.0], np.cumsum(np.diff(ticks) * each[:-1])])
    return TempoMap(ticks, seconds, each, quarter_ticks)


@dataclass(frozen=True, eq=False)
class Song:
    """Channel messages in the order in which they count: by tick, and of one tick as they stand, track by track.

    ticks, statuses, firsts, seconds_bytes, tracks : (N,) the tick, the status, the two bytes behind it (0 where there
    is none), and the track, from 1.  end_tick : of the last event of any kind.  names : of the tracks.
    beats : of a sender's clock, where one was followed.  over : so many messages stand for what came before; seats :
    how that left the voices, where somebody has followed it.
    """

    form: int
    ticks: IntArray
    statuses: NDArray[np.uint8]
    first_bytes: NDArray[np.uint8]
    second_bytes: NDArray[np.uint8]
    tracks: NDArray[np.int64]
    tempo: TempoMap
    end_tick: int
    names: tuple[str, ...] = ()
    beats: tuple[Beat, ...] = ()
    over: int = 0
    seats: Seats | None = None

    @property
    def seconds(self) -> FloatArray:
        """When each message comes, (N,)."""
        return self.tempo.seconds_at(self.ticks)

    @property
    def end_seconds(self) -> float:
        return float(self.tempo.seconds_at(float(self.end_tick)))

    @property
    def kinds(self) -> NDArray[np.uint8]:
        """The statuses without their channels."""
        return np.asarray(self.statuses & 0xF0, np.uint8)

    @property
    def channels(self) -> NDArray[np.int64]:
        """From 1 to 16."""
        return (self.statuses & 0x0F).astype(np.int64) + 1

    @property
    def byte_counts(self) -> IntArray:
        """Of each message on one cable, (N,): a status that is that of the message before is left out."""
        one = np.where((self.kinds == 0xC0) | (self.kinds == 0xD0), 2, 3)
        same = np.append(False, self.statuses[1:] == self.statuses[:-1])
        return np.asarray(one - same, np.int64)

    @property
    def presses(self) -> NDArray[np.bool_]:
        """Note-ons; one of velocity 0 ends a note."""
        return np.asarray((self.kinds == 0x90) & (self.second_bytes > 0))


def wire_delayed(seconds: FloatArray, byte_counts: IntArray) -> FloatArray:
    """When messages have come through a MIDI cable, (N,), if they are handed to it at `seconds` (rising).

    byte_counts : of each message; one waits for those before it.  Source: 31 250 baud, ten bits a byte (MIDI 1.0).
    """
    takes = byte_counts * BYTE_SECONDS
    sent = np.cumsum(takes)
    return np.asarray(sent + np.maximum.accumulate(seconds - (sent - takes)), float)


def wire_shared(seconds: FloatArray, byte_counts: IntArray, clocks: FloatArray) -> tuple[FloatArray, FloatArray]:
    """(when messages, (N,), and when clocks, (M,), have come) through one MIDI cable; both handed to it rising.

    A clock is a byte of real time: it goes out as soon as the byte that is under way is over, and what it interrupts
    comes as much later.  Source: MIDI 1.0, system real time messages.
    """
    messages, ticks, free, sent = [], [], 0.0, 0
    beats = [*clocks.tolist(), np.inf]
    for handed, count in zip([*seconds.tolist(), np.inf], [*byte_counts.tolist(), 1], strict=True):
        left = count
        while left:
            start = max(free, handed)
            if beats[sent] <= start:  # at one instant the clock goes first
                if beats[sent] == np.inf:
                    break
                free = max(free, beats[sent]) + BYTE_SECONDS
                ticks.append(free)
                sent += 1
            else:
                free, left = start + BYTE_SECONDS, left - 1
        messages.append(free)
    return np.array(messages[:-1], float), np.array(ticks, float)
