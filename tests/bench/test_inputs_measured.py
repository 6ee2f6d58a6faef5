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
