"""A run judged: everything the Measure station, the report and the tests say about it comes from here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from typing import Literal, overload

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.bench.chains.port_transfers import dac_if_known, make_head
from dynamis.bench.document.ranges import meter_range
from dynamis.bench.document.records import (
    AdoptionRecord,
    HeadRecord,
    InstrumentRecord,
    ReadingRecord,
    ReadQuantity,
    RunRecord,
)
from dynamis.bench.gear.instruments import frequency_limits
from dynamis.bench.runs.passes import left_of
from dynamis.bench.runs.planning import Planned, deciding, plan_next
from dynamis.calibration.causes.describe import Shape, describe_shape
from dynamis.calibration.correction_types import ConstantsCorrection, Correction, TableCorrection, TrimmerCorrection
from dynamis.calibration.corrections import corrections_for
from dynamis.calibration.fit import Fit, Readings, fit_readings
from dynamis.calibration.meter import Limits, MeterRange, reading_uncertainty
from dynamis.calibration.proof import Proof, can_prove
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.net import loaded
from dynamis.errors import InputError
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import ToleranceProfile, Verdict, judge, parse_tolerance
from dynamis.transfer.distinct import distinct
from dynamis.transfer.parameter import NOMINAL

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class RunAnalysis:
    """What the readings of a run say.

    rows : all readings, voided ones included; valid : those that count, in the order of the arrays.
    notes, values, wanted, error_cents, expanded_cents, residual_cents, allowed_cents : one a valid
    reading; values and wanted in V or Hz, residual NaN while there is no line.
    verdict : over the readings as found, None without a reading.  why_no_fit : a sentence while two
    different notes are missing.  loading_factor : what the inputs plugged take by their nominal
    resistances, None where that is not known.
    """

    run: RunRecord
    rows: tuple[ReadingRecord, ...]
    valid: tuple[ReadingRecord, ...]
    model: PitchModel
    tolerance: ToleranceProfile
    converter: DacTransfer | None
    meter: Limits | None
    notes: FloatArray
    values: FloatArray
    wanted: FloatArray
    error_cents: FloatArray
    expanded_cents: FloatArray
    common_cents: FloatArray
    independent_cents: FloatArray
    residual_cents: FloatArray
    allowed_cents: FloatArray
    shape: Shape | None
    corrections: tuple[Correction, ...]
    proof: Proof | None
    verdict: Verdict | None
    why_no_fit: str
    loading_factor: float | None

    @property
    def fit(self) -> Fit | None:
        return None if self.shape is None else self.shape.fit

    @property
    def independent_expanded_cents(self) -> FloatArray:
        """U = 2u of what each reading has to itself."""
        return 2.0 * self.independent_cents

    @property
    def common_expanded_cents(self) -> FloatArray:
        """U = 2u of what all readings share: the meter's gain and zero."""
        return 2.0 * self.common_cents

    def as_typed(self, note: float, value: float) -> float:
        """A value in V or Hz as it would be typed in the run's own quantity."""
        if self.run.quantity == "volts" and isinstance(self.meter, MeterRange):
            return float(self.meter.shown_volts(value))
        if self.run.quantity != "cents":
            return value
        return float(self.model.cents(self.model.measured([value]), self.model.expected([note]))[0])

    @property
    def worst_index(self) -> int | None:
        return int(np.argmax(np.abs(self.error_cents))) if self.error_cents.size else None

    @property
    def deciding_index(self) -> int | None:
        """The reading that decides the verdict: the one with the least room left within its tolerance."""
        room = self.allowed_cents - np.abs(self.error_cents) - self.expanded_cents
        if not np.any(np.isfinite(room)):
            return self.worst_index
        return int(np.argmin(np.where(np.isfinite(room), room, np.inf)))

    @property
    def next_note(self) -> float | None:
        """The note to read next: one that decides what is open, else the first of the plan without a valid reading, or
        the one that tells most where few are to do; None when enough is read."""
        if self.planned is not None:
            return self.planned.note
        if self.shape is not None and self.shape.asks:
            return self.shape.asks[0]
        return next(iter(left_of(self.run, (reading.note for reading in self.valid))), None)

    @cached_property
    def planned(self) -> Planned | None:
        """What tells most next, where as few notes are read as will do; None where the whole plan is read."""
        run = self.run
        if run.enough_cents is None or not run.plan:
            return None
        if self.shape is not None and self.shape.asks:
            return deciding(self.shape.asks)
        notes = np.array(sorted(set(run.plan)), float)
        reads = self.model.expected_shown(notes)
        own = reading_uncertainty(reads, np.zeros(notes.size), self.model, self.meter).independent
        return plan_next(
            self.model,
            notes,
            own,
            codes_of(run, self.converter, notes),
            self.converter,
            [row.note for row in self.valid],
            self.residual_cents,
            run.enough_cents,
        )

    def expect(self, note: float) -> float:
        """What the instrument should show for a note: by the line where there is one, else as wanted."""
        if self.fit is None:
            return float(self.model.expected_shown(note))
        notes = np.array([note])
        codes = codes_of(self.run, self.converter, notes)
        value = float(self.fit.line.at(counted_on(self.run, self.converter, self.model, notes, codes))[0])
        return self.model.hertz(value) if self.model.kind == "octaves" else value

    @overload
    def correction(self, kind: Literal["trimmer"]) -> TrimmerCorrection | None: ...
    @overload
    def correction(self, kind: Literal["constants"]) -> ConstantsCorrection | None: ...
    @overload
    def correction(self, kind: Literal["table"]) -> TableCorrection | None: ...
    @overload
    def correction(self, kind: str) -> Correction | None: ...

    def correction(self, kind: str) -> Correction | None:
        """The correction of a kind, None where the run gives none."""
        return next((one for one in self.corrections if one.kind == kind), None)


def limits_of(
    meter: InstrumentRecord | None, quantity: ReadQuantity, source: InstrumentRecord | None = None
) -> Limits | None:
    """What an instrument is worth in a quantity; None where nobody said, or it reads another.

    source : what feeds known volts meanwhile.
    """
    if meter is None or quantity not in meter.reads:
        return None
    return meter_range(meter) if quantity == "volts" else frequency_limits(meter, source)


def codes_of(run: RunRecord, converter: DacTransfer | None, notes: ArrayLike) -> FloatArray | None:
    """The codes that the run's head sends for notes; None where no converter is known."""
    if converter is None:
        return None
    head = make_head("head", run.head, run.model.law, converter.dac, run.pitch_tuning)
    return head.forward(notes, NOMINAL)


def nominal_values(
    converter: DacTransfer | None, model: PitchModel, notes: ArrayLike, codes: FloatArray | None
) -> FloatArray:
    """The codes' nominal values where the codes are known, else the law's own values of the notes."""
    if converter is None or codes is None:
        return model.expected(notes)
    return model.from_volts(converter.dac.nominal_volts(codes))


def counted_on(
    run: RunRecord, converter: DacTransfer | None, model: PitchModel, notes: ArrayLike, codes: FloatArray | None
) -> FloatArray:
    """What the head in force counts on for each reading, in the line's quantity.

    A nominal head counts on the code's nominal volts; constants on offset + gain times that; a table on
    the same for the code less its own distance.  The errors that the words speak of are errors against this,
    with rounding known.
    """
    nominal = nominal_values(converter, model, notes, codes)
    if converter is None or codes is None or run.head.kind == "nominal":
        return nominal
    head = make_head("head", run.head, model.law, converter.dac, run.pitch_tuning)
    if isinstance(head, TableHead):
        return model.from_volts(head.believed_volts(notes, codes))
    assert isinstance(head, ConstantsHead)
    return model.from_volts(head.believed_volts(model.to_volts(nominal)))


def as_read(run: RunRecord, model: PitchModel, notes: ArrayLike, values: ArrayLike) -> FloatArray:
    """Stored values in V or Hz: cents of a tuner become the hertz that they stand for, and the errors of a meter that
    are known are taken out."""
    values = np.asarray(values, float)
    if run.quantity == "volts" and run.meter is not None and run.meter.check is not None:
        return meter_range(run.meter).true_volts(values)
    if run.quantity != "cents":
        return values
    with np.errstate(over="ignore"):  # cents that no tone has come out as infinite, and are refused as such
        return model.tuning.hertz(notes) * np.exp2(values / 1200.0)


def check_readings(run: RunRecord, notes: ArrayLike, values: ArrayLike) -> None:
    """Refuse readings that the run's law gives no pitch; values as they are typed, in V, Hz or ct."""
    model = run.model
    if not np.all(np.isfinite(model.expected(notes))):
        raise InputError("A reading is of a note that has no frequency.")
    model.measured(as_read(run, model, notes, values))


def analyse(run: RunRecord, rows: Sequence[ReadingRecord]) -> RunAnalysis:
    """Judge a run by its readings; right with none, with one, and with all voided."""
    model, tolerance = run.model, parse_tolerance(run.tolerance)
    converter = dac_if_known("converter", run.converter)
    meter = limits_of(run.meter, run.quantity, run.source)
    valid = tuple(row for row in rows if not row.voided)
    notes = np.array([row.note for row in valid], float)
    values = as_read(run, model, notes, np.array([row.value for row in valid], float))
    own = np.array([row.own for row in valid], float)
    if run.quantity == "cents":
        own = own * values * np.log(2.0) / 1200.0
    wanted = model.expected(notes)
    measured = model.measured(values)
    uncertainty = reading_uncertainty(values, own, model, meter)
    allowed = tolerance.cents_at(notes)
    error = model.cents(measured, wanted)
    codes = None
    if converter is not None and valid:
        sent = codes_of(run, converter, notes)
        assert sent is not None
        codes = np.array([s if row.code is None else row.code for row, s in zip(valid, sent, strict=True)], float)
    readings = Readings(notes, values, own, counted_on(run, converter, model, notes, codes))
    # Readings of absurd sizes come out as infinite or NaN, and nothing is claimed of those.
    with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
        shape, corrections, why = _fitted(run, model, tolerance, converter, meter, readings, codes, seconds_of(valid))
    proof_notes = np.array(sorted({*run.plan, *notes.tolist()}), float)
    proof = None if not isinstance(meter, MeterRange) else can_prove(model, tolerance, proof_notes, meter)
    return RunAnalysis(
        run,
        tuple(rows),
        valid,
        model,
        tolerance,
        converter,
        meter,
        notes,
        values,
        model.expected_shown(notes),
        error,
        uncertainty.expanded,
        uncertainty.common,
        uncertainty.independent,
        np.full(notes.shape, np.nan) if shape is None else shape.fit.residual_cents,
        allowed,
        shape,
        corrections,
        proof,
        _verdict(error, uncertainty.expanded, allowed) if valid else None,
        why,
        _loading(run),
    )


def _verdict(error: FloatArray, expanded_cents: FloatArray, allowed_cents: FloatArray) -> Verdict:
    """The verdict over readings; an instrument whose accuracy nobody gave proves nothing."""
    verdict = judge(error, expanded_cents, allowed_cents)
    return "cannot-tell" if verdict == "within" and not np.any(expanded_cents > 0) else verdict


def seconds_of(rows: Sequence[ReadingRecord]) -> FloatArray | None:
    """When each reading was taken, seconds after the first; None where the times tell no order."""
    try:
        taken = [datetime.fromisoformat(row.taken) for row in rows]
        seconds = np.array([(one - taken[0]).total_seconds() for one in taken])
    except (ValueError, TypeError):
        return None
    # Typed or imported at once, readings have one time: then their order is all that is known.
    return seconds if seconds.size and np.all(np.diff(seconds) > 0) else None


def _fitted(
    run: RunRecord,
    model: PitchModel,
    tolerance: ToleranceProfile,
    converter: DacTransfer | None,
    meter: Limits | None,
    readings: Readings,
    codes: FloatArray | None,
    seconds: FloatArray | None,
) -> tuple[Shape | None, tuple[Correction, ...], str]:
    if distinct(readings.notes).values.size < 2:
        missing = "Two readings" if readings.notes.size == 0 else "A reading of a second note"
        return None, (), f"{missing} will make a line, and with it the ways to correct."
    dac = None if converter is None else converter.dac
    try:
        shape = describe_shape(readings, model, tolerance, meter, dac, codes, seconds, _reach(run, readings.notes))
        fit = shape.fit
        if run.head.kind != "nominal":
            against_codes = replace(readings, expected=nominal_values(converter, model, readings.notes, codes))
            fit = fit_readings(against_codes, model, tolerance, meter=meter, left_out=~fit.used, outliers=fit.outliers)
    except InputError as error:
        return None, (), str(error)
    if not fit.line.gain > 0:
        return None, (), "The readings do not rise with the notes: check the channel, the wiring and the law."
    inl = None if converter is None or not converter.inl_limit_lsb else converter.inl_limit_lsb
    corrections = corrections_for(
        fit,
        tolerance,
        as_played=shape.fit,
        dac=dac,
        codes=codes,
        inl_limit_lsb=inl,
        trimmers=run.trimmers,
        table_notes=_table_notes(run, readings.notes),
        stuck=shape.left_out,
    )
    if run.side == "input":  # what drives an input is another's to change
        return shape, tuple(one for one in corrections if one.kind == "trimmer"), ""
    return shape, tuple(corrections), ""


def _reach(run: RunRecord, notes: FloatArray) -> tuple[float, float]:
    """The lowest and the highest note that the run is about."""
    every = [*run.plan, *notes.tolist()]
    return min(every), max(every)


def _table_notes(run: RunRecord, notes: FloatArray) -> tuple[int, int]:
    """The whole notes that the plan and the readings span."""
    every = np.concatenate([notes, np.array(run.plan, float)])
    return int(np.floor(every.min() + 1e-9)), int(np.floor(every.max() + 1e-9))


def _loading(run: RunRecord) -> float | None:
    if run.output_ohms is None or not run.plugged_ohms:
        return None
    return loaded(run.output_ohms, [(ohms, 0.0) for ohms in run.plugged_ohms])[0]


def head_of(correction: Correction, model: PitchModel, run: RunRecord) -> HeadRecord:
    """The head that adopting a way to correct puts in force; a trimmer leaves the codes as they were read."""
    if isinstance(correction, TableCorrection) and correction.codes:
        return HeadRecord(
            "table",
            model.quantity,
            correction.offset,
            correction.gain,
            correction.first_note,
            correction.sixteenths,
            run.tuning,
        )
    if isinstance(correction, ConstantsCorrection | TableCorrection):
        return HeadRecord("constants", model.quantity, correction.offset, correction.gain)
    return run.head


def adoption_of(judged: RunAnalysis, correction: Correction, when: str) -> AdoptionRecord:
    """A way to correct, adopted for the channel of the unit that a run is of."""
    run = judged.run
    return AdoptionRecord(
        0,
        run.gear,
        run.serial,
        run.port,
        run.id,
        correction.kind,
        head_of(correction, judged.model, run),
        correction.worst_cents,
        correction.worst_expanded_cents,
        when,
        constant_cents=correction.constant_cents if isinstance(correction, TrimmerCorrection) else 0.0,
    )


def withdrawal_of(adopted: AdoptionRecord, when: str) -> AdoptionRecord:
    """The counter-entry that takes an adoption back: nominal values hold again."""
    return AdoptionRecord(
        0, adopted.gear, adopted.serial, adopted.port, adopted.run, "withdrawn", HeadRecord(), 0.0, 0.0, when
    )
