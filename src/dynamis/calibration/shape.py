"""The shape of the errors: which causes the readings show, each with its number and its uncertainty.

Fitted in this order, since what comes first would be mistaken for what comes later: a dead band at the
bottom and clipping at the top (flat ends), single readings far off the line, scale and offset, a step,
the saw-tooth of rounding, scatter.  A cause is claimed only where its number exceeds its own uncertainty,
widened for few readings and for the number of places looked at.
Source of the order and of what each shape means: common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.fit import Fit, Readings, find_outliers, fit_readings, outlier_limit_cents
from dynamis.calibration.line import fit_line, median, theil_sen
from dynamis.calibration.meter import MeterRange, reading_uncertainty
from dynamis.calibration.significance import claim_factor
from dynamis.converter.dac import Dac
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import ToleranceProfile

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
Cause = Literal["dead band", "clipping", "outlier", "scale", "offset", "step", "saw-tooth", "scatter"]
# Below this a number would be shown as 0.0 ct; it is not worth a sentence.
_LEAST_CENTS: Final = 0.05
_FEWEST_FOR_STEP: Final = 6
_MOST_SPLITS: Final = 256
_MOST_STUCK_NOTES: Final = 32


@dataclass(frozen=True)
class Term:
    """One cause that the readings show.

    value, expanded : the number and its U = 2u, in `unit` ("%", "V", "ct", "LSB", "Hz").
    cents, cents_expanded : the same in cents: per octave for a scale under V/oct, else the largest effect.
    notes : where it shows (lowest and highest note, or the notes on both sides of a step).
    codes : DAC codes of `notes` where they are known.  carry : the most likely code of a step.
    """

    cause: Cause
    value: float
    expanded: float
    unit: str
    cents: float
    cents_expanded: float
    notes: tuple[float, ...] = ()
    codes: tuple[int, ...] = ()
    carry: int | None = None


@dataclass(frozen=True, eq=False)
class Shape:
    """All causes found, and the fit that leaves flat ends out."""

    terms: tuple[Term, ...]
    fit: Fit
    left_out: BoolArray

    def find(self, cause: Cause) -> Term | None:
        return next((term for term in self.terms if term.cause == cause), None)


def describe_shape(
    readings: Readings,
    model: PitchModel,
    tolerance: ToleranceProfile,
    meter: MeterRange | None = None,
    dac: Dac | None = None,
    codes: FloatArray | None = None,
) -> Shape:
    """Find the causes in a run of readings of two different notes or more.

    dac : the converter, where it is known.  codes : (N,) the codes that were sent, where they are known.
    A reading of a code that stands for no pitch (0 V under Hz/V) is left out.  Raises `InputError` as
    `fit_readings` does.
    """
    measured = model.measured(readings.values)
    expected = model.expected(readings.notes) if readings.expected is None else readings.expected
    mute = ~(np.isfinite(expected) & (expected > model.zero if model.is_ratio else True))
    left_out, terms = _flat_ends(readings, model, meter, mute)
    independent = reading_uncertainty(readings.values, readings.own, model, meter).independent
    outliers = find_outliers(model, expected, measured, independent, ~(left_out | mute))
    known = left_out | mute | outliers
    if np.unique(expected[~known]).size < 2:
        known, outliers = left_out | mute, np.zeros_like(outliers)
    fit = fit_readings(readings, model, tolerance, meter=meter, left_out=known, outliers=outliers)
    terms += [_outlier(fit, int(k)) for k in np.flatnonzero(outliers)]
    terms += _line_terms(fit)
    used = ~known
    residual, order = fit.residual_cents[used], np.argsort(expected[used], kind="stable")
    found = _step(residual[order], expected[used][order], independent[used][order], model)
    if found is not None:
        size, standard, after, residual_sorted = found
        terms.append(_step_term(fit, used, order, after, size, standard, dac, codes))
        residual = residual.copy()
        residual[order] = residual_sorted
    terms += _saw_tooth(fit, used, residual, independent[used], dac, codes)
    terms += _scatter(residual, independent[used], 2 if found is None else 4)
    return Shape(tuple(terms), fit, left_out)


def _flat_ends(
    readings: Readings, model: PitchModel, meter: MeterRange | None, mute: BoolArray
) -> tuple[BoolArray, list[Term]]:
    """Readings at the ends that no longer follow: stuck above the line at the bottom, below it at the top."""
    measured = model.measured(readings.values)
    expected = model.expected(readings.notes) if readings.expected is None else readings.expected
    independent = reading_uncertainty(readings.values, readings.own, model, meter).independent
    order = np.argsort(expected, kind="stable")
    left_out = np.zeros(measured.shape, bool)
    terms: list[Term] = []
    causes: tuple[tuple[Cause, float], ...] = (("dead band", 1.0), ("clipping", -1.0))
    for cause, side in causes:
        ranked = order if side > 0 else order[::-1]
        ranked = ranked[~(left_out | mute)[ranked]]
        stuck, excess, standard = _stuck(model, expected, measured, independent, ranked, side)
        if not stuck.size:
            continue
        left_out[stuck] = True
        ends = readings.notes[stuck]
        level = float(np.mean(readings.values[stuck]))
        unit = "V" if model.quantity == "volts" else "Hz"
        per_unit = float(model.cents_per_reading_unit(np.array([level]))[0])
        terms.append(Term(cause, level, 2 * standard / per_unit, unit, excess, 2 * standard,
                          (float(ends.min()), float(ends.max()))))  # fmt: skip
    return left_out, terms


def _stuck(
    model: PitchModel, expected: FloatArray, measured: FloatArray, independent: FloatArray, ranked: NDArray[np.intp],
    side: float,
) -> tuple[NDArray[np.intp], float, float]:  # fmt: skip
    """The largest group from one end that is flat and off the line of the rest, with its excess in cents."""
    none = np.array([], dtype=np.intp)
    count = len(ranked)
    # A flat end is a minority; a quarter of the readings (at least one) is looked at.
    core = ranked[max(1, count // 4) :]
    if core.size < 4 or np.unique(expected[core]).size < 3:
        return none, 0.0, 0.0
    away, limit = _from_robust_line(model, expected, measured, core)
    if side * away[ranked[0]] <= max(_LEAST_CENTS, limit / 6.0):
        return none, 0.0, 0.0  # the very end is about where it should be
    fine = np.abs(away) <= np.maximum(limit, 3.0 * independent)
    # A flat end holds whole notes, however often each was read.
    borders = np.flatnonzero(np.diff(expected[ranked]) != 0) + 1
    for size in borders[borders <= max(1, count // 4)][:_MOST_STUCK_NOTES][::-1]:
        ends, rest = ranked[:size], ranked[size:]
        rest = rest[fine[rest]]
        if rest.size < 4 or np.unique(expected[rest]).size < 2:
            continue
        line = fit_line(model, expected[rest], measured[rest])
        residual = model.cents(measured[rest], line.at(expected[rest]))
        scatter2 = float(residual @ residual) / (rest.size - 2)
        own2 = np.maximum(independent[ends] ** 2, scatter2)
        basis = np.stack([np.ones(size), expected[ends]])
        spread = np.einsum("ik,ij,jk->k", basis, line.weights @ line.weights.T, basis)
        standard = np.sqrt(own2 + scatter2 * spread)
        excess = side * model.cents(measured[ends], line.at(expected[ends]))
        excess = np.where(np.isnan(excess), np.inf, excess)
        factor = claim_factor(rest.size - 2, 2 * max(1, borders.size // 4))
        flat = np.ptp(model.cents(measured[ends], measured[ends[:1]])) <= factor * math.sqrt(2 * float(np.max(own2)))
        moved = np.ptp(expected[ends]) == 0 or size == 1 or flat
        if moved and np.all(excess > np.maximum(factor * standard, _LEAST_CENTS)) and np.isfinite(excess[0]):
            return ends, float(excess[0]), float(standard[0])
    return none, 0.0, 0.0


def _from_robust_line(
    model: PitchModel, expected: FloatArray, measured: FloatArray, core: NDArray[np.intp]
) -> tuple[FloatArray, float]:
    """Cents of all readings from the robust line of the core, and from which distance on one is far off.

    By the medians of the core's notes: a quick look is enough here.
    """
    places, which = np.unique(expected[core], return_inverse=True)
    order = np.argsort(which, kind="stable")
    groups = np.split(measured[core][order], np.cumsum(np.bincount(which))[:-1])
    offset, slope = theil_sen(places, np.array([median(group) for group in groups]))
    away = model.cents(measured, offset + slope * expected)
    away = np.where(np.isnan(away), np.inf, away)
    return away, outlier_limit_cents(np.abs(away[core]))


def _outlier(fit: Fit, index: int) -> Term:
    cents = float(fit.residual_cents[index])
    expanded = 2.0 * math.hypot(float(fit.uncertainty.independent[index]), fit.scatter_cents)
    return Term("outlier", cents, expanded, "ct", cents, expanded, (float(fit.notes[index]),))


def _line_terms(fit: Fit) -> list[Term]:
    """Scale and offset of the line, where they exceed what the meter and the scatter leave open."""
    terms: list[Term] = []
    standard = np.sqrt(np.diag(fit.line_covariance))
    freedom = float(fit.used.sum()) - 2.0 if fit.scatter_cents > 0 else math.inf
    factor = claim_factor(freedom)
    span = fit.expected[fit.used]
    gain_error = fit.line.gain - 1.0
    per_unit = 1200.0 if not fit.model.is_ratio else 1200.0 / math.log(2.0)
    effect = abs(gain_error) * per_unit * (1.0 if fit.model.is_ratio else float(np.ptp(span)) / _octave(fit.model))
    if abs(gain_error) > factor * standard[1] and effect >= _LEAST_CENTS:
        terms.append(Term("scale", 100 * gain_error, 200 * float(standard[1]), "%", gain_error * per_unit,
                          2 * float(standard[1]) * per_unit))  # fmt: skip
    offset, u_offset = fit.line.offset, float(standard[0])
    at = fit.model.cents_per_unit(np.array([float(span.min())]))[0]
    if abs(offset) > factor * u_offset and abs(offset * at) >= _LEAST_CENTS:
        unit = {"volts": "V", "octaves": "ct", "hertz": "Hz"}[fit.model.kind]
        size = 1200.0 if unit == "ct" else 1.0
        lowest = float(fit.notes[fit.used].min())
        terms.append(Term("offset", offset * size, 2 * u_offset * size, unit, float(offset * at),
                          2 * u_offset * float(at), (lowest,)))  # fmt: skip
    return terms


def _octave(model: PitchModel) -> float:
    """One octave in the line's quantity under V/oct."""
    return float(model.law.volts(1.0) - model.law.volts(0.0)) if model.kind == "volts" else 1.0


def _step(
    residual: FloatArray, x: FloatArray, independent: FloatArray, model: PitchModel
) -> tuple[float, float, int, FloatArray] | None:
    """The one step that explains most of the residuals: (size, standard, index before it, what is left).

    All in cents.  A bend that a parabola explains better is no step.
    """
    count = residual.size
    if count < _FEWEST_FOR_STEP:
        return None
    splits = np.flatnonzero(np.diff(x) > 0)
    splits = splits[(splits >= 1) & (splits <= count - 3)]
    if splits.size == 0:
        return None
    splits = splits[:: max(1, math.ceil(splits.size / _MOST_SPLITS))]
    basis = np.linalg.qr(np.column_stack([np.ones(count), x - x.mean()]))[0]
    plain = residual - basis @ (basis.T @ residual)
    rises = (np.arange(count)[None, :] > splits[:, None]).astype(float)
    rises -= (rises @ basis) @ basis.T
    length2 = np.einsum("ij,ij->i", rises, rises)
    size = rises @ plain / length2
    gained = size**2 * length2
    best = int(np.argmax(gained))
    bend = (x - x.mean()) ** 2
    bend = bend - basis @ (basis.T @ bend)
    bend_length2 = float(bend @ bend)
    if bend_length2 > 0 and (bend @ plain) ** 2 / bend_length2 >= gained[best]:
        return None
    left = max(0.0, float(plain @ plain) - float(gained[best]))
    variance = max(left / (count - 4), float(np.mean(independent**2)))
    standard = math.sqrt(variance / length2[best])
    factor = claim_factor(count - 4, int(splits.size))
    if abs(size[best]) <= max(factor * standard, _LEAST_CENTS):
        return None
    return float(size[best]), standard, int(splits[best]), plain - size[best] * rises[best]


def _step_term(
    fit: Fit, used: BoolArray, order: NDArray[np.intp], after: int, cents: float, standard: float, dac: Dac | None,
    codes: FloatArray | None,
) -> Term:  # fmt: skip
    places = np.flatnonzero(used)[order]
    low, high = places[after], places[after + 1]
    notes = (float(fit.notes[low]), float(fit.notes[high]))
    between: tuple[int, ...] = ()
    carry = None
    if codes is not None and np.all(np.isfinite(codes[[low, high]])):
        first, last = sorted((int(codes[low]), int(codes[high])))
        between = (first, last)
        if last > first:
            carry = max(range(first + 1, last + 1), key=lambda code: code & -code)
    if dac is None or fit.model.kind != "volts":
        return Term("step", cents, 2 * standard, "ct", cents, 2 * standard, notes, between, carry)
    middle = 0.5 * (fit.measured[low] + fit.measured[high])
    lsb = dac.lsb_volts * float(fit.model.cents_per_unit(np.array([middle]))[0])
    return Term("step", cents / lsb, 2 * standard / lsb, "LSB", cents, 2 * standard, notes, between, carry)


def _saw_tooth(
    fit: Fit, used: BoolArray, residual: FloatArray, independent: FloatArray, dac: Dac | None, codes: FloatArray | None
) -> list[Term]:
    """Rounding to codes: known where the codes are, else looked for as the converter's own pattern."""
    if codes is not None:
        known = fit.model.cents(fit.expected, fit.wanted)
        worst = float(np.nanmax(np.abs(known))) if np.any(np.isfinite(known)) else 0.0
        # Codes that aim beside the wish (constants, a table) are no rounding; only what an LSB explains is.
        lsb = 0.0 if dac is None else dac.lsb_volts * float(np.max(fit.model.cents_per_unit(fit.wanted)))
        if fit.model.kind == "volts" and _LEAST_CENTS <= worst <= 0.51 * lsb:
            return [Term("saw-tooth", worst, 0.0, "ct", worst, 0.0)]
        return []
    if dac is None or fit.model.kind != "volts" or residual.size < _FEWEST_FOR_STEP:
        return []
    wanted = fit.wanted[used]
    pattern = fit.model.cents(dac.nominal_volts(dac.code_for(wanted).codes), wanted)
    basis = np.linalg.qr(np.column_stack([np.ones(wanted.size), wanted - wanted.mean()]))[0]
    clean = pattern - basis @ (basis.T @ pattern)
    length2 = float(clean @ clean)
    if length2 < 1e-12:
        return []
    share = float(clean @ residual) / length2
    left = residual - share * clean
    variance = max(float(left @ left) / max(1, residual.size - 3), float(np.mean(independent**2)))
    standard = math.sqrt(variance / length2)
    largest = float(np.max(np.abs(pattern)))
    if share <= claim_factor(residual.size - 3) * standard or share * largest < _LEAST_CENTS:
        return []
    return [Term("saw-tooth", share * largest, 2 * standard * largest, "ct", share * largest, 2 * standard * largest)]


def _scatter(residual: FloatArray, independent: FloatArray, parameters: int) -> list[Term]:
    """Scatter beyond the meter's rounding: standard deviation of what no cause above explains."""
    freedom = residual.size - parameters
    if freedom < 2:
        return []
    seen = math.sqrt(float(residual @ residual) / freedom)
    standard = seen / math.sqrt(2.0 * freedom)
    rounding = math.sqrt(float(np.mean(independent**2)))
    if seen - claim_factor(math.inf) * standard <= rounding or seen < _LEAST_CENTS:
        return []
    return [Term("scatter", seen, 2 * standard, "ct", seen, 2 * standard)]
