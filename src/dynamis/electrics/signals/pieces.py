"""A signal cut into pieces that only rise or only fall, and one put together again."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from dynamis.transfer.breakpoints import Breakpoints, Trajectory


@dataclass(frozen=True)
class Segment:
    """From `start` to `end` (it may be infinite): held, ramped by `slope`, or decaying to `target` with `tau`."""

    start: float
    end: float
    value: float
    kind: Trajectory
    slope: float = 0.0
    target: float = 0.0
    tau_seconds: float = 1.0

    def at(self, seconds: float) -> float:
        since = seconds - self.start
        if self.kind is Trajectory.RAMPED:
            return self.value + self.slope * since
        if self.kind is Trajectory.DECAYING:
            return self.target + (self.value - self.target) * math.exp(-since / self.tau_seconds)
        return self.value

    @property
    def last(self) -> float:
        """Where it ends, or goes to."""
        if math.isinf(self.end):
            return self.target if self.kind is Trajectory.DECAYING else self.value
        return self.at(self.end)

    def reaches(self, level: float) -> float | None:
        """When it passes a level, None where it does not; not at its very start."""
        low, high = min(self.value, self.last), max(self.value, self.last)
        if self.kind is Trajectory.HELD or level == self.value or not low <= level <= high:
            return None
        if self.kind is Trajectory.RAMPED:
            crossing = self.start + (level - self.value) / self.slope
        else:
            share = (level - self.target) / (self.value - self.target)
            if share <= 0:
                return None
            crossing = self.start - self.tau_seconds * math.log(share)
        return crossing if self.start < crossing <= self.end else None

    def between(self, start_seconds: float, end_seconds: float) -> Segment:
        """The part of it between two instants inside it."""
        return Segment(
            start_seconds, end_seconds, self.at(start_seconds), self.kind, self.slope, self.target, self.tau_seconds
        )


def pieces(signal: Breakpoints) -> Iterator[Segment]:
    """The pieces of a signal, the last one without an end."""
    count = signal.seconds.size
    for k in range(count):
        start = float(signal.seconds[k])
        end = float(signal.seconds[k + 1]) if k + 1 < count else math.inf
        value, kind = float(signal.values[k]), Trajectory(int(signal.kinds[k]))
        if kind is Trajectory.RAMPED:
            if math.isinf(end):
                kind, slope = Trajectory.HELD, 0.0
            else:
                slope = (float(signal.values[k + 1]) - value) / (end - start)
            yield Segment(start, end, value, kind, slope)
        elif kind is Trajectory.DECAYING:
            assert signal.targets is not None
            assert signal.time_constant_seconds is not None
            yield Segment(
                start, end, value, kind, 0.0, float(signal.targets[k]), float(signal.time_constant_seconds[k])
            )
        else:
            yield Segment(start, end, value, Trajectory.HELD)


def cut(first: Breakpoints, second: Breakpoints) -> Iterator[tuple[Segment, Segment]]:
    """Both signals at the same instants, each pair of pieces with one start and end; from when both have begun."""
    one, two = list(pieces(first)), list(pieces(second))
    a = b = 0
    start = max(one[0].start, two[0].start)
    while a < len(one) and one[a].end <= start:
        a += 1
    while b < len(two) and two[b].end <= start:
        b += 1
    while a < len(one) and b < len(two):
        end = min(one[a].end, two[b].end)
        yield one[a].between(start, end), two[b].between(start, end)
        if math.isinf(end):
            return
        start = end
        a, b = a + (one[a].end <= end), b + (two[b].end <= end)


class Writer:
    """Puts a signal together; what does not change is not repeated."""

    def __init__(self) -> None:
        # seconds, value, kind, target (of a ramp: what it comes to), time constant
        self._rows: list[tuple[float, float, Trajectory, float, float]] = []

    def held(self, seconds: float, value: float) -> None:
        self._add(seconds, value, Trajectory.HELD, 0.0, 1.0)

    def ramped(self, seconds: float, value: float, end_value: float) -> None:
        """A ramp that comes to `end_value` where the next row begins."""
        self._add(seconds, value, Trajectory.RAMPED, end_value, 1.0)

    def decaying(self, seconds: float, value: float, target_volts: float, tau_seconds: float) -> None:
        if value == target_volts:
            self.held(seconds, value)
        else:
            self._add(seconds, value, Trajectory.DECAYING, target_volts, tau_seconds)

    def piece(self, segment: Segment) -> None:
        """A piece as it is."""
        if segment.kind is Trajectory.RAMPED:
            self.ramped(segment.start, segment.value, segment.last)
        else:
            self._add(segment.start, segment.value, segment.kind, segment.target, segment.tau_seconds)

    def _add(self, seconds: float, value: float, kind: Trajectory, target_volts: float, tau_seconds: float) -> None:
        if self._rows and self._rows[-1][0] >= seconds:
            self._rows.pop()
        if self._rows:
            at, _, before, end_value, _ = self._rows[-1]
            just = math.nextafter(seconds, -math.inf)
            if before is Trajectory.RAMPED and value != end_value and just > at:
                # A ramp goes to the next value; where the signal then jumps, its own end comes first.
                self._rows.append((just, end_value, Trajectory.HELD, 0.0, 1.0))
        held = kind is Trajectory.HELD
        if held and self._rows and self._rows[-1][2] is Trajectory.HELD and self._rows[-1][1] == value:
            return
        self._rows.append((seconds, value, kind, target_volts, tau_seconds))

    def signal(self) -> Breakpoints:
        seconds, values, kinds, targets, taus = (np.array(one, float) for one in zip(*self._rows, strict=True))
        return Breakpoints(seconds, values, kinds.astype(np.int8), targets, taus)
