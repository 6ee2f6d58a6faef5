"""A recorded sweep becomes readings: matched though the oscillator is far off, with gaps and wrong notes named."""

from __future__ import annotations

import numpy as np
import pytest
from tests.tuner.sounds import RATE, SAW, rest, tone

from dynamis.bench.document.records import InstrumentRecord, RunRecord
from dynamis.bench.runs.analysis import analyse
from dynamis.bench.runs.sweep import match_sweep, sweep_rows, sweep_sentences, with_clock
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.tuner.tones import Tone, steady_tones

PLAN = tuple(float(note) for note in range(36, 85, 4))
EAR = InstrumentRecord("s", "Sound", kind="sound")


def run(plan=PLAN, **more):
    return analyse(RunRecord("r", "t", "g", "1", "p", "", "voct", "5", "hertz", EAR, plan=plan, **more), [])


def tones(notes, scale: float = 1.0, shift_cents: float = 0.0) -> list[Tone]:
    """An oscillator whose octaves are `scale` wide about note 60, shifted."""
    cents = (np.array(notes, float) - 60.0) * 100.0 * scale + shift_cents
    hertz = 440.0 * 2.0 ** ((60.0 - 69.0) / 12.0) * 2.0 ** (cents / 1200.0)
    return [Tone(float(k), k + 0.8, float(one), 0.01, 0.1) for k, one in enumerate(hertz)]


def matched(sweep):
    return [one.note for one in sweep.heard]


@pytest.mark.parametrize(("scale", "shift"), [(1.0, 0.0), (1.02, 30.0), (0.97, -250.0), (1.0, 700.0), (1.03, -1200.0)])
def test_an_oscillator_that_is_far_off_is_matched(scale, shift):
    sweep = match_sweep(run(), tones(PLAN, scale, shift))
    assert matched(sweep) == list(PLAN)
    assert sweep.missing == ()
    wanted = (np.array(PLAN) - 60.0) * 100.0 * (scale - 1.0) + shift
    assert [one.off_cents for one in sweep.heard] == pytest.approx(wanted)
    assert np.nanmax(np.abs([one.besides_cents for one in sweep.heard])) < 1e-6


def test_what_was_left_out_and_what_came_besides_is_named():
    for gone in (0, 5, 12):
        kept = [note for k, note in enumerate(PLAN) if k != gone]
        sweep = match_sweep(run(), tones(kept, 1.01, 20.0))
        assert (matched(sweep), sweep.missing) == (kept, (PLAN[gone],))
        assert "Not heard: " in " ".join(sweep_sentences(sweep, Style()))
    more = [*PLAN[:4], 50.0, *PLAN[4:]]  # a key touched on the way
    sweep = match_sweep(run(), tones(more))
    assert matched(sweep) == [*PLAN[:4], None, *PLAN[4:]]
    told = " ".join(sweep_sentences(sweep, Style())).replace("\u00a0", " ")
    assert "14 steady tones are heard, 13 of them notes to read." in told
    assert "At 4.0 s stands 146.83 Hz, which is none of the notes: left out." in told
    wrong = list(PLAN)
    wrong[6] = 61.0  # a semitone beside
    told = " ".join(sweep_sentences(match_sweep(run(), tones(wrong, 1.005)), Style())).replace("\u00a0", " ")
    assert "for 60 C4, +100." in told
    assert "a wrong note" in told


def test_a_run_that_chooses_takes_the_nearest_notes_in_any_order():
    few = run(tuple(float(note) for note in range(36, 85)), enough_cents=0.5)
    sweep = match_sweep(few, tones([84, 36, 60, 36]))
    assert (matched(sweep), sweep.missing) == ([84.0, 36.0, 60.0, 36.0], ())


def test_readings_keep_their_own_uncertainty_and_the_recorders_clock():
    sweep = match_sweep(run(), tones(PLAN))
    assert sweep_rows(run(), sweep)[6] == (60.0, pytest.approx(261.6256, abs=1e-4), 0.01)
    fast = sweep_rows(run(), with_clock(sweep, 100.0))[6]
    assert fast[1] == pytest.approx(261.6256 * 1.0001, abs=1e-4)
    cents = RunRecord("r", "t", "g", "1", "p", "", "voct", "5", "cents", EAR, plan=PLAN)
    note, off, own = sweep_rows(analyse(cents, []), with_clock(sweep, 100.0))[6]
    assert (note, off) == (60.0, pytest.approx(1200.0 * np.log2(1.0001), abs=1e-6))
    assert own == pytest.approx(1200.0 / np.log(2.0) * 0.01 / 261.6256, rel=1e-3)
    for bad, words in ((lambda: with_clock(sweep, 1e6), "ppm off"), (lambda: match_sweep(run(), []), "No steady tone")):
        with pytest.raises(InputError, match=words):
            bad()
    volts = RunRecord("r", "t", "g", "1", "p", "", "voct", "5", "volts", plan=PLAN)
    with pytest.raises(InputError, match="reads volts"):
        match_sweep(analyse(volts, []), tones(PLAN))


def test_a_recording_of_an_oscillator_becomes_a_run_within_a_tenth_of_a_cent():
    chance = np.random.default_rng(4)
    notes = PLAN[::2]
    bent = [440.0 * 2.0 ** ((note - 69.0) / 12.0) * 2.0 ** ((0.8 * (note - 60.0) + 12.0) / 1200.0) for note in notes]
    parts = [np.concatenate([tone(hertz, 0.6, SAW, chance), rest(0.15)]) for hertz in bent]
    made = np.concatenate(parts)
    judged = run(notes)
    rows = sweep_rows(judged, match_sweep(judged, steady_tones(made + 1e-3 * chance.standard_normal(made.size), RATE)))
    assert [row[0] for row in rows] == list(notes)
    off = 1200.0 * np.log2(np.array([row[1] for row in rows]) / bent)
    assert np.max(np.abs(off)) < 0.1
