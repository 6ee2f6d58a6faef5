"""Which pitch law an input hears by, from three or more pairs of volts and hertz; or that it cannot be told yet.

V/oct is a straight line of the logarithm of the hertz over the volts, Hz/V one of the hertz themselves.  Each is fitted
by weighted least squares; one that does not fit misses its readings by more than they are uncertain.  Source: derived
from the two laws; weighted least squares and its covariance, any text on regression.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.learning.resistance import Learned
from dynamis.errors import InputError
from dynamis.pitch.laws import CENTS_PER_NEPER, ExponentialLaw, Law, LinearLaw
from dynamis.pitch.tuning import Tuning

FloatArray = NDArray[np.float64]
LEAST_PAIRS: Final = 3
# Where nobody said how well the readings are known, this is taken of each, cents.
_USUAL_CENTS: Final = 2.0
# A fit misses by chance in less than one of a thousand where it is further off than this many deviations.
_MOST_DEVIATIONS: Final = 3.3
# What is no further off, while the other law is so many times further, is the law all the same; common practice.
_NEAR_CENTS: Final = 25.0
_FAR_TIMES: Final = 6.0


@dataclass(frozen=True)
class Pair:
    """What an input played at some volts, each with its standard uncertainty; 0 where nothing is known of it."""

    volts: float
    hertz: float
    volts_deviation: float = 0.0
    hertz_deviation: float = 0.0


@dataclass(frozen=True)
class Candidate:
    """A law laid through the pairs.  scale : V/oct, or volts at the reference note for Hz/V; reference : the volts at
    the reference note, or those of 0 Hz.  worst_cents : of the pairs; fits : within their uncertainty."""

    law: Law
    scale: Learned
    reference: Learned
    worst_cents: float
    fits: bool


@dataclass(frozen=True)
class LearnedLaw:
    """verdict : the kind that fits alone, "both" while it cannot be told, "neither".  loosely : it is near and the
    other far off, though it misses the pairs by more than they are uncertain: it bends, or was not warm.
    """

    exponential: Candidate | None
    linear: Candidate | None
    verdict: Literal["exponential", "linear", "both", "neither"]
    loosely: bool = False

    @property
    def chosen(self) -> Candidate | None:
        return {"exponential": self.exponential, "linear": self.linear}.get(self.verdict)


@dataclass(frozen=True, eq=False)
class _Read:
    """The pairs, and their volts and hertz, (K,) each."""

    pairs: tuple[Pair, ...]
    volts: FloatArray
    hertz: FloatArray


def learn_law(pairs: Sequence[Pair], tuning: Tuning, note: float | None = None) -> LearnedLaw:
    """The law that fits.  note : its reference, by default the C nearest to the middle of what was played.

    Raises InputError with fewer than three different voltages, or hertz that are none."""
    if any(not (one.hertz > 0 and math.isfinite(one.hertz) and math.isfinite(one.volts)) for one in pairs):
        raise InputError("Every pair needs volts and more than 0 Hz.")
    if len({one.volts for one in pairs}) < LEAST_PAIRS:
        raise InputError(f"{LEAST_PAIRS} pairs at different volts are needed; an octave apart tells most.")
    volts = np.array([one.volts for one in pairs])
    hertz = np.array([one.hertz for one in pairs])
    if np.corrcoef(volts, hertz)[0, 1] <= 0:
        raise InputError("The hertz fall as the volts rise: no pitch law does that; were columns changed over?")
    read = _Read(tuple(pairs), volts, hertz)
    note = _nearest_c(hertz, tuning) if note is None else note
    exponential = _exponential(read, tuning, note)
    linear = _linear(read, tuning, note)
    fitting = [name for name, one in (("exponential", exponential), ("linear", linear)) if one is not None and one.fits]
    verdict: Literal["exponential", "linear", "both", "neither"] = "neither"
    loosely = not fitting and exponential is not None and linear is not None
    if loosely and exponential is not None and linear is not None:
        near, far = sorted((exponential, linear), key=lambda one: one.worst_cents)
        loosely = near.worst_cents <= _NEAR_CENTS and far.worst_cents >= _FAR_TIMES * near.worst_cents
        fitting = ["exponential" if near is exponential else "linear"] if loosely else []
    if len(fitting) == 2:
        verdict = "both"
    elif fitting:
        verdict = "exponential" if fitting[0] == "exponential" else "linear"
    return LearnedLaw(exponential, linear, verdict, loosely)


def _line(x: FloatArray, y: FloatArray, deviation: FloatArray) -> tuple[float, float, FloatArray, FloatArray]:
    """(start, slope, their covariance, what is left in deviations) by weighted least squares, widened where the
    readings scatter more."""
    basis = np.column_stack([np.ones(x.size), x])
    weighted = basis / deviation[:, None]
    covariance = np.linalg.inv(weighted.T @ weighted)
    start, slope = covariance @ weighted.T @ (y / deviation)
    left = (y - start - slope * x) / deviation
    freedom = max(1, x.size - 2)
    widened = np.asarray(covariance * max(1.0, float(left @ left) / freedom), float)
    return float(start), float(slope), widened, np.asarray(left, float)


def _fits(left: FloatArray) -> bool:
    """Whether what is left is no more than chance: by its sum of squares, and by the worst of it."""
    freedom = max(1, left.size - 2)
    total = float(left @ left)
    allowed = freedom + _MOST_DEVIATIONS * math.sqrt(2.0 * freedom) + _MOST_DEVIATIONS
    return total <= allowed


def _deviations(read: _Read, volts_per_octave: FloatArray) -> FloatArray:
    """Of each pair in octaves, its volts counted by the slope there."""
    of_hertz = np.array([one.hertz_deviation for one in read.pairs]) / read.hertz / math.log(2.0)
    of_volts = np.array([one.volts_deviation for one in read.pairs]) / np.abs(volts_per_octave)
    both = np.hypot(of_hertz, of_volts)
    return np.where(both > 0, both, _USUAL_CENTS / 1200.0)


def _nearest_c(hertz: FloatArray, tuning: Tuning) -> float:
    """The C nearest to the middle of what was played."""
    middle = float(np.exp(np.mean(np.log(hertz))))
    notes = np.arange(0.0, 128.0, 12.0)
    return float(notes[int(np.nanargmin(np.abs(np.log(tuning.hertz(notes) / middle))))])


def _exponential(read: _Read, tuning: Tuning, note: float) -> Candidate | None:
    volts, hertz = read.volts, read.hertz
    octaves = np.log2(hertz)
    rough = float(np.polyfit(volts, octaves, 1)[0])
    if not rough > 0:
        return None
    at = math.log2(float(tuning.hertz([note])[0]))
    deviation = _deviations(read, np.full(volts.size, 1.0 / rough))
    start, slope, covariance, left = _line(volts, octaves - at, deviation)
    if not slope > 0:
        return None
    scale, reference = 1.0 / slope, -start / slope
    u_scale = math.sqrt(covariance[1, 1]) / slope**2
    # Of -start / slope, by its two derivatives.
    by = np.array([-1.0 / slope, start / slope**2])
    u_reference = math.sqrt(float(by @ covariance @ by))
    worst = float(np.max(np.abs(left * deviation))) * 1200.0
    law = ExponentialLaw(scale, note, reference)
    return Candidate(law, Learned(scale, 2.0 * u_scale), Learned(reference, 2.0 * u_reference), worst, _fits(left))


def _linear(read: _Read, tuning: Tuning, note: float) -> Candidate | None:
    volts, hertz = read.volts, read.hertz
    rough, start = np.polyfit(volts, hertz, 1)
    if not rough > 0:
        return None
    # An octave has hertz · ln 2 hertz, and so many volts at that height.
    deviation = _deviations(read, hertz * math.log(2.0) / rough) * hertz * math.log(2.0)
    start, slope, covariance, left = _line(volts, hertz, deviation)
    if not slope > 0:
        return None
    zero, height = -start / slope, float(tuning.hertz([note])[0]) / slope
    by = np.array([-1.0 / slope, start / slope**2])
    u_zero, u_height = math.sqrt(float(by @ covariance @ by)), height * math.sqrt(covariance[1, 1]) / slope
    worst = float(np.max(np.abs(left * deviation / hertz))) * CENTS_PER_NEPER
    if height <= 0:
        return None
    law = LinearLaw(note, height, zero)
    return Candidate(law, Learned(height, 2.0 * u_height), Learned(zero, 2.0 * u_zero), worst, _fits(left))
