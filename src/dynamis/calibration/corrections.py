"""Ways to correct, side by side: a trimmer, two constants, a table per note; what each will leave, and ± how much.

What is left is predicted from the readings themselves: a reading moves with its code, keeping its own
distance from the line.  The uncertainty of that prediction holds the meter's gain and zero (a correction
made with a meter still carries them), the reading's own rounding, the slope times the move, and the
converter's linearity at a new code that nobody has measured.  The rounding of the new codes is known and
is part of what is left.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from dynamis.calibration.correction_types import (
    BoolArray,
    ConstantsCorrection,
    Correction,
    CorrectionKind,
    FloatArray,
    Forecast,
    TableCorrection,
    TrimmerCorrection,
    TrimStep,
    Unproved,
)
from dynamis.calibration.fit import Fit
from dynamis.converter.dac import Dac, floor_bound_lsb
from dynamis.converter.heads import ConstantsHead, TableHead, sixteenths_of
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.tolerance import ToleranceProfile, judge
from dynamis.transfer.distinct import among, distinct
from dynamis.transfer.parameter import NOMINAL

_LINE_PARAMETERS: Final = 2
# From this many readings on, the scatter seen is a better witness of linearity than a data sheet's limit.
_ENOUGH_FOR_SCATTER: Final = 6


def corrections_for(
    fit: Fit,
    tolerance: ToleranceProfile,
    *,
    as_played: Fit | None = None,
    dac: Dac | None = None,
    codes: FloatArray | None = None,
    inl_limit_lsb: float | None = None,
    trimmers: Literal["none", "scale", "scale-and-offset"] = "scale",
    table_notes: tuple[int, int] | None = None,
    stuck: BoolArray | None = None,
) -> list[Correction]:
    """All ways to correct what a fit found.

    An empty list where the readings do not rise with the notes.

    Parameters
    ----------
    fit : of the run against the codes' nominal values, flat ends left out.
    as_played : the same against what the head in force counts on; the trimmer works on this one, since it
        leaves the codes as they are.  None where the head is nominal.
    tolerance : for the verdict over what would be left.
    dac : the converter; None where the sender is no converter that is known (then codes are not rounded).
    codes : (N,) codes that were sent, None where unknown (then the law's nearest codes are supposed).
    inl_limit_lsb : the data sheet's linearity.
    trimmers : which ones the equipment has.
    table_notes : lowest and highest note of the table; None for the range that was read.
    stuck : (N,) readings that no code moves (dead band, clipping); None for none.

    Every whole note of `table_notes` is judged: those that were read by what was read there, slips too until another
    reading of their note clears them, the others by the line and the linearity limit.
    """
    usable = np.isfinite(fit.residual_cents)
    cleared = fit.outliers & among(fit.notes, fit.notes[usable & ~fit.outliers])
    keep = usable & ~cleared
    if not np.any(keep) or not fit.line.gain > 0:
        return []
    frozen = np.zeros(keep.shape, bool) if stuck is None else stuck
    span = table_notes or (math.floor(fit.notes[keep].min() + 1e-9), math.floor(fit.notes[keep].max() + 1e-9))
    predict = _Prediction(fit, keep, frozen, dac, codes, inl_limit_lsb, tolerance, span)
    turning = predict if as_played is None else replace(predict, fit=as_played)
    corrections: list[Correction] = [] if trimmers == "none" else [turning.trimmer(trimmers == "scale-and-offset")]
    corrections.append(predict.constants())
    corrections.append(predict.table(*span))
    return corrections


@dataclass(frozen=True, eq=False)
class _Prediction:
    fit: Fit
    keep: BoolArray
    stuck: BoolArray
    dac: Dac | None
    codes: FloatArray | None
    inl_limit_lsb: float | None
    tolerance: ToleranceProfile
    span: tuple[int, int]

    @property
    def follows(self) -> BoolArray:
        """Readings that move with their codes and are no slips."""
        return self.keep & ~self.stuck & ~self.fit.outliers

    def trimmer(self, has_offset: bool) -> TrimmerCorrection:
        fit, model, line = self.fit, self.fit.model, self.fit.line
        pivot = self._pivot()
        measured = fit.measured[self.keep]
        turned = np.where(self.stuck[self.keep], measured, pivot + (measured - pivot) / line.gain)
        usable = self.follows
        high = int(np.flatnonzero(usable)[np.argmax(fit.expected[usable])])
        low = int(np.flatnonzero(usable)[np.argmin(fit.expected[usable])])
        turn: Callable[[float], float] = lambda value: pivot + (value - pivot) / line.gain  # noqa: E731
        shift = 0.0
        if has_offset:
            # What the line still misses at the lowest note after the scale is right.
            shift = turn(float(line.at(fit.expected[[low]])[0])) - float(fit.expected[low])
            turned = np.where(self.stuck[self.keep], turned, turned - shift)
        scale = TrimStep(
            "scale",
            float(fit.notes[high]),
            float(fit.readings.values[high]),
            self._shown(turn(float(fit.measured[high]))),
        )
        offset = TrimStep(
            "offset",
            float(fit.notes[low]),
            self._shown(turn(float(fit.measured[low]))),
            self._shown(turn(float(fit.measured[low])) - shift),
        )
        steps: tuple[TrimStep, ...] = (scale, offset) if has_offset else (scale,)
        if model.is_ratio and has_offset:
            steps = self._linear_law_steps(low, high)
        left = model.cents(turned, fit.wanted[self.keep])
        lever = np.abs((fit.measured[self.keep] - pivot) / (fit.measured[high] - pivot))
        set_at_top = float(fit.uncertainty.independent[high])
        own = np.hypot(fit.uncertainty.independent[self.keep], lever * set_at_top)
        constant = 0.0 if model.is_ratio else float(np.mean(left))
        return TrimmerCorrection(*self._forecast("trimmer", left, own), steps, constant)

    def _linear_law_steps(self, low: int, high: int) -> tuple[TrimStep, ...]:
        """Under Hz/V the offset is trimmed at the bottom first, then the scale at the top."""
        fit, line = self.fit, self.fit.line
        shift = line.offset
        after = float(fit.measured[high]) - shift
        bottom = TrimStep(
            "offset",
            float(fit.notes[low]),
            float(fit.readings.values[low]),
            self._shown(float(fit.measured[low]) - shift),
        )
        return bottom, TrimStep("scale", float(fit.notes[high]), self._shown(after), self._shown(after / line.gain))

    def constants(self) -> ConstantsCorrection:
        fit, line = self.fit, self.fit.line
        aim = (fit.wanted - line.offset) / line.gain
        left, own, moved, floor = self._moved_to(aim)
        return ConstantsCorrection(
            *self._forecast("constants", left, own),
            offset=line.offset,
            gain=line.gain,
            moved_codes=moved,
            floor_cents=floor,
            beyond=self._beyond(),
        )

    def _beyond(self) -> tuple[float, float] | None:
        """Of the whole notes, the one whose aim lies furthest outside the converter's reach."""
        fit, line, dac = self.fit, self.fit.line, self.dac
        notes = np.arange(self.span[0], self.span[1] + 1, dtype=float)
        if dac is None:
            return None
        volts = fit.model.to_volts((fit.model.expected(notes) - line.offset) / line.gain)
        low, high = dac.reach_volts
        over = np.where(volts > high, volts - high, np.where(volts < low, volts - low, 0.0))
        over[~np.isfinite(over)] = 0.0
        k = int(np.argmax(np.abs(over)))
        # Half a code is rounding.
        return (float(notes[k]), float(over[k])) if abs(over[k]) > 0.5 * dac.lsb_volts else None

    def table(self, first: int, last: int) -> TableCorrection:
        """A code for each note: measured notes by their own reading, those between by the line and the
        errors of their neighbours."""
        fit, line, model = self.fit, self.fit.line, self.fit.model
        own_aim = fit.expected + (fit.wanted - fit.measured) / line.gain
        left, own, moved, floor = self._moved_to(own_aim)
        usable = self.follows
        notes = np.arange(first, last + 1, dtype=float)
        wanted = model.expected(notes)
        order = np.argsort(fit.notes[usable], kind="stable")
        beside = (own_aim - (fit.wanted - line.offset) / line.gain)[usable][order]
        read_notes, first_at, _, counts = distinct(fit.notes[usable][order])
        beside = np.add.reduceat(beside, first_at) / counts
        aim = (wanted - line.offset) / line.gain + np.interp(notes, read_notes, beside)
        volts = model.to_volts(aim)
        if self.dac is not None:  # below a frequency of 0 there are no volts; the bottom is the nearest there is
            volts = np.where(np.isfinite(volts), volts, self.dac.reach_volts[0])
        table: tuple[int, ...] = ()
        sixteenths: tuple[int, ...] = ()
        if self.dac is not None:
            under = ConstantsHead(
                "constants", model.law, self.dac, line.offset, line.gain, model.quantity, model.tuning
            )
            aimed = np.where(self.dac.beyond_buffer(volts), self.dac.code_for(volts).codes, self.dac.exact_code(volts))
            sixteenths = sixteenths_of(under, notes, np.clip(aimed, 0, self.dac.codes - 1))
            codes = TableHead("table", under, first, sixteenths).forward(notes, NOMINAL)
            table = tuple(int(code) for code in codes)
        return TableCorrection(
            *self._forecast("table", left, own),
            first_note=first,
            codes=table,
            sixteenths=sixteenths,
            aim_volts=tuple(volts.tolist()),
            unread=int(np.sum(~among(notes, read_notes) & np.isfinite(wanted))),
            offset=line.offset,
            gain=line.gain,
            moved_codes=moved,
            floor_cents=floor,
        )

    def _moved_to(self, aim: FloatArray) -> tuple[FloatArray, FloatArray, int | None, float | None]:
        """What is left when the sender aims elsewhere: (left cents, own u in cents, largest move, floor)."""
        fit, model, line, dac = self.fit, self.fit.model, self.fit.line, self.dac
        keep = self.keep
        sent, new, new_linearity = fit.expected, aim, np.zeros(aim.shape)
        moved, floor = None, None
        if dac is not None:
            old = self.codes if self.codes is not None else dac.code_for(model.to_volts(fit.expected)).codes
            if self.codes is None:
                sent = model.from_volts(dac.nominal_volts(old))
            codes = dac.code_for(model.to_volts(aim)).codes
            new = model.from_volts(dac.nominal_volts(codes))
            change = np.abs(codes - old)
            known = change[keep][np.isfinite(change[keep])]
            moved = int(known.max()) if known.size else None
            per_volt = self._cents_per_volt()
            new_linearity = np.where(change > 0, math.sqrt(2.0) * self._linearity_volts() * per_volt, 0.0)
            floor = floor_bound_lsb(0.0) * dac.lsb_volts * float(np.max(per_volt[keep]))
        # A stuck reading stays where it is unless the aim leaves the flat end, which nobody has seen.
        step = np.where(self.stuck, 0.0, line.gain * (new - sent))
        left = model.cents(fit.measured + step, fit.wanted)
        slope = math.sqrt(max(0.0, float(fit.line_covariance[1, 1]))) * np.abs(new - sent)
        own = np.sqrt(
            fit.uncertainty.independent**2 + new_linearity**2 + (slope * model.cents_per_unit(fit.measured)) ** 2
        )
        return left[keep], own[keep], moved, floor

    def _cents_per_volt(self) -> FloatArray:
        """What a volt at the jack is worth at each reading's wanted volts, cents."""
        volts = self.fit.model.to_volts(self.fit.wanted)
        return np.asarray(self.fit.model.law.cents_per_volt(volts), float)

    def _linearity_volts(self) -> float:
        """Standard uncertainty of a level's distance from the line, volts at the jack.

        The scatter of this very run where there are enough readings, never more than the data sheet allows.
        """
        assert self.dac is not None
        seen = self.fit.scatter_cents / float(np.min(self._cents_per_volt()))
        if self.inl_limit_lsb is None:
            return seen
        limit = self.inl_limit_lsb * self.dac.lsb_volts / math.sqrt(3.0)
        return min(seen, limit) if self.fit.notes.size >= _ENOUGH_FOR_SCATTER else limit

    def _pivot(self) -> float:
        """Where turning the scale moves nothing: 0 V, in the line's quantity as it is measured."""
        fit = self.fit
        if fit.model.kind == "octaves" and isinstance(fit.model.law, ExponentialLaw):
            return fit.line.offset + fit.line.gain * float(fit.model.law.octaves(0.0))
        return 0.0

    def _shown(self, value: float) -> float:
        """A value of the line's quantity as the instrument reads it."""
        if self.fit.model.kind == "octaves":
            return self.fit.model.hertz(value)
        return value

    def _forecast(self, kind: CorrectionKind, left: FloatArray, own_cents: FloatArray) -> Forecast:
        fit, keep = self.fit, self.keep
        common = fit.uncertainty.common[keep]
        expanded = 2.0 * np.hypot(common, own_cents)
        unread, off, unsure = self._unread(kind)
        notes = np.concatenate([fit.notes[keep], unread])
        every, wide = np.concatenate([left, off]), np.concatenate([expanded, unsure])
        size = np.where(np.isnan(every), np.inf, np.abs(every))
        worst = int(np.argmax(size))
        verdict = judge(every, wide, self.tolerance.cents_at(notes))
        unproved = self._unproved(kind, bool(unread.size))
        if verdict == "within" and unproved:
            verdict = "cannot-tell"
        return Forecast(
            keep,
            fit.notes[keep],
            left,
            expanded,
            float(size[worst]),
            float(notes[worst]),
            float(np.max(wide)),
            verdict,
            int(unread.size),
            unproved,
        )

    def _unread(self, kind: CorrectionKind) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Whole notes that nobody read: (notes, cents left by the line and the codes' rounding, U with linearity)."""
        fit, model, line = self.fit, self.fit.model, self.fit.line
        every = np.arange(self.span[0], self.span[1] + 1, dtype=float)
        notes = every[~among(every, fit.notes[self.keep])]
        wanted = model.expected(notes)
        notes, wanted = notes[np.isfinite(wanted)], wanted[np.isfinite(wanted)]
        if not notes.size:
            return notes, notes, notes
        off = np.zeros(notes.shape)
        per_unit = model.cents_per_unit(wanted)
        linearity = np.zeros(notes.shape)
        if self.dac is not None:
            # A trimmer turns volts and leaves the codes; the others aim for the line backwards.
            aim = wanted if kind == "trimmer" else (wanted - line.offset) / line.gain
            sent = model.from_volts(self.dac.nominal_volts(self.dac.code_for(model.to_volts(aim)).codes))
            off = model.cents(sent if kind == "trimmer" else line.offset + line.gain * sent, wanted)
            per_volt = np.asarray(model.law.cents_per_volt(model.to_volts(wanted)), float)
            linearity = (self.inl_limit_lsb or 0.0) * self.dac.lsb_volts / math.sqrt(3.0) * per_volt
        rows = np.stack([np.ones(notes.size), wanted])
        spread = np.einsum("ik,ij,jk->k", rows, fit.line_covariance, rows)
        with np.errstate(invalid="ignore"):
            own = np.sqrt(np.maximum(spread, 0.0)) * per_unit
        return notes, off, 2.0 * np.hypot(own, linearity)

    def _unproved(self, kind: CorrectionKind, some_unread: bool) -> tuple[Unproved, ...]:
        fit = self.fit
        reasons: list[Unproved] = []
        if not np.any(fit.uncertainty.expanded > 0):
            reasons.append("instrument")
        if distinct(fit.notes[fit.used]).values.size <= _LINE_PARAMETERS:
            reasons.append("readings")
        if some_unread and (self.dac is None or self.inl_limit_lsb is None):
            reasons.append("linearity")
        if kind == "table":
            reasons.append("table")
        return tuple(reasons)
