"""Split and crossed leads, ports that share a jack, and who feeds whom; common practice, no source."""

from __future__ import annotations

import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import DEPTH, GATE_IN, GATE_OUT, IN, LFO, OUT, PITCH_IN, PITCH_OUT, SPLIT, SUPPLIED, bench

from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.bench import Bench, Gear, Link, Power
from dynamis.bench.document.ports import Knob, Normal, Pole, PortRef, PotRecord
from dynamis.bench.gear.commands import fields_of, fields_of_gear, set_gear_field, set_port_field
from dynamis.bench.gear.field_values import value_of
from dynamis.bench.judging.leads import joined_poles, lead_words
from dynamis.bench.judging.pairs import judge_link, judge_pair
from dynamis.bench.judging.power import drawn, fed_from, one_return, power_words
from dynamis.bench.judging.sides import may_send
from dynamis.bench.judging.wiring import wiring_card
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.notation.style import Style

RING = (Pole("ring", "signal"), Pole("sleeve", "return"))


@pytest.mark.parametrize(
    ("lead", "sends", "takes", "rows"),
    [
        ("split", SPLIT, (), [("tip", "tip"), ("sleeve", "sleeve")]),
        ("split", RING, (), [("ring", "tip"), ("sleeve", "sleeve")]),
        ("split", SUPPLIED, (), [("tip", "tip"), ("ring", None), ("sleeve", "sleeve")]),
        ("crossed", SPLIT, SPLIT, [("tip", "ring"), ("ring", "tip"), ("sleeve", "sleeve")]),
        ("crossed", (), SPLIT, [("tip", "ring"), ("sleeve", "sleeve"), (None, "tip")]),
        ("", SPLIT, (), [("tip", "tip"), ("ring", None), ("sleeve", "sleeve")]),
    ],
)
def test_each_lead_brings_each_pole_where_it_goes(lead, sends, takes, rows):
    link = Link("l", OUT, (IN,), lead=lead)
    output, sink = with_(PITCH_OUT, poles=sends), with_(PITCH_IN, poles=takes)
    met = [tuple(None if one is None else one.at for one in row[:2]) for row in joined_poles(link, output, sink)]
    assert met == rows
    assert all(
        joined == (None not in row)
        for row, (*_, joined) in zip(rows, joined_poles(link, output, sink), strict=True)
        if lead
    )
    assert lead_words(link, output, sink)


def test_two_signals_leave_one_jack_by_a_split_lead():
    """Pitch on the tip, a gate on the ring, each with a port of its own: one lead, two links."""
    tip = with_(PITCH_OUT, poles=(SPLIT[0], Pole("ring", "second-signal", port="ring"), SPLIT[2]))
    ring = with_(GATE_OUT, id="ring", name="touch", poles=RING)
    gate = with_(GATE_IN, id="gate")
    one = bench(tip, PITCH_IN, gate, desk={})
    desk = one.gear_by("desk")
    one = one.with_gear(with_(desk, ports=(*desk.ports, ring)))
    fit = judge_link(one, one.links[0])[0]
    lost = next(found for found in fit.findings if found.code == "second-signal-lost")
    assert "carries touch" in lost.text
    remedy = next(found for found in remedies_for(one, fit) if found.title == "A split lead")
    mended = remedy.command(one).bench
    second = Link("g", PortRef("desk", "ring"), (PortRef("voice", "gate"),), lead="split")
    mended = with_(mended, links=(*mended.links, second))
    for link, sink in ((mended.links[0], IN), (second, PortRef("voice", "gate"))):
        after = judge_pair(mended, link, sink)
        assert after.verdict == "fits"
        assert "second-signal-lost" not in {found.code for found in after.findings}
    card = wiring_card(mended, second.output, second.inputs[0])
    assert card.lead.startswith("split")
    assert [(row.sends, row.takes) for row in card.rows] == [
        ("ring: signal", "tip: signal"),
        ("sleeve: return", "sleeve: return"),
    ]


def rack(gives: float | None = 0.5) -> Bench:
    supply = Gear("s", "Rack supply", power=Power("mains", (12.0,), gives_amperes=gives))
    dac = DacTransfer("d", Dac(12, 0, 5), reference_is_supply=True).stored()
    board = Gear("desk", "Board", (with_(PITCH_OUT, transfers=(dac,)),), power=Power("bus", amperes=0.3, fed_by="s"))
    voice = Gear(
        "voice",
        "Voice",
        (with_(PITCH_IN, poles=(Pole("tip", "signal"),)),),
        power=Power("bus", amperes=0.1, fed_by="s"),
    )
    lamp = Gear("lamp", "Lamp", power=Power("bus", fed_by="s"))
    return Bench("R", (supply, board, voice, lamp), (Link("l", OUT, (IN,)),))


@pytest.mark.parametrize(
    ("gives", "words"),
    [(0.5, "of 500 mA that it gives"), (0.3, "100 mA more than it gives: 300 mA"), (None, "is not known")],
)
def test_what_all_draw_from_a_supply_is_summed(gives, words):
    one = rack(gives)
    supply, board, voice, lamp = one.gear
    assert drawn(one, supply) == (pytest.approx(0.4), [board, voice], [lamp])
    told = power_words(one, supply)
    assert told[0].startswith("Board and Voice draw 400 mA from Rack supply at most")
    assert words in told[0]
    assert told[1] == "What Lamp draws from Rack supply is not known."
    assert "has this supply as its reference" in power_words(one, board)[-1]


def test_one_supply_is_one_return_and_a_ring_of_supplies_ends():
    one = rack()
    assert one_return(one, one.gear_by("desk"), one.gear_by("voice"))
    assert "no-common-return" not in {found.code for found in judge_link(one, one.links[0])[0].findings}
    apart = one.with_gear(with_(one.gear_by("voice"), power=Power("adapter")))
    text = next(
        found.text for found in judge_link(apart, apart.links[0])[0].findings if found.code == "no-common-return"
    )
    assert "optocoupler" in text
    ring = one.with_gear(with_(one.gear_by("s"), power=Power("bus", fed_by="desk")))
    assert [gear.id for gear in fed_from(ring, ring.gear_by("desk"))] == ["s"]
    lone = one.with_gear(with_(one.gear_by("lamp"), power=Power("bus", fed_by="lamp")))
    assert power_words(lone, lone.gear_by("lamp")) == ["What feeds Lamp is not on this bench, or is itself."]


def test_ports_and_gear_are_chosen_from_lists_where_they_are_named():
    one = bench(PITCH_OUT, with_(PITCH_IN, normal=Normal("the inner clock")), with_(GATE_IN, id="g"))
    field = next(found for found in fields_of(one, IN) if found.path == "normal.source")
    assert ("desk/out", "Prompt desk · pitch") in field.choices
    one = set_port_field(one, IN, field, field.read("Prompt desk · pitch", Style())).bench
    assert one.port(IN).normal.source == OUT
    assert value_of(one.port(IN), "normal.source") == "desk/out"
    text = next(found.text for found in judge_link(one, one.links[0])[0].findings if found.code == "source-used")
    assert "(Prompt desk · pitch)" in text
    assert set_port_field(one, IN, field, "").bench.port(IN).normal.source is None
    fed = next(found for found in fields_of_gear(one, "voice") if found.path == "power.fed_by")
    one = set_gear_field(one, "voice", fed, fed.read("Prompt desk", Style())).bench
    assert one.gear_by("voice").power.fed_by == "desk"


DEEP = Knob("Depth", does="depth", low=0.0, high=1.0)


@pytest.mark.parametrize(
    ("normal", "knobs", "words"),
    [
        # 8 V behind 4.7 kOhm on 100 kOhm: 8 · 100 / 104.7.
        (Normal("a voltage", volts=8.0, ohms=4700.0), (), "it stood at 7.64 V"),
        (Normal("a voltage", volts=8.0, ohms=0.0), (DEEP,), "of which Depth made an offset of 0.00 V to 8.00 V"),
        (Normal("a voltage", volts=8.0, ohms=0.0), (with_(DEEP, at=0.5),), "and at 4.00 V behind its knobs"),
        (Normal("a voltage", volts=8.0, ohms=0.0), (with_(DEEP, at=0.5, behind_switch=False),), "it stood at 8.00 V."),
        (
            Normal("its wave", source=OUT, ohms=0.0),
            (with_(DEEP, at=0.5),),
            "at −5.00 V to 5.00 V, and at −2.50 V to 2.50 V behind",
        ),
        (Normal("nobody knows"), (DEEP,), "cuts off nobody knows."),
    ],
)
def test_what_feeds_a_switched_jack_is_told_with_the_knobs_behind_it(normal, knobs, words):
    one = bench(with_(LFO, id="lfo"), with_(DEPTH, normal=normal, knobs=knobs), desk={})
    one = one.with_gear(with_(one.gear_by("desk"), ports=(LFO, with_(LFO, id="lfo"))))
    link = Link("l", PortRef("desk", "lfo"), (IN,))
    text = next(found.text for found in judge_pair(one, link, IN).findings if found.code == "source-used")
    assert words in text
    assert any("is fed by" in check for check in wiring_card(one, link.output, IN).checks)


@pytest.mark.parametrize(
    ("pot", "poles", "span"),
    [
        (PotRecord(22e3, 5.0), (), (0.0, 5.0)),
        (PotRecord(22e3, 5.0, to_volts=-5.0), (), (-5.0, 5.0)),
        (PotRecord(22e3), SUPPLIED, (0.0, 5.0)),
        (PotRecord(22e3, fed_ohms=22e3), SUPPLIED, (0.0, 2.5)),
        # An inside wave on the ring: all of it, or nothing.
        (PotRecord(22e3), (SPLIT[0], Pole("ring", "second-signal", port="wave"), SPLIT[2]), (-5.0, 5.0)),
        (PotRecord(22e3), (), None),
    ],
)
def test_a_pedal_turns_what_feeds_it_its_own_or_that_of_the_jack(pot, poles, span):
    pedal = with_(LFO, swing=None, ohms=None, pot=pot)
    one = bench(pedal, with_(DEPTH, poles=poles), with_(LFO, id="wave", name="wave"))
    assert may_send(one, one.links[0]) == span
    card = wiring_card(one, OUT, IN)
    assert any("wiper to the tip, upper end to the ring" in check for check in card.checks)
