"""Circuits: every topology and what is designed against ngspice, preferred values, trimmers, spread."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.electrics.specimens import SPECIMENS
from tests.electrics.spice import swept

from dynamis.electrics.circuits.circuit import Fitted
from dynamis.electrics.circuits.network import Branch, Held, Network
from dynamis.electrics.circuits.parts import parts_csv, parts_list, pieces_of
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting, at, varied_in
from dynamis.electrics.design.later import load_cents
from dynamis.electrics.design.preferred import choices, stock
from dynamis.electrics.design.proposal import ORDER, propose, propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import budget, spread
from dynamis.electrics.design.trims import Trimming, corner_values
from dynamis.electrics.series import SERIES, nearest
from dynamis.errors import InputError

ORACLE = json.loads((Path(__file__).parent.parent / "oracles" / "circuit.json").read_text())["cases"]


@pytest.mark.parametrize("name", TOPOLOGIES)
def test_every_topology_does_in_ngspice_what_it_is_said_to_do(name, tmp_path):
    """DC within 0.02 % of the span, with the same finite gain on both sides."""
    circuit = replace(SPECIMENS[name], source_ohms=1e3, load_ohms=47e3)
    line = circuit.line()

    volts = swept(netlist(circuit, -2.0, 3.0), tmp_path)

    span = abs(float(line.gain)) * 5.0
    assert len(volts) == 51
    assert np.max(np.abs(line.gain * volts[:, 0] + line.offset - volts[:, 1])) < 2e-4 * span


@pytest.mark.parametrize("name", [name for name in TOPOLOGIES if TOPOLOGIES[name].amplifiers])
@pytest.mark.parametrize("kind", ["jfet", "precision"])
def test_an_op_amp_of_a_kind_stays_within_the_error_stated_for_it(name, kind, tmp_path):
    """A macro-model with open-loop gain, offset and bias current at their limits against the stated worst case."""
    op_amp = OP_AMPS[kind]
    circuit = replace(SPECIMENS[name], source_ohms=1e3, load_ohms=47e3, op_amp=op_amp, resistor_tolerance_fraction=0.0)
    requirement = Requirement(float(circuit.line().gain), float(circuit.line().offset), -2.0, 3.0)
    stated = budget(circuit, requirement, Counting(op_amps=True))
    disturbed = {
        one.name: f"vos={op_amp.offset_limit_volts} ib={op_amp.bias_amperes}" for one in circuit.topology.amplifiers
    }

    volts = swept(netlist(circuit, -2.0, 3.0, disturbed=disturbed), tmp_path)

    off = np.abs(requirement.gain * volts[:, 0] + requirement.offset_volts - volts[:, 1]) * requirement.cents_per_volt(
        0.0
    )
    assert 0 < np.max(off) <= stated.worst_cents * 1.001 + 0.01


@pytest.mark.parametrize("case", ORACLE, ids=lambda case: case["id"])
def test_the_command_designs_what_ngspice_confirms(case, dynamis, tmp_path):
    """The published cases: gain and offset of the netlist, of the JSON, and the values' series."""
    answer = dynamis(*(one.replace("{dir}", str(tmp_path)) for one in case["args"]))

    assert answer.status == case["expect"]["exit"], answer.err
    text = (tmp_path / "circuit.cir").read_text()
    assert text == answer.json["netlist"]
    volts = swept(text, tmp_path)
    gain, offset = np.polyfit(volts[:, 0], volts[:, 1], 1)
    assert answer.json["gain"] == pytest.approx(gain, rel=2e-4)
    assert answer.json["offset_volts"] == pytest.approx(offset, abs=5e-4)
    for key, value in (("gain", gain), ("offset_volts", offset)):
        if key in case["expect"]:
            low, high = case["expect"][key]["between"]
            assert low <= value <= high
            assert low <= answer.json[key] <= high
    if "reach_volts" in case["expect"]:
        low, high = case["expect"]["reach_volts"]
        assert low - 1e-6 <= volts[:, 1].min() <= volts[:, 1].max() <= high + 1e-6
    allowed = stock(case["given"]["series"])
    resistors = [one["ohms"] for one in answer.json["parts"] if one["ohms"] is not None]
    assert all(np.isclose(allowed, ohms, rtol=1e-9).any() for ohms in resistors)
    sides = answer.json["spread"]
    assert sides["after_trim"]["p95_cents"] <= sides["before_trim"]["p95_cents"]
    assert sides["samples"] == 100_000


REFUSED = [
    (["--gain", "0", "--offset-volts", "1"], "--gain"),
    (["--gain", "1", "--offset-volts", "1", "--in-volts", "5:0"], "--in-volts"),
    (["--gain", "1", "--offset-volts", "1", "--in-volts", "5"], "--in-volts"),
    (["--gain", "1", "--offset-volts", "1", "--source-ohms", "-5"], "--source-ohms"),
    (["--gain", "1", "--offset-volts", "1", "--load-ohms", "0"], "--load-ohms"),
    (["--gain", "1", "--offset-volts", "1", "--series", "E97"], "--series"),
    (["--gain", "1", "--offset-volts", "1", "--supply-volts", "5:0"], "--supply-volts"),
    (["--gain", "1", "--offset-volts", "1", "--supply-volts", "0"], "--supply-volts"),
    (["--gain", "1", "--offset-volts", "1", "--tolerance-percent", "90"], "--tolerance-percent"),
    (["--gain", "1", "--offset-volts", "1", "--tolerance-cents", "-1"], "--tolerance-cents"),
    (["--gain", "1", "--offset-volts", "1", "--law", "hzv"], "--law"),
    (["--gain", "1", "--offset-volts", "1", "--seed", "-1"], "--seed"),
    (["--gain", "1"], "--offset-volts"),
    (["--gain", "one", "--offset-volts", "1"], "--gain"),
    (["--gain", "1", "--offset-volts", "1", "--supply-tolerance-percent", "120"], "--supply-tolerance-percent"),
]


@pytest.mark.parametrize(("arguments", "option"), REFUSED)
def test_what_cannot_be_answered_names_its_option_in_one_line(arguments, option, dynamis):
    answer = dynamis("circuit", *arguments, "--json")

    assert (answer.status, answer.out) == (2, "")
    assert option in answer.err
    assert answer.err.count("\n") == 1


WISHES = st.builds(
    Requirement,
    gain=st.floats(0.1, 8.0).map(lambda one: round(one, 4)),
    offset_volts=st.floats(-4.0, 4.0).map(lambda one: round(one, 3)),
    in_low_volts=st.sampled_from([0.0, -5.0]),
    in_high_volts=st.sampled_from([1.0, 5.0]),
    source_ohms=st.sampled_from([0.0, 1e3, 1e4]),
    load_ohms=st.sampled_from([None, 1e4, 1e5]),
    supply=st.sampled_from([Supply(), Supply(0, 5), Supply(-15, 15)]),
    series=st.sampled_from(["E24", "E96", "E192"]),
    tolerance=st.sampled_from([0.01, 0.001]),
)


@settings(max_examples=60, deadline=None)
@given(requirement=WISHES, turned=st.booleans())
def test_the_smallest_circuit_keeps_to_the_wish_or_to_what_the_supply_can_do(requirement, turned):
    requirement = replace(requirement, gain=-requirement.gain) if turned else requirement
    proposals = propose(requirement, smallest=True)
    made = proposals.suitable[0]

    low, high = requirement.supply.low, requirement.supply.high
    assert proposals.delivered or not (low + 1.5 < min(requirement.ends) and max(requirement.ends) < high - 1.5)
    assert low - 1e-3 <= min(proposals.requirement.ends) <= max(proposals.requirement.ends) <= high + 1e-3
    assume(not made.misses)  # twelve values a decade cannot always
    assert abs(made.gain_error) <= 1e-3
    assert abs(made.offset_error_volts) <= 1e-3
    values = stock(requirement.series)
    assert all(np.isclose(values, ohms, rtol=1e-9).any() for _, ohms, _ in made.circuit.resistors)


def test_series_are_those_of_the_standard():
    """IEC 60063:2015: how many values, and ones that no rounding of a geometric series gives."""
    assert [len(SERIES[name]) for name in ("E12", "E24", "E48", "E96", "E192")] == [12, 24, 48, 96, 192]
    assert {2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 8.2} <= set(SERIES["E24"])
    assert 9.20 in SERIES["E192"]
    assert {1.02, 1.05, 4.99, 9.76} <= set(SERIES["E96"])


def test_two_resistors_come_nearer_than_one():
    values = stock("E12")
    off = [abs(one.total / 61.9e3 - 1.0) for one in choices(61.9e3, values, True)]

    assert min(off) < 0.002 < min(abs(values / 61.9e3 - 1.0))
    assert choices(3.0, values, True) == []  # under 10 Ω nothing is offered
    assert [one.ohms for one in choices(4.6e3, stock("E12", (1e3, 4.7e3)), False)] == [(4.7e3,), (1e3,)]  # the drawer


@pytest.mark.parametrize(
    "name", [name for name in ORDER if name not in ("follower", "inverting", "biased-inverting", "non-inverting")]
)
def test_trimmers_reach_every_corner_and_ngspice_agrees_after_trimming(name, tmp_path):
    """A circuit with parts at random limits, its trimmers set by readings, then measured by ngspice."""
    requirement = Requirement(0.37, 1.676) if name != "biased-non-inverting" else Requirement(1.2, 2.0)
    made = propose_one(TOPOLOGIES[name], requirement)
    assert {one.role for one in made.trims} == {"scale", "offset"}
    assert all(one.reach >= one.needed > 0 for one in made.trims)
    rng = np.random.default_rng(7)
    values = {
        one.key: one.nominal + one.limit * rng.choice([-1.0, 1.0])
        for one in varied_in(made.circuit, Counting(op_amps=False))
    }
    travel = {key: float(one) for key, one in Trimming(made.circuit, requirement).set(values).items()}
    real = made.circuit.fitting(
        **{slot: replace(one, ohms=tuple(values[part] for part in one.names(slot))) for slot, one in made.circuit.slots}
    )

    volts = swept(netlist(real, requirement.in_low_volts, requirement.in_high_volts, travel=travel), tmp_path)

    worst = spread(made.circuit, requirement, samples=20_000).after.worst
    off = np.abs(requirement.gain * volts[:, 0] + requirement.offset_volts - volts[:, 1]) * requirement.cents_per_volt(
        0.0
    )
    assert np.max(off) <= worst * 1.2 + 0.05


def test_the_pivot_is_where_the_scale_trimmer_moves_nothing():
    """Of a divider with a bias, it is where the output equals the input: 1.676/(1 − 0.37) V."""
    made = propose_one(TOPOLOGIES["attenuator-follower"], Requirement(0.37, 1.676))
    scale = next(one for one in made.trims if one.role == "scale")

    assert scale.pivot_volts == pytest.approx(1.676 / 0.63, abs=0.02)
    outs = [made.circuit.line({scale.name: travel}) for travel in (0.2, 0.8)]
    at_pivot = [float(one.gain * scale.pivot_volts + one.offset) for one in outs]
    assert abs(at_pivot[0] - at_pivot[1]) < 0.02 * abs(float(outs[0].gain - outs[1].gain))


def test_samples_are_what_single_circuits_would_be():
    """A million at once equal one after another, and the worst case bounds them all."""
    made = propose_one(TOPOLOGIES["inverting-pair"], Requirement(0.8, 0.2, tolerance=0.001))
    rng = np.random.default_rng(3)
    many = {
        one.key: one.nominal + one.limit * rng.uniform(-1, 1, 40)
        for one in varied_in(made.circuit, Counting(op_amps=False))
    }

    line = made.circuit.line(many)
    single = [made.circuit.line({key: float(row[k]) for key, row in many.items()}) for k in range(40)]

    assert line.gain == pytest.approx([float(one.gain) for one in single], rel=1e-12)
    drawn = spread(made.circuit, made.requirement, samples=20_000)
    stated = budget(made.circuit, made.requirement, Counting(op_amps=False))
    assert drawn.before.worst <= stated.worst_cents + 1e-6
    assert (
        0.5 * stated.rss_cents < np.sqrt(np.mean(drawn.before.cents**2)) < 1.6 * stated.rss_cents + made.nominal_cents
    )
    again = spread(made.circuit, made.requirement, samples=20_000)
    assert np.array_equal(again.before.cents, drawn.before.cents)
    assert not np.array_equal(
        spread(made.circuit, made.requirement, samples=20_000, seed=2).before.cents, drawn.before.cents
    )


def test_the_yield_falls_as_the_tolerance_of_the_parts_widens():
    made = propose_one(TOPOLOGIES["non-inverting"], Requirement(2.0, tolerance=0.001))
    yields = [
        spread(replace(made.circuit, resistor_tolerance_fraction=one), made.requirement, samples=20_000).before.within
        for one in (0.0005, 0.001, 0.002, 0.005, 0.01)
    ]

    assert yields == sorted(yields, reverse=True)
    assert yields[0] == 1.0 > yields[-1]


def test_the_rail_an_offset_hangs_on_moves_the_pitch_and_a_reference_does_not():
    """5 % of a rail behind 1.676 V is 84 mV, 272 cents at 0.37 V/oct; a 0.2 % reference a twenty-fifth of that."""
    rail = Requirement(0.37, 1.676, supply=Supply(-12, 12, 0.05), tolerance=1e-6, tolerance_cents=1e6)
    held = replace(rail, reference_volts=5.0)
    by_rail, by_reference = (
        budget(propose_one(TOPOLOGIES["attenuator-follower"], one).circuit, one, Counting(op_amps=False))
        for one in (rail, held)
    )

    assert by_rail.parts[0].cents == pytest.approx(0.05 * 1.676 / 0.37 * 1200, rel=1e-3)
    assert by_reference.parts[0].cents == pytest.approx(0.002 * 1.676 / 0.37 * 1200, rel=1e-3)


def test_drift_is_what_trimming_leaves():
    requirement = Requirement(0.37, 1.676, resistor_per_kelvin=50e-6)
    made = propose_one(TOPOLOGIES["attenuator-follower"], requirement)
    cold, warm = (
        spread(made.circuit, requirement, Counting(op_amps=False, kelvin=one), samples=10_000).after
        for one in (0.0, 10.0)
    )

    assert cold.p95_cents < 0.5 < warm.p95_cents


def test_a_node_in_the_air_is_refused():
    net = Network((Branch("R1", "a", "b"), Branch("R2", "a", "b")), (), ("in",))
    with pytest.raises(InputError, match="hangs in the air"):
        net.solve("in", "b", {"R1": 1e3, "R2": 1e3}, Held({}))


def test_the_parts_list_counts_equal_parts_and_prices_them():
    made = propose_one(TOPOLOGIES["inverting-pair"], Requirement(2.0, -5.0))
    rows = parts_list(pieces_of(made.circuit))

    assert sum(row.quantity for row in rows) == len(made.circuit.resistors) + 2 + 2 + 2  # trimmers, op-amps, decoupling
    hundred = next(row for row in rows if row.value == "100 kΩ")
    text = parts_csv(rows, {"100 kΩ": 0.07})
    assert f"{hundred.quantity},{hundred.kind},100 kΩ" in text
    assert f"0.07,{round(0.07 * hundred.quantity, 4)}" in text
    assert parts_csv(rows).splitlines()[0] == "quantity,kind,value,names,role"


@pytest.mark.parametrize("offset", [3e-4, -8e-4, 1.5e-3, -3e-3, 8e-3, -0.02, 0.05])
@pytest.mark.parametrize(("gain", "source"), [(1.0, 1e4), (-0.3, 1e4), (0.5, 1e3), (-1.0, 100.0), (2.0, 0.0)])
def test_a_slight_offset_from_a_high_rail_is_made_too(gain, source, offset):
    """By a stage of fewer ohms, two resistors in series, or left out where it is within what counts as done."""
    proposals = propose(Requirement(gain, offset, 0.2, 5.0, source_ohms=source, supply=Supply(-15, 15)), smallest=True)
    made = proposals.suitable[0]
    assert proposals.delivered
    assert abs(made.gain_error) <= 1e-3
    assert abs(made.offset_error_volts) <= 1e-3
    values = stock("E96")
    assert all(np.isclose(values, ohms, rtol=1e-9).any() for _, ohms, _ in made.circuit.resistors)


@pytest.mark.parametrize("name", ["inverting-pair", "difference", "biased-non-inverting", "summer"])
def test_the_worst_corner_is_the_worst_of_all_samples(name):
    """Also where so many things vary that not every corner can be tried: no sample passes it."""
    circuit = replace(SPECIMENS[name], op_amp=OP_AMPS["jfet"], supply=Supply(-12, 12, 0.05))
    if name == "inverting-pair":
        circuit = circuit.fitting(R1=Fitted((30e3, 32e3)), R2=Fitted((12e3, 12.3e3)), R5=Fitted((47e3, 53e3)))
    varied = varied_in(circuit, Counting())
    assert (len(varied) > 12) == (name == "inverting-pair")
    cornered = circuit.line(corner_values(varied, circuit))
    nominal, rng = circuit.line(), np.random.default_rng(11)
    drawn = at(varied, {one.key: rng.uniform(-1, 1, 20_000) for one in varied})
    sampled = circuit.line(drawn)
    for one in ("gain", "offset"):
        middle = float(getattr(nominal, one))
        assert np.max(np.abs(getattr(sampled, one) - middle)) <= np.max(np.abs(getattr(cornered, one) - middle))


@pytest.mark.parametrize(
    ("name", "slot", "factor"),
    [
        ("attenuator-follower", "R1", 1.3),
        ("attenuator-follower", "R2", 0.8),
        ("attenuator-follower", "R3", 1.1),
        ("inverting-pair", "R1", 0.7),
        ("inverting-pair", "R5", 2.0),
        ("difference", "R2", 1.2),
        ("difference", "R3", 0.9),
    ],
)
def test_what_is_kept_stays_and_the_rest_is_worked_out_round_it(name, slot, factor):
    requirement = Requirement(0.37, 1.676, op_amp=OP_AMPS["jfet"])
    free = propose_one(TOPOLOGIES[name], requirement)
    kept = Fitted((nearest(factor * free.circuit.by_slot[slot].ohms[0], "E24"),))
    made = propose_one(TOPOLOGIES[name], requirement, locked={slot: kept})
    assert made.circuit.by_slot[slot].ohms == kept.ohms
    line = made.circuit.line()
    assert float(line.gain) == pytest.approx(0.37, rel=0.02)
    assert float(line.offset) == pytest.approx(1.676, rel=0.02)
    assert all(one.reach >= one.needed for one in made.trims)
    assert spread(made.circuit, made.requirement, samples=2000).after.p95_cents < 12.0


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--gain", "1", "--offset-volts", "0"], ["gain 1.0000", "Before trimming"]),
        (
            ["--gain", "0.37", "--offset-volts", "1.676"],
            ["gain 0.3700", "offset 1.676", "25 turns", "ct a turn", "After:"],
        ),
        (["--gain", "-0.5", "--offset-volts", "2.5", "--series", "E24"], ["nverting", "U1", "decoupling"]),
        (
            ["--gain", "1000", "--offset-volts", "0"],
            ["cannot deliver", "the nearest that can be done", "what is wanted"],
        ),
    ],
)
def test_the_command_prints_for_people(arguments, words, dynamis):
    answer = dynamis("circuit", *arguments)
    assert answer.status == (1 if "cannot deliver" in words else 0)
    for one in words:
        assert one in answer.out
    assert all(len(line) < 140 for line in answer.out.splitlines())


def test_later_is_what_the_changes_alone_make_of_a_trimmed_circuit():
    """Each change at its limit by hand: the load through Kirchhoff's law, the parts as a divider, the rail as offset."""
    requirement = Requirement(0.5, in_high_volts=10.0, source_ohms=0.0, load_ohms=100e3, tolerance=0.0)
    soft = propose_one(TOPOLOGIES["resistors"], requirement)
    lower = 1.0 / (1.0 / soft.circuit.by_slot["R2"].total + 1e-5)
    upper = soft.circuit.by_slot["R1"].total
    moved = [
        lower_of / (lower_of + upper)
        for lower_of in (lower, 1.0 / (1.0 / soft.circuit.by_slot["R2"].total + 1e-5 / 0.95))
    ]
    assert load_cents(soft.circuit, requirement) == pytest.approx(10.0 * abs(moved[1] - moved[0]) * 2400, rel=1e-6)
    assert soft.is_soft
    assert soft.later.decides == "load"
    assert soft.later.worst <= load_cents(soft.circuit, requirement) + 10.0 * 2400 * 2 * 5e-4 * 0.25 * 2 + 1.0
    assert propose(requirement, smallest=True).suitable[0].circuit.topology.amplifiers  # the stiff one comes first
    assert (
        propose(replace(requirement, load_tolerance_fraction=0.0), smallest=True).suitable[0].circuit.topology.name
        == "resistors"
    )


@pytest.mark.parametrize(
    ("values", "topology", "taken", "reached"),
    [
        ({"gain": 0.37, "offset_volts": 1.676}, "attenuator-follower", "reference", None),
        ({"gain": 0.37, "offset_volts": 1.676, "offset_from": "rail"}, "attenuator-follower", "rail", None),
        ({"gain": 0.37, "offset_volts": 1.676, "tolerance_cents": 500.0}, None, "rail", None),
        ({"gain": 1.2}, "non-inverting", None, None),
        # ± 12 V less 1.5 V are 10.5 V, and 4 · 2.625 V are that.
        ({"gain": 4.0}, "non-inverting", None, (0.0, 2.625)),
    ],
)
def test_an_offset_that_sets_pitch_comes_from_a_reference_and_the_supplys_end_keeps_gain(
    values, topology, taken, reached
):
    found = propose(Requirement(**values), smallest=True)
    assert found.suitable[0].offset_from == taken
    assert topology in (None, found.suitable[0].circuit.topology.name)
    assert found.reached_in_volts == (reached if reached is None else pytest.approx(reached))
    assert found.suitable[0].circuit.line().gain == pytest.approx(values["gain"], rel=1.1e-3)
