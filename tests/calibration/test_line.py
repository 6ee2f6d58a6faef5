"""Lines through readings, against published and independent answers."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from scipy import stats
from scipy.optimize import linprog, minimize

from dynamis.calibration.fit import Readings, find_outliers, fit_all, fit_readings
from dynamis.calibration.line import METHODS, fit_line, theil_sen
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.significance import claim_factor
from dynamis.errors import InputError
from dynamis.pitch import ExponentialLaw, LinearLaw, parse_tolerance
from dynamis.pitch.model import PitchModel

VOLTS = PitchModel(ExponentialLaw())
LINEAR = [PitchModel(LinearLaw(36, 0.5)), PitchModel(LinearLaw(36, 0.5, 0.03)), PitchModel(LinearLaw(36, 0.5), "hertz")]
FIVE = parse_tolerance("5")


def noisy(seed: int, model: PitchModel, count: int = 30) -> tuple[np.ndarray, np.ndarray]:
    generator = np.random.default_rng(seed)
    notes = generator.integers(36, 97, count).astype(float)
    expected = model.expected(notes)
    zero = model.zero
    measured = (
        zero + (expected - zero) * 1.004 * np.exp2(generator.normal(0, 3, count) / 1200)
        if model.is_ratio
        else (expected * 1.004 + 0.002 + generator.normal(0, 0.003, count))
    )
    return expected, measured


def test_norris_has_its_certified_values():
    # NIST StRD, linear least squares, Norris: B0 = -0.262323073774029, B1 = 1.00211681802045,
    # standard deviation of B1 = 0.429796848199937e-03.
    case = next(
        c
        for c in json.loads((Path(__file__).parent.parent / "oracles/fit.json").read_text())["cases"]
        if c["id"] == "norris"
    )
    rows = [line.split(",") for line in case["files"]["readings.csv"].split()[1:]]
    model = PitchModel(ExponentialLaw(1200, 0, 0))
    fit = fit_readings(
        Readings.of([float(r[0]) for r in rows], [float(r[1]) for r in rows]), model, parse_tolerance("5000")
    )
    assert fit.line.offset == pytest.approx(-0.262323073774029, rel=1e-11)
    assert fit.line.gain == pytest.approx(1.00211681802045, rel=1e-13)
    assert fit.gain_standard_error == pytest.approx(0.429796848199937e-3, rel=1e-10)


@pytest.mark.parametrize("seed", range(8))
def test_minimax_is_as_good_as_an_independent_linear_programme(seed):
    x, y = noisy(seed, VOLTS, 3 + 5 * seed)
    line = fit_line(VOLTS, x, y, "minimax")
    worst = np.max(np.abs(y - line.at(x)))
    ones = np.ones_like(x)
    best = linprog(
        [0, 0, 1],
        A_ub=np.vstack([np.column_stack([ones, x, -ones]), np.column_stack([-ones, -x, -ones])]),
        b_ub=np.concatenate([y, -y]),
        bounds=[(None, None), (None, None), (0, None)],
    )
    assert worst * 1200 == pytest.approx(best.x[2] * 1200, abs=1e-7)


@pytest.mark.parametrize("model", LINEAR, ids=["hz/v", "hz/v with offset", "hz/v in hertz"])
@pytest.mark.parametrize("seed", range(3))
def test_under_hertz_per_volt_cents_are_made_least(model, seed):
    x, y = noisy(seed, model)
    found = fit_line(model, x, y)

    def squares(parameters):
        cents = model.cents(y, parameters[0] + parameters[1] * x)
        return float(np.sum(np.where(np.isnan(cents), 1e6, cents) ** 2))

    best = minimize(
        squares, [0.0, 1.0], method="Nelder-Mead", options={"xatol": 1e-12, "fatol": 1e-10, "maxiter": 4000}
    )
    assert squares([found.offset, found.gain]) <= best.fun * (1 + 1e-9)
    minimax = fit_line(model, x, y, "minimax")
    worst = np.max(np.abs(model.cents(y, minimax.at(x))))
    generator = np.random.default_rng(seed)
    for _ in range(300):
        offset = minimax.offset + generator.normal(0, 1e-3) * np.abs(y).min()
        gain = minimax.gain * (1 + generator.normal(0, 1e-3))
        assert np.nanmax(np.abs(model.cents(y, offset + gain * x))) >= worst - 1e-9


@pytest.mark.parametrize("model", [VOLTS, *LINEAR], ids=["v/oct", "hz/v", "hz/v with offset", "hz/v in hertz"])
@pytest.mark.parametrize("method", METHODS)
def test_the_weights_say_how_the_line_follows_a_reading(model, method):
    x, y = noisy(3, model, 12)
    line = fit_line(model, x, y, method)
    for k in range(x.size):
        small = 1e-7 * abs(y[k])
        bumped = y.copy()
        bumped[k] += small
        moved = fit_line(model, x, bumped, method)
        slope = np.array([moved.offset - line.offset, moved.gain - line.gain]) / small
        assert slope == pytest.approx(line.weights[:, k], abs=0.03 * np.max(np.abs(line.weights)) + 1e-6)


def test_end_points_are_averaged_where_they_were_read_twice():
    x, y = np.array([0.0, 0.0, 2.5, 5.0, 5.0]), np.array([0.01, 0.03, 9.0, 5.0, 5.2])
    line = fit_line(VOLTS, x, y, "endpoint")
    assert (line.offset, line.gain) == (pytest.approx(0.02), pytest.approx((5.1 - 0.02) / 5))


@pytest.mark.parametrize("method", METHODS)
def test_repeats_and_two_readings_are_no_trouble(method):
    line = fit_line(VOLTS, np.array([0.0, 1.0]), np.array([0.5, 1.6]), method)
    assert (line.offset, line.gain) == (pytest.approx(0.5), pytest.approx(1.1))
    repeated = fit_line(VOLTS, np.array([0.0, 0.0, 1.0, 1.0]), np.array([0.0, 0.2, 1.0, 1.2]), method)
    assert (repeated.offset, repeated.gain) == (pytest.approx(0.1), pytest.approx(1.0))
    with pytest.raises(InputError, match="two different notes"):
        fit_line(VOLTS, np.array([1.0, 1.0]), np.array([1.0, 2.0]), method)


@pytest.mark.parametrize("count", [2, 3, 25, 700])
def test_theil_sen_is_the_median_of_all_slopes(count):
    generator = np.random.default_rng(count)
    x, y = generator.integers(0, max(2, count // 3), count).astype(float), generator.normal(0, 1, count)
    x[0], x[1] = 0.0, 1.0
    offset, slope = theil_sen(x, y)
    pairs = [(y[j] - y[i]) / (x[j] - x[i]) for i in range(count) for j in range(i) if x[i] != x[j]]
    assert slope == pytest.approx(np.median(pairs))
    assert offset == pytest.approx(np.median(y - slope * x))


def test_one_wild_reading_is_found_and_many_good_ones_are_not():
    x = np.arange(25) / 6
    y = 1.003 * x - 0.006
    y[11] += 0.25
    everything = np.ones(25, bool)
    assert np.flatnonzero(find_outliers(VOLTS, x, y, np.zeros(25), everything)).tolist() == [11]
    assert not find_outliers(VOLTS, x, y, np.full(25, 200.0), everything).any()
    assert not find_outliers(
        VOLTS, x, 1.003 * x + np.random.default_rng(1).normal(0, 1e-3, 25), np.zeros(25), everything
    ).any()


def test_all_methods_share_their_outliers_and_agree_with_single_fits():
    x = np.arange(36.0, 97.0, 5)
    readings = Readings.of(x, VOLTS.expected(x) * 1.002)
    together = fit_all(readings, VOLTS, FIVE, MeterRange(0.05, 3, 0.001))
    for method, fit in together.items():
        alone = fit_readings(readings, VOLTS, FIVE, method=method, meter=MeterRange(0.05, 3, 0.001))
        assert (alone.line.gain, alone.after) == (fit.line.gain, fit.after)


@pytest.mark.parametrize(
    ("notes", "values", "tolerance", "word"),
    [
        ([36], [0.0], "5", "two different notes"),
        ([36, 36], [0.0, 0.1], "5", "two different notes"),
        ([36, 48], [0, 1], "60:72=5", "judges none"),
        ([36, 99999], [0, 1], "5", "99999, which has no frequency"),
        ([36] * 5001, [0.0] * 5001, "5", "at most 5000"),
    ],
)
def test_a_run_that_makes_no_line_is_refused(notes, values, tolerance, word):
    with pytest.raises(InputError, match=word):
        fit_readings(Readings.of(notes, values), VOLTS, parse_tolerance(tolerance))


@pytest.mark.parametrize("freedom", [4, 6, 10, 30, 100])
@pytest.mark.parametrize("trials", [1, 20])
def test_claims_use_students_t(freedom, trials):
    # Against SciPy's t distribution.
    exact = stats.t.ppf(1 - 0.025 / trials, freedom)
    assert claim_factor(freedom, trials) == pytest.approx(max(2.0, exact), rel=0.03)


def test_the_line_is_that_of_the_guide_s_thermometer():
    # GUM (JCGM 100:2008) H.3, table H.6 (data from memory; the published results below confirm them): corrections of a
    # thermometer against t - 20 degC.  y1 = -0.1712(29), y2 = 0.002 18(67), r = -0.930, s = 0.0035; at 30 degC -0.1494(41).
    x = np.array([21.521, 22.012, 22.512, 23.003, 23.507, 23.999, 24.513, 25.002, 25.503, 26.010, 26.511]) - 20
    y = -np.array([171, 169, 166, 159, 164, 165, 156, 157, 159, 161, 160]) / 1000
    line = fit_line(VOLTS, x, y)
    scatter = np.sqrt(np.sum((y - line.at(x)) ** 2) / 9)
    covariance = scatter**2 * line.weights @ line.weights.T
    (u1, u2), at_30 = np.sqrt(np.diag(covariance)), np.array([1.0, 10.0])
    assert (line.offset, u1) == (pytest.approx(-0.1712, abs=5e-5), pytest.approx(0.0029, abs=5e-5))
    assert (line.gain, u2) == (pytest.approx(0.00218, abs=5e-6), pytest.approx(0.00067, abs=5e-6))
    assert covariance[0, 1] / (u1 * u2) == pytest.approx(-0.930, abs=5e-4)
    assert scatter == pytest.approx(0.0035, abs=5e-5)
    assert float(line.at(np.array(10.0))) == pytest.approx(-0.1494, abs=5e-5)
    assert np.sqrt(at_30 @ covariance @ at_30) == pytest.approx(0.0041, abs=5e-5)


def test_the_lines_covariance_agrees_with_repeated_runs():
    # Monte Carlo of a meter with gain, zero and rounding errors; GUM (JCGM 100:2008) 5.2 for what is common.
    meter, notes = MeterRange(0.05, 3, 0.001), np.arange(36.0, 97.0, 6)
    true = VOLTS.expected(notes) * 0.996 + 0.002
    stated = fit_readings(Readings.of(notes, true), VOLTS, FIVE, meter=meter).line_covariance
    generator = np.random.default_rng(7)
    found = []
    for _ in range(3000):
        gain, zero = generator.uniform(-1, 1, 2)
        read = true * (1 + gain * 0.0005) + zero * 0.003 + generator.uniform(-0.0005, 0.0005, notes.size)
        line = fit_line(VOLTS, VOLTS.expected(notes), read)
        found.append((line.offset, line.gain))
    assert np.cov(np.array(found).T) == pytest.approx(stated, rel=0.12, abs=2e-9)
