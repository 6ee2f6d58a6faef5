"""MIDI clock as it comes: start, stop, continue and song position, and the pulses of clocks that follow it.

Source: MIDI 1.0, system real time and common messages: 24 clocks a quarter note; the first clock after start is the
beginning; song position counts sixteenths, six clocks each.  Clock alone never resets anything.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

CLOCK, START, CONTINUE, STOP, POSITION = 0xF8, 0xFA, 0xFB, 0xFC, 0xF2
# Not on any wire: how a sender stood before the first message that is kept.
RESUMED: Final = -1
TRANSPORT: Final = frozenset({CLOCK, START, CONTINUE, STOP, POSITION})
CLOCKS_A_QUARTER, CLOCKS_A_SIXTEENTH = 24, 6
_SHARE: Final = 0.5
_CLOSE: Final = 1e-9
RUN, RESET = "run", "reset"

Rose = Callable[[str, float, float], object]


@dataclass(frozen=True)
class Standing:
    """How a sender stands: whether it runs, its place in clocks, whether it was moved there, and when its last clock
    came."""

    running: bool = False
    position: int = 0
    moved: bool = False
    last: float | None = None


@dataclass(frozen=True)
class Beat:
    """One message of a sender's clock: when, its status, and of a song position its sixteenths.

    standing : of RESUMED, how the sender stood then.
    """

    seconds: float
    status: int
    value: int = 0
    standing: Standing = Standing()


class Follower:
    """Makes the pulses of clocks.

    rose : is given a name, when its pulse begins and when it ends, infinity where nobody knows yet; in time order of
    each name.  fell : is given a name and when it ends where nobody knew.  clocks : (name, pulses a quarter note).
    seconds : of a pulse.  jumps : when it goes on elsewhere than where it was, and at which sixteenth.
    """

    def __init__(
        self, clocks: Sequence[tuple[str, float]], seconds: float, rose: Rose, fell: Callable[[str, float], object]
    ) -> None:
        self._clocks, self._seconds, self._rose, self._fell = clocks, seconds, rose, fell
        self.running = False
        self.jumps: list[tuple[float, int]] = []
        self._position, self._moved = 0, False
        self._last: float | None = None  # when the clock before came, while it runs
        self._coming: list[tuple[float, float, str]] = []

    def take(self, beat: Beat) -> None:
        """A message, none of which comes before one that was taken."""
        self.settle(beat.seconds)
        self._coming.clear()  # a period that is shorter than the last drops what was still to come
        status, now = beat.status, beat.seconds
        if status == POSITION:
            self._moved = self._moved or beat.value * CLOCKS_A_SIXTEENTH != self._position
            self._position = beat.value * CLOCKS_A_SIXTEENTH
        elif status in (START, CONTINUE):
            self._begin(now, from_start=status == START)
        elif status == STOP:
            if self.running:
                self._fell(RUN, now)
            self.running, self._last = False, None
        elif status == CLOCK and self.running:
            self._clock(now)
        elif status == RESUMED:
            stood = beat.standing
            self.running, self._position, self._moved, self._last = (
                stood.running,
                stood.position,
                stood.moved,
                stood.last,
            )
            if self.running:
                self._rose(RUN, now, math.inf)

    def resumed(self, seconds: float) -> Beat:
        """What another follower begins with at an instant, to go on as this one."""
        return Beat(seconds, RESUMED, 0, Standing(self.running, self._position, self._moved, self._last))

    def _begin(self, now: float, *, from_start: bool) -> None:
        if from_start:
            self._position, self._moved = 0, False
        if self._position == 0:
            self._rose(RESET, now, now + self._seconds)
        elif self._moved:
            self.jumps.append((now, self._position // CLOCKS_A_SIXTEENTH))
        self._moved = False
        if not self.running:
            self._rose(RUN, now, math.inf)
        self.running, self._last = True, None

    def _clock(self, now: float) -> None:
        """One of 24: each clock's pulses from here to the next one, those between by the period before."""
        period = None if self._last is None else now - self._last
        for name, per_quarter in self._clocks:
            apart = CLOCKS_A_QUARTER / per_quarter
            first = math.ceil(self._position / apart - _CLOSE)
            wide = self._seconds if period is None else min(self._seconds, _SHARE * apart * period)
            while (part := first * apart - self._position) < 1.0 - _CLOSE:
                if part < _CLOSE:
                    self._rose(name, now, now + wide)
                elif period is not None:
                    self._coming.append((now + part * period, now + part * period + wide, name))
                first += 1
        self._coming.sort()
        self._position += 1
        self._last = now

    def settle(self, seconds: float) -> None:
        """Pulses that come before an instant."""
        while self.next_due() < seconds:
            self.settle_one()

    def next_due(self) -> float:
        """When the next pulse comes that no message begins, infinity where none does."""
        return self._coming[0][0] if self._coming else math.inf

    def settle_one(self) -> None:
        """The next of them."""
        rise, fall, name = self._coming.pop(0)
        self._rose(name, rise, fall)


def followed(
    beats: Sequence[Beat], clocks: Sequence[tuple[str, float]], seconds: float, end_seconds: float
) -> tuple[dict[str, list[tuple[float, float]]], list[tuple[float, int]]]:
    """(spans by name of each clock, run and reset; jumps) of all that came until an end."""
    spans: dict[str, list[tuple[float, float]]] = {name: [] for name in [*(name for name, _ in clocks), RUN, RESET]}

    def fell(name: str, when: float) -> None:
        spans[name][-1] = (spans[name][-1][0], when)

    follower = Follower(clocks, seconds, lambda name, rise, fall: spans[name].append((rise, fall)), fell)
    for beat in beats:
        follower.take(beat)
    follower.settle(end_seconds)
    return spans, follower.jumps
