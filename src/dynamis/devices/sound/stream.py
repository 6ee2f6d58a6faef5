"""Sound that comes in: one channel's samples, in their order, as they are taken out."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray

from dynamis.devices.interface import DeviceError
from dynamis.devices.running_time import wait_until

FloatArray = NDArray[np.float64]
# What nobody takes out is let go after so long.
_MOST_WAITING_SECONDS: Final = 30.0
# Samples are counted against this computer's clock over the last seconds, from so many blocks and seconds on.
_COUNTED_SECONDS, _LEAST_COUNTED_SECONDS, _LEAST_BLOCKS = 2.5, 1.0, 20
# A gap so many times longer than the usual one, and than this, is a computer that was held up.
_STALL, _LEAST_GAP_SECONDS = 3.0, 0.1
# How often the line through arrivals is drawn anew.
_TURNS: Final = 5
# Nothing came for so long: the device is silent.
QUIET_SECONDS: Final = 2.0


class SoundStream(Protocol):
    """One channel of an input, open; every method but `close` raises `DeviceError`."""

    @property
    def identity(self) -> str: ...

    @property
    def rate(self) -> float:
        """Samples a second, as the device says."""
        ...

    @property
    def lost(self) -> int:
        """How often samples were lost since it was opened."""
        ...

    @property
    def counts(self) -> bool:
        """Whether its samples are counted against this computer's clock."""
        ...

    def fresh(self) -> None:
        """Pass over what has been heard so far."""
        ...

    def read(self, seconds: float) -> FloatArray:
        """The next samples, full scale 1; waits for them."""
        ...

    def arrived_rate(self) -> tuple[float, float]:
        """(samples a second as they came of late, its standard uncertainty), NaN while it cannot be told."""
        ...

    def close(self) -> None: ...


class Inflow:
    """What a device's thread puts in and another takes out; the common part of all real streams.

    clock : seconds that only go forward.
    """

    counts = True

    def __init__(self, identity: str, rate: float, clock: Callable[[], float] = time.monotonic) -> None:
        self.identity, self.rate, self.lost = identity, rate, 0
        self._clock = clock
        self._blocks: deque[FloatArray] = deque()
        self._waiting = 0
        self._change = threading.Condition()
        self._ended = ""
        # When so many samples had come, for the blocks of the last seconds.
        self._counted = 0
        self._arrivals: deque[tuple[float, int]] = deque()

    def put(self, samples: FloatArray, *, lost: bool = False) -> None:
        """Samples that came, of one channel; lost : whether some before them did not."""
        with self._change:
            if lost:
                self._arrivals.clear()
            self._counted += samples.size
            self._arrivals.append((self._clock(), self._counted))
            while self._arrivals[-1][0] - self._arrivals[0][0] > _COUNTED_SECONDS:
                self._arrivals.popleft()
            self.lost += lost
            self._blocks.append(np.asarray(samples, float))
            self._waiting += samples.size
            while self._waiting > _MOST_WAITING_SECONDS * self.rate and len(self._blocks) > 1:
                self._waiting -= self._blocks.popleft().size
            self._change.notify_all()

    def end(self, sentence: str) -> None:
        """Nothing more will come, and why."""
        with self._change:
            self._ended = self._ended or sentence
            self._change.notify_all()

    def fresh(self) -> None:
        with self._change:
            self._blocks.clear()
            self._waiting = 0

    def read(self, seconds: float) -> FloatArray:
        wanted = max(1, round(seconds * self.rate))
        with self._change:
            came = wait_until(
                lambda wait: self._change.wait_for(lambda: self._waiting >= wanted or bool(self._ended), wait),
                seconds + QUIET_SECONDS,
            )
            if self._waiting >= wanted:
                return self._taken(wanted)
            if came:
                raise DeviceError("unplugged", self._ended)
        raise DeviceError(
            "silent",
            f"No samples have come from {self.identity} for {QUIET_SECONDS:.0f} s: is the device still there, and "
            "is no other program holding it?",
        )

    def _taken(self, wanted: int) -> FloatArray:
        out = np.empty(wanted)
        filled = 0
        while filled < wanted:
            block = self._blocks.popleft()
            part = block[: wanted - filled]
            out[filled : filled + part.size] = part
            filled += part.size
            if part.size < block.size:
                self._blocks.appendleft(block[part.size :])
        self._waiting -= wanted
        return out

    def arrived_rate(self) -> tuple[float, float]:
        with self._change:
            arrivals = np.array(self._arrivals)
        if len(arrivals) < _LEAST_BLOCKS or arrivals[-1, 0] - arrivals[0, 0] < _LEAST_COUNTED_SECONDS:
            return float("nan"), float("nan")
        gaps = np.diff(arrivals[:, 0])
        stalls = np.flatnonzero(gaps > _STALL * max(float(np.median(gaps)), _LEAST_GAP_SECONDS))
        since = arrivals[int(stalls[-1]) + 1 :] if stalls.size else arrivals  # over a stall, samples may be missing
        if len(since) < _LEAST_BLOCKS or since[-1, 0] - since[0, 0] < _LEAST_COUNTED_SECONDS:
            return float("nan"), float("nan")
        return rate_of_arrivals(*since.T)


def rate_of_arrivals(seconds: FloatArray, counts: FloatArray) -> tuple[float, float]:
    """(samples a second, its standard uncertainty) of counts that arrived at some seconds, both rising.

    A computer that is held up makes samples late, never early, and what waited then comes at once.  So the line is
    drawn through the least late arrivals of the first and of the last third of the time; how far the middle third's
    lies from it, and how late the others are, makes it unsure; NaN where a third has none.  Source: Moon, Skelly and
    Towsley, "Estimation and removal of clock skew from network delay measurements", INFOCOM 1999 (a line over all
    points), from memory; the thirds are our own.
    """
    thirds = np.searchsorted(seconds, seconds[0] + (seconds[-1] - seconds[0]) * np.array([1.0, 2.0]) / 3.0)
    parts = np.split(np.arange(seconds.size), thirds)
    if not all(part.size for part in parts):
        return float("nan"), float("nan")
    rate = float((counts[-1] - counts[0]) / (seconds[-1] - seconds[0]))
    for _ in range(_TURNS):
        ahead = counts - counts[0] - rate * (seconds - seconds[0])
        first, middle, last = (int(part[np.argmax(ahead[part])]) for part in parts)
        span = float(seconds[last] - seconds[first])
        rate = float((counts[last] - counts[first]) / span)
    late = counts[first] + rate * (seconds - seconds[first]) - counts
    return rate, max(abs(float(late[middle])), float(np.median(late))) / span
