"""The shape of the errors: causes put in are found, and none is claimed that is not there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dynamis.calibration.fit import Readings
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.shape import describe_shape
from dynamis.calibration.words import shape_sentences
from dynamis.converter.dac import Dac
from dynamis.notation.style import Style
from dynamis.pitch import ExponentialLaw, LinearLaw, parse_tolerance
from dynamis.pitch.model import PitchModel

VOLTS = PitchModel(ExponentialLaw(1, 36, 0.2))
METER = MeterRange(0.015, 4, 0.0001)
NOTES = np.arange(36.0, 97.0, 3)
DAC = Dac(12, 0, 4.096, 1.35)
FIVE = parse_tolerance("5")


def shape_of(volts, notes=NOTES, model=VOLTS, meter=METER, dac=None, codes=None, expected=None):
    readings = replace(Readings.of(notes, volts), expected=expected)
    return describe_shape(readings, model, FIVE, meter, dac, codes)


def volts_with(noise=1e-4, seed=0, scale=0.0, offset=0.0):
    return VOLTS.expected(NOTES) * (1 + scale) + offset + np.random.default_rng(seed).normal(0, noise, NOTES.size)


def causes(shape):
    return {term.cause for term in shape.terms}


def test_a_scale_error_is_found_with_its_size_and_both_uncertainties():
    term = shape_of(volts_with(scale=-0.0036)).find("scale")
    assert term.value == pytest.approx(-0.36, abs=term.expanded)
    assert term.cents == pytest.approx(1200 * term.value / 100)
    # the meter's own gain is part of it: 0.015 % / sqrt(3), times 2
    assert term.expanded == pytest.approx(2 * 0.015 / 3**0.5, rel=0.05)


def test_an_offset_is_found_as_a_flat_shift():
    term = shape_of(volts_with(offset=0.004)).find("offset")
    assert term.value == pytest.approx(0.004, abs=term.expanded)
    assert "A flat shift of +4." in " ".join(shape_sentences(shape_of(volts_with(offset=0.004)), Style()))


@pytest.mark.parametrize("stuck", [1, 2, 4])
def test_a_dead_band_outranks_a_reading_mistake(stuck):
    volts = volts_with()
    floor = volts[stuck] - 0.03
    volts[:stuck] = floor + np.random.default_rng(1).normal(0, 1e-4, stuck)
    shape = shape_of(volts)
    term = shape.find("dead band")
    assert term.notes == (36.0, 36.0 + 3 * (stuck - 1))
    assert term.value == pytest.approx(floor, abs=1e-3)
    assert shape.left_out.sum() == stuck
    assert "outlier" not in causes(shape)
    assert "cannot reach lower" in shape_sentences(shape, Style())[0]


@pytest.mark.parametrize(("stuck", "model"), [(1, "volts"), (3, "volts"), (3, "hertz")])
def test_clipping_at_the_top_is_found(stuck, model):
    volts = volts_with()
    volts[-stuck:] = volts[-stuck - 1] + 0.05
    if model == "hertz":
        hertz = PitchModel(VOLTS.law, "hertz")
        shape = shape_of(hertz.reference_hertz * 2 ** (volts - 0.2), model=hertz, meter=None)
        assert "reset time" in shape_sentences(shape, Style())[0]
    else:
        shape = shape_of(volts)
        assert "clipped near its rail" in shape_sentences(shape, Style())[0]
    assert shape.find("clipping").notes[1] == 96.0
    assert shape.find("scale") is None or abs(shape.find("scale").value) < 0.01


def test_a_step_at_a_major_carry_is_found_with_its_code():
    codes = DAC.code_for(VOLTS.expected(NOTES)).codes
    nominal = DAC.nominal_volts(codes)
    volts = nominal + 1.5 * DAC.lsb_volts * (codes >= 2048) + np.random.default_rng(2).normal(0, 1e-4, NOTES.size)
    shape = shape_of(volts, dac=DAC, codes=codes, expected=nominal)
    term = shape.find("step")
    assert term.value == pytest.approx(1.5, abs=term.expanded)
    assert (term.unit, term.carry, term.notes) == ("LSB", 2048, (66.0, 69.0))
    assert shape.find("scatter").value < 0.2  # the noise put in is 0.12 ct; the step is 2.4
    assert "most likely the carry at code 2048" in " ".join(shape_sentences(shape, Style()))


def test_rounding_to_known_codes_is_known_and_no_scatter():
    codes = DAC.code_for(VOLTS.expected(NOTES)).codes
    nominal = DAC.nominal_volts(codes)
    shape = shape_of(
        nominal + np.random.default_rng(3).normal(0, 2e-5, NOTES.size), dac=DAC, codes=codes, expected=nominal
    )
    assert causes(shape) == {"saw-tooth"}
    assert shape.find("saw-tooth").expanded == 0
    told = shape_sentences(shape, Style())
    assert told[0].startswith("Nothing in these errors exceeds")
    assert "it is known and stays" in told[1]


def test_the_saw_tooth_of_a_coarse_converter_is_found_where_its_codes_are_not_known():
    coarse = Dac(8, 0, 5.53)
    volts = coarse.nominal_volts(coarse.code_for(VOLTS.expected(NOTES)).codes)
    term = shape_of(volts + np.random.default_rng(4).normal(0, 1e-4, NOTES.size), dac=coarse).find("saw-tooth")
    assert term.value == pytest.approx(np.max(np.abs(volts - VOLTS.expected(NOTES))) * 1200, rel=0.02)
    assert 0 < term.expanded < term.value


def test_scatter_is_claimed_beyond_the_meters_rounding():
    term = shape_of(volts_with(noise=2e-3)).find("scatter")
    assert term.value == pytest.approx(2.4, abs=1.2)
    assert "Scatter of" in " ".join(shape_sentences(shape_of(volts_with(noise=2e-3)), Style()))


def test_a_single_reading_off_the_line_is_named():
    volts = volts_with()
    volts[9] += 0.08
    shape = shape_of(volts)
    term = shape.find("outlier")
    assert term.notes == (63.0,)
    assert term.value == pytest.approx(96, abs=1)
    assert "read it again" in shape_sentences(shape, Style())[0]


def test_a_bow_is_no_step():
    bow = 3e-3 * ((NOTES - 66) / 30) ** 2
    assert "step" not in causes(shape_of(volts_with() + bow))


@pytest.mark.parametrize(
    "model", [PitchModel(LinearLaw(36, 0.5)), PitchModel(LinearLaw(36, 0.5), "hertz")], ids=["volts", "hertz"]
)
def test_under_hertz_per_volt_scale_and_offset_change_places(model):
    notes = np.arange(36.0, 85.0, 3)
    exact = model.expected(notes)
    noise = np.exp2(np.random.default_rng(5).normal(0, 0.3, notes.size) / 1200)
    meter = None if model.quantity == "hertz" else METER
    flat = shape_of(exact * 1.003 * noise, notes, model, meter).find("scale")
    assert flat.cents == pytest.approx(1200 * np.log2(1.003), abs=flat.cents_expanded + 0.05)
    tilted = shape_of((exact + 0.01 * exact[0]) * noise, notes, model, meter).find("offset")
    assert tilted.cents == pytest.approx(1200 * np.log2(1.01), rel=0.1)
    told = " ".join(shape_sentences(shape_of((exact + 0.01 * exact[0]) * noise, notes, model, meter), Style()))
    assert "half of that an octave up: trim it at the bottom" in told


def test_what_cannot_be_told_apart_is_said():
    told = " ".join(shape_sentences(shape_of(volts_with(scale=-0.02)), Style(), 1 / 1.02))
    assert "a scale error, loading and the meter's own gain look the same; the ± covers the meter's" in told
    assert "the inputs plugged account for −1.96 % by their nominal resistances" in told
    hertz = PitchModel(VOLTS.law, "hertz")
    told = " ".join(
        shape_sentences(
            shape_of(hertz.tuning.hertz(NOTES) * np.exp2(0.01 * (NOTES - 36) / 12), model=hertz, meter=None), Style()
        )
    )
    assert "the oscillator's own scale look the same" in told


def test_false_claims_are_rare():
    """Over 150 flawless boards read by a flawless hand: the stated risk is a few per cent for each cause."""
    claimed = dict.fromkeys(("dead band", "clipping", "step", "scale", "offset", "outlier"), 0)
    for seed in range(150):
        generator = np.random.default_rng(1000 + seed)
        gain, zero = generator.uniform(-1, 1, 2)
        volts = VOLTS.expected(NOTES) * (1 + gain * 1.5e-4) + zero * 4e-4 + generator.normal(0, 1.5e-4, NOTES.size)
        for cause in causes(shape_of(np.round(volts, 4))) & claimed.keys():
            claimed[cause] += 1
    assert all(count <= 9 for count in claimed.values()), claimed
