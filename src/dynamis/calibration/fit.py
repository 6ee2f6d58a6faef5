"""A run judged: errors, the fitted line, what it leaves, outliers, and the verdicts.

The estimate is plain: it does not depend on stated uncertainties (weights built from measured values
bias the gain).  Uncertainty is carried through the line afterwards.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.calibration.line import METHODS, Line, Method, fit_line, median, theil_sen
from dynamis.calibration.meter import Limits, ReadingUncertainty, reading_uncertainty
from dynamis.errors import InputError
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import ToleranceProfile, Verdict, judge
from dynamis.transfer.distinct import distinct

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
# All slopes between readings are formed for the Theil–Sen line: twelve million at this many.
MOST_READINGS: Final = 5000
# As many readings as the line has parameters lie on it whatever they are.
_LINE_PARAMETERS: Final = 2
# 1.4826 turns a median |residual| of normal scatter into its standard deviation.
_MAD_TO_SIGMA: Final = 1.4826


@dataclass(frozen=True, eq=False)
class Readings:
    """Readings as they enter the mathematics, (N,) each.

    notes : what was played.  values : volts or hertz.  own : each one's own standard uncertainty, same unit.
    expected : what the line is counted against, in the line's quantity, or None for the law's own value
        of each note.  When the DAC code is known this is the code's nominal volts, so that rounding to
        codes is not taken for scatter.
    """

    notes: FloatArray
    values: FloatArray
    own: FloatArray
    expected: FloatArray | None = None

    @staticmethod
    def of(notes: ArrayLike, values: ArrayLike, own: ArrayLike | None = None) -> Readings:
        """Readings from plain lists; `own` is 0 where nothing is known."""
        values = np.asarray(values, float)
        return Readings(np.asarray(notes, float), values, np.zeros_like(values) if own is None else np.asarray(own))


@dataclass(frozen=True)
class FitSide:
    """One side of a correction: before, or after.  Cents; worst is positive."""

    worst_cents: float
    worst_note: float
    rms_cents: float
    verdict: Verdict


@dataclass(frozen=True, eq=False)
class Fit:
    """What a run of readings says.

    wanted, expected, measured : (N,) in the line's quantity.
    error_cents : measured against wanted.  residual_cents : measured against the line.
    outliers, used : (N,) booleans.  allowed_cents : the tolerance at each note, NaN where not judged.
    line_covariance : (2, 2) of offset and gain: the meter's common errors, rounding and the scatter seen.
    gain_standard_error : as the command line states it; None where it does not apply.
    """

    model: PitchModel
    method: Method
    meter: Limits | None
    readings: Readings
    wanted: FloatArray
    expected: FloatArray
    measured: FloatArray
    line: Line
    error_cents: FloatArray
    residual_cents: FloatArray
    uncertainty: ReadingUncertainty
    allowed_cents: FloatArray
    outliers: BoolArray
    used: BoolArray
    before: FitSide
    after: FitSide
    gain_standard_error: float | None
    scatter_cents: float
    line_covariance: FloatArray

    @property
    def notes(self) -> FloatArray:
        return self.readings.notes

    @property
    def gain_error_percent(self) -> float:
        return (self.line.gain - 1.0) * 100.0


def fit_readings(
    readings: Readings,
    model: PitchModel,
    tolerance: ToleranceProfile,
    *,
    method: Method = "least-squares",
    meter: Limits | None = None,
    drop_outliers: bool = False,
    left_out: BoolArray | None = None,
    outliers: BoolArray | None = None,
) -> Fit:
    """Fit a run and judge it before and after.

    Parameters
    ----------
    readings, model, tolerance : what was read, under which law, and what is allowed.
    method : least squares of cents, least largest |cents|, or through the end notes.
    meter : the range that volts were read on.
    drop_outliers : leave outliers out of the fit; the verdict after is then at best "cannot-tell".
    left_out : (N,) readings that the line must not follow for a known reason (dead band, clipping).
    outliers : (N,) as `find_outliers` gave them for these readings, where they are known already.

    Raises `InputError` for fewer than two different notes, too many readings, notes without a frequency,
    readings that have no pitch, and a tolerance that judges no reading.
    """
    if readings.notes.size > MOST_READINGS:
        raise InputError(f"There are {readings.notes.size} readings; at most {MOST_READINGS} are taken at once.")
    wanted = model.expected(readings.notes)
    if not np.all(np.isfinite(wanted)):
        note = readings.notes[~np.isfinite(wanted)][0]
        raise InputError(f"A reading is of note {note:g}, which has no frequency.")
    expected = wanted if readings.expected is None else readings.expected
    measured = model.measured(readings.values)
    allowed = tolerance.cents_at(readings.notes)
    if readings.notes.size and np.all(np.isnan(allowed)):
        raise InputError("The tolerance profile judges none of the notes that were read.")
    uncertainty = reading_uncertainty(readings.values, readings.own, model, meter)
    error = model.cents(measured, wanted)
    followed = np.ones(measured.shape, bool) if left_out is None else ~left_out
    if outliers is None:
        outliers = find_outliers(model, expected, measured, uncertainty.independent, followed)
    used = followed & ~outliers if drop_outliers else followed
    if distinct(expected[used]).values.size < 2:
        raise InputError(
            f"There are {int(used.sum())} usable readings of {distinct(readings.notes[used]).values.size} different "
            "notes; a line needs two different notes or more."
        )
    line = _embedded(fit_line(model, expected[used], measured[used], method), used)
    residual = model.cents(measured, line.at(expected))
    scatter = _scatter(residual[used], uncertainty.independent[used])
    after = _side(readings.notes[used], residual[used], uncertainty.expanded[used], allowed[used])
    if (np.any(~used) or used.sum() <= _LINE_PARAMETERS) and after.verdict == "within":
        after = FitSide(after.worst_cents, after.worst_note, after.rms_cents, "cannot-tell")
    return Fit(
        model,
        method,
        meter,
        readings,
        wanted,
        expected,
        measured,
        line,
        error,
        residual,
        uncertainty,
        allowed,
        outliers,
        used,
        _side(readings.notes, error, uncertainty.expanded, allowed),
        after,
        _gain_standard_error(model, method, meter, expected[used], measured[used], line),
        scatter,
        line_covariance(model, line, measured, uncertainty, scatter),
    )


def fit_all(
    readings: Readings, model: PitchModel, tolerance: ToleranceProfile, meter: Limits | None = None
) -> dict[Method, Fit]:
    """The three methods side by side; arguments and errors as in `fit_readings`."""
    fits: dict[Method, Fit] = {}
    outliers: BoolArray | None = None
    for method in METHODS:
        fits[method] = fit_readings(readings, model, tolerance, method=method, meter=meter, outliers=outliers)
        outliers = fits[method].outliers
    return fits


def find_outliers(
    model: PitchModel, expected: FloatArray, measured: FloatArray, independent_cents: FloatArray, among: BoolArray
) -> BoolArray:
    """Readings that lie too far from the Theil–Sen line of those in `among`.

    Too far is more than the largest of 2 cents, 6 x 1.4826 x the median |residual| and 3 x the reading's
    own uncertainty (what is common to the run moves no single reading).
    """
    if distinct(expected[among]).values.size < 2:
        return np.zeros(measured.shape, bool)
    offset, slope = theil_sen(expected[among], measured[among])
    away = np.abs(model.cents(measured, offset + slope * expected))
    away = np.where(np.isnan(away), np.inf, away)
    return (away > np.maximum(outlier_limit_cents(away[among]), 3.0 * independent_cents)) & among


def outlier_limit_cents(away_cents: FloatArray) -> float:
    """From which distance on a reading is too far from a robust line, by the distances of all of them."""
    return max(2.0, 6.0 * _MAD_TO_SIGMA * median(away_cents))


def line_covariance(
    model: PitchModel, line: Line, measured: FloatArray, uncertainty: ReadingUncertainty, scatter_cents: float
) -> FloatArray:
    """Covariance (2, 2) of the line's offset and gain.

    The meter's gain and zero move all readings together, so each goes through the line's weights as one
    vector; rounding, each reading's own uncertainty and the scatter seen beyond them go through one by one.
    """
    per_unit = model.cents_per_unit(measured)
    covariance = np.zeros((2, 2))
    for common in (uncertainty.gain, uncertainty.zero):
        moved = line.weights @ (common / per_unit)
        covariance += np.outer(moved, moved)
    each = np.hypot(uncertainty.independent, scatter_cents) / per_unit
    with np.errstate(over="ignore", invalid="ignore"):  # absurd readings make it infinite, and then nothing is claimed
        return covariance + (line.weights * each**2) @ line.weights.T


def _embedded(line: Line, used: BoolArray) -> Line:
    """The line with weights for all readings, 0 for those it did not follow."""
    if np.all(used):
        return line
    weights = np.zeros((2, used.size))
    weights[:, used] = line.weights
    return Line(line.offset, line.gain, weights)


def _scatter(residual_cents: FloatArray, independent: FloatArray) -> float:
    """Scatter seen about the line beyond what the meter's rounding explains: standard deviation, cents."""
    if residual_cents.size <= 2:
        return 0.0
    seen = float(residual_cents @ residual_cents) / (residual_cents.size - 2)
    return math.sqrt(max(0.0, seen - float(np.mean(independent**2))))


def _side(notes: FloatArray, cents: FloatArray, expanded_cents: FloatArray, allowed_cents: FloatArray) -> FitSide:
    if np.any(np.isnan(cents)):
        worst = int(np.argmax(np.isnan(cents)))
        return FitSide(math.nan, float(notes[worst]), math.nan, judge(cents, expanded_cents, allowed_cents))
    worst = int(np.argmax(np.abs(cents)))
    rms = math.sqrt(float(np.mean(cents**2)))
    return FitSide(float(abs(cents[worst])), float(notes[worst]), rms, judge(cents, expanded_cents, allowed_cents))


def _gain_standard_error(
    model: PitchModel, method: Method, meter: Limits | None, x: FloatArray, y: FloatArray, line: Line
) -> float | None:
    """Standard error of the slope, joined with the meter's gain; None where the simple formula does not hold."""
    if method != "least-squares" or model.is_ratio or x.size <= 2:
        return None
    residual = y - line.at(x)
    spread = float(np.sum((x - x.mean()) ** 2))
    own = math.sqrt(float(residual @ residual) / (x.size - 2) / spread)
    return own if meter is None else math.hypot(own, line.gain * meter.gain_fraction)
