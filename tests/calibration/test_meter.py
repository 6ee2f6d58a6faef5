"""What a data sheet makes of a reading, and what could prove a tolerance."""

from __future__ import annotations

import math

import numpy as np
import pytest

from dynamis.calibration.frequency import parse_frequency_words
from dynamis.calibration.meter import (
    MeterRange,
    parse_meter_option,
    parse_meter_words,
    parse_resolution,
    reading_uncertainty,
)
from dynamis.calibration.proof import USUAL_METERS, can_prove
from dynamis.calibration.slips import beyond_range, find_slip
from dynamis.calibration.words import proof_sentences
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch import ExponentialLaw, LinearLaw, parse_tolerance
from dynamis.pitch.model import PitchModel

VOLTS = PitchModel(ExponentialLaw(1, 36, 0.2))


@pytest.mark.parametrize(
    ("text", "spec"),
    [
        ("0.05 % + 3 counts", (0.05, 3, 0)),
        ("±(0.5 % + 2 digits)", (0.5, 2, 0)),
        ("0.015% of reading + 4 counts of 0.1 mV", (0.015, 4, 0)),
        ("±0.0035 % of reading + 0.0005 % of range", (0.0035, 0, 0.0005)),
        ("35 ppm + 5 ppm of range", (0.0035, 0, 0.0005)),
        ("0,05 % + 3 dgt", (0.05, 3, 0)),
        ("0.1% rdg + 0.05% fs + 2 d", (0.1, 2, 0.05)),
        ("2 counts", (0, 2, 0)),
        ("± 0.5 %", (0.5, 0, 0)),
    ],
)
def test_a_data_sheets_words_are_read(text, spec):
    read = parse_meter_words(text, 0.001, 10.0)
    assert (read.percent, read.counts, read.percent_of_range) == pytest.approx(spec)


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("", "empty"),
        ("good", "not understood"),
        ("0.5 % of life", "'life'"),
        ("3 volts", "'volts'"),
        ("-0.5 %", "0 or more"),
        ("0.5 % + ", ""),
        ("x % + 2 counts", "not understood"),
    ],
)
def test_other_words_are_refused(text, word):
    if word:
        with pytest.raises(InputError, match=word):
            parse_meter_words(text, 0.001, 10.0)
    else:
        assert parse_meter_words(text, 0.001).percent == 0.5


def test_a_range_is_needed_for_a_percentage_of_it():
    with pytest.raises(InputError, match="full scale"):
        parse_meter_words("0.1 % + 0.1 % of range", 0.001)
    with pytest.raises(InputError, match="above 0"):
        parse_resolution("0")
    assert parse_resolution("0.1 mV") == pytest.approx(1e-4)


@pytest.mark.parametrize("text", ["0.5,2", "0.5,2,0.01,3", "a,2,0.01", "0.5,-2,0.01", "0.5,2,nan"])
def test_the_command_lines_meter_is_three_numbers(text):
    with pytest.raises(InputError, match="expected"):
        parse_meter_option(text)


@pytest.mark.parametrize(
    ("spec", "volts", "limit_cents"),
    [
        (MeterRange(0.05, 3, 0.001), 5.0, 6.6),
        (MeterRange(0.015, 4, 0.0001), 5.0, 1.4),
        (MeterRange(0.5, 0, 0.01), 1.0, 6.0),
    ],
)
def test_limits_in_cents_are_those_the_trade_quotes(spec, volts, limit_cents):
    # FACTS of the trade: 0.05 % + 3 counts of 1 mV at 5 V is ± 6.6 ct, 0.015 % + 4 counts of 0.1 mV ± 1.4, 0.5 % 6 an octave.
    limit = spec.gain_fraction * np.sqrt(3) * volts + spec.zero_volts * np.sqrt(3)
    assert limit * 1200 == pytest.approx(limit_cents, rel=2e-2)


def test_the_parts_of_a_reading_add_by_root_sum_of_squares():
    # GUM (JCGM 100:2008) 4.3.7 and 5.1: a/sqrt(3) for limits, step/sqrt(12) for rounding.
    spec = MeterRange(0.5, 2, 0.01, 20.0, 0.1)
    parts = reading_uncertainty([4.0], [0.001], VOLTS, spec)
    gain, zero, rounding = 0.005 * 4 / 3**0.5, (0.02 + 0.02) / 3**0.5, 0.01 / 12**0.5
    assert parts.gain[0] == pytest.approx(1200 * gain)
    assert parts.zero[0] == pytest.approx(1200 * zero)
    assert parts.independent[0] == pytest.approx(1200 * np.hypot(rounding, 0.001))
    assert parts.standard[0] == pytest.approx(1200 * np.sqrt(gain**2 + zero**2 + rounding**2 + 1e-6))
    assert parts.expanded[0] == 2 * parts.standard[0]
    assert float(spec.standard_volts(4.0)) == pytest.approx(np.sqrt(gain**2 + zero**2 + rounding**2))
    with pytest.raises(InputError, match="in hertz"):
        reading_uncertainty([440.0], [0.0], PitchModel(ExponentialLaw(), "hertz"), spec)


def test_a_specification_gives_the_uncertainty_of_the_guide_s_voltmeter():
    # GUM (JCGM 100:2008) 4.3.7 example 2 and 5.1.5 example: 14 ppm of reading + 2 ppm of range at 0.928571 V on 1 V
    # make a = 15 uV, u = 8.7 uV, and 15 uV together with 12 uV of repeated readings.  The guide adds both parts to
    # one limit; here they are two causes (a zero cancels between two readings, a gain does not), so u is smaller.
    spec = MeterRange(14e-4, 0, 0.0, 1.0, 2e-4)
    added = spec.gain_fraction * 0.928571 + spec.zero_volts
    assert added * np.sqrt(3) == pytest.approx(15e-6, abs=0.05e-6)
    assert added == pytest.approx(8.7e-6, abs=0.05e-6)
    assert np.hypot(added, 12e-6) == pytest.approx(15e-6, abs=0.5e-6)
    assert 0.85 * added < float(spec.standard_volts(0.928571)) < added


@pytest.mark.parametrize(
    ("text", "hertz_step", "cents_step", "at", "expanded", "words"),
    [
        # GUM 4.3.7: limits a and half steps over √3: 2·√(0.5²/3 + 0.1²/12); 1200/ln 2·(10⁻⁶ + 0.01/440) and its step.
        ("± 0.5 ct", 0.0, 0.1, 440.0, 2 * math.sqrt(0.25 / 3 + 0.01 / 12), "0.5 ct"),
        (
            "1 ppm + 1 digit",
            0.01,
            0.0,
            440.0,
            2 * 1731.234 * math.sqrt((1e-6 + 0.01 / 440) ** 2 / 3 + (0.01 / 440) ** 2 / 12),
            "1 ppm + 1 count of 10 mHz",
        ),
        ("0.001 %", 0.001, 0.0, 65.406, 2 * 1731.234 * math.sqrt(1e-10 / 3 + (0.001 / 65.406) ** 2 / 12), "10 ppm"),
    ],
)
def test_a_counter_or_a_tuner_is_worth_what_its_data_sheet_says(text, hertz_step, cents_step, at, expanded, words):
    made = parse_frequency_words(text, hertz_step, cents_step)
    assert made.words() == words
    assert made.expanded_cents(at) == pytest.approx(expanded, rel=1e-6)
    found = reading_uncertainty([at, 2 * at], [0.0, 0.0], PitchModel(ExponentialLaw(), "hertz"), made)
    assert found.expanded[0] == pytest.approx(expanded, rel=1e-6)
    assert found.gain == pytest.approx(0.0)
    with pytest.raises(InputError, match="in volts"):
        reading_uncertainty([1.0], [0.0], VOLTS, made)


@pytest.mark.parametrize(
    ("text", "word"), [("", "empty"), ("good", "not understood"), ("3 V", "not understood"), ("-1 ppm", "0 or more")]
)
def test_other_words_of_a_counter_are_refused(text, word):
    with pytest.raises(InputError, match=word):
        parse_frequency_words(text)


def test_a_pocket_meter_cannot_prove_five_cents_and_is_told_what_would():
    proof = can_prove(VOLTS, parse_tolerance("5"), np.arange(36, 97), USUAL_METERS[0][1])
    assert not proof.enough
    assert proof.worst_note == 96
    assert proof.better[0] == "a bench meter on its 10 V range"
    told = " ".join(proof_sentences(proof, Style()))
    assert "cannot prove ± 5.0 ct: it is worth ± 46.0 ct at 96 C7" in told
    assert f"worth ± {Style().cents(proof.better_expanded_cents)} ct there" in told
    assert "counter or tuner on the oscillator" in told


def test_a_bench_meter_can_prove_five_cents_and_says_with_what_room():
    proof = can_prove(VOLTS, parse_tolerance("5"), np.arange(36, 97), MeterRange(0.015, 4, 0.0001))
    assert proof.enough
    assert proof.error_room_cents == pytest.approx(5 - proof.worst_expanded_cents)
    assert "Good enough to prove ± 5.0 ct" in proof_sentences(proof, Style())[0]


def test_a_tolerance_that_no_usual_meter_proves_needs_a_counter():
    proof = can_prove(VOLTS, parse_tolerance("0.1"), np.arange(36, 97), USUAL_METERS[1][1])
    assert proof.better is None
    assert "What would: a counter" in proof_sentences(proof, Style())[1]
    assert can_prove(VOLTS, parse_tolerance("0:10=5"), np.arange(36, 97), USUAL_METERS[1][1]) is None


@pytest.mark.parametrize(
    ("value", "expected", "note", "meant", "other"),
    [
        (294.0, 2.94, 68.88, 2.94, None),
        (2940.0, 2.94, 68.88, 2.94, None),
        (0.0294, 2.94, 68.88, 2.94, None),
        (-2.2, 2.2, 60, 2.2, None),
        (2.2833, 2.2, 60, None, 61),
        (9.7, 2.2, 60, None, 150),
    ],
)
def test_slips_of_unit_scale_and_note_are_asked_about(value, expected, note, meant, other):
    slip = find_slip(value, expected, note, VOLTS)
    if other == 61:  # 100 cents is only just plausible for a board out of calibration; a semitone and a bit is not
        assert slip is None
        slip = find_slip(2.3667, expected, note, VOLTS)
        assert slip.note == 62
        return
    assert slip.meant == (pytest.approx(meant) if meant else None)
    assert slip.note is None


def test_a_plausible_reading_is_not_questioned():
    assert find_slip(2.15, 2.2, 60, VOLTS) is None
    assert find_slip(0.5, 0.5, 36, PitchModel(LinearLaw(36, 0.5))) is None
    assert find_slip(261.0, 261.6, 60, PitchModel(ExponentialLaw(), "hertz")) is None
    assert find_slip(-1.0, 261.6, 60, PitchModel(ExponentialLaw(), "hertz")).off_cents == np.inf


def test_a_reading_above_the_range_is_asked_about():
    meter = MeterRange(0.05, 3, 0.001, 2.0)
    assert "4.9960 V is more than the 2.0 V that this range shows" in beyond_range(meter, 4.996)
    assert (
        beyond_range(meter, -1.999)
        == beyond_range(None, 500.0)
        == beyond_range(MeterRange(0.05, 3, 0.001), 500.0)
        == ""
    )
