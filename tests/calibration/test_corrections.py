"""Ways to correct: what is predicted is what a simulated board then does."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dynamis.calibration.corrections import corrections_for
from dynamis.calibration.fit import Readings, fit_readings
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.words import aim_formula, correction_detail, correction_leaves, correction_title
from dynamis.converter.dac import Dac
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.notation.style import Style
from dynamis.pitch import ExponentialLaw, LinearLaw, parse_tolerance
from dynamis.pitch.model import PitchModel
from dynamis.transfer.parameter import NOMINAL

LAW = ExponentialLaw(1, 36, 0.2)
VOLTS = PitchModel(LAW)
DAC = Dac(12, 0, 4.096, 1.35)
NOTES = np.arange(36.0, 97.0, 3)
METER = MeterRange(0.015, 4, 0.0001)
FIVE = parse_tolerance("5")


def board(codes, gain=0.9957, offset=0.0017):
    """A board with hidden true values."""
    return DAC.nominal_volts(codes) * gain + offset


def ways_of(gain=0.9957, offset=0.0017, trimmers="scale", inl=2.0, **more):
    codes = DAC.code_for(VOLTS.expected(NOTES)).codes
    readings = replace(Readings.of(NOTES, board(codes, gain, offset)), expected=DAC.nominal_volts(codes))
    fit = fit_readings(readings, VOLTS, FIVE, meter=METER)
    made = corrections_for(fit, FIVE, dac=DAC, codes=codes, inl_limit_lsb=inl, trimmers=trimmers, **more)
    return {correction.kind: correction for correction in made}, fit


def test_constants_leave_what_they_said():
    corrections, _ = ways_of()
    correction = corrections["constants"]
    assert (correction.offset, correction.gain) == (pytest.approx(0.0017, abs=1e-9), pytest.approx(0.9957, abs=1e-9))
    codes = ConstantsHead("h", LAW, DAC, correction.offset, correction.gain).forward(NOTES, NOMINAL)
    found = VOLTS.cents(board(codes), VOLTS.expected(NOTES))
    assert found == pytest.approx(correction.left_cents, abs=1e-6)
    every = np.arange(36.0, 97.0)  # notes that nobody read count too
    sent = ConstantsHead("h", LAW, DAC, correction.offset, correction.gain).forward(every, NOMINAL)
    assert correction.worst_cents == pytest.approx(np.max(np.abs(VOLTS.cents(board(sent), VOLTS.expected(every)))))
    assert correction.supposed == 40
    # rounding of the new codes is all that is left: half an LSB, 0.81 ct
    assert correction.worst_cents <= correction.floor_cents + 1e-9


def test_a_table_leaves_what_it_said_and_has_every_note():
    corrections, _ = ways_of()
    correction = corrections["table"]
    assert len(correction.codes) == 61
    assert correction.unread == 40
    head = TableHead(
        "t",
        ConstantsHead("h", LAW, DAC, correction.offset, correction.gain),
        correction.first_note,
        correction.sixteenths,
    )
    codes = head.forward(NOTES, NOMINAL)
    assert tuple(head.forward(head.notes, NOMINAL)) == correction.codes
    assert VOLTS.cents(board(codes), VOLTS.expected(NOTES)) == pytest.approx(correction.left_cents, abs=1e-6)


@pytest.mark.parametrize("trimmers", ["scale", "scale-and-offset"])
def test_turning_the_trimmers_to_their_targets_does_what_was_said(trimmers):
    corrections, fit = ways_of(trimmers=trimmers)
    correction = corrections["trimmer"]
    factor = correction.steps[0].target / correction.steps[0].reads
    turned = fit.measured * factor
    if trimmers == "scale-and-offset":
        low = int(np.argmin(fit.expected))
        assert correction.steps[1].reads == pytest.approx(turned[low])
        turned = turned + correction.steps[1].target - correction.steps[1].reads
    else:
        assert correction.constant_cents == pytest.approx(1200 * 0.0017 * factor, rel=0.2)
    assert VOLTS.cents(turned, VOLTS.expected(NOTES)) == pytest.approx(correction.left_cents, abs=1e-6)
    assert [step.note for step in correction.steps] == [96.0, 36.0][: len(correction.steps)]


@pytest.mark.parametrize(
    ("law", "quantity"), [(LinearLaw(36, 0.5), "volts"), (LinearLaw(36, 0.5), "hertz"), (LAW, "hertz")]
)
def test_the_other_models_correct_as_well(law, quantity):
    model = PitchModel(law, quantity)
    notes = np.arange(36.0, 77.0, 4)
    exact = model.expected(notes)
    read = exact * 1.004 + (0.003 if model.kind != "hertz" else 0.5)
    shown = model.reference_hertz * 2**read if model.kind == "octaves" else read
    fit = fit_readings(Readings.of(notes, shown), model, FIVE)
    corrections = {
        correction.kind: correction for correction in corrections_for(fit, FIVE, trimmers="scale-and-offset")
    }
    for kind in ("constants", "table", "trimmer"):
        assert corrections[kind].worst_cents == pytest.approx(0.0, abs=1e-6), kind
    if model.is_ratio:
        assert [step.trimmer for step in corrections["trimmer"].steps] == ["offset", "scale"]
    assert "its own reading" in correction_detail(corrections["table"], fit, Style())
    assert "rounding comes on top" in correction_detail(corrections["constants"], fit, Style())


def test_a_correction_still_carries_the_meters_gain_and_zero():
    corrections, fit = ways_of(inl=0.0)
    expanded = 2 * np.hypot(fit.uncertainty.common, 0)
    assert np.all(corrections["constants"].expanded_cents >= expanded - 1e-12)


def test_linearity_at_a_code_that_nobody_read_widens_the_prediction():
    quiet, _ = ways_of(gain=1.0, offset=0.0, inl=2.0)
    assert quiet["constants"].moved_codes == 0
    few = np.array([36.0, 60.0, 96.0])
    codes = DAC.code_for(VOLTS.expected(few)).codes
    fit = fit_readings(
        replace(Readings.of(few, board(codes)), expected=DAC.nominal_volts(codes)), VOLTS, FIVE, meter=METER
    )
    wide, narrow = (corrections_for(fit, FIVE, dac=DAC, codes=codes, inl_limit_lsb=inl)[1] for inl in (2.0, 0.5))
    # sqrt(2) levels of +/- 2 LSB, uniform: 2 * sqrt(2) * 2 * 1.62 / sqrt(3) cents beside the meter
    assert wide.worst_expanded_cents == pytest.approx(2 * np.sqrt(2) * 2 * 1.62 / np.sqrt(3), rel=0.05)
    assert narrow.worst_expanded_cents < wide.worst_expanded_cents
    assert wide.verdict == "cannot-tell"


def test_outliers_are_not_corrected_by_and_stuck_readings_do_not_move():
    codes = DAC.code_for(VOLTS.expected(NOTES)).codes
    volts = board(codes)
    volts[0] = 0.25
    stuck = np.arange(NOTES.size) == 0
    fit = fit_readings(
        replace(Readings.of(NOTES, volts), expected=DAC.nominal_volts(codes)), VOLTS, FIVE, meter=METER, left_out=stuck
    )
    for correction in corrections_for(fit, FIVE, dac=DAC, codes=codes, stuck=stuck):
        assert correction.left_cents[0] == pytest.approx(1200 * 0.05, abs=1e-6)
        assert correction.verdict == "not-within"


def test_a_board_without_trimmers_is_offered_none():
    assert "trimmer" not in ways_of(trimmers="none")[0]


def test_the_ways_are_told_in_words():
    corrections, fit = ways_of()
    style = Style()
    assert correction_title(corrections["trimmer"]) == "Turn the scale trimmer"
    assert correction_title(ways_of(trimmers="scale-and-offset")[0]["trimmer"]) == "Turn two trimmers, scale first"
    assert correction_title(corrections["table"]) == "A table of 61 codes"
    assert correction_leaves(corrections["constants"], style).startswith(
        f"leaves {style.cents(corrections['constants'].worst_cents)} ± "
    )
    assert aim_formula(corrections["constants"], fit, style) == "Aim for (wanted − 1.70 mV) ÷ 0.995700"
    step = corrections["trimmer"].steps[0]
    assert f"from {step.reads:.4f} V until you read {step.target:.4f} V" in correction_detail(
        corrections["trimmer"], fit, style
    )
    assert "measure again" in correction_detail(corrections["constants"], fit, style)
    assert "40 notes were not read" in correction_detail(corrections["table"], fit, style)


def test_a_note_that_the_converter_does_not_reach_is_named_with_its_volts():
    """5.2 V wanted by aiming at (5.2 V − 0.1 mV)/0.94; the top code is one LSB under 5.5296 V."""
    corrections, fit = ways_of(gain=0.94, offset=1e-4)
    correction = corrections["constants"]
    assert correction.beyond == (96.0, pytest.approx((5.2 - 1e-4) / 0.94 - (4.096 * 1.35 - DAC.lsb_volts), abs=1e-6))
    assert "Note 96 C7 would lie 3.6 mV above the top code" in correction_detail(correction, fit, Style())
    assert ways_of()[0]["constants"].beyond is None


def test_a_forecast_is_within_only_where_something_shows_it():
    """A slip counts until a second reading clears it; unread notes count with linearity, a table waits for its proof."""
    known, _ = ways_of(inl=0.5)
    assert (known["constants"].verdict, known["constants"].unproved) == ("within", ())
    assert known["constants"].worst_expanded_cents > 2 * 0.5 * 1.62 / np.sqrt(3)
    assert (known["table"].verdict, known["table"].unproved) == ("cannot-tell", ("table",))
    unknown, fit = ways_of(inl=None)
    assert (unknown["constants"].verdict, unknown["constants"].unproved) == ("cannot-tell", ("linearity",))
    assert "40 whole notes were not read" in correction_detail(unknown["constants"], fit, Style())
    for notes, slipped, verdict in ((NOTES, True, "not-within"), (np.append(NOTES, NOTES[3]), True, "within")):
        codes = DAC.code_for(VOLTS.expected(notes)).codes
        volts, slips = board(codes), np.arange(notes.size) == 3
        volts[3] += 0.02 * slipped
        readings = replace(Readings.of(notes, volts), expected=DAC.nominal_volts(codes))
        fit = fit_readings(readings, VOLTS, FIVE, meter=METER, left_out=slips, outliers=slips)
        correction = corrections_for(fit, FIVE, dac=DAC, codes=codes, inl_limit_lsb=0.5, trimmers="none")[0]
        assert (correction.verdict, correction.worst_note == 45.0) == (verdict, verdict == "not-within")
    for meter, notes, reason in ((None, NOTES, "instrument"), (METER, NOTES[:2], "readings")):
        fit = fit_readings(Readings.of(notes, VOLTS.expected(notes)), VOLTS, FIVE, meter=meter)
        correction = corrections_for(fit, FIVE, dac=DAC, inl_limit_lsb=0.5, trimmers="none")[0]
        assert (correction.verdict, reason in correction.unproved) == ("cannot-tell", True)


def test_the_gain_is_told_in_per_cent_and_the_forecast_in_the_readings_own_cents():
    """A scale 0.43 % small; half a code of linearity is worth what its volts are worth at each note, whatever the law."""
    _, fit = ways_of()
    assert fit.gain_error_percent == pytest.approx(-0.43, abs=1e-6)
    law = LinearLaw(36, 0.1)
    model, notes = PitchModel(law), np.arange(36.0, 85.0, 4)
    codes = DAC.code_for(model.expected(notes)).codes
    readings = replace(Readings.of(notes, DAC.nominal_volts(codes)), expected=DAC.nominal_volts(codes))
    ends = {}
    for inl in (1.0, 2.0):
        made = corrections_for(
            fit_readings(readings, model, parse_tolerance("500")),
            parse_tolerance("500"),
            dac=DAC,
            codes=codes,
            inl_limit_lsb=inl,
        )
        ends[inl] = next(correction for correction in made if correction.kind == "constants").worst_expanded_cents
    # The lowest note that nobody read is 37: a volt is 1200 / (ln 2 * V) cents there, and the limit is uniform.
    volts = float(model.expected(37.0))
    alone = 2.0 * np.array([1.0, 2.0]) * DAC.lsb_volts / np.sqrt(3.0) * 1200.0 / (np.log(2.0) * volts)
    assert ends[2.0] / ends[1.0] == pytest.approx(2.0, rel=0.1)
    assert ends[2.0] == pytest.approx(alone[1], rel=0.1)
