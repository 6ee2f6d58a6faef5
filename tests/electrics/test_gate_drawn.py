"""Drawings of circuits for gates against the netlists that ngspice runs, and circuits side by side."""

from __future__ import annotations

import itertools

import pytest
from tests.electrics.drawn import joined

from dynamis.electrics.gates.circuits import gate_circuit, gate_circuits
from dynamis.electrics.gates.levels import judge_gate
from dynamis.electrics.gates.pulse import pulsing
from dynamis.electrics.gates.schematic import gate_schematic
from dynamis.electrics.gates.specs import parse_gate_input, parse_gate_output, parse_supplies
from dynamis.electrics.gates.spice import circuit_lines
from dynamis.electrics.gates.stretcher import stretching
from dynamis.electrics.series import SERIES

GATE, SHORTING = "off_volts=0.8,on_volts=2.0", "kind=shorting,pullup_volts=5,on_volts=0.8,off_volts=2"
CASES = {
    "divider": ("low_volts=0,high_volts=10,ohms=100", GATE + ",max_volts=3.6", "12"),
    "resistor and clamp": ("low_volts=-5,high_volts=5", GATE + ",min_volts=-0.3,max_volts=3.6", "12"),
    "diode and divider": ("low_volts=-5,high_volts=5", GATE + ",min_volts=-0.3,max_volts=3.6", "12"),
    "logic buffer": ("low_volts=0,high_volts=3.3", "off_volts=1.5,on_volts=3.5", "0:5"),
    "logic buffer, ahead a divider": (
        "low_volts=-9,high_volts=9",
        GATE + ",ohms=10000,min_volts=-0.3,max_volts=5.5",
        "0:5",
    ),
    "buffer": ("low_volts=0,high_volts=5,ohms=100000", "off_volts=1,on_volts=2,ohms=22000", "12"),
    "transistor to ground": ("low_volts=0,high_volts=5", SHORTING, "12"),
    "transistor, of a contact": ("kind=switch", GATE + ",max_volts=3.6", "12"),
    "amplifier": ("low_volts=0,high_volts=1.2", "off_volts=1,on_volts=2", "12"),
    "comparator": ("low_volts=2,high_volts=4", "off_volts=1,on_volts=6", "12"),
    "comparator and divider": ("low_volts=0,high_volts=1.2", "off_volts=1,on_volts=2", "12"),
    "comparator and divider, ahead a divider": (
        "low_volts=-15,high_volts=15,ohms=20000",
        "off_volts=-1,on_volts=2,ohms=1000",
        "12",
    ),
    "comparator and divider, of a contact": ("kind=switch", "off_volts=1,on_volts=2", "12"),
    "comparator and MOSFET to ground": ("low_volts=0,high_volts=1.2", SHORTING, "12"),
}
FIXED = {"0", "vcc", "vee"}


def specs(case: str):
    source, sink, rails = CASES[case]
    return parse_gate_output(source), parse_gate_input(sink), 1, parse_supplies((rails,))


@pytest.mark.parametrize("case", [*CASES, "stretcher", "pulse from a rise"])
def test_what_is_drawn_is_what_ngspice_runs(case):
    """Every resistor is drawn, and those that share a node of the netlist share one in the drawing, and no others."""
    contact = case.endswith("contact")
    if case == "stretcher":
        name, parts = case, stretching(*specs("resistor and clamp")[:3], 0.004, None).parts
    elif case == "pulse from a rise":
        name, parts = (
            case,
            pulsing(*specs("transistor to ground")[:1], parse_gate_input("off_volts=1,on_volts=2"), 1, 1e-3, 1e-2)[
                0
            ].parts,
        )
    else:
        name = case.split(", ")[0]
        made = next(one for one in gate_circuits(*specs(case)) if one.name == name)
        parts = made.parts
    drawn = gate_schematic(name, parts, contact=contact)
    place = joined(drawn)
    ends = {one.slot: frozenset((place[one.at], place[one.to])) for one in drawn.symbols if one.slot}
    assert set(ends) == {one.name for one in parts if one.ohms is not None}
    netlist: dict[str, set[str]] = {}
    for line in circuit_lines(name, parts, contact=contact):
        words = line.split()
        for node in words[1:3] if words[0] in ends else ():
            netlist.setdefault(node, set()).add(words[0])
    shared = {}
    for node, names in netlist.items():
        common = frozenset.intersection(*(ends[one] for one in names))
        if node not in FIXED and len(names) > 1:
            assert len(common) == 1, f"{node} is drawn apart"
            shared[node] = next(iter(common))
    assert len(set(shared.values())) == len(shared)
    first, last = (
        next(place[one.at] for one in drawn.symbols if one.kind == "terminal" and (one.at == one.to) is end)
        for end in (False, True)
    )
    for node, terminal in (("out", first), ("in", last)):
        assert all(terminal in ends[one] for one in netlist.get(node, ()))
    amplifiers = {one.words[0]: one for one in drawn.symbols if one.kind == "op-amp"}
    drawn_buffers = {one.words[0] for one in drawn.symbols if one.kind == "buffer"}
    assert {*amplifiers, *drawn_buffers} == {one.name for one in parts if one.name.startswith("U")}
    assert {one.words[0] for one in drawn.symbols if one.kind == "diode"} == {
        one.name for one in parts if one.name[0] in "DZ"
    }
    if "comparator" in name:
        one = amplifiers["U1"]
        x, y = one.at
        plus = (x - 2.0, y + (-1.0 if one.turned else 1.0))
        assert place[plus] == shared["k"]
        assert place[(x + 2.0, y)] in ends["R2"]
        minus = place[(x - 2.0, 2 * y - plus[1])]
        assert minus == (first if contact else shared.get("ref", minus))
    inside = [(x, y) for one in drawn.symbols for x, y in (one.at, one.to)]
    assert all(0 <= x <= drawn.width and 0 <= y <= drawn.height for x, y in inside)


@pytest.mark.parametrize("case", CASES)
def test_circuits_side_by_side_all_fit_and_the_first_is_the_one_proposed(case):
    asked = specs(case)
    sink = asked[1]
    found = gate_circuits(*asked)
    assert found[0] == gate_circuit(*asked)
    assert len({one.name for one in found}) == len(found)
    assert all(judge_gate(one.becomes, sink).verdict == "fits" for one in found)
    order = [(one.size, not one.holds) for one in found]
    assert order == sorted(order)
    common = {value for series in ("E24", "E96") for value in SERIES[series]}
    for one, part in itertools.product(found, range(12)):
        ohms = one.parts[part].ohms if part < len(one.parts) else None
        assert ohms is None or any(abs(ohms / 10**decade - value) < 1e-6 for decade in range(7) for value in common)


def test_nothing_is_offered_where_nothing_is_needed():
    assert gate_circuits(parse_gate_output("low_volts=0,high_volts=5"), parse_gate_input(GATE)) == []
