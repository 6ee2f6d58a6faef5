"""Where a tone begins and ends: where the sound no longer repeats after its period."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
_WINDOW_SECONDS: Final = 0.008
_LEAST_LAG: Final = 24
_LEAST_LAG_SECONDS: Final = 0.004
# How much more it may differ from itself a few periods before than it does within the tone; of its power.
_MORE: Final = 0.2
# Of two noises that have nothing to do with each other it is 1.
_MOST_APART: Final = 0.65
# What is so much weaker than within the tone is its end; a part of its power.
_FAINT: Final = 1e-3
_LOOK_SECONDS: Final = 0.25
# A click spoils what looks at it or back to it.
_CLICK_WIDTHS: Final = 1.5


def edges(samples: NDArray[np.floating], rate: float, hertz: float, inside: tuple[int, int]) -> tuple[int, int]:
    """The first sample of a tone and the one behind its last, from a stretch that lies mostly inside it."""
    lag = _lag(rate / hertz, rate)
    width = max(round(_WINDOW_SECONDS * rate), lag)
    look = int(_LOOK_SECONDS * rate)
    first, last = max(0, inside[0] - 2 * look), min(samples.size, inside[1] + 2 * look)
    middle, half = (inside[0] + inside[1]) // 2, max(int(0.25 * rate), width + lag)
    usual = _repeats(samples, max(inside[0], middle - half), min(inside[1], middle + half), lag, width)
    if usual is None:
        return inside
    allowed = min(_MOST_APART, float(np.median(usual.apart)) + _MORE)
    least = _FAINT * float(np.median(usual.power))
    early = _repeats(samples, first, min(inside[1], inside[0] + look + width + lag), lag, width)
    late = _repeats(samples, max(inside[0], inside[1] - look - width - lag), last, lag, width)
    start, end = inside
    if early is not None:
        # A window looks back by a lag: the tone begins at the first sample that it looks at.
        start = early.first_of_tone(inside[0], allowed, least)
    if late is not None:
        end = late.last_of_tone(inside[1], allowed, least)
    return start, max(end, start + 1)


@dataclass(frozen=True, eq=False)
class _Repeats:
    """Windows from `first` on, a step apart.  apart : how much each differs from itself a lag before, 0 to 2; power :
    of both."""

    first: int
    step: int
    lag: int
    width: int
    apart: FloatArray
    power: FloatArray

    def _good(self, allowed: float, least: float) -> NDArray[np.bool_]:
        """The windows that are tone; what a click takes away between two stretches of it is."""
        good = (self.apart <= allowed) & (self.power >= least)
        hole = int(np.ceil(_CLICK_WIDTHS * (self.lag + self.width) / self.step))
        ends = np.flatnonzero(np.diff(np.concatenate([[0], good.astype(np.int8), [0]])))
        for stop, again, further in zip(ends[1::2], ends[2::2], ends[3::2], strict=False):
            if again - stop <= hole and further - again >= hole:
                good[stop:again] = True
        return good

    def first_of_tone(self, near: int, allowed: float, least: float) -> int:
        """The start of the run of windows that holds a place, or comes next after it."""
        good = self._good(allowed, least)
        at = int(np.clip((near - self.first) // self.step, 0, good.size - 1))
        ahead = np.flatnonzero(good[at:])
        if not ahead.size:
            return near
        at += int(ahead[0])
        gaps = np.flatnonzero(~good[:at])
        begin = int(gaps[-1]) + 1 if gaps.size else 0
        return self.first + begin * self.step

    def last_of_tone(self, near: int, allowed: float, least: float) -> int:
        good = self._good(allowed, least)
        at = int(np.clip((near - self.first - self.lag - self.width) // self.step, 0, good.size - 1))
        behind = np.flatnonzero(good[: at + 1])
        if not behind.size:
            return near
        at = int(behind[-1])
        gaps = np.flatnonzero(~good[at:])
        end = at + int(gaps[0]) - 1 if gaps.size else good.size - 1
        return self.first + end * self.step + self.lag + self.width


def _repeats(samples: NDArray[np.floating], first: int, last: int, lag: int, width: int) -> _Repeats | None:
    """Windows over a stretch, None where it is too short for one; each looks from its start to a lag and a width on."""
    part = samples[first:last].astype(float)
    if part.size < lag + width + 1:
        return None
    part -= part.mean()
    now, before = part[lag:], part[:-lag]
    step = max(1, width // 4)
    places = np.arange(0, now.size - width + 1, step)

    def sums(values: FloatArray) -> FloatArray:
        added = np.concatenate([[0.0], np.cumsum(values)])
        return np.asarray(added[places + width] - added[places], float)

    both = sums(now**2 + before**2)
    apart = np.divide(sums((now - before) ** 2), both, out=np.ones_like(both), where=both > 0)
    return _Repeats(first, step, lag, width, apart, both / (2.0 * width))


def _lag(period: float, rate: float) -> int:
    """The whole number of samples that is nearest to a few periods; hum has moved on by then."""
    least = max(period, _LEAST_LAG, _LEAST_LAG_SECONDS * rate)
    times = np.arange(max(1, int(np.ceil(least / period - 1e-6))), int(np.ceil(least / period)) + 8)
    off = np.abs(times * period - np.round(times * period)) / period + 0.01 * (times - times[0])
    return max(1, round(float(times[int(np.argmin(off))] * period)))
