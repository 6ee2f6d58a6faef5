"""The causes of a run's errors, in the order in which one would be mistaken for another.

Flat ends first, then what the readings of one note say of each other (slips, drift), single readings that both
neighbours contradict, steps and bends, and last the line: scale and offset.  What stands out and can be none of
these by what was read so far is undecided, with the notes that would decide.
Source of the order and of what each means: common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.causes.bends import Unexplained, find_left
from dynamis.calibration.causes.ends import find_stuck
from dynamis.calibration.causes.noise import Estimate, estimate
from dynamis.calibration.causes.repeats import judge_repeats, undrifted
from dynamis.calibration.causes.series import BoolArray, Places, Series
from dynamis.calibration.causes.singles import find_jumps, find_slips, slip_term
from dynamis.calibration.causes.term import Cause, Term
from dynamis.calibration.causes.undecided import lone_reading, undecided
from dynamis.calibration.fit import Fit, Readings, fit_readings
from dynamis.calibration.meter import Limits, ReadingUncertainty, reading_uncertainty
from dynamis.converter.dac import Dac
from dynamis.errors import InputError
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import ToleranceProfile
from dynamis.transfer.distinct import distinct

FloatArray = NDArray[np.float64]
# Below this a number would be shown as 0.0 ct; it is not worth a sentence.
LEAST_CENTS: Final = 0.05
FEWEST: Final = 5
_MOST_FORMS: Final = 2
# Codes within so many of a straight line were only rounded; a table moves them further.
_ROUNDED: Final = 0.75


@dataclass(frozen=True, eq=False)
class Shape:
    """All causes found, and the line through the readings that are neither stuck nor slips.

    left_out : (N,) those that no code moves.  slips : (N,) those that other readings contradict.
    """

    terms: tuple[Term, ...]
    fit: Fit
    left_out: BoolArray
    slips: BoolArray

    def find(self, cause: Cause) -> Term | None:
        return next((term for term in self.terms if term.cause == cause), None)

    @property
    def asks(self) -> tuple[float, ...]:
        """Notes whose readings would decide what is undecided."""
        return tuple(dict.fromkeys(note for term in self.terms for note in term.asks))


def describe_shape(
    readings: Readings,
    model: PitchModel,
    tolerance: ToleranceProfile,
    meter: Limits | None = None,
    dac: Dac | None = None,
    codes: FloatArray | None = None,
    seconds: FloatArray | None = None,
    reach: tuple[float, float] = (0.0, 127.0),
) -> Shape:
    """Find the causes in a run of readings of two different notes or more.

    dac : the converter, where it is known.  codes : (N,) the codes that were sent, NaN or None where unknown.
    seconds : (N,) when each was taken, None for in this order.  reach : the lowest and highest note that can be read.
    A reading of a code that stands for no pitch (0 V under Hz/V) is left out.  Raises `InputError` as
    `fit_readings` does.
    """
    series, sent = _series(readings, model, meter, dac, codes, seconds)
    mute = ~series.good
    terms: list[Term] = []
    stuck, slips = np.zeros(mute.shape, bool), np.zeros(mute.shape, bool)
    forms: tuple[Unexplained, ...] = ()
    drifts = 0.0
    if not _sound(series.places):  # readings that no line goes through, such as falling ones under Hz/V
        fit = fit_readings(readings, model, tolerance, meter=meter, left_out=mute, outliers=slips)
        return Shape((), fit, stuck, slips)
    enough = int(series.good.sum()) >= FEWEST and not series.places.merged
    if enough:
        found = find_stuck(series)
        stuck, series = found.readings, series.without(found.readings)
        terms += found.terms
        repeats = judge_repeats(series)
        terms += repeats.terms
        slips = slips | repeats.slips
        if repeats.drift:
            drifts = repeats.drift_expanded
            series = replace(series, measured=undrifted(series, repeats.drift))
        series = series.without(repeats.slips)
        places = series.places
        single = find_slips(places)
        noise = places.jump_scale()
        for k in single:
            reading = int(places.members[k][0])
            slips[reading] = True
            terms.append(slip_term(series, reading, _from_neighbours(places, k, single), noise / np.sqrt(2.0)))
        series = series.without(slips)
        places = series.places
        while len(forms) < _MOST_FORMS and (one := find_left(places, forms)) is not None:
            forms = (*forms, one)
        rest = _without_forms(places, forms)
        terms += undecided(places, find_jumps(places, rest), repeats.open, reach)
    elif int(series.good.sum()) < FEWEST:
        terms += lone_reading(series.places)
    out = stuck | slips | mute
    expected = readings.expected if readings.expected is not None else model.expected(readings.notes)
    if distinct(expected[~out]).values.size < 2:
        out, slips = stuck | mute, np.zeros_like(slips)
    fit = fit_readings(readings, model, tolerance, meter=meter, left_out=out, outliers=slips)
    line = _joint(series.places, forms, drifts)
    terms += [_form_term(line.places, one, k, codes) for k, one in enumerate(forms)]
    terms += _line_terms(fit, line, expected)
    terms += _rounding(fit, sent, dac, codes, readings.expected is None)
    terms += _scatter(line, fit)
    return Shape(tuple(_ordered(terms)), fit, stuck, slips)


def _sound(places: Places) -> bool:
    """Whether the places have sizes that can be reckoned with."""
    if places.sent.size < 2:  # no reading of a note that sounds, or one
        return False
    return bool(np.all(np.abs(places.off) < 1e6) and np.all(np.abs(places.basis) < 1e6) and np.ptp(places.sent) > 0)


def _ordered(terms: list[Term]) -> list[Term]:
    order = (
        "dead-band",
        "clipping",
        "slip",
        "drift",
        "undecided",
        "scale",
        "offset",
        "step",
        "bend",
        "rounding",
        "scatter",
    )
    return sorted(terms, key=lambda one: order.index(one.cause))


def _series(
    readings: Readings,
    model: PitchModel,
    meter: Limits | None,
    dac: Dac | None,
    codes: FloatArray | None,
    seconds: FloatArray | None,
) -> tuple[Series, FloatArray]:
    """The readings for the causes, and what is taken for sent: codes' values where only rounding parts them."""
    measured = model.measured(readings.values)
    expected = model.expected(readings.notes) if readings.expected is None else readings.expected
    mute = ~(np.isfinite(expected) & (expected > model.zero if model.is_ratio else True))
    own = reading_uncertainty(readings.values, readings.own, model, meter).independent
    sent, half = expected, 0.0
    known = codes is not None and bool(np.all(np.isfinite(codes))) and distinct(codes).values.size >= 3
    if known and codes is not None:
        slope, base = np.polyfit(codes, expected, 1) if not np.any(mute) else (0.0, 0.0)
        if slope > 0:
            half = 0.5 * float(slope) * float(np.min(model.cents_per_unit(expected)))
            if readings.expected is None and float(np.max(np.abs(expected - base - slope * codes))) <= _ROUNDED * slope:
                sent = base + slope * codes
    if dac is not None and model.kind == "volts":
        half = 0.5 * dac.lsb_volts * float(np.min(model.cents_per_unit(expected[~mute]), initial=np.inf))
        half = half if np.isfinite(half) else 0.0
    order = np.arange(measured.size, dtype=float)
    if seconds is not None and np.all(np.isfinite(seconds)) and np.ptp(seconds, axis=0) > 0:
        order = np.asarray(seconds, float)
    return Series(model, readings.notes, sent, measured, own, order, ~mute, half), sent


def _from_neighbours(places: Places, k: int, slips: list[int]) -> float:
    others = np.delete(np.arange(places.count), slips)
    there = float(np.interp(places.position[k], places.position[others], places.off[others]))
    return float(places.off[k]) - there


def _without_forms(places: Places, forms: tuple[Unexplained, ...]) -> FloatArray:
    if not forms:
        return places.off
    line = _joint(places, forms)
    columns = np.column_stack([one.form.column for one in forms])
    return places.off - columns @ line.fitted.values[2:]


@dataclass(frozen=True, eq=False)
class _Line:
    """Scale, offset and the forms found, fitted together to the places.

    others : the values (P,) with forms that do nearly as well in their place.  drift : U of the drift that was taken
    out, cents a second.
    """

    places: Places
    fitted: Estimate
    forms: tuple[Unexplained, ...]
    others: tuple[FloatArray, ...]
    drift: float = 0.0

    def expanded(self, row: FloatArray) -> float | None:
        """U of a combination of the values, row (P,): scatter, what other forms would say, and the drift's own."""
        own = self.fitted.expanded(self.fitted.weights.T @ row)
        if own is None:
            return None
        doubt = max((abs(float((one - self.fitted.values) @ row)) for one in self.others), default=0.0)
        seconds = self.places.means(self.places.series.seconds)
        moved = self.drift * float(row @ (self.fitted.weights @ (seconds - seconds.min())))
        return float(np.sqrt(own**2 + doubt**2 + moved**2))


def _joint(places: Places, forms: tuple[Unexplained, ...], drift: float = 0.0) -> _Line:
    columns = [one.form.column for one in forms]
    fitted = estimate(np.column_stack([places.basis, *columns]), places.off, places.position, places.own)
    others = [
        np.linalg.pinv(np.column_stack([places.basis, *columns[:k], form.column, *columns[k + 1 :]])) @ places.off
        for k, one in enumerate(forms)
        for form in one.alike
    ]
    return _Line(places, fitted, forms, tuple(others), drift)


def _form_term(places: Places, left: Unexplained, k: int, codes: FloatArray | None) -> Term:
    first, last = left.form.first, left.form.last
    notes = (float(places.notes[first]), float(places.notes[last]))
    between: tuple[int, ...] = ()
    carry = None
    if left.form.kind == "step" and codes is not None:
        ends = [codes[places.members[k][0]] for k in (first, last)]
        if np.all(np.isfinite(ends)):
            low, high = sorted(int(code) for code in ends)
            between = (low, high)
            carry = carry_between(low, high, int(np.nanmax(codes)))
    return Term(left.form.kind, left.cents, left.expanded, "cents", left.cents, left.expanded, notes, between, carry)


def carry_between(low: int, high: int, largest: int) -> int | None:
    """The code after `low` up to `high` at which most bits of the upper three change; None where there is none.

    A converter's large steps stand at multiples of an eighth of its range: where they do not, no carry is named.
    """
    bits = max(8, int(largest).bit_length())
    eighth = 2 ** (bits - 3)
    multiples = range((low // eighth + 1) * eighth, high + 1, eighth)
    return max(multiples, key=lambda code: code & -code, default=None)


def _row(fitted: Estimate, first: float, second: float) -> FloatArray:
    """A combination of the line's two values, beside whatever forms there are."""
    return np.array([first, second, *[0.0] * (fitted.values.size - 2)])


def _line_terms(fit: Fit, line: _Line, expected: FloatArray) -> list[Term]:
    """Scale and offset over the notes that were read, each with what the meter and the scatter leave open."""
    places, fitted, model = line.places, line.fitted, fit.model
    if places.count < 2:
        return []
    offset, gain = _line_of(fit, line, expected)
    per_unit = 1200.0 / np.log(2.0) if model.is_ratio else float(model.cents_per_unit(np.array([1.0]))[0])
    common = _common(fit, places)
    notes = (float(np.min(fit.notes[fit.used])), float(np.max(fit.notes[fit.used])))
    terms: list[Term] = []
    if model.is_ratio:
        scale_row, offset_row = _row(fitted, 1.0, 0.0), _row(fitted, 0.0, float(_lever(places)))
        first = float(np.log2(gain) * 1200.0) if gain > 0 else np.nan
    else:
        # Cents are c0 + c1·(x − mean): the offset stands at x = 0.
        scale_row, offset_row = _row(fitted, 0.0, 1.0), _row(fitted, 1.0, -float(places.sent.mean()))
        first = (gain - 1.0) * per_unit
    u_scale = _whole(line, scale_row, common)
    effect = abs(first) if model.is_ratio else abs(first) * float(np.ptp(places.sent)) / _octave(model)
    octave = 1.0 if model.is_ratio else _octave(model)
    if np.isfinite(first) and (u_scale is None or abs(first) > u_scale) and effect >= LEAST_CENTS:
        percent = None if u_scale is None else 100.0 * u_scale / per_unit
        terms.append(
            Term(
                "scale",
                100.0 * (gain - 1.0),
                percent,
                "percent",
                first * octave,
                None if u_scale is None else u_scale * octave,
                notes,
            )
        )
    u_offset = _whole(line, offset_row, common)
    low = float(np.min(expected[fit.used]))
    at = float(model.cents_per_unit(np.array([low]))[0])
    unit = {"volts": "volts", "octaves": "cents", "hertz": "hertz"}[model.kind]
    size = 1200.0 if unit == "cents" else 1.0
    u_units = None if u_offset is None else u_offset / per_unit * size
    if (u_units is None or abs(offset * size) > u_units) and abs(offset * at) >= LEAST_CENTS:
        cents = None if u_units is None else u_units / size * at
        terms.append(Term("offset", offset * size, u_units, unit, offset * at, cents, notes))
    return terms


def _line_of(fit: Fit, line: _Line, expected: FloatArray) -> tuple[float, float]:
    """Offset and gain of the line beside the forms and without drift: the fit's own where there is neither."""
    if not line.forms and not line.drift:
        return fit.line.offset, fit.line.gain
    places, model = line.places, fit.model
    columns = np.column_stack([np.zeros((places.count, 0)), *(one.form.column[:, None] for one in line.forms)])
    off = columns @ line.fitted.values[2:]
    middle = places.means(places.series.measured)
    if model.is_ratio:
        straight = model.zero + (middle - model.zero) * np.exp2(-off / 1200.0)
    else:
        straight = middle - off / model.cents_per_unit(middle)
    from dynamis.calibration.line import fit_line

    first = np.array([int(one[0]) for one in places.members])
    try:
        made = fit_line(model, expected[first], straight)
    except InputError:
        return fit.line.offset, fit.line.gain
    return made.offset, made.gain


def _lever(places: Places) -> float:
    """What the basis of a ratio's offset was divided by: the lowest value above zero."""
    return 1.0 / float(places.basis[0, 1]) * float(np.max(places.sent[0] - places.series.model.zero))


def _common(fit: Fit, places: Places) -> tuple[FloatArray, FloatArray]:
    """The meter's gain and zero at the places, cents: each moves all of them together."""
    first = np.array([int(one[0]) for one in places.members])
    uncertainty: ReadingUncertainty = fit.uncertainty
    return uncertainty.gain[first], uncertainty.zero[first]


def _whole(line: _Line, row: FloatArray, common: tuple[FloatArray, FloatArray]) -> float | None:
    """U with what the meter may add to all readings alike."""
    own = line.expanded(row)
    places = line.fitted.weights.T @ row
    return None if own is None else float(np.sqrt(own**2 + sum((2.0 * float(places @ one)) ** 2 for one in common)))


def _octave(model: PitchModel) -> float:
    """One octave in the line's quantity under V/oct."""
    return float(model.law.volts(1.0) - model.law.volts(0.0)) if model.kind == "volts" else 1.0


def _rounding(fit: Fit, sent: FloatArray, dac: Dac | None, codes: FloatArray | None, by_line: bool) -> list[Term]:
    """Rounding to codes: known where the codes are, and never scatter."""
    if codes is None or not np.all(np.isfinite(codes)):
        return []
    nominal = sent if by_line else fit.expected
    known = fit.model.cents(nominal, fit.wanted)
    if not np.any(np.isfinite(known)):
        return []
    k = int(np.nanargmax(np.abs(known)))
    worst = float(abs(known[k]))
    # Codes that aim beside the wish (constants, a table) are no rounding; only what an LSB explains is.
    if by_line:
        slope = float(np.polyfit(codes, fit.wanted, 1)[0]) if distinct(codes).values.size > 1 else 0.0
        lsb = slope * float(np.max(fit.model.cents_per_unit(fit.wanted)))
    else:
        lsb = 0.0 if dac is None else dac.lsb_volts * float(np.max(fit.model.cents_per_unit(fit.wanted)))
    if not (fit.model.kind == "volts" and LEAST_CENTS <= worst <= 0.51 * lsb):
        return []
    notes = (float(np.min(fit.notes)), float(np.max(fit.notes)))
    return [Term("rounding", worst, None, "cents", worst, None, notes)]


def _scatter(line: _Line, fit: Fit) -> list[Term]:
    """Scatter beyond the meter's rounding: standard deviation of what no cause above explains."""
    freedom = line.places.count - line.fitted.values.size
    if freedom < 2:
        return []
    seen = float(np.sqrt(line.fitted.left @ line.fitted.left / freedom))
    standard = seen / float(np.sqrt(2.0 * freedom))
    rounding = float(np.sqrt(np.mean(line.places.own**2)))
    if seen - 2.0 * standard <= rounding or seen < LEAST_CENTS:
        return []
    notes = (float(line.places.notes[0]), float(line.places.notes[-1]))
    return [Term("scatter", seen, 2.0 * standard, "cents", seen, 2.0 * standard, notes)]
