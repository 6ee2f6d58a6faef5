"""The two pitch laws, the tuning, and tolerance profiles."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.errors import InputError
from dynamis.pitch import (
    EqualTemperament,
    ExponentialLaw,
    LinearLaw,
    Naming,
    cents_between,
    law_text,
    parse_law,
    parse_tolerance,
)
from dynamis.pitch.laws import law_words
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import judge

LAWS = [
    ExponentialLaw(),
    ExponentialLaw(0.37, 60, 1.62),
    ExponentialLaw(1.2, 24, 0),
    LinearLaw(),
    LinearLaw(36, 0.5, 0.05),
]


@pytest.mark.parametrize("law", LAWS, ids=law_text)
@given(octaves=st.floats(-4, 6))
def test_volts_and_octaves_undo_each_other(law, octaves):
    assert float(law.octaves(law.volts(octaves))) == pytest.approx(octaves, abs=1e-9)


@pytest.mark.parametrize("law", LAWS, ids=law_text)
def test_a_law_reads_back_and_keeps_shapes(law):
    assert parse_law(law_text(law)) == law
    assert law.volts(np.zeros((2, 3))).shape == (2, 3)
    assert np.isnan(law.volts(np.nan))
    assert np.isnan(law.octaves([np.nan, law.volts(1.0)])).tolist() == [True, False]


def test_each_octave_doubles_the_volts_of_hertz_per_volt():
    # FACTS of the trade: 0.5, 1, 2, 4, 8 V; by the definition f/k.
    law = LinearLaw(reference_note=36, reference_volts=0.5)
    assert law.volts([0, 1, 2, 3, 4]) == pytest.approx([0.5, 1, 2, 4, 8])


@pytest.mark.parametrize(("volts", "cents"), [(8.0, 0.2164), (1.0, 1.7304), (0.25, 6.911)])
def test_a_millivolt_weighs_most_at_the_bottom_of_hertz_per_volt(volts, cents):
    # Derived: 1200*log2(1 + e/V); common practice quotes 0.2, 1.7 and 6.9 cents.
    assert float(LinearLaw().octaves(volts + 1e-3) - LinearLaw().octaves(volts)) * 1200 == pytest.approx(
        cents, abs=5e-4
    )
    assert float(LinearLaw().cents_per_volt(volts)) * 1e-3 == pytest.approx(cents, rel=3e-3)


def test_a_linear_law_makes_no_pitch_at_or_below_its_offset():
    law = LinearLaw(offset_volts=0.05)
    with pytest.raises(InputError, match=r"0\.05 V is not above the law's offset of 0\.05 V"):
        law.octaves([1.0, 0.05])
    assert np.isnan(law.octaves([1.0, -2.0], strict=False)).tolist() == [False, True]


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("lin", "no known kind"),
        ("voct:scale=0", "above 0"),
        ("voct:scale=-1", "-1"),
        ("voct:offset=1", "takes scale"),
        ("voct:scale=1,scale=2", "twice"),
        ("voct:", "takes scale"),
        ("voct:scale", "takes scale"),
        ("hzv:volts=0", "above 0"),
        ("hzv:scale=1", "takes note"),
        ("voct:volts=2V", "2V"),
        ("voct:volts=nan", "nan"),
        ("voct:note=H2", "H2"),
        ("voct:scale=1e999", "larger"),
        ("", "no known kind"),
        ("voct:scale=1,", "takes scale"),
    ],
)
def test_a_broken_law_is_refused(text, word):
    with pytest.raises(InputError, match=word):
        parse_law(text)


def test_a_law_may_name_its_note_and_is_told_in_words():
    assert parse_law("voct:note=C3,scale=0.9", Naming(3)) == ExponentialLaw(0.9, 60, 0)
    assert law_words(ExponentialLaw(1, 36, 0.2), "36 C2") == "1 V/oct, 0.2 V at 36 C2"
    assert law_words(LinearLaw(45, 1, 0.05), "45 A2") == "Hz/V, 1 V at 45 A2, offset 0.05 V"


def test_frequencies_follow_the_tuning():
    # MIDI Tuning Standard, frequency data format: note 00 is 8.1758 Hz, 3C 261.6256, 45 440.0000, 78 8372.0181, 7F 12543.8539.
    hertz = EqualTemperament().hertz([0, 60, 69, 120, 127])
    assert hertz == pytest.approx([8.1758, 261.6256, 440.0, 8372.0181, 12543.8539], abs=6e-5)
    assert float(EqualTemperament(432).hertz(69)) == 432
    assert np.isnan(EqualTemperament().hertz([1e5, -1e5, np.nan])).all()
    with pytest.raises(InputError, match="above 0"):
        EqualTemperament(0)


def test_cents_are_positive_when_sharp():
    assert cents_between([441.0, 440.0, 220.0, -1.0], 440.0) == pytest.approx(
        [3.9302, 0, -1200, np.nan], abs=1e-4, nan_ok=True
    )


@pytest.mark.parametrize("law", LAWS, ids=law_text)
@pytest.mark.parametrize("quantity", ["volts", "hertz"])
def test_the_model_turns_volts_into_its_line_and_back(law, quantity):
    model = PitchModel(law, quantity)
    notes = np.arange(36.0, 97.0)
    volts = law.volts(model.tuning.octaves(notes, law.reference_note))
    assert model.to_volts(model.expected(notes)) == pytest.approx(volts, abs=1e-12)
    assert model.from_volts(volts) == pytest.approx(model.expected(notes), rel=1e-12)
    sharp = model.expected(notes) + 0.1 / model.cents_per_unit(model.expected(notes))
    assert model.cents(sharp, model.expected(notes)) == pytest.approx(0.1, rel=1e-3)


def test_the_model_refuses_readings_without_a_pitch():
    with pytest.raises(InputError, match="-1 Hz"):
        PitchModel(ExponentialLaw(), "hertz").measured([440.0, -1.0])
    with pytest.raises(InputError, match="at or under the law's offset"):
        PitchModel(LinearLaw(offset_volts=0.1)).measured([0.1])
    with pytest.raises(InputError, match="no frequency"):
        PitchModel(ExponentialLaw(reference_note=99999))


def test_a_tolerance_is_a_number_or_a_profile():
    assert parse_tolerance("5").cents_at([-10, 60, 200]).tolist() == [5, 5, 5]
    profile = parse_tolerance("36:47=10,C3:84=5,96=3")
    assert profile.cents_at([35, 36, 47.9, 48, 84, 85, 96]).tolist()[1:5] == [10, 10, 5, 5]
    assert np.isnan(profile.cents_at([35, 85])).all()


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("-1", "below 0"),
        ("x", "'x'"),
        ("47:36=5", "runs down"),
        ("36:47", "36:47=10"),
        ("36:47=x", "'x'"),
        ("36:47=-1", "below 0"),
        ("36:48=5,48:60=5", "twice"),
        ("36:=5", "36:47=10"),
        ("1:2:3=4", "36:47=10"),
        ("36:47=5,", "36:47=10"),
        ("", "''"),
    ],
)
def test_a_broken_tolerance_is_refused(text, word):
    with pytest.raises(InputError, match=word):
        parse_tolerance(text)


@pytest.mark.parametrize(
    ("errors", "expanded", "allowed", "verdict"),
    [
        ([4.0], [1.0], [5.0], "within"),
        ([4.0], [1.1], [5.0], "cannot-tell"),
        ([-6.1], [1.0], [5.0], "not-within"),
        ([6.0], [1.0], [5.0], "cannot-tell"),
        ([9.0, 1.0], [0.0, 0.0], [np.nan, 5.0], "within"),
        ([], [], [], "cannot-tell"),
        ([np.nan], [0.0], [5.0], "cannot-tell"),
        ([1.0], [0.0], [np.nan], "cannot-tell"),
        ([5.0], [0.0], [5.0], "within"),
    ],
)
def test_the_verdict_over_readings(errors, expanded, allowed, verdict):
    assert judge(errors, expanded, allowed) == verdict
