"""When a gate, trigger or clock is up: spans of time, and what becomes of two of them."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Pulses:
    """Up from each of `rises_seconds` to the one of `falls_seconds` beside it; the last may never fall (inf).

    Both of shape (N,); spans are in order and apart: one that begins where another ends is one span with it, since no
    input sees an edge there.
    """

    rises_seconds: FloatArray
    falls_seconds: FloatArray

    def __post_init__(self) -> None:
        if self.rises_seconds.shape != self.falls_seconds.shape or self.rises_seconds.ndim != 1:
            raise InputError("Pulses need one fall for each rise.")
        if np.any(self.falls_seconds <= self.rises_seconds):
            raise InputError("A pulse has to fall after it has risen.")
        if np.any(self.rises_seconds[1:] <= self.falls_seconds[:-1]):
            raise InputError("Pulses have to stand apart and in order.")

    @property
    def spans(self) -> list[tuple[float, float]]:
        """(rise, fall) of each, seconds."""
        return list(zip(self.rises_seconds.tolist(), self.falls_seconds.tolist(), strict=True))

    def up(self, seconds: ArrayLike) -> NDArray[np.bool_]:
        """Whether it is up at each instant, any shape; at a rise it is, at a fall it is not any more."""
        at = np.asarray(seconds, float)
        index = np.searchsorted(self.rises_seconds, at, side="right") - 1
        found: NDArray[np.bool_] = index >= 0
        if self.falls_seconds.size:
            found = found & (at < self.falls_seconds[np.maximum(index, 0)])
        return found


def pulses(spans: Iterable[tuple[float, float]]) -> Pulses:
    """Pulses of spans in any order; those that touch or overlap become one, empty ones none."""
    joined: list[list[float]] = []
    for rise, fall in sorted(spans):
        if not rise < fall:
            continue
        if joined and rise <= joined[-1][1]:
            joined[-1][1] = max(joined[-1][1], fall)
        else:
            joined.append([rise, fall])
    array = np.array(joined, float).reshape(-1, 2)
    return Pulses(array[:, 0], array[:, 1])


def regular(hertz: float, width_seconds: float, count: int, first_seconds: float = 0.0) -> Pulses:
    """A clock: `count` pulses of one width.  Raises InputError where they would run into each other."""
    if not (hertz > 0 and width_seconds > 0 and width_seconds * hertz < 1):
        raise InputError(f"Pulses of {width_seconds:g} s do not stand apart at {hertz:g} Hz.")
    rises = first_seconds + np.arange(count) / hertz
    return Pulses(rises, rises + width_seconds)


def fired(seconds: FloatArray, length: float) -> Pulses:
    """Pulses of a length at instants (N,), in order; one that comes while another is up restarts its length."""
    if not length > 0.0:
        raise InputError(f"A trigger of {length:g} s; a length above 0 was expected.")
    if not seconds.size:
        return Pulses(np.zeros(0), np.zeros(0))
    falls = seconds + length
    begins = np.append(True, seconds[1:] > falls[:-1])
    ends = np.append(begins[1:], True)
    return Pulses(seconds[begins], falls[ends])


def either(first: Pulses, second: Pulses) -> Pulses:
    """OR: up while one of them is.  Two that overlap make one edge: the later is lost to whatever counts edges."""
    return pulses([*first.spans, *second.spans])


def both(first: Pulses, second: Pulses) -> Pulses:
    """AND: up while both are."""
    found, a, b = [], first.spans, second.spans
    i = j = 0
    while i < len(a) and j < len(b):
        found.append((max(a[i][0], b[j][0]), min(a[i][1], b[j][1])))
        if a[i][1] < b[j][1]:
            i += 1
        else:
            j += 1
    return pulses(found)


def inverted(stream: Pulses, from_seconds: float = 0.0) -> Pulses:
    """NOT, from an instant on."""
    starts = [from_seconds, *stream.falls_seconds.tolist()]
    ends = [*stream.rises_seconds.tolist(), math.inf]
    return pulses((max(from_seconds, start), end) for start, end in zip(starts, ends, strict=True))


def swallowed(first: Pulses, second: Pulses) -> int:
    """How many rises of two streams are no rise of their OR."""
    return int(first.rises_seconds.size + second.rises_seconds.size - either(first, second).rises_seconds.size)
