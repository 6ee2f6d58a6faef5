"""Any gear measured: an oscillator's own tracking as a run of its input, and what adopting it does to a verdict."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import IN, OUT, PITCH_IN, PITCH_OUT, bench

from dynamis.bench.document.bench import Unit
from dynamis.bench.document.records import InstrumentRecord, ReadingRecord
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_pair
from dynamis.bench.runs.analysis import adoption_of, analyse
from dynamis.bench.runs.beginning import new_run
from dynamis.bench.runs.difference import difference_of, difference_words
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.transfer.law import Oscillator

COUNTER = InstrumentRecord("c", "Counter", kind="counter", ppm=10.0, resolution_hertz=0.01)


def tracked(scale: float, trimmers="scale"):
    """A voice whose oscillator makes `scale` octaves of a volt, read by a counter every six notes."""
    heard = Oscillator("o", parse_law(PITCH_IN.law), scale_limit=0.01).stored()
    takes = with_(PITCH_IN, transfers=(heard,), trimmers=trimmers, tune_semitones=1.0)
    one = bench(PITCH_OUT, takes, voice={"units": (Unit("01"),)})
    run = new_run(
        one,
        None,
        run_id="r",
        title="Tracking",
        created="2026-01-01T10:00:00",
        channel=IN,
        serial="01",
        law=parse_law(PITCH_IN.law),
        tolerance=parse_tolerance("5"),
        plan=tuple(np.arange(36.0, 85.0, 6.0)),
        quantity="hertz",
        meter=COUNTER,
        where="oscillator",
        plugged=(),
        celsius=None,
        warm_minutes=None,
    )
    rows = []
    for k, note in enumerate(run.plan):
        hertz = round(float(440.0 * 2 ** ((36 - 69) / 12) * 2 ** ((note - 36) / 12 * scale)), 2)
        rows.append(ReadingRecord(k, "r", k, note, hertz, f"2026-01-01T10:00:{k:02d}"))
    return one, run, analyse(run, rows)


@pytest.mark.parametrize("scale", [0.99, 1.0, 1.006])
def test_an_oscillators_own_tracking_is_a_run_of_its_input(scale):
    one, run, judged = tracked(scale)
    assert (run.side, (IN, "01") in one.channels, judged.verdict) == (
        "input",
        True,
        "within" if scale == 1.0 else "not-within",
    )
    assert judged.fit.line.gain == pytest.approx(scale, abs=1e-4)
    assert [way.kind for way in judged.corrections] == ["trimmer"]
    assert tracked(scale, "none")[2].corrections == ()


def test_what_was_adopted_of_an_input_takes_its_limits_out_of_the_verdict():
    one, _, judged = tracked(1.006)
    link = one.links[0]
    before = judge_pair(one, link, IN)
    # 1 % of four octaves from the reference on.
    assert (before.verdict, before.value) == ("marginal", pytest.approx(4 * 12.0, abs=1e-6))
    adopted = adoption_of(judged, judged.corrections[0], "2026-01-01T11:00:00")
    after = judge_pair(one, link, IN, (adopted,))
    assert after.verdict == "fits"
    matrix = Matrix()
    assert matrix.judge(one)[OUT][IN].verdict == "marginal"
    assert matrix.judge(one, (adopted,))[OUT][IN].verdict == "fits"
    second = with_(one.gear_by("voice"), units=(Unit("01"), Unit("02")))
    assert judge_pair(one.with_gear(second), link, IN, (adopted,)).verdict == "marginal"


def test_every_pitch_port_of_a_bench_can_be_measured():
    one, *_ = tracked(1.0)
    assert one.measurable == [(IN, "01"), (OUT, "")]
    assert with_(one, gear=tuple(with_(gear, archived=True) for gear in one.gear)).measurable == []


METER = InstrumentRecord("m", "Bench meter", "10 V", 0.015, 4, 1e-4, 10.0)


def read_in_volts(seed: int, *, per_octave: float = 0.0, shift: float = 0.0, meter=METER, noise: float = 2e-4, **more):
    """A run of an output in volts, its octaves and its zero moved by so many cents, the meter's own error in both."""
    one = bench(PITCH_OUT, PITCH_IN, desk={"units": (Unit("01"),)})
    keys = {"run_id": f"r{seed}", "title": "T", "created": "2026-01-01T10:00:00", "channel": OUT, "serial": "01"}
    run = new_run(
        one,
        None,
        **keys,
        law=parse_law(PITCH_OUT.law),
        tolerance=parse_tolerance("5"),
        plan=tuple(np.arange(36.0, 97.0, 6.0)),
        quantity="volts",
        meter=meter,
        where="jack",
        plugged=more.get("plugged", ()),
        celsius=more.get("celsius"),
        warm_minutes=None,
    )
    random, rows = np.random.default_rng(seed), []
    for k, note in enumerate(run.plan):
        octaves = (note - 36.0) / 12.0
        volts = 1.0 + octaves + (per_octave * octaves + shift) / 1200.0
        value = round(volts * 1.0001 + random.uniform(-noise, noise), 4)
        rows.append(ReadingRecord(k, run.id, k, note, float(value), f"2026-01-01T10:00:{k:02d}", own=noise / 3**0.5))
    return one, analyse(run, rows)


@pytest.mark.parametrize(("per_octave", "shift"), [(-11.88, 0.0), (0.0, 4.0), (3.0, -2.0)])
def test_a_change_between_two_runs_is_a_difference_with_its_uncertainty(per_octave, shift):
    one, first = read_in_volts(1)
    _, second = read_in_volts(2, per_octave=per_octave, shift=shift, plugged=(IN,))
    found = difference_of(first, second)
    # At the middle of the five octaves from the reference on.
    assert abs(found.shift_cents - (shift + 2.5 * per_octave)) <= found.shift_expanded
    assert abs(found.per_octave_cents - per_octave) <= found.per_octave_expanded
    assert (found.moved, found.alike) == (True, True)
    words = difference_words(one, first, second, Style())
    assert words[0].startswith("Changed between them: plugged, nothing → Pit voice · pitch in; on 11 notes of both all")
    assert len(words) == 1


def test_nothing_moved_is_told_in_nearly_all_pairs_of_runs_in_which_nothing_did():
    moved = sum(difference_of(read_in_volts(2 * k)[1], read_in_volts(2 * k + 1)[1]).moved for k in range(60))
    assert moved <= 8  # two numbers at k = 2 each
    one, first = read_in_volts(1)
    assert "nothing moved beyond" in difference_words(one, first, read_in_volts(3)[1], Style())[0]


def test_two_changes_at_once_and_two_instruments_are_told():
    one, first = read_in_volts(1)
    pocket = with_(METER, name="Pocket meter")
    _, second = read_in_volts(2, shift=9.0, meter=pocket, celsius=31.0, plugged=(IN,))
    found, words = difference_of(first, second), difference_words(one, first, second, Style())
    assert found.shift_expanded > difference_of(first, read_in_volts(2, shift=9.0)[1]).shift_expanded
    assert "which of them did it cannot be told" in " ".join(words)
    assert words[-1].startswith("They were read with different instruments")
    assert difference_of(first, read_in_volts(2, meter=None)[1]) is None
