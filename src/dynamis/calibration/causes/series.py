"""Readings as the causes look at them: cents off a robust line, by what was sent, with the order of taking."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.line import median, theil_sen
from dynamis.pitch.model import PitchModel
from dynamis.transfer.distinct import distinct

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
IntArray = NDArray[np.intp]
MAD_TO_SIGMA: Final = 1.4826
LEAST_OFF_CENTS: Final = 2.0
# More different notes than these are taken together with their neighbours.
MOST_PLACES: Final = 256


@dataclass(frozen=True, eq=False)
class Series:
    """Readings of shape (N,).

    sent, measured : in the line's quantity.  own : standard uncertainty of each, cents.  seconds : when each was
    taken.  good : those that count.  half_lsb_cents : half a code where codes are known, else 0.
    """

    model: PitchModel
    notes: FloatArray
    sent: FloatArray
    measured: FloatArray
    own: FloatArray
    seconds: FloatArray
    good: BoolArray
    half_lsb_cents: float = 0.0

    def without(self, out: BoolArray) -> Series:
        return replace(self, good=self.good & ~out)

    @cached_property
    def places(self) -> Places:
        """The readings that count, by what was sent."""
        return Places.of(self)

    @property
    def last_taken(self) -> int:
        """Index of the newest reading that counts."""
        index = np.flatnonzero(self.good)
        return int(index[np.argmax(self.seconds[index])])


@dataclass(frozen=True, eq=False)
class Places:
    """Distinct values that were sent, rising, of shape (G,), with the readings of each.

    off : mean cents from the robust line; each : (N,) the same reading by reading.  basis : (G, 2) what an offset and
    a scale do to cents.  members : indices of the readings of each, in the order of taking.
    """

    series: Series
    sent: FloatArray
    notes: FloatArray
    off: FloatArray
    own: FloatArray
    each: FloatArray
    basis: FloatArray
    members: tuple[IntArray, ...]

    @staticmethod
    def of(series: Series) -> Places:
        index = np.flatnonzero(series.good)
        sent, _, which, _ = distinct(series.sent[index])
        if sent.size > MOST_PLACES:
            which = which * MOST_PLACES // sent.size
            sent = np.bincount(which, series.sent[index]) / np.bincount(which)
        number = np.bincount(which, minlength=sent.size)
        ordered = index[np.lexsort((series.seconds[index], which))]
        members = tuple(np.split(ordered, np.cumsum(number)[:-1])) if sent.size else ()
        if ordered.size == sent.size:
            middle = series.measured[ordered]
        else:
            middle = np.array([median(series.measured[one]) for one in members])
        model = series.model
        if sent.size < 2:
            offset, slope = float(middle[0] - sent[0]) if sent.size else 0.0, 1.0
        else:
            offset, slope = theil_sen(sent, middle)
        line = offset + slope * series.sent
        with np.errstate(invalid="ignore", divide="ignore"):
            each = model.cents(series.measured, line)
        if model.is_ratio:
            at = np.maximum(offset + slope * sent - model.zero, 1e-12)
            second = float(at[0]) / at if at.size else at
        else:
            second = sent - (sent.mean() if sent.size else 0.0)
        basis = np.column_stack([np.ones(sent.size), second])
        off = np.bincount(which, each[index], minlength=sent.size) / number
        own = np.sqrt(np.bincount(which, series.own[index] ** 2, minlength=sent.size)) / number
        notes = series.notes[ordered[np.cumsum(number) - number]]
        return Places(series, sent, notes, off, own, each, basis, members)

    def means(self, values: FloatArray) -> FloatArray:
        """The mean at each place, (G,), of what each reading has, (N,)."""
        if not self.members:
            return np.zeros(0)
        number = np.array([one.size for one in self.members])
        return np.asarray(np.add.reduceat(values[np.concatenate(self.members)], np.cumsum(number) - number) / number)

    @property
    def merged(self) -> bool:
        """Whether a place holds several notes."""
        return any(np.ptp(self.series.sent[one]) > 0 for one in self.members)

    @property
    def count(self) -> int:
        return self.sent.size

    @property
    def position(self) -> FloatArray:
        """Where each place lies, in mean distances between neighbours."""
        if self.count < 2:
            return np.zeros(self.count)
        model = self.series.model
        at = np.log2(self.sent - model.zero) if model.is_ratio else self.sent
        width = float(at[-1] - at[0])
        return (at - at[0]) * ((self.count - 1) / width) if width > 0 else np.arange(self.count, dtype=float)

    def increments(self) -> FloatArray:
        """Change of `off` from place to place, less the median change."""
        steps = np.diff(self.off)
        return steps - median(steps) if steps.size else steps

    def jump_scale(self) -> float:
        """Robust standard deviation of a change from place to place, cents."""
        steps = np.abs(self.increments())
        return MAD_TO_SIGMA * median(steps) if steps.size else 0.0

    def least(self, *places: int) -> float:
        """Below this many cents what parts these places is not worth a word, whatever the statistics say."""
        own = float(np.sqrt(np.sum(self.own[list(places)] ** 2)))
        return max(LEAST_OFF_CENTS, 3.0 * own, self.series.half_lsb_cents)
