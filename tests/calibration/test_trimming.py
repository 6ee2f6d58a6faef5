"""The walk through trimmers: the factor of the pivot by hand, and walks over seeded voices to the end."""

from __future__ import annotations

import numpy as np
import pytest

from dynamis.calibration.trimming.practice import Voice, practice_voice
from dynamis.calibration.trimming.sheet import sheet_steps, turn_table
from dynamis.calibration.trimming.walk import Done, Step, Trims, walk
from dynamis.errors import InputError
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.pitch.tuning import EqualTemperament

TUNING = EqualTemperament(440.0)
VOCT, HZV = ExponentialLaw(1.0, 36.0, 0.0), LinearLaw(36.0, 0.5)
TRIMS = Trims(VOCT, TUNING, 36.0, 60.0, 84.0, 5.0, high=True)
KNOBS = {"tune": "tune", "offset": "tune", "scale": "scale", "high": "high"}


def turned_to(voice: Voice, step: Step, hand_cents: float = 0.0) -> Voice:
    """A hand turns a trimmer until the reading is the target, as near as it gets."""
    if step.turn == "read":
        return voice
    knob = KNOBS[step.turn]
    low, high = -1.0, 1.0
    rises = voice.turned(**{knob: 1.0}).cents(step.note) > voice.turned(**{knob: -1.0}).cents(step.note)
    for _ in range(60):
        middle = (low + high) / 2.0
        above = voice.turned(**{knob: middle}).cents(step.note) > step.target_cents + hand_cents
        low, high = (low, middle) if above == rises else (middle, high)
    return voice.turned(**{knob: (low + high) / 2.0})


def walked(trims: Trims, voice: Voice, chance=None, hand: float = 0.0):
    """(the voice as it is left, the steps that were done, where the walk ended)."""
    done: list[Done] = []
    while True:
        now = walk(trims, done)
        if now.step is None or len(done) > 200:
            return voice, done, now
        off = 0.0 if chance is None else float(chance.normal(0.0, hand))
        voice = turned_to(voice, now.step, off)
        done.append(Done(now.step, voice.cents(now.step.note)))


@pytest.mark.parametrize("pivot", [-1.0, 0.0, 0.7, 5.5])
def test_the_scale_is_aimed_past_short_of_or_the_other_way_by_the_factor_of_the_pivot(pivot):
    """By hand: E (V_pivot - V_low) / (V_high - V_low), low at 0 V and high at 2 V; one turn is then enough."""
    trims = Trims(VOCT, TUNING, 36.0, 60.0, 60.0, 5.0, pivot)
    voice = Voice(VOCT, TUNING, pivot, 0.1, 0.4, 0.0)
    done: list[Done] = []
    for _ in range(2):  # tune the low note, read the high one
        step = walk(trims, done).step
        voice = turned_to(voice, step)
        done.append(Done(step, voice.cents(step.note)))
    error = done[1].cents
    aim = walk(trims, done).step
    if pivot < 1.0:
        assert (aim.turn, aim.note) == ("scale", 60.0)
        assert aim.target_cents == pytest.approx(error * (pivot - 0.0) / 2.0 + done[0].cents, abs=1e-6)
    else:  # the low note moves more, and is watched: it comes to where the high one, moved less, is as far off
        assert (aim.turn, aim.note) == ("scale", 36.0)
        assert aim.target_cents == pytest.approx(error * pivot / 2.0 + done[0].cents, abs=1e-6)
    _, steps, end = walked(trims, voice)
    assert (end.reached, end.rounds) == (True, 1)
    assert [one.step.turn for one in steps][:3] == ["tune", "read", "scale"]


def test_an_unknown_pivot_is_learnt_from_the_first_turn():
    voice = Voice(VOCT, TUNING, 1.3, 0.2, -0.5, 0.0)
    _, done, end = walked(Trims(VOCT, TUNING, 36.0, 60.0, 60.0, 5.0), voice)
    assert end.reached
    assert end.pivot_volts == pytest.approx(1.3, abs=0.02)
    assert end.rounds <= 2
    assert max(abs(one.cents) for one in done[-2:]) <= 5.0


@pytest.mark.parametrize(("law", "least"), [(VOCT, 39), (ExponentialLaw(0.37, 36.0, 1.75), 39), (HZV, 39)], ids=str)
def test_walks_over_seeded_voices_end_within_the_tolerance(law, least):
    """40 voices, a hand that leaves 0.3 ct: all notes of the range within 5 ct, the pivot never told; few rounds."""
    reached, rounds = 0, []
    trims = Trims(law, TUNING, 36.0, 60.0, 84.0, 5.0, high=isinstance(law, ExponentialLaw))
    for seed in range(40):
        low, high = trims.volts(36.0), trims.volts(60.0)
        voice = practice_voice(law, TUNING, low, high, seed)
        if isinstance(law, LinearLaw):
            voice = Voice(law, TUNING, 0.0, voice.off_tune, voice.off_scale, 0.0)
        left, _, end = walked(trims, voice, np.random.default_rng(seed), 0.3)
        worst = max(abs(left.cents(float(note))) for note in range(36, 85, 4))
        reached += end.reached and worst < 6.0
        rounds.append(end.rounds)
    assert reached >= least
    assert np.median(rounds) <= 4


def test_what_cannot_be_reached_is_given_up_and_nonsense_is_refused():
    stuck = Voice(VOCT, TUNING, 0.0, 0.1, 5.0, 0.0)  # its scale is off by more than the trimmer turns
    done = [Done(Step("tune", 36.0), 0.0)]
    for _ in range(60):
        now = walk(TRIMS, done)
        if now.step is None:
            break
        done.append(Done(now.step, 0.0 if now.step.note == 36.0 else stuck.cents(60.0) - 700.0))
    assert (now.step, now.gave_up, now.reached) == (None, True, False)
    with pytest.raises(InputError, match="is it another note"):
        walk(TRIMS, [Done(Step("tune", 36.0), 7000.0)])
    for bad in ({"high_note": 40.0}, {"top_note": 50.0}, {"tolerance_cents": 0.0}):
        with pytest.raises(InputError):
            Trims(
                **{
                    "law": VOCT,
                    "tuning": TUNING,
                    "low_note": 36.0,
                    "high_note": 60.0,
                    "top_note": 84.0,
                    "tolerance_cents": 5.0,
                }
                | bad
            )


@pytest.mark.parametrize("pivot", [-1.0, 0.0, 0.7, 5.5])
def test_the_paper_says_the_same_turns_without_anyone_following(pivot):
    """One turn by the sheet's table, or by its formula where nobody knows the pivot, then the tuning: both notes right."""
    voice = Voice(VOCT, TUNING, pivot, 0.1, 0.4, 0.0)
    tuned = turned_to(voice, Step("tune", 36.0))
    known = Trims(VOCT, TUNING, 36.0, 60.0, 84.0, 5.0, pivot, high=True)
    off, note, target = turn_table(known)[-1]
    share = target / off
    turned = turned_to(tuned, Step("scale", note, share * tuned.cents(60.0)))
    right = turned_to(turned, Step("tune", 36.0))
    assert [right.cents(one) for one in (36.0, 60.0)] == pytest.approx([0.0, 0.0], abs=1e-3)
    if note == 60.0:  # a and b of the sheet: what a turn by any amount does to both notes
        other = turned_to(tuned, Step("scale", 60.0, 3.0))
        a, b = (other.cents(one) - tuned.cents(one) for one in (36.0, 60.0))
        assert a / (a - b) == pytest.approx(share, abs=1e-3)


def test_a_sheet_has_the_steps_of_the_trimmers_that_there_are():
    def turns(trims):
        return [(one.turn, one.note) for one in sheet_steps(trims)]

    assert ("high", 84.0) in turns(TRIMS)
    assert ("high", 84.0) not in turns(Trims(VOCT, TUNING, 36.0, 60.0, 84.0, 5.0))
    assert turns(Trims(HZV, TUNING, 36.0, 60.0, 84.0, 5.0)) == [("scale", 84.0), ("offset", 36.0), ("read", 84.0)]
    assert (turn_table(TRIMS), turn_table(Trims(HZV, TUNING, 36.0, 60.0, 84.0, 5.0, 1.0))) == ([], [])


def test_a_pivot_that_no_converter_has_is_refused():
    with pytest.raises(InputError, match="A pivot of 1e\\+06 V is farther than 200 V"):
        Trims(VOCT, TUNING, 36.0, 60.0, 84.0, 5.0, 1e6)
