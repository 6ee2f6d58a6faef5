"""Stepped signals as the columns of a picture: the least and the most that each column of pixels holds.

However many changes there are, none is lost: a pulse of one sample is as high in its column as one of a second.  Blocks
of changes are looked through once, so that a million of them cost a repaint no more than some thousands.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.transfer.breakpoints import Breakpoints, Trajectory

FloatArray = NDArray[np.float64]
_BLOCK: Final = 16
# So many changes are gone through one by one.
_FEW: Final = 30_000


@dataclass(frozen=True, eq=False)
class SteppedSeries:
    """A signal that stands at `values[k]` from `seconds[k]` on, (N,) each, seconds rising."""

    seconds: FloatArray
    values: FloatArray

    @property
    def least(self) -> float:
        return float(np.min(self.values))

    @property
    def most(self) -> float:
        return float(np.max(self.values))

    def at(self, seconds: FloatArray) -> FloatArray:
        """Its values at instants, any shape; the first before it."""
        return self.values[np.maximum(np.searchsorted(self.seconds, seconds, side="right") - 1, 0)]

    @cached_property
    def _blocks(self) -> tuple[FloatArray, FloatArray]:
        """The least and the most of each block of changes."""
        starts = np.arange(0, self.values.size, _BLOCK)
        return np.minimum.reduceat(self.values, starts), np.maximum.reduceat(self.values, starts)

    def columns(self, start: float, end: float, count: int) -> tuple[FloatArray, FloatArray]:
        """(least, most) of each of `count` even columns from `start` to `end`, NaN before the first change.

        A column holds what stands at its beginning and every change inside it.
        """
        edges = np.linspace(start, end, count + 1)
        standing = np.searchsorted(self.seconds, edges, side="right") - 1
        # A change right at an edge stands at the beginning of the column behind it.
        after = standing + (self.seconds[np.maximum(standing, 0)] != edges)
        first = np.maximum(standing[:-1], 0)
        last = np.maximum(after[1:], first + 1)  # one behind the last that counts
        none = edges[1:] <= self.seconds[0]
        low, high = self.between(first, last)
        low[none] = high[none] = np.nan
        return low, high

    def between(self, first: NDArray[np.int64], last: NDArray[np.int64]) -> tuple[FloatArray, FloatArray]:
        """(least, most) of values[first:last], for each of many spans, rising; NaN of one that is empty."""
        if last[-1] - first[0] <= _FEW:
            return self._few(first, last)
        values, blocks = self.values, self._blocks
        inner_first, inner_last = -(-first // _BLOCK), last // _BLOCK
        wide = inner_last > inner_first
        left_end = np.where(wide, inner_first * _BLOCK, last)
        right_start = np.where(wide, inner_last * _BLOCK, last)
        low, high = self._short(values, first, left_end)
        if np.any(wide):
            for more_low, more_high in (
                self._short(values, right_start, last),
                _reduced(blocks, inner_first, inner_last, wide),
            ):
                low, high = np.fmin(low, more_low), np.fmax(high, more_high)
        return low, high

    @staticmethod
    def _short(values: FloatArray, first: NDArray[np.int64], last: NDArray[np.int64]) -> tuple[FloatArray, FloatArray]:
        """The same for spans of less than two blocks; NaN for empty ones."""
        longest = int(np.max(last - first, initial=1))
        # Beyond its end a span repeats its last, which changes neither.  Spans lie side by side, so that many are
        # compared at once.
        index = np.minimum(first + np.arange(longest)[:, None], np.maximum(last - 1, first))
        held = values[np.minimum(index, values.size - 1)]
        empty = last <= first
        return np.where(empty, np.nan, held.min(axis=0)), np.where(empty, np.nan, held.max(axis=0))

    def _few(self, first: NDArray[np.int64], last: NDArray[np.int64]) -> tuple[FloatArray, FloatArray]:
        """The same by going through all of them."""
        start, end = int(first[0]), int(last[-1])
        part = np.append(self.values[start:end], self.values[min(end, self.values.size - 1)])
        spans = np.minimum(np.column_stack([first, last]).ravel() - start, part.size - 1)
        empty = last <= first
        low, high = np.minimum.reduceat(part, spans)[::2], np.maximum.reduceat(part, spans)[::2]
        if empty.any():
            low[empty] = high[empty] = np.nan
        return low, high


@dataclass(frozen=True, eq=False)
class CurvedSeries:
    """A signal that may ramp or decay between its breakpoints, which only rises or only falls between two."""

    curve: Breakpoints

    @cached_property
    def _ends(self) -> FloatArray:
        """What it comes to at each breakpoint, just before it; the first's own value there."""
        points = self.curve
        before = Breakpoints(
            points.seconds,
            points.values,
            np.where(points.kinds == Trajectory.RAMPED, Trajectory.HELD, points.kinds).astype(np.int8),
            points.targets,
            points.time_constant_seconds,
        )
        just = before.at(np.nextafter(points.seconds[1:], -np.inf))
        ramped = points.kinds[:-1] == Trajectory.RAMPED
        return np.concatenate([points.values[:1], np.where(ramped, points.values[1:], just)])

    @cached_property
    def _both(self) -> tuple[SteppedSeries, SteppedSeries]:
        """Of each breakpoint the lower and the higher of what it comes to and goes on from."""
        ends, values = self._ends, self.curve.values
        return (
            SteppedSeries(self.curve.seconds, np.minimum(ends, values)),
            SteppedSeries(self.curve.seconds, np.maximum(ends, values)),
        )

    @property
    def least(self) -> float:
        return self._both[0].least

    @property
    def most(self) -> float:
        return self._both[1].most

    def at(self, seconds: FloatArray) -> FloatArray:
        """Its values at instants, any shape; the first before it."""
        return self.curve.at(np.maximum(seconds, self.curve.seconds[0]))

    def columns(self, start: float, end: float, count: int) -> tuple[FloatArray, FloatArray]:
        """As of steps: what stands at both ends of a column, and every breakpoint inside it."""
        edges = np.linspace(start, end, count + 1)
        inside = np.searchsorted(self.curve.seconds, edges, side="left")
        stands = self.curve.at(edges)
        low, high = np.fmin(stands[:-1], stands[1:]), np.fmax(stands[:-1], stands[1:])
        lower, higher = self._both
        first, last = inside[:-1], inside[1:]
        return np.fmin(low, lower.between(first, last)[0]), np.fmax(high, higher.between(first, last)[1])


def _reduced(
    blocks: tuple[FloatArray, FloatArray], first: NDArray[np.int64], last: NDArray[np.int64], wide: NDArray[np.bool_]
) -> tuple[FloatArray, FloatArray]:
    """(least, most) of whole blocks first:last where there are any, else NaN."""
    made = []
    for values, reduce in zip(blocks, (np.minimum, np.maximum), strict=True):
        spans = np.column_stack([first[wide], last[wide]]).ravel()
        padded = np.append(values, values[-1])  # so that a span may end with the last block
        out = np.full(first.size, np.nan)
        out[wide] = reduce.reduceat(padded, spans)[::2]
        made.append(out)
    return made[0], made[1]


def filled(low: FloatArray, high: FloatArray, least: float, most: float, height: int) -> NDArray[np.bool_]:
    """(height, columns): the pixels of a curve, the top row first, from the least to the most of each column.

    least, most : what the bottom and the top row stand for.  Nothing where a column is NaN.
    """
    span = (most - least) or 1.0
    with np.errstate(invalid="ignore"):
        top = np.rint((most - high) / span * (height - 1))
        bottom = np.rint((most - low) / span * (height - 1))
    rows = np.arange(height)[:, None]
    return np.asarray((rows >= top[None, :]) & (rows <= bottom[None, :]))


@dataclass(frozen=True, eq=False)
class Bars:
    """Spans of time in rows, such as keys that are held: `starts` (rising) to `ends` in `rows`, (M,) each."""

    rows: NDArray[np.int64]
    starts: FloatArray
    ends: FloatArray

    @cached_property
    def _latest(self) -> FloatArray:
        """The latest end of a bar and all before it."""
        return np.maximum.accumulate(self.ends) if self.ends.size else self.ends

    @cached_property
    def used_rows(self) -> tuple[int, int]:
        """The lowest and the highest row that holds a bar; all where there is none."""
        return (int(self.rows.min()), int(self.rows.max())) if self.rows.size else (0, _ROWS - 1)

    @cached_property
    def _overview(self) -> tuple[float, float, NDArray[np.int32]]:
        """(from, to, in how many of so many thousand columns a bar was, (rows, columns + 1)) of all of it, for when so
        much is to be seen that single bars are not."""
        start, end = float(self.starts[0]), float(self._latest[-1])
        drawn = self._drawn(slice(0, self.rows.size), start, end, _OVERVIEW)
        return start, end, np.pad(np.cumsum(drawn, axis=1, dtype=np.int32), ((0, 0), (1, 0)))

    def raster(self, start: float, end: float, count: int) -> NDArray[np.bool_]:
        """(rows, count): where a bar is, of even columns from `start` to `end`, in the rows that are used."""
        low, high = self.used_rows
        if not self.rows.size or end <= start:
            return np.zeros((high - low + 1, count), bool)
        first = int(np.searchsorted(self._latest, start, side="right"))
        last = int(np.searchsorted(self.starts, end, side="left"))
        if last - first > _MANY:
            begins, ends, every = self._overview
            edges = np.linspace(start, end, count + 1)
            places = np.clip((edges - begins) / (ends - begins) * _OVERVIEW, 0, _OVERVIEW)
            inside = np.diff(places[(places > 0) & (places < _OVERVIEW)])
            if inside.size and np.min(inside) >= 1.0:
                lows, highs = places[:-1].astype(int), np.ceil(places[1:]).astype(int)
                return np.asarray(every[:, highs] > every[:, lows])
        return self._drawn(slice(first, max(first, last)), start, end, count)

    def _drawn(self, which: slice, start: float, end: float, count: int) -> NDArray[np.bool_]:
        low, high = self.used_rows
        scale, height = count / (end - start), high - low + 1
        there = self.ends[which] > start  # a long one before them may be, where they are over
        starts, ends, rows = (one[which][there] for one in (self.starts, self.ends, self.rows))
        first = np.clip((starts - start) * scale, 0, count - 1).astype(np.int64)
        last = np.clip((np.minimum(ends, end) - start) * scale, 0, count - 1).astype(np.int64)
        rows = (rows - low) * (count + 1)
        size = height * (count + 1)
        change = np.bincount(rows + first, minlength=size) - np.bincount(rows + last + 1, minlength=size)
        return np.asarray(np.cumsum(change.reshape(height, count + 1), axis=1)[:, :count] > 0)


_ROWS: Final = 128
_OVERVIEW: Final = 32768
_MANY: Final = 8_000
