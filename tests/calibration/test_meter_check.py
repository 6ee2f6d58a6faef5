"""A meter's own gain and zero, by what it shows of known volts."""

from __future__ import annotations

import math

import numpy as np
import pytest

from dynamis.calibration.meter import MeterRange, reading_uncertainty
from dynamis.calibration.meter_check import KnownVolts, check_meter, check_words, outside_limits
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.model import PitchModel

METER = MeterRange(0.5, 2, 1e-3, 20.0)
EXACT = KnownVolts(0.0, 0.0)


def test_two_exact_volts_give_gain_and_zero_by_arithmetic():
    """By hand: 2 mV at 0 V; 10.032 V at 10 V is 30 mV more, which is 0.3 %."""
    found = check_meter(MeterRange(0.5, 20, 1e-5), EXACT, [0.0, 10.0], [0.002, 10.032])
    assert (found.zero_found, found.gain_found) == (pytest.approx(0.002, abs=3e-6), pytest.approx(0.003, abs=1e-6))
    assert float(found.true_volts(10.032)) == pytest.approx(10.0, abs=1e-5)
    assert float(found.shown_volts(found.true_volts(3.21))) == pytest.approx(3.21)
    # GUM 4.3.7: each was rounded to 10 µV, so each is known to a / sqrt(12); the difference to sqrt(2) times that.
    each = 1e-5 / math.sqrt(12.0)
    assert found.gain_deviation == pytest.approx(math.sqrt(2.0) * each / 10.0, rel=1e-3)
    assert found.zero_deviation == pytest.approx(each, rel=1e-3)


def test_what_is_left_is_what_it_is_by_trial():
    """Meters and known voltages within their data sheets, 4000 of them: errors left at 2 and 9 V against what is said."""
    chance = np.random.default_rng(3)
    known, at = KnownVolts(0.02, 0.5e-3), np.array([2.0, 9.0])
    volts = np.array([0.0, 5.0])
    left, said = [], None
    for _ in range(4000):
        gain = 0.005 / math.sqrt(3.0) * chance.normal()
        zero = 0.002 / math.sqrt(3.0) * chance.normal()
        off = 0.0002 / math.sqrt(3.0) * chance.normal() * volts + 0.5e-3 / math.sqrt(3.0) * chance.normal()
        shown = (volts + off) * (1.0 + gain) + zero + chance.uniform(-0.5e-3, 0.5e-3, 2)
        found = check_meter(METER, known, volts, shown)
        left.append(found.true_volts(at * (1.0 + gain) + zero) - at)
        said = np.hypot(found.gain_volts(at), found.zero_volts)
    assert np.std(left, axis=0) == pytest.approx(said, rel=0.05)
    assert np.all(said < 0.2 * METER.standard_volts(at))


def test_less_is_learnt_from_less_and_nothing_from_a_poor_known_voltage():
    one = check_meter(METER, EXACT, [0.0], [0.003])
    assert one.gain_deviation == pytest.approx(METER.gain_fraction)
    assert one.zero_deviation < 0.3 * METER.zero_volts
    poor = check_meter(METER, KnownVolts(5.0, 0.1), [0.0, 10.0], [0.003, 10.1])
    assert poor.gain_deviation == pytest.approx(METER.gain_fraction, rel=0.05)
    assert abs(poor.gain_found) < 0.001
    nothing_given = check_meter(MeterRange(0.0, 0, 1e-3), EXACT, [0.0, 10.0], [0.1, 10.3])
    assert nothing_given.gain_found == pytest.approx(0.02, abs=1e-6)
    no_digit = check_meter(MeterRange(0.0, 0, 0.0), EXACT, [0.0, 2.0, 4.0, 10.0], [0.1, 2.14, 4.18, 10.3])
    assert no_digit.gain_found == pytest.approx(0.02, abs=1e-6)


def test_readings_of_a_checked_meter_are_worth_more():
    model, checked = PitchModel(ExponentialLaw()), check_meter(METER, EXACT, [0.0, 5.0], [0.001, 5.02])
    before, after = (reading_uncertainty([1.0, 4.0], [0.0, 0.0], model, one) for one in (METER, checked))
    assert np.all(after.expanded < 0.2 * before.expanded)
    # Fully correlated parts, as GUM 5.2.2 adds them: gain and zero of the check are not independent of each other.
    volts = np.array([1.0, 4.0])
    variance = checked.zero_deviation**2 + 2.0 * volts * checked.together + (volts * checked.gain_deviation) ** 2
    assert after.common == pytest.approx(1200.0 * np.sqrt(variance))


@pytest.mark.parametrize(
    ("volts", "shown", "told"),
    [([], [], "has to be one"), ([0.0, 5.0], [0.0], "has to be one"), ([5.0], [0.5], "shows 0.5 V of 5 V"), ([1.0], [math.nan], "shows nan V")],
)  # fmt: skip
def test_pairs_that_do_not_belong_together_are_refused(volts, shown, told):
    with pytest.raises(InputError, match=told):
        check_meter(METER, EXACT, volts, shown)


def test_a_meter_outside_its_data_sheet_is_told():
    """0.5 % of 10 V and 2 counts and half a step: 52.5 mV; GUM 4.3.7 makes U = 2 sqrt(50² + 2² + 0.25) / sqrt(3) mV."""
    found = check_meter(METER, EXACT, [0.0, 10.0], [0.0, 10.052])
    assert outside_limits(found, [0.0, 10.0], [0.0, 10.052]) is None
    assert outside_limits(found, [0.0, 10.0], [0.0, 10.053]) == 10.0
    assert "now, ± 57.8 mV by its data sheet" in check_words(found, 10.0, Style()).replace("\u00a0", " ")
