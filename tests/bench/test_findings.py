"""Findings beyond pitch and levels: each on a bench that has the fault, and not on the mended one.

Numbers are derived beside them (Kirchhoff's law, exp(-t/RC), the definition of dBu).  That half-way along plugs,
returns, settings and missing gates these are the things that go wrong is common practice, no source.
"""

from __future__ import annotations

import math
from fractions import Fraction
from pathlib import Path

import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import (
    AUDIO,
    CLOCK_IN,
    CLOCK_OUT,
    DC,
    DEPTH,
    GATE_IN,
    GATE_OUT,
    IN,
    LFO,
    LINE_IN,
    OUT,
    PITCH_IN,
    PITCH_OUT,
    PULSE,
    SPLIT,
    SUPPLIED,
    SWITCH,
    TRIGGER_IN,
    VOCT,
    audio,
    bench,
    swing,
)

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.document.bench import Bench, Gear, Link, Power
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.ports import (
    AudioRecord,
    ClockRecord,
    EnvelopeRecord,
    GateRecord,
    Knob,
    MidiRecord,
    Need,
    Normal,
    Pole,
    Port,
    PortRef,
    PotRecord,
    SwingRecord,
    Through,
    VoltSpan,
    Way,
)
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_link, judge_pair
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.demo import lantern
from dynamis.electrics.finding import CODES
from dynamis.electrics.memory.kinds import KINDS
from dynamis.electrics.memory.remembering import remembering
from dynamis.electrics.stage import Stage

# 1 V/oct from 1 V at note 36, by a gain of 0.4 and 1.7 V to 0.4 V/oct from 2.1 V.
KEYS = with_(PITCH_OUT, law="voct:scale=1,note=36,volts=1")
FOURTH = with_(PITCH_IN, law="voct:scale=0.4,note=36,volts=2.1")
MOVED = {"between": (Stage("moves", 0.4, 1.7).stored(),)}
SPARE = Link("s", PortRef("desk", "spare"), (IN,))
OPENED = Link("o", PortRef("desk", "spare"), (PortRef("voice", "t"),))
OWN_POWER = {"power": Power("adapter")}
NO_RETURN = with_(GATE_IN, poles=(Pole("tip", "signal"),))

SUM = Port("sum", "sum", "output", ohms=100.0, through=Through(ways=(Way("in"),)))


def turned(swing=SwingRecord(-5.0, 5.0), **more):
    return with_(DEPTH, swing=swing, knobs=(Knob("Depth", does="depth", low=0.0, high=1.0, **more),))


def clocked(signal: str, **how) -> Port:
    return with_(CLOCK_IN, clock=ClockRecord(signal, **how))


def beside_a_clock(**how) -> Bench:
    """A reset, judged, of a voice that has a clock input too."""
    reset = with_(GATE_IN, role="clock", clock=ClockRecord("reset", **how))
    return bench(
        with_(PULSE, role="trigger"), reset, with_(TRIGGER_IN, role="clock", clock=ClockRecord()), links=(OPENED,)
    )


CUT = with_(PITCH_IN, silent_below_volts=0.5)


def between(kind: str, spare: Port = PULSE, taker: Port = PITCH_IN, *, by: str = "desk/spare", **values) -> Bench:
    """A pitch through a circuit that remembers; the desk has one more output, which drives it."""
    made = remembering("m", kind, op_amp="ideal", by=by if KINDS[kind].driven_by else "", **values)
    joined = bench(PITCH_OUT, taker, link={"between": (made.stored(),), "tolerance": "5"})
    desk, voice = joined.gear
    more = with_(spare, id="spare", name="spare", direction="output")
    return with_(joined, gear=(with_(desk, ports=(desk.ports[0], more)), voice))


def remembered(sends: Port, taker: Port, kind: str = "") -> Bench:
    """A desk into a voice, with a circuit that remembers between where a kind is named."""
    made = (
        [remembering("m", kind, op_amp="ideal", by="desk/spare" if KINDS[kind].driven_by else "").stored()]
        if kind
        else []
    )
    return bench(sends, taker, link={"between": tuple(made)})


def curved(port: Port, curve: str) -> Port:
    return with_(port, swing=with_(port.swing, curve=curve))


RUN_OUT = with_(GATE_OUT, role="clock", clock=ClockRecord("run"))

ROWS = (
    # 5 V and 0 V through 1 kohm each: 2.5 V, less 100 kohm to ground; 2.5 mA flow across.
    (
        "outputs-contending",
        "fault",
        5.0 / (2.0 + 0.01),
        bench(GATE_OUT, GATE_IN, links=(SPARE,)),
        bench(GATE_OUT, GATE_IN),
    ),
    # A 2 Hz corner leaves exp(-2 pi 2 t): 5/1.01 V come down to 0.8 V after ln(6.19)/(2 pi 2) seconds.
    (
        "signal-differs",
        "fault",
        None,
        bench(CLOCK_OUT, with_(CLOCK_IN, clock=ClockRecord("reset"))),
        bench(with_(CLOCK_OUT, clock=ClockRecord("reset")), with_(CLOCK_IN, clock=ClockRecord("reset"))),
    ),
    # 12 V behind 1 kohm into 100 kohm, and nobody said what the input bears.
    (
        "unknown-limit",
        "note",
        12.0 / 1.01,
        bench(with_(GATE_OUT, gate=GateRecord("driven", 0.0, 12.0)), GATE_IN),
        bench(with_(GATE_OUT, gate=GateRecord("driven", 0.0, 12.0)), with_(GATE_IN, bears=VoltSpan(-1.0, 15.0))),
    ),
    (
        "ac-droop",
        "fault",
        math.log(10.0 / 1.001 / 0.8) / (4.0 * math.pi),
        bench(audio(coupling="ac", corner_hertz=2.0), GATE_IN),
        bench(AUDIO, GATE_IN),
    ),
    # 5 V at 84; 5 ct of 1 V an octave are 4.17 mV.
    (
        "ac-droop",
        "fault",
        math.log(5.0 / (5.0 - 5.0 / 1200.0)) / (2 * math.pi * 0.01),
        bench(audio(coupling="ac", corner_hertz=0.01), PITCH_IN),
        bench(with_(AUDIO, ohms=0.0), PITCH_IN),
    ),
    ("unknown-value", "note", None, bench(audio(coupling="unknown"), GATE_IN), bench(AUDIO, GATE_IN)),
    (
        "range-not-covered",
        "fault",
        12.0,
        bench(with_(AUDIO, ohms=0.0, audio=with_(DC, full_scale_volts=4.0)), PITCH_IN),
        bench(with_(AUDIO, ohms=0.0), PITCH_IN),
    ),
    (
        "channel-map",
        "note",
        9.0,
        bench(audio(channel=9, panel="1"), GATE_IN),
        bench(audio(channel=9, panel="1"), GATE_IN, link={"program_channel": 9}),
    ),
    (
        "channel-map",
        "fault",
        3.0,
        bench(
            Port("out", "MIDI", "output", "midi", midi=MidiRecord(1)),
            Port("in", "MIDI", "input", "midi", midi=MidiRecord(3)),
        ),
        bench(
            Port("out", "MIDI", "output", "midi", midi=MidiRecord(3)),
            Port("in", "MIDI", "input", "midi", midi=MidiRecord(3)),
        ),
    ),
    # 0.1 V too many at 0 Hz: 1200 log2(0.6/0.5) at the bottom, 1200 log2(8.1/8) at the top, four octaves up.
    (
        "zero-hertz",
        "fault",
        1200 * math.log2(0.6 / 0.5) - 1200 * math.log2(8.1 / 8.0),
        bench(with_(PITCH_OUT, law="hzv:note=36,volts=0.5,offset=0.1"), with_(PITCH_IN, law="hzv:note=36,volts=0.5")),
        bench(
            with_(PITCH_OUT, law="hzv:note=36,volts=0.5,offset=0.1"),
            with_(PITCH_IN, law="hzv:note=36,volts=0.5,offset=0.1"),
        ),
    ),
    # +24 dBu into +18 dBu: 6 dB too much (SMPTE RP 155 and EBU R68 levels).
    (
        "full-scale-level",
        "fault",
        -6.0,
        bench(
            with_(AUDIO, audio=AudioRecord("dc", full_scale_dbu=24.0)),
            with_(LINE_IN, audio=AudioRecord(full_scale_dbu=18.0)),
        ),
        bench(AUDIO, LINE_IN),
    ),
    ("balanced-leg", "note", 0.5, bench(audio(balanced="both-legs"), GATE_IN), bench(AUDIO, GATE_IN)),
    (
        "bipolar-into-unipolar",
        "fault",
        50.0,
        bench(LFO, swing(0.0, 10.0)),
        bench(with_(LFO, swing=SwingRecord(0.0, 10.0)), swing(0.0, 10.0)),
    ),
    (
        "unipolar-into-bipolar",
        "marginal",
        50.0,
        bench(with_(LFO, swing=SwingRecord(0.0, 5.0)), DEPTH),
        bench(LFO, DEPTH),
    ),
    # -5 to 5 V into 0.02 to 3.22 V round 1.62 V: 3.2 of 10 V act.
    (
        "bias-missing",
        "fault",
        32.0,
        bench(LFO, swing(0.02, 3.22, 1.62)),
        bench(with_(LFO, swing=SwingRecord(0.02, 3.22)), swing(0.02, 3.22, 1.62)),
    ),
    (
        "swing-cut",
        "marginal",
        80.0,
        bench(with_(LFO, swing=SwingRecord(-5.0, 5.0)), swing(-4.0, 4.0)),
        bench(LFO, DEPTH),
    ),
    ("swing-short", "note", 20.0, bench(with_(LFO, swing=SwingRecord(-1.0, 1.0)), DEPTH), bench(LFO, DEPTH)),
    # FACTS of the trade: 12 V through 10 kohm onto 100 kohm into 12 kohm gives 1.7 of 6.2 V half-way.
    (
        "pot-loaded",
        "fault",
        None,
        bench(with_(LFO, ohms=None, pot=PotRecord(100e3, 12.0, 10e3)), swing(0.0, 12.0, ohms=12e3)),
        bench(with_(LFO, ohms=None, pot=PotRecord(10e3, 12.0, 0.0)), swing(0.0, 12.0, ohms=1e6)),
    ),
    (
        "pot-loaded",
        "fault",
        None,
        bench(with_(LFO, ohms=10e3), with_(DEPTH, ohms=100e3, pot=PotRecord(100e3, load_ohms=12e3))),
        bench(LFO, with_(DEPTH, pot=PotRecord(100e3, load_ohms=1e6))),
    ),
    (
        "pulse-too-long",
        "marginal",
        0.003,
        bench(PULSE, with_(GATE_IN, gate=with_(GATE_IN.gate, max_seconds=0.002))),
        bench(PULSE, GATE_IN),
    ),
    (
        "pulse-too-long",
        "marginal",
        None,
        bench(GATE_OUT, with_(GATE_IN, gate=with_(GATE_IN.gate, max_seconds=0.02))),
        bench(PULSE, with_(GATE_IN, gate=with_(GATE_IN.gate, max_seconds=0.02))),
    ),
    (
        "short-of-peak",
        "note",
        25.0,
        bench(PULSE, with_(GATE_IN, envelope=EnvelopeRecord(0.02))),
        bench(PULSE, with_(GATE_IN, envelope=EnvelopeRecord(0.002))),
    ),
    (
        "edge-wanted",
        "marginal",
        None,
        bench(GATE_OUT, with_(GATE_IN, gate=with_(GATE_IN.gate, edge=True))),
        bench(PULSE, with_(GATE_IN, gate=with_(GATE_IN.gate, edge=True))),
    ),
    (
        "level-wanted",
        "fault",
        0.005,
        bench(CLOCK_OUT, with_(CLOCK_IN, clock=ClockRecord("run"))),
        bench(with_(GATE_OUT, role="clock", clock=ClockRecord("run")), with_(CLOCK_IN, clock=ClockRecord("run"))),
    ),
    *(
        (
            "curve-differs",
            "note",
            None,
            bench(curved(LFO, one), curved(DEPTH, other)),
            bench(curved(LFO, one), curved(DEPTH, one)),
        )
        for one, other in (("linear", "exponential"), ("exponential", "logarithmic"))
    ),
    ("slides", "note", None, remembered(LFO, PITCH_IN), remembered(LFO, PITCH_IN, "sample-and-hold")),
    ("jumps", "note", None, remembered(GATE_OUT, swing(0.0, 5.0)), remembered(GATE_OUT, swing(0.0, 5.0), "glide")),
    # i = C dV/dt, at 1 V an octave: 10 nA of 100 nF are 0.1 V, 120 cents, a second.
    ("held-droops", "note", 120.0, between("sample-and-hold", farads=100e-9, leak_amperes=10e-9), between("glide")),
    # 0.1 s of time constant to 5 of 1200 cents.
    ("glide-settles", "note", 0.1 * math.log(240.0), between("glide"), between("gated-pitch")),
    (
        "sampled-short",
        "fault",
        0.005 - 0.001 * math.log(240.0),
        between("sample-and-hold", ohms=1e3, farads=1e-6),
        between("sample-and-hold", ohms=100.0, farads=1e-6),
    ),
    (
        "gives-way",
        "note",
        5.0,
        between("maximum", LFO, PITCH_IN, by="desk/spare"),
        between("glide", LFO, PITCH_IN),
    ),
    ("never-silent", "note", None, between("glide", taker=CUT), between("gated-pitch", taker=CUT)),
    ("unknown-value", "note", None, between("gated-pitch", by="desk/gone"), between("gated-pitch")),
    # Which of two edges acts, and whether a level holds: by the words of the input; common practice, no source.
    ("level-wanted", "fault", None, bench(RUN_OUT, clocked("run", acts="rise")), bench(RUN_OUT, clocked("run"))),
    *(
        (
            code,
            severity,
            None,
            bench(output, clocked(signal, acts=acts)),
            bench(output, clocked(signal, acts="while-high")),
        )
        for code, severity, output, signal, acts in (
            ("turned-over", "fault", RUN_OUT, "run", "while-low"),
            ("turned-over", "fault", PULSE, "reset", "while-low"),
        )
    ),
    (
        "held-while-up",
        "marginal",
        None,
        bench(GATE_OUT, clocked("reset", acts="while-high")),
        bench(PULSE, clocked("reset", acts="while-high")),
    ),
    ("acts-late", "note", 0.005, bench(CLOCK_OUT, clocked("clock", acts="fall")), bench(CLOCK_OUT, CLOCK_IN)),
    (
        "first-step",
        "note",
        2.0,
        beside_a_clock(together="reset"),
        beside_a_clock(together="reset-alone"),
    ),
    # Held while it is up, it takes no clock that comes with it.
    (
        "first-step",
        "note",
        2.0,
        beside_a_clock(together="reset", acts="rise"),
        beside_a_clock(together="reset", acts="while-high"),
    ),
    (
        "first-step",
        "note",
        4.0,
        beside_a_clock(together="clock", waits=True),
        beside_a_clock(together="clock"),
    ),
    (
        "gate-with-trigger",
        "fault",
        None,
        bench(GATE_OUT, with_(GATE_IN, gate=with_(GATE_IN.gate, needs_trigger=True)), TRIGGER_IN),
        bench(GATE_OUT, with_(GATE_IN, gate=with_(GATE_IN.gate, needs_trigger=True)), TRIGGER_IN, links=(OPENED,)),
    ),
    # MIDI 1.0: 24 clocks a quarter note.
    (
        "clock-rate",
        "fault",
        6.0,
        bench(with_(CLOCK_OUT, clock=ClockRecord(per_quarter=24)), CLOCK_IN),
        bench(CLOCK_OUT, CLOCK_IN),
    ),
    (
        "clock-rate",
        "marginal",
        60.0,
        bench(CLOCK_OUT, with_(CLOCK_IN, clock=ClockRecord(most_hertz=4.0))),
        bench(CLOCK_OUT, with_(CLOCK_IN, clock=ClockRecord(most_hertz=40.0))),
    ),
    (
        "reset-missing",
        "note",
        None,
        bench(CLOCK_OUT, CLOCK_IN, with_(TRIGGER_IN, role="clock", clock=ClockRecord("reset"))),
        bench(CLOCK_OUT, CLOCK_IN, with_(TRIGGER_IN, role="clock", clock=ClockRecord("reset")), links=(OPENED,)),
    ),
    (
        "settings-void",
        "note",
        None,
        bench(CLOCK_OUT, with_(CLOCK_IN, clock=ClockRecord(voids=("mode",))), voice={"settings": SWITCH}),
        bench(CLOCK_OUT, CLOCK_IN),
    ),
    (
        "supply-pole",
        "danger",
        5.0,
        bench(GATE_OUT, with_(GATE_IN, poles=SUPPLIED)),
        bench(GATE_OUT, with_(GATE_IN, poles=SUPPLIED), link={"lead": "ring-open"}),
    ),
    (
        "supply-pole",
        "danger",
        5.0,
        bench(with_(GATE_OUT, poles=SPLIT), with_(GATE_IN, poles=SUPPLIED)),
        bench(with_(GATE_OUT, poles=SUPPLIED), with_(GATE_IN, poles=SUPPLIED)),
    ),
    (
        "second-signal-lost",
        "note",
        None,
        bench(with_(GATE_OUT, poles=SPLIT), GATE_IN),
        bench(with_(GATE_OUT, poles=SPLIT), with_(GATE_IN, poles=SPLIT)),
    ),
    (
        "no-common-return",
        "fault",
        None,
        bench(GATE_OUT, NO_RETURN, desk=OWN_POWER, voice=OWN_POWER),
        bench(GATE_OUT, NO_RETURN, TRIGGER_IN, desk=OWN_POWER, voice=OWN_POWER, links=(OPENED,)),
    ),
    (
        "nothing-opens",
        "note",
        None,
        bench(PITCH_OUT, PITCH_IN, TRIGGER_IN),
        bench(PITCH_OUT, PITCH_IN, TRIGGER_IN, links=(OPENED,)),
    ),
    (
        "setting-otherwise",
        "fault",
        None,
        bench(GATE_OUT, with_(GATE_IN, needs=(Need("mode", "V/oct"),)), voice={"settings": SWITCH}),
        bench(GATE_OUT, with_(GATE_IN, needs=(Need("mode", "Hz/V"),)), voice={"settings": SWITCH}),
    ),
    (
        "unknown-value",
        "note",
        None,
        bench(GATE_OUT, with_(GATE_IN, needs=(Need("mode", "V/oct"),))),
        bench(GATE_OUT, GATE_IN),
    ),
    (
        "source-used",
        "note",
        None,
        bench(GATE_OUT, with_(GATE_IN, normal=Normal("the inner clock"))),
        bench(GATE_OUT, GATE_IN),
    ),
    ("knob-to-set", "note", 100.0, bench(LFO, turned()), bench(LFO, turned(at=1.0))),
    (
        "knob-to-set",
        "note",
        40.0,
        bench(LFO, turned(SwingRecord(-2.0, 2.0))),
        bench(LFO, turned(SwingRecord(-2.0, 2.0), at=0.4)),
    ),
    ("knob-closed", "fault", None, bench(LFO, turned(at=0.0)), bench(LFO, turned(at=1.0))),
    (
        "passes-on",
        "note",
        None,
        bench(PITCH_OUT, with_(PITCH_IN, law=None), SUM),
        bench(PITCH_OUT, PITCH_IN),
    ),
    # A 15 V pull-up of 1 kohm into a sender of 1 kohm that bears 5.5 V: half of 5 and 15 V.
    (
        "output-over-limit",
        "danger",
        10.0 - 5.5,
        bench(
            with_(PITCH_OUT, ohms=1000.0, bears=VoltSpan(-0.5, 5.5)), with_(PITCH_IN, ohms=1000.0, rests_at_volts=15.0)
        ),
        bench(with_(PITCH_OUT, bears=VoltSpan(-0.5, 5.5)), PITCH_IN),
    ),
    (
        "output-under-limit",
        "danger",
        -4.5,
        bench(with_(LFO, bears=VoltSpan(-0.5, 6.0)), DEPTH),
        bench(with_(LFO, bears=VoltSpan(-6.0, 6.0)), DEPTH),
    ),
    (
        "never-silent",
        "note",
        None,
        bench(PITCH_OUT, with_(PITCH_IN, silent_below_volts=0.9)),
        bench(with_(PITCH_OUT, release="grounded"), with_(PITCH_IN, silent_below_volts=0.9)),
    ),
    # Grounded ahead of a gain of 0.4 and 1.7 V, 1.7 V arrive and keep it sounding; behind it, or with a cut-off above, not.
    (
        "never-silent",
        "note",
        1.7,
        bench(with_(KEYS, release="grounded"), with_(FOURTH, silent_below_volts=0.9), link=MOVED),
        bench(with_(KEYS, release="grounded"), with_(FOURTH, silent_below_volts=1.75), link=MOVED),
    ),
    # Let go open, an input of 100 kohm that rests at 2 V stands at 2 V.
    (
        "never-silent",
        "note",
        2.0,
        bench(with_(PITCH_OUT, release="open"), with_(PITCH_IN, silent_below_volts=0.9, rests_at_volts=2.0)),
        bench(with_(PITCH_OUT, release="open"), with_(PITCH_IN, silent_below_volts=0.9)),
    ),
    ("input-over-limit", "danger", 1.7, bench(LFO, with_(DEPTH, bears=VoltSpan(-6.0, 3.3))), bench(LFO, DEPTH)),
)


@pytest.mark.parametrize(("code", "severity", "value", "faulty", "mended"), ROWS)
def test_each_fault_is_found_and_the_mended_bench_has_none(code, severity, value, faulty, mended):
    fit = judge_link(faulty, faulty.links[0])[0]
    found = next(one for one in fit.findings if one.code == code)
    assert found.severity == severity
    assert value is None or found.value == pytest.approx(value, rel=1e-3)
    assert found.text[0].isupper()
    assert found.text.endswith(".")
    assert fit.verdict == {"danger": "unsafe", "fault": "needs-circuit", "marginal": "marginal"}.get(
        severity, "cannot-tell" if code == "unknown-value" else "fits"
    )
    after = judge_link(mended, mended.links[0])[0]
    assert code not in {one.code for one in after.findings}
    assert after.verdict == "fits"


@pytest.mark.parametrize(
    ("gain", "limit", "severity", "law"),
    [
        (0.994, 0.0, "fault", VOCT),
        (1.0, 0.02, "marginal", VOCT),
        (0.9995, 0.0, "note", VOCT),
        (1.0, 0.0, "fault", "hzv:note=36,volts=0.5"),
        (1.0, 0.0, None, VOCT),
    ],
)
def test_what_is_added_to_a_pitch_is_judged_by_its_octave(gain, limit, severity, law):
    """1200 · (gain - 1) cents an octave, over the two octaves that its keys are used for: exact fractions."""
    sends = Through(ways=(Way("row"), Way("keys", gain, limit)))
    desk = Gear(
        "desk",
        "Adder",
        (with_(PITCH_OUT, law=None, through=sends), *(with_(PITCH_IN, id=one, law=None) for one in ("row", "keys"))),
    )
    voice = Gear("voice", "Voice", (with_(PITCH_IN, law=law),))
    keys = Gear("k", "Keys", (with_(PITCH_OUT, law=law), with_(PITCH_OUT, id="row", law=law)))
    links = (
        Link("l", OUT, (IN,)),
        Link("r", PortRef("k", "row"), (PortRef("desk", "row"),)),
        Link("o", PortRef("k", "out"), (PortRef("desk", "keys"),), low_note=36.0, high_note=60.0),
    )
    told = judge_link(Bench("B", (desk, voice, keys), links), links[0])[0].findings
    found = [one for one in told if one.code == "way-gain"]
    assert [one.severity for one in found] == ([] if severity is None else [severity])
    if found and law == VOCT:
        assert found[0].value == pytest.approx(float(1200 * (Fraction(gain) - 1)), abs=1e-6)


def test_every_code_has_its_fault_in_a_table():
    tables = " ".join(Path(__file__).with_name(f"test_{name}.py").read_text() for name in ("findings", "judging"))
    assert {code for code in CODES if f'"{code}"' not in tables} == set()
    assert {row[0] for row in ROWS} <= set(CODES)


def test_the_demo_bench_has_every_finding_and_a_link_of_each_role_that_fits():
    demo = lantern.bench()
    check_bench(demo)
    matrix = Matrix()
    fits = [fit for row in matrix.judge(demo).values() for fit in row.values()]
    fits += [matrix.fit(*pair) for pair in matrix.open_pairs(everything=True)]
    assert {finding.code for fit in fits for finding in fit.findings} == set(CODES) - {"no-fix"}
    joined = [matrix.known(*pair) for pair in matrix.joined_pairs()]
    assert {fit.role for fit in joined if fit.verdict == "fits"} == {
        "pitch",
        "gate",
        "clock",
        "modulation",
        "audio",
        "midi",
    }


def test_a_bench_of_unknowns_tells_what_to_measure():
    for sends, takes in (
        (with_(LFO, swing=None), DEPTH),
        (LFO, with_(DEPTH, swing=None)),
        (LFO, with_(DEPTH, ohms=None)),
        (with_(AUDIO, audio=None), LINE_IN),
        (with_(AUDIO, audio=AudioRecord("ac", full_scale_volts=9.0)), GATE_IN),
    ):
        fit = judge_pair(bench(sends, takes), bench(sends, takes).links[0], IN)
        assert fit.verdict == "cannot-tell"
        assert "measure" in " ".join(one.text for one in fit.findings)


def test_two_pull_ups_on_one_contact_tell_what_each_side_gets():
    """5 V behind 10 kohm and 12 V behind 22 kohm: open (5/10 + 12/22) / (1/10 + 1/22) V, the rest by Ohm's law."""
    five = with_(GATE_IN, ohms=10e3, gate=GateRecord("shorting", None, None, 0.8, 2.0, 5.0))
    twelve = with_(five, id="in2", ohms=22e3, gate=with_(five.gate, pullup_volts=12.0))
    one = bench(CONTACT, five, twelve, link={"inputs": (IN, PortRef("voice", "in2"))})
    open_volts = (5 / 10 + 12 / 22) / (1 / 10 + 1 / 22)
    for fit, pulled, ohms in zip(judge_link(one, one.links[0]), (5.0, 12.0), (10e3, 22e3), strict=True):
        found = next(one for one in fit.findings if one.code == "outputs-contending")
        assert (found.severity, found.value) == ("note", pytest.approx(open_volts))
        assert f"{abs(open_volts - pulled):.2f} V" in found.text.replace("\u00a0", " ")
        assert f"{1e6 * abs(open_volts - pulled) / ohms:.2g}"[:2] in found.text


@pytest.mark.parametrize(
    ("corner", "takes", "verdict"),
    [
        # Headphones that hold a tone down to 20 Hz: a pulse of 5 ms sinks to exp(-2π·20·0.005) = 53 %, a note of 4 s to nothing.
        (20.0, TRIGGER_IN, "fits"),
        (20.0, GATE_IN, "needs-circuit"),
        (150.0, TRIGGER_IN, "needs-circuit"),
    ],
)
def test_a_trigger_from_headphones_is_judged_by_its_pulse(corner, takes, verdict):
    one = bench(audio(coupling="ac", corner_hertz=corner, full_scale_volts=5.0), with_(takes, id="in"))
    fit = judge_link(one, one.links[0])[0]
    assert fit.verdict == verdict, fit.findings
    assert any(found.code == "ac-droop" for found in fit.findings) == (verdict != "fits")


def test_a_converter_on_its_supply_is_told_with_its_limit_and_without_a_buffer():
    """±5 % of a supply are 0.05 V at 1 V over the octave from 0 V: 1200·log2 has nothing to do with it, 60 ct."""
    dac = DacTransfer("d", Dac(12, 0.0, 5.0), reference_limit=0.05, reference_is_supply=True).stored()
    one = bench(
        with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0", ohms=1000.0, transfers=(dac,)),
        with_(PITCH_IN, law="voct:scale=1,note=36,volts=0"),
    )
    fit = judge_link(one, one.links[0])[0]
    text = next(found.text for found in fit.findings if found.code in ("error", "error-at-limits"))
    assert "more with parts at their limits" in text
    assert "237" in text  # 5 % of 4 octaves, less what loading leaves: 240 ct · 100/101


def test_a_normalled_jack_tells_where_it_stood():
    # 8 V behind 4.7 kohm into 100 kohm.
    one = bench(GATE_OUT, with_(GATE_IN, normal=Normal("the inner clock", volts=8.0, ohms=4700.0)))
    text = next(found.text for found in judge_link(one, one.links[0])[0].findings if found.code == "source-used")
    assert f"it stood at {8.0 / 1.047:.2f} V" in text


def test_the_half_way_volts_of_a_loaded_pedal_are_told():
    faulty = next(row for row in ROWS if row[0] == "pot-loaded")[3]
    text = next(one.text for one in judge_link(faulty, faulty.links[0])[0].findings if one.code == "pot-loaded")
    assert "half-way gives 1.67 V of 6.21 V" in text


@pytest.mark.parametrize(
    ("one", "value", "unit"),
    [
        # 9.99 V at an input that works to 8 V: what decides is 1.99 V too many, not the margin of its threshold.
        (
            bench(
                with_(GATE_OUT, ohms=0.0, gate=GateRecord("driven", 0.0, 9.99)),
                with_(GATE_IN, works=VoltSpan(0.0, 8.0)),
            ),
            -1.99,
            "V",
        ),
        (bench(with_(GATE_OUT, ohms=0.0), with_(GATE_IN, bears=VoltSpan(-0.3, 3.6))), -1.4, "V"),
        (bench(PULSE, with_(GATE_IN, gate=with_(GATE_IN.gate, min_seconds=0.02))), 0.005 - 0.02, "s"),
        (bench(GATE_OUT, GATE_IN, links=(SPARE,)), 5.0 / (2.0 + 0.01), "V"),
        # A computer's output may be at −10 V as well: 9.2 V under what an input bears that stands −0.8 V.
        (bench(with_(AUDIO, ohms=0.0), with_(GATE_IN, bears=VoltSpan(-0.8, 12.0))), -9.2, "V"),
        (bench(GATE_OUT, GATE_IN), 0.8, "V"),
    ],
)
def test_the_number_that_decides_is_the_number_shown(one, value, unit):
    fit = judge_link(one, one.links[0])[0]
    assert (fit.value, fit.unit) == (pytest.approx(value, abs=1e-9), unit)


CONTACT = with_(GATE_OUT, gate=GateRecord("switch"))
RESET_IN = with_(CLOCK_IN, clock=ClockRecord("reset"))
SAW = with_(LFO, ohms=1000.0, swing=SwingRecord(0.0, 5.0))


@pytest.mark.parametrize(
    ("sends", "takes", "more", "verdict", "value", "words"),
    [
        # A slow wave of ±5 V: 3 V over 2 V, 5.8 V under 0.8 V.
        (
            LFO,
            CLOCK_IN,
            0,
            "fits",
            3.0,
            "meant for modulation, which goes from −5.00 V to 5.00 V; as clock +3.00 V decides",
        ),
        # Its notes 36 to 84 are 1 to 5 V: low is 0.2 V over where the input goes off.
        (PITCH_OUT, RESET_IN, 0, "needs-circuit", -0.2, "meant for pitch, which goes from 1.00 V to 5.00 V; as clock"),
        (
            PITCH_OUT,
            swing(0.0, 5.0),
            0,
            "fits",
            100.0,
            "meant for pitch, which goes from 1.00 V to 5.00 V; as modulation 100 % of it acts",
        ),
        (GATE_OUT, swing(0.0, 5.0), 0, "fits", 100.0, "meant for gate"),
        (with_(SAW, ohms=0.0), PITCH_IN, 0, "fits", 0.0, "as pitch the note that decides is 0.0 ct off"),
        (CONTACT, DEPTH, 0, "needs-circuit", None, "a contact to ground sends no volts of its own"),
        (PITCH_OUT, LINE_IN, 0, "needs-circuit", None, "join what belongs together"),
        # Nine inputs of 10 kohm on 1 kohm: 5 V / (1 + 9 / 10).
        (SAW, swing(0.0, 5.0, ohms=10e3), 8, "marginal", 100.0, "arrive as 0.00 V to 2.63 V"),
        (SAW, swing(0.0, 5.0, ohms=10e3), 0, "fits", 100.0, "arrive as 0.00 V to 4.55 V"),
        # A balanced output, both legs driven, keeps half on a plug of two poles: ±5 of ±10 V, 4 octaves from 1 V.
        (audio(balanced="both-legs"), swing(-5.0, 5.0), 0, "fits", 100.0, "half of its level"),
        (
            audio(balanced="both-legs"),
            with_(PITCH_IN, law="voct:scale=1,note=36,volts=2"),
            0,
            "needs-circuit",
            None,
            "5",
        ),
        (
            with_(audio(balanced="both-legs", full_scale_volts=3.8), ohms=0.0),
            GATE_IN,
            0,
            "needs-circuit",
            -0.1,
            "half of its level",
        ),
        # One half makes up for the other, shorted, and cannot where the lead leaves the ring open (common practice).
        (audio(balanced="cross-coupled"), swing(-10.0, 10.0), 0, "fits", 100.0, "the one makes up for the other"),
        (audio(balanced="unknown"), GATE_IN, 0, "cannot-tell", None, "half of its level or all of it"),
    ],
)
def test_any_voltage_into_any_input_is_judged_by_what_the_input_does_with_it(sends, takes, more, verdict, value, words):
    others = tuple(with_(takes, id=f"in{k}") for k in range(more))
    one = bench(sends, takes, *others, link={"inputs": (IN, *(PortRef("voice", port.id) for port in others))})
    fit = judge_link(one, one.links[0])[0]
    assert (fit.role, fit.verdict) == (takes.role, verdict), fit.findings
    assert value is None or fit.value == pytest.approx(value, abs=1e-9)
    assert any(words in found.text.replace("\u00a0", " ") for found in fit.findings), fit.findings


def test_pairs_that_no_form_forbids_are_judged_and_not_raised():
    """Two outputs without resistance, one of unknown resistance beside another, an input that acts from 2 V to 2 V."""
    for spare in (0.0, None):
        one = bench(with_(PITCH_OUT, ohms=0.0), PITCH_IN, links=(SPARE,))
        desk = with_(one.gear[0], ports=(one.gear[0].ports[0], with_(one.gear[0].ports[1], ohms=spare)))
        one = with_(one, gear=(desk, one.gear[1]))
        assert any(found.code == "outputs-contending" for found in judge_link(one, one.links[0])[0].findings)
        assert link_chain(one, one.links[0]).sentence
    fit = judge_link(flat := bench(LFO, swing(2.0, 2.0)), flat.links[0])[0]
    assert (fit.verdict, "act from 2.00 V to 2.00 V" in fit.findings[0].text.replace("\u00a0", " ")) == (
        "cannot-tell",
        True,
    )


def test_a_pair_that_cannot_be_judged_says_why_and_the_others_are(monkeypatch, caplog):
    from dynamis.bench.judging import pairs

    def gone(*_):
        raise ZeroDivisionError("of a test")

    monkeypatch.setattr(pairs, "judge_switching", gone)
    one = bench(GATE_OUT, GATE_IN)
    fit = judge_link(one, one.links[0])[0]
    assert fit.verdict == "cannot-tell"
    assert "of a test" in fit.findings[0].text
    assert "a pair was not judged" in caplog.text


def test_an_input_that_acts_while_it_is_up_wants_no_edge():
    held = with_(clocked("reset", acts="while-high"), gate=with_(GATE_IN.gate, edge=True))
    (fit,) = judge_link(bench(GATE_OUT, held), bench(GATE_OUT, held).links[0])
    assert [one.code for one in fit.findings if one.severity == "marginal"] == ["held-while-up"]
