"""Gear from the library, its fields as they are typed, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import DEPTH, GATE_IN, GATE_OUT, LFO, PITCH_IN, PITCH_OUT, bench

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.document.bench import Bench, GateStageRecord, Gear, Link
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.commands import add_gear
from dynamis.bench.document.ports import AudioRecord, GateRecord, PortRef, VoltSpan
from dynamis.bench.gear.commands import (
    add_port,
    archive_gear,
    copy_gear,
    copy_port,
    dismiss,
    fields_of_link,
    put_knob,
    put_link,
    remove_port,
    set_gear_field,
    set_link_field,
    set_port_field,
)
from dynamis.bench.gear.field_values import value_of, with_value
from dynamis.bench.gear.fields import GEAR_FIELDS, LINK_FIELDS, PORT_FIELDS, port_fields
from dynamis.bench.gear.library import GEAR_KINDS, PORT_KINDS, gear_of, port_of
from dynamis.bench.judging.cautions import CAUTIONS, cautions_for
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_link, judge_pair
from dynamis.bench.judging.wiring import wiring_card
from dynamis.demo import lantern
from dynamis.electrics.part import Part
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.files.bench_json import read_json
from dynamis.notation.style import Style
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.registry import StoredTransfer

STYLE = Style()
VOICE = PortRef("voice", "in")


def field(path: str, fields=PORT_FIELDS, direction: str = ""):
    return next(one for one in fields if one.path == path and direction in ("", one.direction, "any"))


def library() -> Bench:
    made = Bench()
    for kind in GEAR_KINDS:
        made = add_gear(made, gear_of(kind, f"My {kind.name}", {gear.id for gear in made.gear})).bench
        assert made.gear[-1].name == f"My {kind.name}"
    for kind in PORT_KINDS:
        made = add_port(made, made.gear[-1].id, port_of(kind.name, kind.name)).bench
    return made


def test_the_library_makes_gear_that_can_be_judged_and_says_where_its_values_come_from():
    made = library()
    check_bench(made)
    assert all(kind.source.endswith(".") for kind in (*PORT_KINDS, *GEAR_KINDS))
    fits = [fit for row in Matrix().judge(made).values() for fit in row.values()]
    assert {fit.verdict for fit in fits} == {"fits", "marginal", "needs-circuit", "unsafe", "cannot-tell"}
    assert {port.role for gear in made.gear for port in gear.ports} == {
        "pitch",
        "gate",
        "trigger",
        "clock",
        "modulation",
        "audio",
        "midi",
    }


def test_every_field_of_every_port_reads_back_what_it_shows():
    seen = set()
    for gear in (*library().gear, *lantern.bench().gear):
        for port in gear.ports:
            for one in port_fields(port):
                value = value_of(port, one.path)
                if one.kind in ("choice", "flag") or (value is None and one.unknown is None):
                    again = value
                else:
                    again = one.read(one.show(value, STYLE), STYLE)
                changed = with_value(port, one.path, again)
                shown = one.show(value_of(changed, one.path), STYLE) if one.kind not in ("choice", "flag") else again
                assert shown == (one.show(value, STYLE) if one.kind not in ("choice", "flag") else value), one.path
                seen.add(one.path)
        for one in GEAR_FIELDS:
            if one.kind != "choice":
                assert one.read(one.show(value_of(gear, one.path), STYLE), STYLE) == value_of(gear, one.path)
    assert seen == {one.path for one in PORT_FIELDS}


@pytest.mark.parametrize(
    ("path", "typed", "value", "label"),
    [
        ("ohms", "47k", 47e3, "Pit voice · gate in: resistance to 47 kΩ"),
        ("gate.on_volts", "2.5", 2.5, "Pit voice · gate in: goes on at to 2.5 V"),
        ("gate.min_seconds", "4 ms", 0.004, "Pit voice · gate in: shortest pulse it takes to 4 ms"),
        ("ohms_limit", "5 %", 0.05, "Pit voice · gate in: its tolerance to 5 %"),
        ("ohms", "", None, "Pit voice · gate in: resistance to not known"),
        ("poles.ring", "supply", "supply", "Pit voice · gate in: ring carries to supply"),
        ("needs", "mode = Hz/V", (("mode", "Hz/V"),), "Pit voice · gate in: needs the settings to mode = Hz/V"),
        ("normal", "the inner clock", "the inner clock", None),
        ("gate.edge", "yes", True, "Pit voice · gate in: acts on a rise only: yes"),
    ],
)
def test_a_field_is_changed_as_it_is_typed(path, typed, value, label):
    one, what = bench(GATE_OUT, GATE_IN), field(path)
    change = set_port_field(one, VOICE, what, what.read(typed, STYLE))
    assert value_of(change.bench.port(VOICE), path) == value
    assert label in (None, change.label)
    assert judge_link(change.bench, change.bench.links[0])


def test_gear_is_named_set_copied_archived_and_taken_out():
    one = bench(GATE_OUT, GATE_IN)
    one = set_gear_field(one, "voice", field("settings", GEAR_FIELDS), (("Mode", "Hz/V"), ("Range", ""))).bench
    one = set_gear_field(one, "voice", field("settings", GEAR_FIELDS), (("Mode", "V/oct"), ("Range", ""))).bench
    assert [(setting.id, setting.value) for setting in one.gear_by("voice").settings] == [
        ("mode", "V/oct"),
        ("range", ""),
    ]
    one = set_gear_field(one, "voice", field("power.rails", GEAR_FIELDS), (12.0, -12.0)).bench
    with pytest.raises(InputError, match="called 'Prompt desk' already"):
        set_gear_field(one, "voice", field("name", GEAR_FIELDS), "Prompt desk")
    copied = copy_gear(copy_gear(one, "voice").bench, "voice").bench
    assert [gear.name for gear in copied.gear[2:]] == ["Pit voice 2", "Pit voice 3"]
    assert copied.gear[2].ports == one.gear_by("voice").ports
    away = archive_gear(copied, "voice").bench
    assert (away.gear_by("voice").archived, away.links[0].inputs) == (True, ())
    matrix = Matrix()
    matrix.take(away)
    assert VOICE not in matrix.inputs
    assert not archive_gear(away, "voice", False).bench.gear_by("voice").archived
    with pytest.raises(InputError, match="is joined; part it first"):
        remove_port(one, VOICE)
    assert len(remove_port(one, PortRef("desk", "spare")).bench.gear_by("desk").ports) == 1
    assert copy_port(one, VOICE).bench.gear_by("voice").ports[-1] == with_(GATE_IN, id="gate-in-2", name="gate in 2")
    assert add_port(one, "voice", port_of("Gate input", "gate in")).bench.gear_by("voice").ports[-1].name == "gate in 2"


def test_a_link_is_changed_by_its_fields_and_cautions_are_dismissed():
    one = lantern.bench()
    laptop = PortRef("prompt-desk-laptop", "out-2")
    paths = {what.path for what in fields_of_link(one, one.link_from(laptop))}
    assert "program_channel" in paths
    assert "tolerance" not in paths
    changed = set_link_field(one, laptop, field("longest_seconds", LINK_FIELDS), 0.5)
    assert changed.bench.link_from(laptop).longest_seconds == 0.5
    fit = judge_link(one, one.link_from(laptop))[0]
    assert [caution.key for caution in cautions_for(one, fit)] == ["loud", "return"]
    built = with_(
        one,
        links=tuple(
            with_(link, between=(Stage("s").stored(),)) if link.output == laptop else link for link in one.links
        ),
    )
    assert [caution.key for caution in cautions_for(built, fit)] == ["loud", "return", "opening", "chips"]
    pit = judge_pair(one, trial_link(None, laptop, PortRef("pit-voice", "pitch")), PortRef("pit-voice", "pitch"))
    assert {"limits", "for-good"} <= {caution.key for caution in cautions_for(one, pit)}
    quiet = dismiss(one, "loud").bench
    assert [caution.key for caution in cautions_for(quiet, fit)] == ["return"]
    assert dismiss(quiet, "loud", False).bench == one
    assert all(text.endswith(".") for text in CAUTIONS.values())
    vibrato = PortRef("gallery-voice", "vibrato")
    knob = with_(one.port(vibrato).knobs[0], proved=True)
    proved = put_knob(one, vibrato, knob, 0).bench
    card = wiring_card(proved, PortRef("fly-lever", "across"), PortRef("gallery-voice", "vibrato"))
    assert card.checks == ("Gallery voice: Vibrato depth at full up (proved)",)
    assert [(row.sends, row.how) for row in card.rows] == [("tip: signal", "joined"), ("sleeve: return", "joined")]
    pedal = wiring_card(one, PortRef("fly-lever", "across"), PortRef("attic-filter", "pedal"))
    assert ("–", "ring: supply, 5 V", "shorted to the sleeve by the plug") in [
        (row.sends, row.takes, row.how) for row in pedal.rows
    ]


def test_a_clip_on_one_wire_joins_the_tip_and_leaves_the_return_open():
    card = wiring_card(lantern.bench(), PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone"))
    assert [(row.sends, row.takes, row.how) for row in card.rows] == [
        ("tip: signal", "tip: signal", "joined"),
        ("sleeve: return", "–", "left open"),
    ]


def broken(port=GATE_IN, **gate) -> Bench:
    changed = with_(port, gate=with_(port.gate, **gate)) if gate else port
    return bench(GATE_OUT, changed) if port.direction == "input" else bench(changed, GATE_IN)


@pytest.mark.parametrize(
    ("one", "words"),
    [
        (broken(with_(GATE_IN, ohms=-5.0)), "its resistance is -5 Ω; it cannot be below 0"),
        (broken(with_(GATE_IN, ohms_limit=1.0)), "tolerance of its resistance is 100 %; less than 100 % was expected"),
        (broken(GATE_OUT, level_limit=-0.1), "tolerance of its levels is -0.1; it cannot be below 0"),
        (broken(with_(GATE_IN, ohms=0.0)), "an input needs more than that"),
        (broken(with_(GATE_IN, ohms=float("inf"))), "of no size that gear has"),
        (broken(on_volts=0.5, off_volts=2.0), "off threshold, 2 V, is above its on threshold"),
        (broken(GATE_OUT, low_volts=5.0, high_volts=1.0), "low level, 5 V, is above its high level"),
        (broken(with_(GATE_OUT, ohms=None, gate=GateRecord("driven", 5.0, 1.0))), "they are crossed"),
        (broken(min_seconds=0.2, max_seconds=0.1), "takes no pulse at all"),
        (broken(with_(GATE_IN, works=VoltSpan(0, 20), bears=VoltSpan(0, 5))), "beyond its own limits"),
        (broken(with_(GATE_IN, bears=VoltSpan(5, -5))), "they are crossed"),
        (broken(kind="driven"), "is an input and cannot be 'driven'"),
        (broken(with_(GATE_IN, name=" ")), "needs a name"),
        (broken(with_(GATE_IN, name="x" * 201)), "has 201 characters"),
        (bench(with_(PITCH_OUT, law="bent"), GATE_IN), "bent"),
        (
            bench(with_(GATE_OUT, role="audio", audio=AudioRecord("dc", full_scale_volts=0.0)), GATE_IN),
            "full scale of gate is 0 V",
        ),
        (bench(GATE_OUT, GATE_IN, link={"low_note": 90.0}), "above the highest"),
        (bench(GATE_OUT, GATE_IN, link={"longest_seconds": 0.0}), "more than 0 was expected"),
        (bench(GATE_OUT, GATE_IN, link={"tolerance": "much"}), "much"),
        (bench(GATE_OUT, GATE_IN, link={"gate_stages": (GateStageRecord("magic"),)}), "'magic' is not known here"),
        (
            bench(GATE_OUT, GATE_IN, link={"gate_stages": (GateStageRecord("divider", (Part("R1", 1e3),)),)}),
            "the divider has no R2",
        ),
        (
            bench(GATE_OUT, GATE_IN, link={"gate_stages": (GateStageRecord("divider", (Part("R1", -1.0),)),)}),
            "R1 of the divider is -1 Ω",
        ),
        (bench(GATE_OUT, GATE_IN, link={"between": (StoredTransfer("stage", 1, {"gain": 0.0}),)}), "passes nothing on"),
        (bench(GATE_OUT, GATE_IN, links=(Link("m", PortRef("desk", "out")),)), "Two links begin at"),
        (bench(GATE_OUT, GATE_IN, links=(Link("m", VOICE),)), "is no output"),
        (
            bench(GATE_OUT, GATE_IN, links=(Link("m", PortRef("desk", "spare"), (PortRef("desk", "out"),)),)),
            "is no input",
        ),
        (Bench("B", (Gear("a", "A"), Gear("a", "B"))), "the same id"),
        (bench(GATE_OUT, GATE_IN, links=(Link("m", PortRef("desk", "gone")),)), "no port of Prompt desk"),
    ],
)
def test_nonsense_is_refused_with_one_sentence_also_when_it_is_imported(one, words, tmp_path):
    with pytest.raises(InputError, match=words) as refused:
        check_bench(one)
    assert "\n" not in str(refused.value)


def test_a_circuit_that_is_not_known_is_kept_and_nothing_is_claimed():
    strange = {"between": (StoredTransfer("from tomorrow", 1, {}),)}
    for one in (bench(LFO, DEPTH, link=strange), bench(PITCH_OUT, PITCH_IN, link=strange)):
        check_bench(one)
        assert judge_link(one, one.links[0])[0].verdict == "cannot-tell"


def test_a_nonsensical_export_names_its_file(tmp_path):
    import msgspec

    source = tmp_path / "bad.json"
    held = {"format": "dynamis-bench", "version": 3, "bench": msgspec.to_builtins(broken(with_(GATE_IN, ohms=-5.0)))}
    source.write_bytes(msgspec.json.encode(held))
    with pytest.raises(InputError, match=r"bad\.json: Pit voice: gate in: its resistance is -5"):
        read_json(source)
    with pytest.raises(InputError, match="above the highest"):
        put_link(
            bench(GATE_OUT, GATE_IN), Link("l", PortRef("desk", "out"), (VOICE,), low_note=99.0, high_note=3.0), "x"
        )


def test_another_law_is_judged_at_once_and_keeps_the_limits():
    """Also where a law was stored beside the limits of the output, or of the receiver's oscillator."""
    one = lantern.bench()
    output, sink = PortRef("curtain-sequencer", "row-A"), PortRef("gallery-voice", "pitch-1")
    for ref in (output, sink):
        one = set_port_field(one, ref, field("law"), "voct:scale=1.2,note=48,volts=0.5").bench
    chain = link_chain(one, trial_link(None, output, sink)).chain
    trace = chain.trace(np.array([48.0, 60.0]), NOMINAL, NOMINAL)
    assert trace[1] == pytest.approx([0.5, 1.7])
    assert trace[-1][1] - trace[-1][0] == pytest.approx(1.0, abs=0.03)
    assert any(one.source.endswith("scale") for one in chain.transfers[0].parameters())
