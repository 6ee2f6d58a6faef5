"""What pulses make of an envelope: one start each, or two, or none that reaches its peak."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from dynamis.control.pulses import Pulses
from dynamis.control.stepped import FloatArray
from dynamis.errors import InputError
from dynamis.transfer.breakpoints import Breakpoints, Trajectory

Acts = Literal["edge", "while-up", "again"]
# A decay is over when a hundredth is left of it.
_OVER: Final = math.log(100.0)
MOST_STARTS: Final = 200_000


@dataclass(frozen=True)
class Rise:
    """An envelope of an attack and a decay, each to a hundredth.

    acts : "edge" starts once at each rise and goes its way; "while-up" stays at its peak until the pulse has fallen;
    "again" starts anew when it is over, for as long as the pulse is up.
    """

    attack_seconds: float
    decay_seconds: float
    acts: Acts = "edge"

    def __post_init__(self) -> None:
        for what, seconds in (("attack", self.attack_seconds), ("decay", self.decay_seconds)):
            if not 0.0 < seconds <= 60.0:
                raise InputError(f"The {what} is {seconds:g} s; more than 0 up to 60 s was expected.")

    @property
    def seconds(self) -> float:
        """From a start until it is over, where nothing holds it."""
        return self.attack_seconds + self.decay_seconds


@dataclass(frozen=True, eq=False)
class Risen:
    """starts : (S,) when it starts.  again : of those, how many come of a pulse that has started it before.

    held : pulses at whose end it stands at its peak still.  short : starts that never reach the peak.
    course : from 0 to 1 against time.  first_again : when a pulse that has started it before does so first.
    """

    starts: FloatArray
    again: int
    held: int
    short: int
    course: Breakpoints
    first_again: float | None = None


def rise_of(envelope: Rise, stream: Pulses, end_seconds: float) -> Risen:
    """What a stream of pulses makes of it until an end; raises `InputError` for more starts than are followed."""
    rows: list[tuple[float, float, Trajectory]] = [(0.0, 0.0, Trajectory.HELD)]
    starts: list[float] = []
    again = held = short = 0
    first_again: float | None = None
    level, since, falls = 0.0, 0.0, math.inf  # its value at `since`; from `falls` on it decays
    tau_seconds = envelope.decay_seconds / _OVER

    def value(at: float) -> float:
        if at <= falls:
            return min(1.0, level + max(0.0, at - since) / envelope.attack_seconds) if starts else 0.0
        return value(falls) * math.exp(-(at - falls) / tau_seconds)

    spans = stream.spans
    for k, (rise, fall) in enumerate(spans):
        until = spans[k + 1][0] if k + 1 < len(spans) else math.inf
        at, first = rise, True
        while first or (envelope.acts == "again" and at < min(fall, until, end_seconds)):
            if len(starts) >= MOST_STARTS:
                raise InputError(f"The envelope starts more than {MOST_STARTS} times; a shorter song was expected.")
            level, since = value(at), at
            falls = math.inf
            starts.append(at)
            if not first:
                again, first_again = again + 1, at if first_again is None else first_again
            first = False
            peak = at + (1.0 - level) * envelope.attack_seconds
            rows.append((at, level, Trajectory.RAMPED))
            falls = max(peak, fall) if envelope.acts == "while-up" else peak
            if envelope.acts == "while-up" and fall < peak:
                falls = fall
            if min(falls, until) > peak:
                rows.append((peak, 1.0, Trajectory.HELD))
                held += 1
            if falls < until:
                short += falls < peak
                rows.append((falls, value(falls), Trajectory.DECAYING))
            else:
                short += until < peak
            at = falls + envelope.decay_seconds
    return Risen(np.array(starts), again, held, short, _course(rows, tau_seconds), first_again)


def _course(rows: list[tuple[float, float, Trajectory]], tau_seconds: float) -> Breakpoints:
    """Of rows of one instant the last counts."""
    kept = [one for k, one in enumerate(rows) if k + 1 == len(rows) or rows[k + 1][0] > one[0]]
    seconds, values = (np.array([one[k] for one in kept], float) for k in (0, 1))
    kinds = np.array([one[2] for one in kept], np.int8)
    return Breakpoints(seconds, values, kinds, np.zeros(len(kept)), np.full(len(kept), tau_seconds))
