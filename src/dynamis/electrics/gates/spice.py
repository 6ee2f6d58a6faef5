"""SPICE text of circuits for gates, from the sender's node `out` to the receiver's node `in`.

Comparators are steep but smooth, a small NPN transistor and a small MOSFET stand for the parts of those kinds.
"""

from __future__ import annotations

from collections.abc import Sequence

from dynamis.electrics.gates.circuits import STRETCH_FARADS, STRETCH_GATE_VOLTS, STRETCH_VOLTS
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.gates.stages import RAIL, SWING
from dynamis.electrics.part import Part
from dynamis.electrics.signals import spice
from dynamis.notation.style import plain

_SECONDS = 0.02


def sender_lines(output: GateOutput, *, high: bool) -> list[str]:
    """A sender at one of its levels; an open contact is nothing at all."""
    if output.kind == "switch":
        return [] if high else [f"Rs out 0 {plain(output.ohms)}"]
    return [f"Vs s 0 {plain(output.high_volts if high else output.low_volts)}", f"Rs s out {plain(output.ohms)}"]


def receiver_lines(sink: GateInput, count: int, node: str = "in") -> list[str]:
    """So many equal inputs at a node."""
    if sink.kind == "positive":
        return [f"Rin{k} {node} 0 {plain(sink.ohms)}" for k in range(count)]
    return [f"Vp p 0 {plain(sink.pullup_volts)}", *(f"Rin{k} {node} p {plain(sink.ohms)}" for k in range(count))]


def circuit_lines(circuit: str, parts: Sequence[Part], *, contact: bool) -> list[str]:
    """A circuit by its name and its parts, as `circuits.py` chooses them.  contact : the sender is a switch."""
    ohms = {part.name: plain(part.ohms) for part in parts if part.ohms is not None}
    if circuit == "divider":
        return [f"R1 out in {ohms['R1']}", f"R2 in 0 {ohms['R2']}"]
    if circuit == "buffer":
        return ["E1 u 0 out 0 1", f"R1 u in {ohms['R1']}"]
    if circuit == "transistor to ground":
        return [f"R1 out b {ohms['R1']}", "Q1 in b 0 small", ".model small npn(bf=150 is=1e-14 rc=1)"]
    if circuit == "stretcher":
        rename = {"in": "out", "out": "in"}
        told = spice.stretcher(float(ohms["R1"]), STRETCH_FARADS, STRETCH_VOLTS, STRETCH_GATE_VOLTS)
        return [" ".join(rename.get(word, word) for word in line.split()) for line in told]
    return [*_comparator(parts, ohms, contact), *_ending(circuit, parts, ohms)]


def _comparator(parts: Sequence[Part], ohms: dict[str, str], contact: bool) -> list[str]:
    lines = [f"Vcc vcc 0 {plain(RAIL)}", f"Vee vee 0 {plain(-RAIL)}"]
    if contact:
        lines += [f"R8 vcc out {ohms['R8']}", f"R9 out 0 {ohms['R9']}"]
    reference = next((part for part in parts if part.name == "R3"), None)
    if reference is None:
        lines.append("Rr ref 0 1m")
    else:
        rail = "vcc" if reference.rail_volts > 0 else "vee"
        lines += [f"R3 {rail} ref {ohms['R3']}", f"R4 ref 0 {ohms['R4']}"]
    entry = "out"
    if "R11" in ohms:
        entry = "e"
        lines += [f"R11 out e {ohms['R11']}", f"R12 e 0 {ohms['R12']}"]
    plus, minus = ("ref", "out") if contact else (entry, "ref")
    compare = f"Bc c 0 V = {plain(SWING)}*tanh(1e4*(v(k)-v({minus})))"
    return [*lines, f"R1 {plus} k {ohms['R1']}", f"R2 c k {ohms['R2']}", compare]


def _ending(circuit: str, parts: Sequence[Part], ohms: dict[str, str]) -> list[str]:
    if "MOSFET" in circuit:
        return [f"R7 c g {ohms['R7']}", "M1 in g 0 0 small", ".model small nmos(vto=2 kp=0.1)"]
    lines = [f"R5 c d {ohms['R5']}", f"R7 d 0 {ohms['R7']}"]
    second = next((part for part in parts if part.name == "R6"), None)
    if second is not None:
        lines.append(f"R6 {'vcc' if second.rail_volts > 0 else 'vee'} d {ohms['R6']}")
    return [*lines, "E2 u 0 d 0 1", f"R10 u in {ohms['R10']}"]


def gate_netlist(
    title: str, circuit: str, parts: Sequence[Part], output: GateOutput, sink: GateInput, count: int
) -> str:
    """The circuit between its sender and its receivers, a pulse of 5 ms sent through it, `.tran` of what arrives."""
    if output.kind == "switch":
        model = f".model contact SW(VT=0.5 VH=0.1 RON={plain(max(output.ohms, 1e-3))} ROFF=1e12)"
        sends = ["S1 out 0 drive 0 contact", model, "Vdrive drive 0 PULSE(0 1 5m 1u 1u 5m 20m)"]
    else:
        sends = [f"Vs s 0 PULSE({plain(output.low_volts)} {plain(output.high_volts)} 5m 1u 1u 5m 20m)",
                 f"Rs s out {plain(max(output.ohms, 1e-3))}"]  # fmt: skip
    lines = [*sends, *circuit_lines(circuit, parts, contact=output.kind == "switch"), *receiver_lines(sink, count)]
    return spice.text(title, lines, _SECONDS, _SECONDS / 1000.0, "in")
