"""As few readings as will do: the variances against drawn errors, the reasons, and what it comes to on seeded units."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dynamis.bench.runs.planning import Planned, notes_to_read, plan_next, planned_words, usual_enough
from dynamis.calibration.planning.belief import Channel, carries, covariance
from dynamis.calibration.planning.choice import Planner
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.pitch.tuning import EqualTemperament

sys.path.insert(0, str(Path(__file__).parents[2] / "benchmarks"))
import planning as units

NOTES = np.arange(36.0, 73.0, 3.0)
CODES = np.round((NOTES - 36.0) / 36.0 * 4000.0)
CHANNEL = Channel(NOTES, np.full(NOTES.size, 0.4), CODES, 12, np.full(NOTES.size, 3.0))
MODEL = PitchModel(ExponentialLaw(1.0, 36.0, 0.2), "volts", EqualTemperament(440.0))


def line_through(notes, values, at):
    slope, start = np.polyfit(notes, values.T, 1)
    return start[:, None] + np.outer(slope, at)


def test_how_far_a_line_may_be_off_is_what_drawn_errors_show():
    """40 000 drawn channels: U = 2u of the line through the readings less that through all notes, and of its move."""
    chance = np.random.default_rng(1)
    drawn = chance.multivariate_normal(np.zeros(NOTES.size), covariance(CHANNEL), 40_000, method="cholesky")
    read = [36.0, 72.0, 54.0, 45.0, 54.0]
    at = [int((note - 36.0) / 3.0) for note in read]
    following = Planner(CHANNEL).next(read)
    then = [*at, int((following.note - 36.0) / 3.0)]
    values = drawn[:, then] + 0.4 * chance.standard_normal((drawn.shape[0], len(then)))
    whole = line_through(NOTES, drawn, NOTES)
    before, after = (line_through(NOTES[then[:count]], values[:, :count], NOTES) for count in (5, 6))
    for found, told in ((before - whole, following.now_cents), (after - whole, following.then_cents)):
        assert 2.0 * np.max(np.std(found, axis=0)) == pytest.approx(told, rel=0.03)
    assert 2.0 * np.max(np.std(after - before, axis=0)) == pytest.approx(following.change_cents, rel=0.03)
    for other in range(NOTES.size):
        if NOTES[other] != following.note:
            values[:, 5] = drawn[:, other] + 0.4 * chance.standard_normal(drawn.shape[0])
            line = line_through(NOTES[[*at, other]], values, NOTES)
            assert 2.0 * np.max(np.std(line - whole, axis=0)) >= 0.97 * following.then_cents


def test_what_is_left_of_a_table_is_the_best_linear_guess_of_drawn_errors():
    """The variance of what readings leave of each note, by regression over drawn errors."""
    chance = np.random.default_rng(2)
    drawn = chance.multivariate_normal(np.zeros(NOTES.size), covariance(CHANNEL), 60_000, method="cholesky")
    at = [0, 6, 12]
    values = drawn[:, at] + 0.4 * chance.standard_normal((drawn.shape[0], 3))
    weights, *_ = np.linalg.lstsq(values, drawn, rcond=None)
    left = drawn - values @ weights
    planner = Planner(CHANNEL, "table")
    assert np.diag(planner.left(at)) == pytest.approx(np.var(left, axis=0), rel=0.05, abs=0.02)
    following = planner.next([36.0, 54.0, 72.0])
    assert following.then_cents < following.now_cents
    assert following.now_cents == pytest.approx(2.0 * np.sqrt(np.max(np.var(left, axis=0))), rel=0.05)


def test_readings_that_scatter_more_widen_what_is_believed():
    planner = Planner(CHANNEL)
    read, chance = NOTES.tolist(), np.random.default_rng(3)
    drawn = chance.multivariate_normal(np.zeros(NOTES.size), covariance(CHANNEL), method="cholesky")
    left = drawn - np.polyval(np.polyfit(NOTES, drawn, 1), NOTES)
    assert planner.scatter_of(read, 0.1 * left) == 1.0
    wide = planner.scatter_of(read, 20.0 * left)
    assert wide > 5.0
    assert Planner(CHANNEL, scatter=wide).next(read).change_cents > planner.next(read).change_cents


def planned(read, left=None, *, enough=0.5, codes=True) -> Planned:
    taken = np.full(len(read), np.nan) if left is None else left
    chosen = units.CODES if codes else None
    return plan_next(MODEL, units.NOTES, np.full(61, 0.03), chosen, units.CONVERTER, read, taken, enough)


def test_it_begins_with_both_ends_and_ends_with_the_first_note_again():
    read: list[float] = []
    told = []
    for _ in range(40):
        one = planned(read)
        told.append((one.reason, planned_words(one, Style())))
        if one.note is None:
            break
        read.append(one.note)
    assert read[:2] == [36.0, 96.0]
    assert read[-1] == 36.0
    assert [reason for reason, _ in told[:2]] == ["lowest", "highest"]
    assert [reason for reason, _ in told[-2:]] == ["again", "enough"]
    assert {reason for reason, _ in told[2:-2]} == {"tells-most"}
    assert f"About {len(read)} to go" in told[0][1]
    assert any("beside the carry at code 2048" in text for _, text in told)
    assert "would change the correction by about" in told[-1][1]
    assert len(set(read)) >= 5
    assert planned(read[:-1], enough=0.05).to_go > 5  # who wants more is given more
    assert planned([36.0, 96.0], codes=False).to_go < planned([36.0, 96.0]).to_go  # nothing that could step


def test_carries_are_told_where_they_lie_between_the_codes():
    assert carries(CHANNEL) == [
        (512, 0.5),
        (1024, 0.7),
        (1536, 0.5),
        (2048, 1.0),
        (2560, 0.5),
        (3072, 0.7),
        (3584, 0.5),
    ]
    assert carries(replace(CHANNEL, codes=np.linspace(600.0, 1000.0, NOTES.size))) == []
    assert carries(replace(CHANNEL, codes=None)) == []


@pytest.mark.parametrize("kind", list(units.KINDS))
def test_few_readings_do_nearly_as_well_as_all(kind):
    """Median of 15 readings at most, and the true worst error within 1.2 × of what all 61 notes give, on ten units."""
    unit, quantity = units.KINDS[kind]
    counts, ratios = [], []
    for seed in range(1000, 1010):
        chance = np.random.default_rng(seed)
        truth = unit(chance)
        at, values = units.taken(truth, quantity, 0.5, chance)
        every = truth + units.OWN[quantity] * chance.standard_normal(61)
        counts.append(len(at))
        ratios.append(units.line_left(truth, at, values) / units.line_left(truth, list(range(61)), every))
    assert np.median(counts) <= 15
    assert np.median(ratios) <= 1.2


def test_the_plain_plans_and_what_is_enough():
    assert notes_to_read("these", (36.0, 40.0)) == (36.0, 40.0)
    assert notes_to_read("every", (40.0, 36.0)) == (36.0, 37.0, 38.0, 39.0, 40.0)
    assert notes_to_read("few", (36.0, 38.0)) == (36.0, 37.0, 38.0)
    assert notes_to_read("octaves", (36.0, 90.0)) == (36.0, 48.0, 60.0, 72.0, 84.0, 90.0)
    assert usual_enough(parse_tolerance("36:41=10,42:90=5,91:96=10"), (36.0, 60.0)) == pytest.approx(0.5)
    assert usual_enough(parse_tolerance("36:41=10"), (36.0, 60.0)) == pytest.approx(0.5)
