"""Learning a port: values put in come out again within their uncertainty, and what cannot be told is said."""

from __future__ import annotations

import math
import shutil

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import GATE_IN, GATE_OUT, IN, LFO, OUT, PITCH_IN, PITCH_OUT, bench, swing
from tests.electrics.spice import ngspice

from dynamis.bench.document.ports import AudioRecord, GateRecord
from dynamis.bench.judging.pairs import judge_link
from dynamis.bench.runs.learning import (
    coupling_sentences,
    law_sentences,
    lessons_for,
    ohms_words,
    take_coupling,
    take_input,
    take_law,
    take_output,
    take_rest,
    take_sent,
    take_shortest,
    take_thresholds,
    thresholds_sentences,
)
from dynamis.calibration.learning.coupling import Step, learn_coupling
from dynamis.calibration.learning.law import Pair, learn_law
from dynamis.calibration.learning.pulses import sent_length, shortest_taken
from dynamis.calibration.learning.readings import parse_lengths, parse_pairs, parse_steps, parse_walk
from dynamis.calibration.learning.resistance import Learned, input_ohms, output_ohms, rest_volts
from dynamis.calibration.learning.thresholds import Seen, thresholds
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.pitch.tuning import EqualTemperament

TUNING, STYLE = EqualTemperament(440.0), Style()
LAWS = (
    ExponentialLaw(1.0, 36.0, 0.2),
    ExponentialLaw(0.37, 36.0, 1.75),
    ExponentialLaw(1.2, 48.0, -1.0),
    LinearLaw(45.0, 1.0),
    LinearLaw(36.0, 0.5, 0.03),
)


def played(law, notes, chance=None, volts_off=0.001, cents_off=0.5) -> list[Pair]:
    """What an input of a law plays, read with errors of these deviations."""
    pairs = []
    for note in notes:
        volts = float(law.volts(TUNING.octaves([note], law.reference_note))[0])
        hertz = float(TUNING.hertz([note])[0])
        u_hertz = hertz * cents_off * math.log(2.0) / 1200.0
        if chance is not None:
            volts, hertz = chance.normal(volts, volts_off), chance.normal(hertz, u_hertz)
        pairs.append(Pair(volts, hertz, volts_off, u_hertz))
    return pairs


@pytest.mark.parametrize("law", LAWS, ids=str)
def test_the_law_that_was_put_in_is_found_and_its_uncertainty_is_honest(law):
    """200 seeded runs of five pairs over four octaves: within U in about 95 of 100, and the wrong law never alone."""
    within, verdicts = [], []
    for seed in range(200):
        found = learn_law(played(law, (36, 48, 60, 72, 84), np.random.default_rng(seed)), TUNING)
        verdicts.append(found.verdict)
        if found.chosen is None:
            continue
        mine = found.chosen
        exponential = isinstance(law, ExponentialLaw)
        true = law.volts_per_octave if exponential else law.reference_volts
        if not exponential:
            true *= 2.0 ** float(TUNING.octaves([mine.law.reference_note], law.reference_note)[0])
        within.append(abs(mine.scale.value - true) <= mine.scale.expanded)
    kind = "exponential" if isinstance(law, ExponentialLaw) else "linear"
    assert verdicts.count(kind) >= 195
    assert verdicts.count("linear" if kind == "exponential" else "exponential") == 0
    assert 0.90 <= np.mean(within) <= 1.0


def test_what_cannot_be_told_is_said():
    near = [Pair(one.volts, one.hertz, 0.02, one.hertz_deviation) for one in played(LAWS[0], (60, 60.5, 61))]
    found = learn_law(near, TUNING)
    assert (found.verdict, found.chosen) == ("both", None)
    assert "cannot be told yet" in law_sentences(found, STYLE)[-1]
    wrong = played(LAWS[0], (36, 48, 60, 72))
    wrong[2] = with_pair(wrong[2], hertz=wrong[2].hertz * 1.1)
    assert learn_law(wrong, TUNING).verdict == "neither"
    told = law_sentences(learn_law(wrong, TUNING), STYLE)
    assert "Neither law fits" in told[-1]
    bent = played(LAWS[0], (36, 48, 60, 72, 84))
    bent[4] = with_pair(bent[4], hertz=bent[4].hertz * 2.0 ** (-12.0 / 1200.0))  # flat at the top
    loose = learn_law(bent, TUNING)
    assert (loose.verdict, loose.loosely) == ("exponential", True)
    assert (
        loose.chosen.scale.expanded
        > 3.0 * learn_law(played(LAWS[0], (36, 48, 60, 72, 84)), TUNING).chosen.scale.expanded
    )
    assert "it bends, was not warm yet" in " ".join(law_sentences(loose, STYLE))
    told = law_sentences(learn_law(played(LAWS[0], (36, 48, 60, 72)), TUNING), STYLE)
    assert "Hz/V does not fit" in told[1]
    assert "That is 1 V/oct, as far as these readings can tell." in told[2]
    for pairs, words in (
        (played(LAWS[0], (36, 48)), "3 pairs at different volts"),
        (played(LAWS[0], (36, 36, 48)), "3 pairs at different volts"),
        ([Pair(1.0, 0.0), Pair(2.0, 1.0), Pair(3.0, 2.0)], "more than 0 Hz"),
        ([Pair(3.0, 100.0), Pair(2.0, 200.0), Pair(1.0, 400.0)], "fall as the volts rise"),
    ):
        with pytest.raises(InputError, match=words):
            learn_law(pairs, TUNING)


def with_pair(pair: Pair, **values) -> Pair:
    return Pair(**{"volts": pair.volts, "hertz": pair.hertz, "volts_deviation": 1e-3, "hertz_deviation": 0.01} | values)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
@pytest.mark.parametrize("seed", range(6))
def test_resistances_are_those_of_the_network_that_ngspice_solves(seed, tmp_path):
    chance = np.random.default_rng(seed)
    own, load, meter = (float(chance.choice(side)) for side in ((100.0, 1e3, 4.7e3), (1e3, 10e3), (1e6, 10e6)))
    volts, rest, takes, series = 5.0 * chance.uniform(0.5, 2.0), float(chance.choice([0.0, 1.62])), 100e3, 47e3
    source = [f"V1 e 0 {volts}", f"R1 e out {own}", f"Rm out 0 {meter}"]
    opened = ngspice(source, "out", tmp_path)
    pulled = ngspice([*source, f"RL out 0 {load}"], "out", tmp_path)
    ohms, level = output_ohms((opened, 0.0), (pulled, 0.0), (load, 0.0), meter)
    assert (ohms.value, level.value) == (pytest.approx(own, rel=1e-6), pytest.approx(volts, rel=1e-6))
    rested = [f"V2 r 0 {rest}", f"Rin r in {takes}", f"Rm in 0 {meter}"]
    fed = ngspice([f"V1 a 0 {volts}", f"Rs a in {series}", *rested], "in", tmp_path)
    assert input_ohms((volts, 0.0), (fed, 0.0), (series, 0.0), meter, (rest, 0.0)).value == pytest.approx(
        takes, rel=1e-5
    )
    alone = ngspice(rested, "in", tmp_path)
    assert rest_volts((alone, 0.0), (takes, 0.0), meter).value == pytest.approx(rest, abs=1e-9)


def test_uncertainties_of_resistances_are_those_of_many_draws():
    """GUM against Monte Carlo (JCGM 101): 1 kΩ by 10 kΩ of 1 %, read to 1 mV; U = 2u."""
    chance = np.random.default_rng(3)
    opened, pulled, load = 5.0 / (1 + 1e3 / 10e6), 5.0 / (1 + 1e3 * (1 / 10e6 + 1 / 10e3)), 10e3
    deviations = (0.5e-3, 0.5e-3, 100.0 / math.sqrt(3.0))
    told, _ = output_ohms((opened, deviations[0]), (pulled, deviations[1]), (load, deviations[2]), 10e6)
    drawn = [
        output_ohms(
            *((chance.normal(one, off), 0.0) for one, off in zip((opened, pulled, load), deviations, strict=True)), 10e6
        )[0].value
        for _ in range(4000)
    ]
    assert told.value == pytest.approx(1000.0, rel=1e-9)
    assert told.expanded == pytest.approx(2.0 * np.std(drawn), rel=0.05)


@pytest.mark.parametrize(
    ("learn", "words"),
    [
        (lambda: output_ohms((5, 0), (5.2, 0), (1e3, 0), 1e7), "the higher one"),
        (lambda: output_ohms((0, 0), (0, 0), (1e3, 0), 1e7), "not 0 V"),
        (lambda: output_ohms((5, 0), (4, 0), (0, 0), 1e7), "more than 0 Ω"),
        (lambda: input_ohms((5, 0.01), (4.999, 0.01), (1e3, 0), 1e7), "Take a larger one"),
        (lambda: input_ohms((5, 0), (6, 0), (1e3, 0), 1e7), "make no resistance"),
        (lambda: input_ohms((5, 0), (4, 0), (-1.0, 0), 1e7), "more than 0 Ω"),
        (lambda: thresholds([Seen(0, False), Seen(1, False), Seen(2, False)], 0.0), "not gone on yet"),
        (lambda: thresholds([Seen(0, False), Seen(1, True), Seen(2, True)], 0.0), "not gone off again yet"),
        (
            lambda: thresholds([Seen(0, False), Seen(1, True), Seen(2, False), Seen(1, True)], 0.0),
            "move up all the way",
        ),
        (lambda: parse_pairs("1 2 3"), "Line 1: .* is no pair"),
        (lambda: parse_pairs("1 V 100 Hz\n2 V x"), "Line 2"),
        (lambda: parse_walk("1 2"), "At least three"),
    ],
)
def test_readings_that_teach_nothing_are_refused_with_what_to_do(learn, words):
    with pytest.raises(InputError, match=words):
        learn()


@pytest.mark.parametrize(("on", "off", "falls"), [(2.0, 1.4, False), (0.8, 2.0, True), (1.7, 1.7, False)])
def test_thresholds_lie_within_their_steps(on, off, falls):
    """A switch with these thresholds, moved up and down in steps of 0.1 V."""
    walk = np.concatenate([np.arange(0.0, 3.0, 0.1), np.arange(3.0, -0.05, -0.1)])
    walk = walk if not falls else 3.0 - walk
    state, seen = False, []
    for volts in walk:
        state = (volts < on if falls else volts > on) if not state else not (volts > off if falls else volts < off)
        seen.append(Seen(float(volts), bool(state)))
    found = thresholds(seen, 1e-4)
    assert found.falls is falls
    for learned, true in ((found.on, on), (found.off, off)):
        assert abs(learned.value - true) <= 0.051
        assert learned.expanded == pytest.approx(2.0 * 0.1 / math.sqrt(12.0), rel=0.02)
    assert found.hysteresis_volts.value == pytest.approx(abs(on - off), abs=0.11)
    assert ("shorting" in thresholds_sentences(found, STYLE)[0]) is falls


def test_the_bench_judges_with_what_was_learnt():
    one = bench(with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0.2", ohms=None), with_(PITCH_IN, law=None, ohms=None))
    assert judge_link(one, one.links[0])[0].verdict == "cannot-tell"
    found = learn_law(played(LAWS[0], (36, 48, 60, 72, 84), np.random.default_rng(1)), TUNING)
    one = take_law(one, IN, found.chosen).bench
    one = take_input(one, IN, Learned(100e3, 2e3)).bench
    one = take_output(one, OUT, Learned(1000.0, 20.0), Learned(5.0, 0.01)).bench
    takes, sends = one.port(IN), one.port(OUT)
    assert takes.transfers[0].values["scale_limit"] == pytest.approx(
        found.chosen.scale.expanded / 2.0 * 3.0**0.5, rel=1e-3
    )
    assert (takes.ohms, takes.ohms_limit) == (100e3, pytest.approx(0.01 * 3.0**0.5))
    assert (sends.ohms, sends.ohms_limit) == (1000.0, pytest.approx(0.01 * 3.0**0.5))
    fit = judge_link(one, one.links[0])[0]
    assert fit.verdict == "needs-circuit"  # 11.9 ct from every octave
    assert "loading" in {each.code for each in fit.findings}
    gates = bench(GATE_OUT, with_(GATE_IN, gate=None))
    seen = parse_walk("0 1 2.6 2.8+ 3+ 2+ 1.9+ 1.8 1.0")[0]
    learnt = take_thresholds(gates, IN, thresholds(seen, 0.01)).bench
    gate = learnt.port(IN).gate
    assert 2.7 < gate.on_volts < 2.9  # the far side of 2.7 V
    assert 1.7 < gate.off_volts < 1.85
    assert judge_link(learnt, learnt.links[0])[0].verdict == "fits"
    weak = take_output(learnt, OUT, Learned(1000.0, 20.0), Learned(2.5, 0.05)).bench
    assert judge_link(weak, weak.links[0])[0].verdict == "needs-circuit"
    moved = take_rest(bench(LFO, swing(-5, 5)), IN, Learned(1.62, 0.01)).bench
    assert (moved.port(IN).swing.bias_volts, moved.port(IN).rests_at_volts) == (1.62, 1.62)


def test_pulses_that_are_sent_and_taken_are_learnt_and_judged():
    """Derived: a mean, its scatter and rounding; the shortest lies evenly between what missed and what fired."""
    sent = sent_length(parse_lengths("5.0 ms 5.2ms 5.1 ms"))
    assert (sent.value, sent.expanded) == pytest.approx((5.1e-3, 2 * math.hypot(1e-4, 1e-4 / 12**0.5)))
    shortest = shortest_taken(parse_lengths("10 ms+ 6 ms+; 4 ms 2 ms"))
    assert (shortest.value, shortest.expanded) == pytest.approx((5e-3, 2 * math.hypot(2e-3, 1e-3) / 12**0.5))
    trigger = with_(GATE_OUT, role="trigger")
    one = bench(trigger, with_(GATE_IN, role="trigger"))
    one = take_sent(one, OUT, Learned(0.1, 0.02), Learned(5.0, 0.05), sent).bench
    one = take_shortest(one, IN, shortest).bench
    assert (one.port(OUT).gate.seconds, one.port(OUT).gate.high_volts) == (pytest.approx(5.1e-3), 5.0)
    assert one.port(IN).gate.min_seconds == pytest.approx(shortest.value + shortest.expanded)
    assert "pulse-too-short" in {each.code for each in judge_link(one, one.links[0])[0].findings}
    for text, why in (
        ("", "one pulse"), ("5 ms+", "been too short"), ("5 ms", "has fired it"), ("5 ms+ 6 ms", "contradict|longer"),
        ("-1 ms", "above 0"), ("x", "A length"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=why):
            (shortest_taken if text else sent_length)(parse_lengths(text))
    with pytest.raises(InputError, match="no levels of its own"):
        take_sent(bench(with_(GATE_OUT, gate=GateRecord("switch")), GATE_IN), OUT, *[Learned(1.0, 0.1)] * 3)


@pytest.mark.parametrize(
    ("corner", "span", "holds"),
    [(2.0, 0.4, "no"), (0.05, 5.0, "no"), (1e-7, 60.0, "yes"), (1e-7, 0.5, "cannot-tell"), (0.0, 60.0, "yes")],
)
def test_a_step_tells_whether_an_output_holds(corner, span, holds):
    """Through 2 Hz a step is down to 37 % in 80 ms (a fact of the trade, derived from e^(-2πft))."""
    outside = 0
    for seed in range(60):
        chance = np.random.default_rng(seed)
        at = np.linspace(0.01, span, 12)
        volts = -3.0 * np.exp(-2.0 * np.pi * corner * at) + chance.normal(0.0, 2e-5, 12)
        found = learn_coupling([Step(float(t), float(v), 2e-5) for t, v in zip(at, volts, strict=True)])
        outside += abs(found.corner_hertz.value - corner) > found.corner_hertz.expanded
        if seed == 0:
            assert found.holds == holds
    assert outside <= 8  # about one in twenty is, by U = 2u of few readings
    words = " ".join(coupling_sentences(found, STYLE)).replace("\u00a0", " ")
    assert ("37 %" in words) == (corner > 1e-3)
    if corner == 2.0:
        assert "a corner of 2.000" in words
        assert "79.6 ms" in words
        assert found.seconds_within(1.0, 3.0, 1.0) == pytest.approx(
            1.0 / 1200.0 / 3.0 / (2.0 * math.pi * 2.0), rel=1e-3
        )
    laptop = bench(with_(PITCH_OUT, audio=AudioRecord(full_scale_volts=8.7)), PITCH_IN)
    if holds == "cannot-tell":
        with pytest.raises(InputError, match="cannot be told yet"):
            take_coupling(laptop, OUT, found)
    else:
        audio = take_coupling(laptop, OUT, found).bench.port(OUT).audio
        assert (audio.coupling, audio.corner_hertz is None) == (("dc", True) if holds == "yes" else ("ac", False))


def test_steps_that_tell_nothing_are_refused():
    assert parse_steps("0.1 s 2.95 V\n0.2; 2.90")[1] == (0.2, 2.9, pytest.approx(0.1), pytest.approx(0.01))
    for text, why in (("", "a few times"), ("0.1 3\n0.2 3", "at least 3"), ("0.1 3\n0.2 -3\n0.3 3", "at least 3"),
                      ("1 2 3", "is no pair"), ("a 1", "Line 1"), ("0 0\n1 0\n2 0", "at least 3")):  # fmt: skip
        with pytest.raises(InputError, match=why):
            learn_coupling([Step(at, volts, digit) for at, volts, _, digit in parse_steps(text)])


def test_each_port_has_its_lessons_and_small_resistances_are_not_boasted_of():
    assert [one.what for one in lessons_for(PITCH_IN)] == ["law", "input", "rest"]
    assert [one.what for one in lessons_for(GATE_IN)] == ["input", "rest", "thresholds", "taken"]
    assert [one.what for one in lessons_for(GATE_OUT)] == ["output", "sent"]
    assert [one.what for one in lessons_for(LFO)] == ["output"]
    assert "too small to be told" in ohms_words(Learned(3.0, 20.0), STYLE)
    assert ohms_words(Learned(4700.0, 150.0), STYLE).replace("\u00a0", " ") == "4.70 ± 0.15 kΩ"
    assert parse_pairs("0,5 V; 130,81\n1.500\t261.6", decimal_comma=True)[0].volts_step == pytest.approx(0.1)
