"""Remedies: what they say is what is judged once they were applied; their numbers against the formulas."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import (
    CLOCK_IN,
    CLOCK_OUT,
    GATE_IN,
    GATE_OUT,
    LFO,
    OUT,
    PITCH_IN,
    PITCH_OUT,
    PULSE,
    bench,
    swing,
)

from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.gate_choices import gate_choices, use_stage
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.bench import GateStageRecord, Power
from dynamis.bench.document.commands import join
from dynamis.bench.document.ports import ClockRecord, EnvelopeRecord, GateRecord, PortRef, SwingRecord, VoltSpan
from dynamis.bench.judging.beside import placed
from dynamis.bench.judging.levels import Levels, envelope_of, levels_of, loaded_to_open, pulse_of, with_level
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_link, judge_pair
from dynamis.bench.judging.sides import input_of
from dynamis.bench.judging.switching import signals_differ
from dynamis.bench.judging.wiring import between_words, wiring_card
from dynamis.demo import lantern
from dynamis.electrics.finding import BEST_FIRST
from dynamis.electrics.memory.kinds import KINDS
from dynamis.electrics.memory.remembering import remembering
from dynamis.files.wiring_html import wiring_html
from dynamis.notation.style import Style
from dynamis.transfer.registry import REGISTRY

P = PortRef


def remedies(one, title: str):
    fit = judge_link(one, one.links[0])[0]
    return fit, next(remedy for remedy in remedies_for(one, fit) if remedy.title.startswith(title))


def test_a_circuit_is_chosen_for_levels_at_their_tolerance():
    """5 V ± 5 % into an input that bears 5.1 V: what is proposed fits at 5.25 V and at 4.75 V, as it is judged."""
    sends = with_(GATE_OUT, ohms=100.0, gate=GateRecord("driven", 0.0, 5.0, level_limit=0.05))
    one = bench(sends, with_(GATE_IN, bears=VoltSpan(-0.3, 5.1)))
    fit, remedy = remedies(one, "Divider")
    assert (fit.verdict, remedy.leaves.verdict) == ("unsafe", "fits")
    for volts in (4.75, 5.25):
        changed = remedy.command(
            bench(with_(sends, gate=GateRecord("driven", 0.0, volts)), with_(GATE_IN, bears=VoltSpan(-0.3, 5.1)))
        ).bench
        assert judge_link(changed, changed.links[0])[0].verdict == "fits"


def test_each_remedy_leaves_what_it_says_on_the_demo_bench():
    demo, matrix, tried = lantern.bench(), Matrix(), 0
    for row in matrix.judge(demo).values():
        for fit in row.values():
            for remedy in remedies_for(demo, fit):
                assert remedy.title
                assert remedy.text.endswith(".")
                if remedy.command is None:
                    continue
                after = remedy.command(demo).bench
                link = after.link_from(remedy.by or fit.output)
                joined = link is not None and fit.input in link.inputs
                assert joined or remedy.title.startswith(("Join", "Part", "Set", "Turn"))
                if joined:
                    assert judge_pair(after, link, fit.input).verdict == remedy.leaves.verdict
                worse = BEST_FIRST.index(remedy.leaves.verdict) > BEST_FIRST.index(fit.verdict)
                assert not worse
                tried += 1
    assert tried > 100


@pytest.mark.parametrize(
    ("one", "title", "words", "verdict"),
    [
        # FACTS of the trade: from the Workshop board the Carousel board wants gain 0.37, offset 1.75 - 0.37 * 0.2 V.
        (
            bench(
                with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0.2"),
                with_(PITCH_IN, law="voct:scale=0.37,note=36,volts=1.75"),
            ),
            "Gain 0.370, offset +1.676 V",
            "RV1 for the interval",
            "fits",
        ),
        (bench(with_(PITCH_OUT, ohms=1000.0), PITCH_IN), "A buffer", "75 µV", "fits"),
        # 0.25 V at the lowest note and 1 V an octave below the pair's four octaves: 4 V at the highest.
        (
            bench(
                with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0.2"), with_(PITCH_IN, law="hzv:note=36,volts=0.25")
            ),
            "Exponential converter",
            "with every 1.000 V: R1 100 kΩ",
            "fits",
        ),
        (
            bench(
                with_(PITCH_OUT, law="hzv:note=36,volts=0.25"), with_(PITCH_IN, law="voct:scale=1,note=36,volts=0.2")
            ),
            "Logarithmic converter",
            "gives 1.000 V more with every doubling: R1 100 kΩ",
            "fits",
        ),
        # 1 V at the lowest note would be 16 V at the highest; 10.5 V are 3.39 octaves up: note 76.
        (
            bench(with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0.2"), with_(PITCH_IN, law="hzv:note=36,volts=1")),
            "Exponential converter, 36 C2 to 76 E5",
            "more than the 10.5 V",
            "fits",
        ),
        # ±5 V into 0.02 to 3.22 V: 3.2/10 and 1.62 V.
        (bench(LFO, swing(0.02, 3.22, 1.62)), "Gain 0.320, offset +1.620 V", "adds the bias", "fits"),
        (
            bench(
                with_(GATE_OUT, gate=GateRecord("driven", 0.0, 5.0, seconds=0.001)),
                with_(GATE_IN, gate=with_(GATE_IN.gate, min_seconds=0.005)),
            ),
            "A pulse stretcher",
            "10 ms",
            "fits",
        ),
        (bench(with_(GATE_OUT, gate=GateRecord("driven", 0.0, 1.5)), GATE_IN), "Amplifier", "R4", "fits"),
        (bench(LFO, swing(0.0, 5.0)), "A rectifier", "Rectifier, its upper half: U1, D1, R1 10 kΩ, U2.", "fits"),
    ],
)
def test_remedies_are_computed(one, title, words, verdict):
    fit, remedy = remedies(one, title)
    assert words in remedy.text
    assert (remedy.leaves.verdict, fit.verdict) == (verdict, "needs-circuit")
    made = remedy.command(one).bench
    assert judge_link(made, made.links[0])[0].verdict == verdict
    assert between_words(made, made.links[0], Style())
    card = wiring_html(wiring_card(made, P("desk", "out"), P("voice", "in")), "B")
    assert "<h2>Between</h2>" in card


def test_a_table_plays_the_other_law_as_far_as_the_converter_reaches():
    demo = lantern.bench()
    fit = judge_pair(
        demo,
        join(demo, P("workshop-board", "pitch-b"), P("pit-voice", "pitch")).bench.links[-1],
        P("pit-voice", "pitch"),
    )
    remedy = next(one for one in remedies_for(demo, fit) if one.kind == "table")
    # 0.5 V at note 36 doubles with each octave; 5.53 V are log2(11.06) = 3.46 octaves up: note 77.
    assert "42 of 61 notes, 36 C2 to 77 F5" in remedy.text
    after = remedy.command(demo).bench
    assert after.port(P("workshop-board", "pitch-b")).law.startswith("hzv")
    assert after.link_from(P("workshop-board", "pitch-b")).high_note == 77.0


def test_what_stands_between_is_part_of_the_law_that_is_judged():
    demo, board, tone = lantern.bench(), P("workshop-board", "pitch-b"), P("carousel-board", "tone")
    fit = next(row[tone] for output, row in Matrix().judge(demo).items() if output == board)
    assert {"scale-mismatch", "transposition"} <= {one.code for one in fit.findings}
    remedy = remedies_for(demo, fit)[0]
    after = remedy.command(demo).bench
    link = after.link_from(board)
    again = judge_pair(after, link, tone)
    assert {"scale-mismatch", "transposition", "offset", "law-mismatch", "range-not-covered"}.isdisjoint(
        {one.code for one in again.findings}
    )
    # 1.75 V + 0.37 V an octave reach the 3.3 V that the board bears after 4.19 octaves: note 86.
    assert (remedy.title.endswith("36 C2 to 86 D6"), link.high_note) == (True, 86.0)
    # With all of its notes kept, the ten above are lost.
    kept = judge_pair(after, with_(link, high_note=96.0), tone)
    assert next(one.value for one in kept.findings if one.code == "range-not-covered") == 10.0


def test_an_envelope_among_the_gear_at_hand_is_a_workaround():
    demo, weak, drum = lantern.bench(), P("curtain-sequencer", "gate"), P("cellar-drum", "gate")
    fit = next(one for link in demo.links for one in judge_link(demo, link) if (one.output, one.input) == (weak, drum))
    remedy = next(one for one in remedies_for(demo, fit) if one.title == "By Wardrobe envelope")
    # (3.5 + 0.4 V) of 8 V behind 470 ohm into 47 kohm; the tail: 30 ms / ln 100 * ln(3.9 / 1.0).
    sustain, tail = 3.9 / (8.0 / 1.01), 0.03 / math.log(100.0) * math.log(3.9)
    assert f"a sustain of {100 * sustain:.0f} % on" in remedy.text
    assert f"adds {1000 * tail:.3g} ms" in remedy.text
    after = remedy.command(demo).bench
    assert drum in after.link_from(remedy.by).inputs
    assert after.links_into(drum) == (after.link_from(remedy.by),)


def test_joining_moves_an_input_unless_it_shall_hang_beside():
    demo, drum, clock = lantern.bench(), P("cellar-drum", "clock"), P("bridge-clock", "clock")
    moved = join(demo, clock, drum)
    assert "parting Curtain sequencer · clock out from it" in moved.label
    assert [link.output for link in moved.bench.links_into(drum)] == [clock]
    beside = join(demo, clock, drum, beside=True).bench
    assert "outputs-contending" in {one.code for one in judge_link(beside, beside.link_from(clock))[0].findings}


# -- levels ----------------------------------------------------------------------------------------


def test_levels_are_bands_where_resistances_or_levels_have_limits():
    sender = with_(GATE_OUT, ohms_limit=0.05, gate=with_(GATE_OUT.gate, level_limit=0.1))
    one = bench(sender, with_(GATE_IN, ohms=10e3))
    levels = levels_of(one, one.links[0], P("voice", "in"))
    # 5 V up and down by a tenth, behind 950 to 1050 ohm into 10 kohm.
    assert (levels.high.low, levels.high.high) == pytest.approx((4.5 / 1.105, 5.5 / 1.095))
    # 4.5 V behind 1 kohm is what the verdict is about.
    assert judge_link(one, one.links[0])[0].value == pytest.approx(min(4.5 / 1.1 - 2.0, 0.8))
    assert loaded_to_open(one, P("desk", "out"), P("voice", "in"), 3.0) == pytest.approx(3.3)
    moved = with_level(one, P("voice", "in"), "on_volts", 4.2)
    assert judge_link(moved, moved.links[0])[0].verdict == "needs-circuit"
    assert pulse_of(levels).at(pulse_of(levels).seconds).tolist() == pytest.approx([0.0, 5.0 / 1.1, 0.0])


def test_a_stage_between_is_what_the_levels_show():
    one = bench(with_(GATE_OUT, gate=GateRecord("driven", 0.0, 1.5, seconds=0.001)), GATE_IN)
    stretched = with_(one, links=(with_(one.links[0], gate_stages=(GateStageRecord("stretcher", (), 0.02),)),))
    levels = levels_of(stretched, stretched.links[0], P("voice", "in"))
    assert isinstance(levels, Levels)
    assert levels.seconds == 0.02
    unknown = bench(GATE_OUT, with_(GATE_IN, ohms=None))
    assert "measure" in levels_of(unknown, unknown.links[0], P("voice", "in"))[0].text


@pytest.mark.parametrize(
    ("envelope", "seconds", "share"),
    [
        (EnvelopeRecord(0.02, 0.0, 1.0, 0.05), 0.01, 0.5),  # half-way up
        (EnvelopeRecord(0.0, 0.1, 0.4, 0.05), 0.0, 1.0),  # at its peak at once
        (EnvelopeRecord(0.0, 0.1, 0.4, 0.05), 0.1, 0.4 + 0.6 / 100),  # a hundredth from its sustain after its decay
        (EnvelopeRecord(0.02, 0.0, 1.0, 0.05), 0.15, 0.01),  # a hundredth of the peak, a release after the end
        (EnvelopeRecord(0.0, 0.0, 1.0, 0.0), 0.11, 0.0),
    ],
)
def test_an_envelope_rises_falls_and_is_let_go(envelope, seconds, share):
    made = envelope_of(envelope, 1.0, 1.1)
    assert float(made.at(1.0 + seconds)) == pytest.approx(share, abs=1e-9)


def test_circuits_for_a_gate_are_judged_with_what_hangs_beside():
    """A transistor turns the gate round for all inputs of its link: the positive one beside it is told of."""
    shorting = with_(
        GATE_IN,
        id="s",
        name="shorting",
        role="trigger",
        ohms=10e3,
        gate=GateRecord("shorting", on_volts=0.8, off_volts=2.0, pullup_volts=5.0),
    )
    one = bench(GATE_OUT, GATE_IN, shorting)
    output, beside, sink = OUT, one.links[0].inputs[0], PortRef("voice", "s")
    link = trial_link(one.links[0], output, sink)
    found = gate_choices(one, link, sink)
    assert [choice.key for choice in found.choices] == ["transistor to ground", "comparator and MOSFET to ground"]
    assert all("gate in on the same link fits now" in choice.spoils[0] for choice in found.choices)
    remedy = next(
        r for r in remedies_for(one, judge_pair(one, link, sink)) if "gate in on the same link fits now" in r.text
    )
    assert remedy.title.endswith("on a branch of its own")
    branched = remedy.command(one).bench
    assert branched.links[0].branch_of(sink).inputs == (sink,)
    assert [fit.verdict for fit in judge_link(branched, branched.links[0])] == ["fits", "fits"]
    stage = found.choices[0].stage
    change, where = placed(one, output, sink, lambda apart: use_stage(one, output, sink, stage, apart))
    assert "on a branch of its own, since ahead of all it would spoil" in where
    assert change.bench == use_stage(one, output, sink, stage, on_branch=True).bench
    used = use_stage(one, output, sink, found.choices[0].stage)
    assert used.label.endswith("put a transistor to ground between")
    now = used.bench.link_from(output)
    assert {stage.circuit for stage in now.gate_stages} == {"transistor to ground"}
    assert judge_pair(used.bench, now, sink).verdict == "fits"
    assert judge_pair(used.bench, now, beside).verdict == "needs-circuit"
    again = gate_choices(used.bench, now, sink).choices
    assert again[0].key == "in the link: transistor to ground"
    assert again[0].fit.verdict == "fits"
    alone = with_(one, links=(with_(one.links[0], inputs=(sink,)),))
    assert gate_choices(alone, alone.links[0], sink).choices[0].spoils == ()


def test_a_stretcher_stands_behind_what_mends_the_levels():
    slow = with_(GATE_IN, gate=with_(GATE_IN.gate, on_volts=7.0, off_volts=2.0, min_seconds=0.02))
    one = bench(PULSE, slow)
    link, sink = one.links[0], one.links[0].inputs[0]
    keys = [choice.key for choice in gate_choices(one, link, sink).choices]
    assert (keys[0], keys[-1]) == ("amplifier", "stretcher")
    for key in (keys[-1], keys[0]):
        stage = next(c.stage for c in gate_choices(one, link, sink).choices if c.key == key)
        one = use_stage(one, link.output, sink, stage).bench
        link = one.links[0]
    assert [stage.circuit for stage in link.gate_stages] == ["amplifier", "stretcher"]
    assert link.gate_stages[1].seconds == pytest.approx(0.04)
    assert judge_pair(one, link, sink).verdict == "fits"


@pytest.mark.parametrize(
    ("rails", "words"),
    [(((-12.0, 12.0),), "From ± 12 V"), (((0.0, 9.0),), "From 6.5 V, a 9 V battery when it is worn"), ((), None)],
)
def test_a_buffer_is_offered_from_the_rails_at_hand_only(rails, words):
    loaded = bench(with_(PITCH_OUT, ohms=1000.0), PITCH_IN)
    one = with_(loaded, rails=rails)
    told = [found.text for found in remedies_for(one, judge_link(one, one.links[0])[0]) if found.title == "A buffer"]
    assert (told == []) if words is None else (words in told[0])


def test_limits_move_with_a_rail_only_where_it_is_the_pins_and_at_hand():
    pin = with_(GATE_IN, bears=VoltSpan(-0.3, 3.6))
    for power, rails, moves in (
        ((3.3,), ((0.0, 3.3),), 3.3),
        ((9.0,), ((0.0, 9.0),), None),
        ((3.3,), ((-12.0, 12.0),), None),
    ):
        one = with_(bench(GATE_OUT, pin, voice={"power": Power("usb", power)}), rails=rails)
        assert input_of(one, one.links[0].inputs[0])[0].rail_volts == moves


def test_a_run_level_may_reset_and_a_clock_may_not():
    reset = with_(CLOCK_IN, clock=ClockRecord("reset"))
    for sends, differs in (("run", False), ("clock", True), ("reset", False)):
        assert signals_differ(with_(CLOCK_OUT, clock=ClockRecord(sends)), reset) == differs


LOW = with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0", ohms=1000.0)
WIDE = with_(PITCH_IN, law="voct:scale=0.5,note=36,volts=1")
LINEAR = with_(PITCH_IN, law="hzv:note=36,volts=0.5")
WAVE = with_(LFO, ohms=0.0, swing=SwingRecord(0.0, 6.0))


@pytest.mark.parametrize(
    ("sends", "takes", "stands", "title", "leaves", "between"),
    [
        *(
            (LOW, WIDE, kind, "Gain 0.500, offset +1.000 V", ("fits", "marginal"), ["circuit", "remembering"])
            for kind in KINDS
        ),
        (LOW, LINEAR, "glide", "Exponential converter", ("marginal",), ["exponential", "remembering"]),
        (
            with_(WAVE, swing=SwingRecord(-5, 5)),
            swing(0, 3),
            "glide",
            "Gain 0.3",
            ("fits",),
            ["circuit", "remembering"],
        ),
        (WAVE, PITCH_IN, "", "A sample and hold", ("marginal",), ["remembering"]),
        (GATE_OUT, swing(0.0, 5.0), "", "A glide", ("fits",), ["remembering"]),
        (PULSE, swing(0.0, 5.0), "", "A glide", ("fits",), ["remembering"]),
    ],
)
def test_what_remembers_stands_behind_what_makes_the_volts_right(sends, takes, stands, title, leaves, between):
    made = [remembering("m", stands, by="desk/spare" if KINDS[stands].driven_by else "")] if stands else []
    one = bench(sends, takes, with_(GATE_IN, id="g"), link={"between": tuple(each.stored() for each in made)})
    _, remedy = remedies(one, title)
    after = remedy.command(one).bench
    assert remedy.leaves.verdict in leaves
    assert [each.kind for each in after.links[0].between] == between
    assert judge_link(after, after.links[0])[0] == remedy.leaves
    last = REGISTRY.make("last", after.links[0].between[-1])
    if last.kind == "glide" and not stands and sends.gate.seconds:
        # A hundredth of a jump is left within half of the pulse: R C ln 100.
        assert 0.2 * sends.gate.seconds < last.tau_seconds * math.log(100.0) <= 0.5 * sends.gate.seconds
    if last.kind == "sample-and-hold" and not stands:
        # The capacitor loses less than 5 ct in a second, at 1 V an octave: i = C dV/dt.
        assert last.by == "desk/spare"
        assert last.leak_amperes / last.farads * 1200.0 <= 5.0
