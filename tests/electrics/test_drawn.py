"""The schematic, the walk through the trimmers, and loaded potentiometers: each against the network or ngspice."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from tests.electrics.drawn import joined
from tests.electrics.specimens import SPECIMENS
from tests.electrics.spice import ngspice, swept

from dynamis.electrics.circuits.built import BuiltCircuit
from dynamis.electrics.circuits.network import GROUND
from dynamis.electrics.circuits.parts import pieces_of
from dynamis.electrics.circuits.schematic import schematic
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import INPUT, JACK, OUT, RAIL, TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting, varied_in
from dynamis.electrics.design.later import rail_cents
from dynamis.electrics.design.proposal import ORDER, Proposal, propose, propose_one, with_values
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.summer import propose_summer, summer, with_switches
from dynamis.electrics.design.trims import corner_values
from dynamis.electrics.design.walk import walk
from dynamis.electrics.potentiometer import LoadedPot, straightenings
from dynamis.errors import InputError
from dynamis.transfer.registry import REGISTRY


def node_of(circuit, name: str) -> str:
    """A node by the name that it has where unused slots are wires."""
    for slot in circuit.topology.slots:
        if slot.place == "feedback" and slot.name not in circuit.by_slot and name == slot.b:
            return slot.a
    return name


@pytest.mark.parametrize("name", TOPOLOGIES)
def test_what_is_drawn_is_what_is_solved(name):
    """Ends of parts that share a node of the network are joined in the drawing, and no others."""
    circuit = replace(SPECIMENS[name], source_ohms=1e3, load_ohms=47e3)
    drawn = schematic(circuit)
    place = joined(drawn)
    found: dict[str, set[int]] = {}
    by_slot: dict[str, list] = {}
    for symbol in drawn.symbols:
        if symbol.slot:
            by_slot.setdefault(symbol.slot, []).append(symbol)
    assert set(by_slot) == set(circuit.by_slot)
    for slot_name, symbols in by_slot.items():
        slot = circuit.topology.slot(slot_name)
        ends = [place[symbols[0].at], place[symbols[-1].to]]
        if len(symbols) == 2:
            assert symbols[1].kind == "trimmer"
            assert place[symbols[0].to] == place[symbols[1].at]
        # Which end is which does not show on a resistor; ground and rails are drawn once for each.
        inner = [node for node in (slot.a, slot.b) if node not in (GROUND, RAIL)]
        for node in inner:
            found.setdefault(node_of(circuit, node), set()).add(frozenset(ends))
    for node, sets in found.items():
        common = frozenset.intersection(*sets)
        assert common, f"{node} is drawn apart: {sets}"
    for first, second in itertools.combinations(found, 2):
        if len(found[first]) > 1 and len(found[second]) > 1:
            assert frozenset.intersection(*found[first]) != frozenset.intersection(*found[second]) or {
                first,
                second,
            } <= {JACK, INPUT, OUT}
    kinds = [one.kind for one in drawn.symbols]
    assert kinds.count("op-amp") == len(circuit.topology.amplifiers)
    assert kinds.count("trimmer") == len(circuit.trimmers)
    assert kinds.count("terminal") == 2 + sum(
        one.a.startswith("in") for one in circuit.topology.slots if one.name in circuit.by_slot
    )
    grounds = sum(GROUND in (circuit.topology.slot(slot).a, circuit.topology.slot(slot).b) for slot in circuit.by_slot)
    grounds += sum(one.plus == GROUND for one in circuit.topology.amplifiers)
    assert kinds.count("ground") == grounds
    assert all(0 <= x <= drawn.width and 0 <= y <= drawn.height for one in drawn.symbols for x, y in (one.at, one.to))


@pytest.mark.parametrize("name", ["attenuator-follower", "inverting-pair", "difference", "resistors"])
def test_the_walk_sets_the_worst_parts_as_it_says(name, tmp_path):
    """One round after another by the readings of the walk, on parts at a random corner, measured by ngspice."""
    requirement = Requirement(0.37, 1.676, 0.2, 5.2)
    made = propose_one(TOPOLOGIES[name], requirement)
    varied = varied_in(made.circuit, Counting(op_amps=False))
    steps = walk(made, varied)
    corners = corner_values(varied, made.circuit)
    pick = 7 % np.asarray(next(iter(corners.values()))).size
    values = {
        key: float(np.broadcast_to(one, np.asarray(corners[varied[0].key]).shape)[pick]) for key, one in corners.items()
    }
    real = made.circuit.fitting(
        **{slot: replace(one, ohms=tuple(values[part] for part in one.names(slot))) for slot, one in made.circuit.slots}
    )
    travel = {one.trim.name: 0.5 for one in steps.steps}
    for _ in range(steps.rounds):
        for step in steps.steps:
            for _ in range(3):  # a hand turns until the reading is right
                line = real.line(travel)
                off = float(line.gain) * step.send_volts + float(line.offset) - step.read_volts
                travel[step.trim.name] -= off / (step.volts_per_turn * step.trim.turns)
    assert all(0.0 < one < 1.0 for one in travel.values())
    volts = swept(netlist(real, requirement.in_low_volts, requirement.in_high_volts, travel=travel), tmp_path)
    off = np.abs(requirement.gain * volts[:, 0] + requirement.offset_volts - volts[:, 1]) * requirement.cents_per_volt(
        0.0
    )
    assert np.max(off) <= steps.left_cents + 0.1


def test_a_circuit_without_trimmers_has_nothing_to_walk_through():
    assert walk(propose_one(TOPOLOGIES["follower"], Requirement(1.0)), []) is None


def test_the_offset_is_set_at_the_pivot_and_the_scale_furthest_from_it():
    made = propose_one(TOPOLOGIES["attenuator-follower"], Requirement(0.37, 1.676, 0.2, 5.2))
    offset, scale = walk(made, varied_in(made.circuit, Counting(op_amps=False))).steps
    assert (offset.trim.role, scale.trim.role) == ("offset", "scale")
    assert offset.send_volts == pytest.approx(1.676 / 0.63, abs=0.02)
    assert offset.read_volts == pytest.approx(offset.send_volts, abs=0.02)  # there the output is the input
    assert (scale.send_volts, scale.read_volts) == (5.2, pytest.approx(3.6))


@pytest.mark.parametrize(
    ("gain", "offset", "supply", "words"),
    [
        (1000.0, 0.0, Supply(), "± 12 V"),
        (1.0, 40.0, Supply(), "± 12 V"),
        (-2.0, -30.0, Supply(), "± 12 V"),
        (1.0, -8.0, Supply(0, 5), "5 V"),
    ],
)
def test_an_impossible_wish_gets_the_nearest_that_can_be_done(gain, offset, supply, words):
    """The least worst error over the input range, within the supply; the wish is kept beside it."""
    asked = Requirement(gain, offset, supply=supply)
    found = propose(asked, smallest=True)
    assert not found.delivered
    assert found.requested == asked
    assert found.requested.supply.words == words
    low, high = supply.low, supply.high
    assert low - 1e-6 <= min(found.requirement.ends) <= max(found.requirement.ends) <= high + 1e-6
    worst = max(abs(a - b) for a, b in zip(found.requirement.ends, asked.ends, strict=True))
    nearest = max(max(0.0, one - high, low - one) for one in asked.ends)
    assert nearest <= worst <= nearest + 1.5 + 0.5 * abs(asked.ends[1] - asked.ends[0]) * 1e-3 + 1e-6


def test_a_part_that_is_changed_changes_what_is_told():
    from dynamis.electrics.circuits.circuit import Fitted

    made = propose_one(TOPOLOGIES["inverting"], Requirement(-1.0, 5.0))
    other = with_values(made, R2=Fitted((10e3,)))
    assert isinstance(other, Proposal)
    assert abs(float(other.circuit.line().gain)) < 0.6
    assert other.nominal_cents > 100 * made.nominal_cents + 10
    assert [one.name for one in other.trims] == [one.name for one in made.trims]
    for wrong in ((), (0.0,), (-5.0,), (1.0, 2.0, 3.0), (float("nan"),)):
        with pytest.raises(InputError, match="one or two resistors of more than 0 Ω"):
            Fitted(wrong)


@pytest.mark.parametrize("kind", ["jfet", "precision", "rail-to-rail"])
def test_what_an_op_amp_draws_and_reaches_is_told(kind):
    supply = Supply(0, 5) if kind == "rail-to-rail" else Supply()
    made = propose_one(
        TOPOLOGIES["follower"],
        Requirement(1.0, in_low_volts=0.5, in_high_volts=3.0, supply=supply, op_amp=OP_AMPS[kind], load_ohms=None),
    )
    assert made.supply_amperes == pytest.approx(OP_AMPS[kind].supply_amperes)
    low, high = OP_AMPS[kind].swing(supply)
    assert supply.low < low < high < supply.high
    with pytest.raises(InputError, match="leave their working range"):
        propose_one(
            TOPOLOGIES["follower"],
            Requirement(1.0, in_low_volts=0.0, in_high_volts=high + 1.0, supply=supply, op_amp=OP_AMPS[kind]),
        )


@pytest.mark.parametrize(
    "pot", [LoadedPot(100e3, 12.0, 10e3, 12e3), LoadedPot(22e3, 5.0, 0.0, 22e3), LoadedPot(47e3, 5.0, 1e3, 100e3)]
)
def test_a_loaded_potentiometer_is_straightened_as_it_says(pot, tmp_path):
    """Both ways asked of ngspice at three places of the travel."""
    directions = {one.kind: one for one in straightenings(pot)}
    assert directions["lower"].ohms < pot.ohms
    assert directions["lower"].bend <= 0.05 < abs(pot.bend[1])
    assert directions["upper"].bend < abs(pot.bend[1])
    for kind, direction in directions.items():
        total = direction.ohms if kind == "lower" else pot.ohms
        found = []
        for travel in (1e-4, 0.5, 1.0 - 1e-4):
            lines = [
                f"V1 f 0 {pot.fed_volts}",
                f"R1 f t {max(pot.fed_ohms, 1e-3)}",
                f"R2 t w {(1 - travel) * total}",
                f"R3 w 0 {travel * total}",
                f"R4 w 0 {pot.load_ohms}",
            ]
            if kind == "upper":
                lines.append(f"R5 w t {direction.ohms}")
            found.append(ngspice(lines, "w", tmp_path))
        assert found[2] == pytest.approx(direction.reach_volts, rel=2e-3)
        middle = (found[1] - found[0]) / (found[2] - found[0])
        assert abs(middle - 0.5) <= direction.bend + 2e-3


def test_a_summer_adds_octaves_semitones_and_other_pitches(tmp_path):
    """FACTS of the trade: adding a volt transposes by an octave, a twelfth of one by a semitone; asked of ngspice."""
    requirement = Requirement(1.0, source_ohms=1000.0, reference_volts=5.0)
    made = summer(requirement, 3, octaves=1.0, semitones=1.0)
    found = {}
    for octave, semitone in itertools.product((False, True), repeat=2):
        volts = swept(netlist(with_switches(made, octave=octave, semitones=semitone), 0.0, 4.0), tmp_path)
        found[octave, semitone] = np.polyfit(volts[:, 0], volts[:, 1], 1)
    bare = found[False, False]
    assert bare == pytest.approx([1.0, 0.0], abs=5e-4)
    assert found[True, False][1] - bare[1] == pytest.approx(1.0, abs=1e-3)
    assert found[False, True][1] - bare[1] == pytest.approx(1 / 12, abs=2e-4)
    assert found[True, True][1] - bare[1] == pytest.approx(13 / 12, abs=1e-3)
    other = made.line({"in2": 0.5}).offset - made.line({"in2": 0.0}).offset
    assert float(other) == pytest.approx(0.5 * 100 / 99, rel=2e-3)  # 99 kΩ and no sender's kilohm in this sum
    # The first case again at another scale, with an offset either way: an octave is then 0.37 V.
    for offset in (1.25, -0.4):
        scaled = summer(Requirement(0.37, offset, reference_volts=5.0), 2, octaves=1.0)
        lines = []
        for octave in (False, True):
            deck = netlist(with_switches(scaled, octave=octave, semitones=False), 0.0, 4.0)
            lines.append(np.polyfit(*swept(deck, tmp_path).T, 1))
        assert lines[0] == pytest.approx([0.37, offset], abs=5e-4)
        assert lines[1][1] - lines[0][1] == pytest.approx(0.37, abs=1e-3)
        assert float(scaled.line({"in2": 1.0}).offset - scaled.line().offset) == pytest.approx(0.37, rel=2e-2)
    for count, words in ((0, "1 to 3"), (4, "1 to 3")):
        with pytest.raises(InputError, match=words):
            summer(requirement, count)
    for wrong, words in (
        (replace(requirement, supply=Supply(0, 5)), "two rails"),
        (replace(requirement, gain=-1.0), "positive gain"),
        (Requirement(1.0, 0.0, 1.0, 5.0, zero_volts=0.0), "does not transpose"),
        (replace(requirement, in_high_volts=10.0), "11"),
    ):
        with pytest.raises(InputError, match=words):
            summer(wrong, 2, octaves=1.0)


def test_a_summer_is_proposed_with_a_trimmer_that_reaches():
    proposals = propose_summer(Requirement(1.0, op_amp=OP_AMPS["precision"]), 2, 1.0, 1.0)
    made = proposals.suitable[0]
    assert {one.topology.name for one in proposals.rejected} == set(ORDER)
    assert made.nominal_cents < 1.0
    (trim,) = made.trims
    assert trim.reach >= 1.1 * trim.needed > 0
    switched = [one.name for one in pieces_of(made.circuit) if one.kind == "switch"]
    assert switched == ["S1", "S2"]
    kept = REGISTRY.make("c", BuiltCircuit("c", with_switches(made.circuit, octave=True, semitones=False)).stored())
    assert kept.circuit.closed == {"R8"}
    assert kept.offset_volts == pytest.approx(1.0, abs=2e-3)
    assert len(propose_summer(replace(Requirement(1.0), tolerance=0.0), 2, 0.0, 0.0).suitable[0].trims) == 0


def test_a_reference_is_proposed_where_the_rail_would_move_the_pitch():
    """5 % of 12 V behind 1.676 V at 0.37 V/oct is 272 cents; with rails that hold nothing is added."""
    rails = propose(Requirement(0.37, 1.676, supply=Supply(-12, 12, 0.05)))
    keys = [one.key for one in rails.suitable]
    assert "attenuator-follower" in keys
    assert "attenuator-follower+reference" in keys
    by_key = {one.key: one for one in rails.suitable}
    assert by_key["attenuator-follower"].rail_cents == pytest.approx(272, abs=8)
    assert by_key["attenuator-follower+reference"].rail_cents < 15
    assert "5 V reference" in by_key["attenuator-follower+reference"].title
    # A rail of which nothing is known moves by half a per cent: 5 ct/5 allowed, 0.005 · 1.676 V · 1200/0.37 = 27 ct.
    held = propose(Requirement(0.37, 1.676))
    assert held.suitable[0].key == "attenuator-follower+reference"
    assert rail_cents(by_key["attenuator-follower"].circuit, Requirement(0.37, 1.676)) > 20
    assert not any("reference" in one.key for one in propose(Requirement(0.37, 1.676, offset_from="rail")).suitable)
