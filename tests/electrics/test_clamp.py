"""Clamps at a circuit's output: none where none is needed, no error until they hold, and what ngspice says of them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.electrics.drawn import joined
from tests.electrics.specimens import SPECIMENS
from tests.electrics.spice import swept

from dynamis.electrics.circuits.built import BuiltCircuit
from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.clamp import LOOP_OHMS, Clamp
from dynamis.electrics.circuits.parts import pieces_of
from dynamis.electrics.circuits.schematic import schematic
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.design.proposal import propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.errors import InputError
from dynamis.transfer.parameter import NOMINAL

BEARS = Clamp(-0.3, 5.3)


@pytest.mark.parametrize("name", ["follower", "non-inverting", "inverting-pair", "attenuator-follower"])
def test_a_clamp_holds_in_ngspice_and_costs_nothing_before(name, tmp_path):
    """Between the rails of its diodes the output is as without it; beyond, no further than a few tenths of a volt."""
    circuit = replace(SPECIMENS[name], source_ohms=1e3, load_ohms=47e3, clamp=BEARS)
    line = circuit.line()
    ends = sorted((volts - float(line.offset)) / float(line.gain) for volts in (-9.0, 9.0))

    volts = swept(netlist(circuit, *ends), tmp_path)

    wanted = line.gain * volts[:, 0] + line.offset
    inside = (wanted >= 0.0) & (wanted <= 5.0)
    assert np.count_nonzero(inside) > 5
    assert np.max(np.abs(wanted - volts[:, 1])[inside]) < 2e-4 * 18.0
    assert -0.45 < volts[:, 1].min() < -0.25
    assert 5.2 < volts[:, 1].max() < 5.45


@pytest.mark.parametrize(
    ("absolute_limits", "supply", "names"),
    [
        (Clamp(), Supply(), []),
        (Clamp(-20, 20), Supply(), []),
        (Clamp(-0.3, 5.3), Supply(), ["RC", "D1", "D2"]),
        (Clamp(None, 3.6), Supply(), ["RC", "D2"]),
        (Clamp(-0.3, 5.3), Supply(0, 5), []),
        (Clamp(-0.3, 5.3), Supply(0, 5, 0.1), ["RC", "D2"]),
        (Clamp(-0.3, 4.0), Supply(0, 5), ["RC", "D2"]),
    ],
)
def test_only_what_the_supply_could_pass_is_clamped(absolute_limits, supply, names):
    kind = OP_AMPS["rail-to-rail" if supply.single else "ideal"]
    made = propose_one(
        TOPOLOGIES["follower"],
        Requirement(1.0, 0, 0.2, 3.0, supply=supply, op_amp=kind, absolute_limits=absolute_limits),
    )
    found = [one.name for one in pieces_of(made.circuit) if one.kind == "diode" or one.name == "RC"]
    assert found == names
    assert made.count == 1 + len(names)
    drawn = [one.words[0] for one in schematic(made.circuit).symbols if one.kind == "diode" or one.words[:1] == ("RC",)]
    assert sorted(drawn) == sorted(names)


def test_resistors_are_clamped_only_where_their_sender_could_pass():
    passive = TOPOLOGIES["resistors"]
    inside = propose_one(passive, Requirement(0.5, 0, 0, 5, absolute_limits=Clamp(-0.3, 3.6))).circuit
    beyond = propose_one(passive, Requirement(0.5, 0, 0, 5, absolute_limits=Clamp(-0.3, 2.6))).circuit
    assert (inside.clamp, beyond.clamp, beyond.loop_ohms) == (Clamp(), Clamp(None, 2.6), 0.0)


def test_a_clamp_is_drawn_where_it_is_soldered():
    """The resistor between the op-amp and its feedback, the diodes on the receiver's side, cathodes upwards."""
    circuit = replace(SPECIMENS["non-inverting"], clamp=Clamp(-0.3, 3.6))
    drawn = schematic(circuit)
    place = joined(drawn)
    by_name = {one.words[0]: one for one in drawn.symbols if one.kind in ("diode", "resistor", "op-amp")}
    out = place[next(one.at for one in drawn.symbols if one.kind == "terminal" and one.at == one.to)]
    assert place[by_name["RC"].to] == out != place[by_name["RC"].at]
    assert place[by_name["RC"].at] == place[by_name["U1"].to]
    feedback = by_name["R2"]
    assert out in (place[feedback.at], place[feedback.to])
    assert place[by_name["D1"].to] == out == place[by_name["D2"].at]
    assert all(one.to[1] < one.at[1] for name, one in by_name.items() if name.startswith("D"))
    assert place[by_name["D1"].at] in {place[one.at] for one in drawn.symbols if one.kind == "ground"}


def test_a_load_behind_the_loop_resistor_takes_from_the_swing():
    """Derived: the op-amp gives (load + 1 kΩ)/load of what the receiver gets."""
    bare = Circuit(TOPOLOGIES["follower"], load_ohms=4e3)
    held = replace(bare, clamp=Clamp(-11.0, 11.0))
    assert held.limits == pytest.approx([one * 4e3 / (4e3 + LOOP_OHMS) for one in bare.limits])


def test_crossed_limits_are_refused():
    with pytest.raises(InputError, match="lower end first"):
        Clamp(5.0, -0.3)


def test_behind_resistors_a_diode_bends_the_volts_from_its_rail_on(tmp_path):
    """ngspice: up to the rail of the diode within 1 %, half-way to the limit already well off; with an op-amp not."""
    high = 2.6
    found = {}
    for name in ("resistors", "attenuator-follower"):
        requirement = Requirement(0.5, 0.0, 0.0, 5.2, load_ohms=None, absolute_limits=Clamp(None, high))
        circuit = propose_one(TOPOLOGIES[name], replace(requirement, source_ohms=0.0)).circuit
        assert circuit.clamp.high == high
        volts = swept(netlist(circuit, 0.0, 5.2), tmp_path)
        found[name] = np.interp([high - 0.31, high - 0.1], 0.5 * volts[:, 0], volts[:, 1] - 0.5 * volts[:, 0])
        ends = BuiltCircuit("c", circuit).limits(NOMINAL)
        assert float(ends[1]) == pytest.approx(high if circuit.topology.amplifiers else high - 0.3)
    assert abs(found["resistors"][0]) < 0.025 < 0.05 < abs(found["resistors"][1])
    assert np.max(np.abs(found["attenuator-follower"])) < 2e-3
