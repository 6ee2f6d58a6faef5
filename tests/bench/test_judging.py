"""Links judged: every finding on a bench that has the fault, and not on the mended one.

The numbers are derived from the two laws and Kirchhoff's law, as said beside them; which limits matter is
common practice, no source.
"""

from __future__ import annotations

import json

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.transfer.contract import SPECIMENS

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.document.bench import Bench, Gear, Link, Unit
from dynamis.bench.document.commands import set_link, set_port
from dynamis.bench.document.ports import GateRecord, Port, PortRef, VoltSpan
from dynamis.bench.document.records import AdoptionRecord, HeadRecord, in_force
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_link
from dynamis.bench.judging.pitch_fit import pitch_errors
from dynamis.bench.judging.pitch_sides import receiver_of, sender_of
from dynamis.converter.transfers import DacTransfer
from dynamis.demo.hidden import BOARD_DAC
from dynamis.demo.lantern import CHANNEL_A
from dynamis.electrics.stage import Stage
from dynamis.pitch.laws import ExponentialLaw, parse_law
from dynamis.transfer.law import Oscillator, PitchSource

OUT, IN = PortRef("keys", "out"), PortRef("voice", "in")
VOCT = "voct:scale=1,note=36,volts=1"
SENDS = Port("out", "pitch", "output", law=VOCT, ohms=0)
TAKES = Port("in", "pitch in", "input", law=VOCT, ohms=100e3)
GATE = Port("out", "gate", "output", "gate", ohms=1000.0, gate=GateRecord("driven", 0.0, 5.0))
TRIGGER = Port("in", "gate in", "input", "gate", ohms=100e3, gate=GateRecord("positive", on_volts=2.0, off_volts=0.8))


def bench(sends: Port = SENDS, takes: Port = TAKES, inputs: int = 1, tolerance: str = "5", units=()) -> Bench:
    """A keyboard into one or more like inputs of a voice, notes 36 to 84."""
    ports = tuple(with_(takes, id="in" if k == 0 else f"in{k}", name=f"{takes.name} {k + 1}") for k in range(inputs))
    link = Link(
        "l", OUT, tuple(PortRef("voice", port.id) for port in ports), tolerance=tolerance, low_note=36, high_note=84
    )
    return Bench("B", (Gear("keys", "Foyer keyboard", (sends,), units), Gear("voice", "Gallery voice", ports)), (link,))


def judged(one: Bench, adoptions=()):
    return judge_link(one, one.links[0], adoptions)[0]


def source(**values) -> Port:
    return with_(SENDS, transfers=(PitchSource("k", parse_law(VOCT), **values).stored(),))


def table(fields: str, *rows):
    return pytest.mark.parametrize(fields, rows)


@table(
    ("faulty", "code", "severity", "value", "verdict"),
    (bench(with_(SENDS, law=None)), "unknown-value", "note", None, "cannot-tell"),
    (bench(takes=with_(TAKES, ohms=None)), "unknown-value", "note", None, "cannot-tell"),
    (bench(GATE), "roles-differ", "fault", None, "needs-circuit"),
    # 1200 * 4 octaves * 0.2 / 1: the wider scale sounds 20 % more of every interval.
    (bench(with_(SENDS, law="voct:scale=1.2,note=36,volts=1")), "error", "fault", 960.0, "needs-circuit"),
    (bench(with_(SENDS, law="voct:scale=1.2,note=36,volts=1")), "scale-mismatch", "fault", 240.0, "needs-circuit"),
    # Half a per cent of four octaves is 24 cents.
    (bench(source(scale_limit=0.005)), "error-at-limits", "marginal", 24.0, "marginal"),
    (bench(takes=with_(TAKES, law="hzv:note=36,volts=1")), "law-mismatch", "fault", None, "needs-circuit"),
    (bench(with_(SENDS, law="voct:scale=1,note=36,volts=0")), "transposition", "fault", -12.0, "needs-circuit"),
    (bench(with_(SENDS, law="voct:scale=1,note=36,volts=1.025")), "offset", "fault", 30.0, "needs-circuit"),
    # 1200 * (1/(1 + 1/100 * 2) - 1): two inputs of 100 kohm on 1 kohm (FACTS of the trade: 23.5 cents an octave).
    (bench(with_(SENDS, ohms=1000), inputs=2), "loading", "fault", -23.529411764705884, "needs-circuit"),
    (bench(source(high_volts=4.5)), "range-not-covered", "fault", 6.0, "needs-circuit"),
    (bench(takes=with_(TAKES, silent_below_volts=1.15)), "below-cut-off", "fault", 2.0, "needs-circuit"),
    (bench(takes=with_(TAKES, bears=VoltSpan(-0.3, 3.6))), "input-over-limit", "danger", 1.4, "unsafe"),
    (
        bench(source(low_volts=-5.0), with_(TAKES, bears=VoltSpan(-0.3, 9.0))),
        "input-under-limit",
        "danger",
        -4.7,
        "unsafe",
    ),
    (bench(takes=with_(TAKES, works=VoltSpan(0.0, 4.0))), "outside-working-range", "fault", 1.0, "needs-circuit"),
    (
        bench(with_(GATE, gate=GateRecord("driven", 0.0, 1.8)), TRIGGER),
        "on-level",
        "fault",
        1.8 / 1.01 - 2,
        "needs-circuit",
    ),
    (
        bench(with_(GATE, gate=GateRecord("driven", 0.9, 5.0)), TRIGGER),
        "off-level",
        "fault",
        0.8 - 0.9 / 1.01,
        "needs-circuit",
    ),
    (
        bench(GATE, with_(TRIGGER, gate=GateRecord("shorting", on_volts=0.8, off_volts=2.0, pullup_volts=5.0))),
        "trigger-kind",
        "fault",
        None,
        "needs-circuit",
    ),
    (
        bench(
            with_(GATE, bears=VoltSpan(-0.5, 5.5)),
            with_(TRIGGER, ohms=1000.0, gate=GateRecord("shorting", None, None, 1.0, 4.0, 15.0)),
        ),
        "output-over-limit",
        "danger",
        10.0 - 5.5,
        "unsafe",
    ),
    (
        bench(
            with_(GATE, bears=VoltSpan(-0.5, 5.5)),
            with_(TRIGGER, ohms=1000.0, gate=GateRecord("shorting", None, None, 1.0, 4.0, -9.0)),
        ),
        "output-under-limit",
        "danger",
        -4.5 + 0.5,
        "unsafe",
    ),
    (
        bench(
            with_(GATE, gate=GateRecord("driven", 0.0, 5.0, seconds=0.001)),
            with_(TRIGGER, gate=GateRecord("positive", None, None, 2.0, 0.8, min_seconds=0.005)),
        ),
        "pulse-too-short",
        "fault",
        -0.004,
        "needs-circuit",
    ),
)
def test_each_fault_is_found_with_its_number(faulty, code, severity, value, verdict):
    fit = judged(faulty)
    found = next(one for one in fit.findings if one.code == code)
    assert (found.severity, fit.verdict) == (severity, verdict)
    assert found.value == (None if value is None else pytest.approx(value, abs=1e-9))
    assert found.text.endswith(".")
    mended = judged(bench(GATE, TRIGGER) if faulty.gear[0].ports[0].role == "gate" else bench())
    assert (mended.verdict, mended.findings) == ("fits", ())


def test_the_tune_knob_takes_a_constant_out():
    low = with_(SENDS, law="voct:scale=1,note=36,volts=0.3")
    fit = judged(bench(low, with_(TAKES, tune_semitones=12.0)))
    assert fit.verdict == "fits"
    assert [(one.code, one.severity) for one in fit.findings] == [("transposition", "note"), ("offset", "note")]
    assert "tune knob" in fit.findings[0].text
    # The chain has the knob where the verdict took it to be: 700 + 140 ct flat otherwise.
    tuned = bench(low, with_(TAKES, tune_semitones=12.0))
    chain = link_chain(tuned, tuned.links[0]).chain
    assert chain.error_cents(np.arange(36.0, 85.0)) == pytest.approx(0.0, abs=1e-9)
    assert chain.transfers[-1].label == "sounds, tuned +840.0 ct"
    assert judged(bench(low, with_(TAKES, tune_semitones=7.0))).verdict == "needs-circuit"
    # Half of what loading takes is on either side of the middle once tune is set.
    loaded = bench(with_(SENDS, ohms=1000), with_(TAKES, tune_semitones=2.0), tolerance="24")
    assert judged(loaded).verdict == "fits"
    assert judged(with_(loaded, links=(with_(loaded.links[0], tolerance="23"),))).verdict == "needs-circuit"


@table(
    ("sent", "heard", "words"),
    # FACTS of the trade: from 1 V to 2 V an octave, then 702 cents, then 498; the other way round they widen.
    (VOCT, "hzv:note=36,volts=1", "1200 ct at the bottom and at the top would sound as 1200 ct and 386 ct"),
    ("hzv:note=36,volts=0.25", VOCT, "would sound as 300 ct and 2400 ct"),
)
def test_the_other_law_is_told_by_intervals(sent, heard, words):
    fit = judged(bench(with_(SENDS, law=sent), with_(TAKES, law=heard)))
    assert words in next(one.text for one in fit.findings if one.code == "law-mismatch")


def test_an_adopted_correction_replaces_the_limits_it_took_out():
    board = with_(
        SENDS,
        law="voct:scale=1,note=36,volts=0.2",
        transfers=(
            DacTransfer("d", BOARD_DAC, reference_limit=0.005, offset_limit_volts=0.003, inl_limit_lsb=1.0).stored(),
        ),
    )
    voice = with_(TAKES, law=None, transfers=(Oscillator("o", ExponentialLaw(1, 36, 0.2)).stored(),))
    one = bench(board, voice, units=(Unit("02"), Unit("03")))
    assert judged(one).verdict == "marginal"
    head = HeadRecord("table", offset=0.001, gain=0.9957, first_note=36, sixteenths=(0,) * 49)
    adopted = [AdoptionRecord(0, "keys", serial, "out", "r", "table", head, 1.0, 0.9, "") for serial in ("02", "03")]
    assert judged(one, adopted).verdict == "fits"
    fit = judged(one, adopted[:1])
    assert (fit.verdict, fit.serial) == ("marginal", "03")
    coarse = [with_(kept, expanded_cents=6.0) for kept in adopted]
    assert "better meter" in judged(one, coarse).findings[0].text


def test_two_gates_on_one_output_are_judged_together_and_unknown_levels_are_asked_for():
    one = bench(with_(GATE, gate=GateRecord("driven", 0.0, 2.5)), with_(TRIGGER, ohms=10e3), inputs=3)
    assert [(fit.verdict, fit.findings[0].code) for fit in judge_link(one, one.links[0])] == [
        ("needs-circuit", "on-level")
    ] * 3
    fit = judged(bench(GATE, with_(TRIGGER, gate=None)))
    assert fit.verdict == "cannot-tell"
    assert "turning a known voltage up" in fit.findings[0].text
    assert (
        judged(
            bench(
                with_(GATE, gate=GateRecord("switch")),
                with_(TRIGGER, gate=GateRecord("shorting", None, None, 0.8, 2.0, 5.0)),
            )
        ).verdict
        == "fits"
    )


def test_check_judges_a_bench_and_its_json_alike(dynamis, demo_file, tmp_path):
    asked = dynamis("check", demo_file.path, "--json")
    assert asked.status == 1
    first, second, gates = asked.json["links"][:3]
    assert (gates["output"], gates["role"], gates["verdict"]) == ("Workshop board / gate", "gate", "fits")
    assert (first["output"], first["input"], second["input"]) == (
        "Workshop board / pitch A",
        "Gallery voice / pitch 1",
        "Gallery voice / pitch 2",
    )
    assert (first["role"], first["verdict"]) == ("pitch", "needs-circuit")
    # FACTS of the trade: 122 cents flat at note 96 until buffered.
    assert first["findings"][0]["value"] == pytest.approx(-122, abs=0.5)
    assert set(first["findings"][0]) == {"code", "severity", "value", "unit", "text"}
    dynamis("export", demo_file.path, "--what", "json", "-o", tmp_path / "b.json")
    assert dynamis("check", tmp_path / "b.json", "--json").json == asked.json
    told = dynamis("check", demo_file.path).out
    assert "Workshop board / pitch A (unit 02) > Gallery voice / pitch 1: needs circuit" in told
    (tmp_path / "broken.json").write_text(json.dumps({"no": "bench"}))
    broken = dynamis("check", tmp_path / "broken.json")
    assert (broken.status, broken.err.count("\n")) == (2, 1)


@table(
    ("adopted", "between"),
    (None, ()),
    ("constants", ()),
    (None, (Stage("s", 1.002, 0.004, 0.001, 0.002, 50e3, 220.0).stored(),)),
    (None, (SPECIMENS["trimmed circuit"].transfer.stored(),)),
    (None, (SPECIMENS["resistors"].transfer.stored(),)),
)
def test_the_errors_are_those_of_the_chain_and_its_budget(adopted, between, demo_file):
    """All causes at once give what the chain gives one by one, also with a circuit between."""
    found, kept = demo_file.bench(), in_force(demo_file.adoptions(), CHANNEL_A, "03")
    found = with_(found, links=(with_(found.links[0], between=between), *found.links[1:]))
    kept = kept if adopted else None
    link, head = found.links[0], HeadRecord() if kept is None else kept.head
    notes = np.arange(36.0, 97.0)
    made = link_chain(found, link, head)
    shares = [one for one in made.chain.budget(notes, made.true) if np.any(one.standard_cents > 0)]
    limits = sum(
        np.abs(one.cents) for one in shares if kept is None or not one.source.endswith(("dac.reference", "dac.offset"))
    )
    sides = sender_of(found, link, head, notes), receiver_of(found, link.inputs[0])
    errors = pitch_errors(*sides, [found.port(ref) for ref in link.inputs], link.tolerance, kept)
    assert errors.nominal == pytest.approx(made.chain.error_cents(notes, made.true), abs=1e-9)
    assert errors.limits == pytest.approx(limits + (0.0 if kept is None else kept.expanded_cents), abs=1e-9)


def test_all_pairs_are_judged_once_and_after_a_change_only_what_hangs_on_it():
    pitch, gates = bench(with_(SENDS, ohms=1000.0), inputs=2), bench(GATE, TRIGGER, inputs=2)
    others = tuple(with_(gear, id=f"{gear.id}-g", name=f"{gear.name} of gates") for gear in gates.gear)
    one = with_(pitch, gear=(*pitch.gear, *others))
    matrix = Matrix()
    fits = matrix.judge(one)
    gate_out, gate_in = PortRef("keys-g", "out"), PortRef("voice-g", "in")
    assert (matrix.judged, set(fits[gate_out])) == (4, {gate_in, PortRef("voice-g", "in1")})
    assert fits[OUT][IN] == judged(pitch)
    assert fits[gate_out][gate_in].verdict == "fits"
    assert matrix.judge(one)[OUT] == fits[OUT]
    assert matrix.judged == 0
    for change, count in (
        (set_port(one, IN, ohms=47e3).bench, 2),
        (set_port(one, gate_in, ohms=1e3).bench, 1),
        (set_link(one, "l", tolerance="60").bench, 2),
    ):
        matrix.judge(one)
        changed = matrix.judge(change)
        assert matrix.judged == count
        assert changed == Matrix().judge(change)
    assert [fit.output for fit in matrix.could_drive(gate_in)] == [gate_out]
    assert matrix.could_drive(IN)[0].verdict == "needs-circuit"
