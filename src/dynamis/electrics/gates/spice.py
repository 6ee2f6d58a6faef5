"""SPICE text of circuits for gates, from the sender's node `out` to the receiver's node `in`.

Comparators are steep but smooth, a small NPN transistor and a small MOSFET stand for the parts of those kinds.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.gates.stages import LOGIC_VOLTS, RAIL, SWING, logic_thresholds
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
        held = _diodes(parts)
        return [f"R1 out in {ohms['R1']}", f"R2 in 0 {ohms['R2']}", *((_SCHOTTKY, *held) if held else ())]
    if circuit in _LINES:
        return [*_LINES[circuit]({part.name: part for part in parts}, ohms), *_diodes(parts)]
    if circuit == "transistor to ground":
        return [f"R1 out b {ohms['R1']}", "Q1 in b 0 small", ".model small npn(bf=150 is=1e-14 rc=1)"]
    return [*_comparator(parts, ohms, contact), *_ending(circuit, parts, ohms)]


def _diodes(parts: Sequence[Part]) -> list[str]:
    """The diodes at the receiver, with models that drop 0.3 V and break at a Zener's volts."""
    lines = []
    for part in parts:
        if part.name == "D1" and "from ground" in part.role:
            lines.append("D1 0 in schottky")
        elif part.name == "D2":
            lines += [f"Vd2 rail2 0 {plain(part.rail_volts)}", "D2 in rail2 schottky"]
        elif part.name == "Z1":
            lines += ["DZ1 0 in zener", f".model zener D(bv={plain(part.volts)} ibv=1m is=1e-12)"]
    return lines


_SCHOTTKY = ".model schottky D(is=1e-8 n=1.05 rs=5)"


def _front(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> tuple[list[str], str]:
    """What stands ahead of an active part, and the node that reaches it."""
    if "R11" not in parts:
        return [], "out"
    first = ["D3 out f schottky"] if "D3" in parts else []
    return [*first, f"R11 {'f' if first else 'out'} e {ohms['R11']}", f"R12 e 0 {ohms['R12']}"], "e"


def _steep(volts: str, low_volts: float, high_volts: float) -> str:
    return f"V = {plain(low_volts)}+{plain(high_volts - low_volts)}*0.5*(1+tanh(1e4*({volts})))"


def _clamp(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    return [f"R1 out in {ohms['R1']}", _SCHOTTKY]


def _diode(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    return ["D1 out f schottky", f"R1 f in {ohms['R1']}", f"R2 in 0 {ohms['R2']}", _SCHOTTKY]


def _transistor(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    below = [f"R3 in 0 {ohms['R3']}"] if "R3" in ohms else []
    return [
        f"Vcc vcc 0 {plain(parts['R1'].rail_volts)}",
        f"R1 vcc out {ohms['R1']}",
        f"R2 vcc in {ohms['R2']}",
        *below,
        "Q1 in out 0 small",
        ".model small npn(bf=150 is=1e-14 rc=1)",
        _SCHOTTKY,
    ]


def _logic(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    front, node = _front(parts, ohms)
    off, on = logic_thresholds(parts["U1"])
    level = _steep(f"v({node})-{plain(0.5 * (off + on))}", LOGIC_VOLTS, parts["U1"].rail_volts - LOGIC_VOLTS)
    return [*front, f"Bu u 0 {level}", f"R10 u in {ohms['R10']}", _SCHOTTKY]


def _follower(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    return ["E1 u 0 out 0 1", f"R1 u in {ohms['R1']}", _SCHOTTKY]


def _amplifier(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    front, node = _front(parts, ohms)
    return [
        *front,
        f"E1 u 0 {node} m 1e6",
        f"R3 m 0 {ohms['R3']}",
        f"R4 u m {ohms['R4']}",
        f"R1 u in {ohms['R1']}",
        _SCHOTTKY,
    ]


def _one_comparator(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    front, node = _front(parts, ohms)
    unit = parts["U1"]
    room = 0.05 if unit.volts == 0 else 1.5
    lines = [f"Vcc vcc 0 {plain(unit.rail_volts)}", f"Vee vee 0 {plain(unit.volts)}", *front]
    if "R3" in parts:
        rail = "vcc" if parts["R3"].rail_volts > 0 else "vee"
        lines += [f"R3 {rail} ref {ohms['R3']}", f"R4 ref 0 {ohms['R4']}"]
    else:
        lines.append("Rr ref 0 1m")
    level = _steep("v(k)-v(ref)", unit.volts + room, unit.rail_volts - room)
    return [
        *lines,
        f"R1 {node} k {ohms['R1']}",
        f"R2 c k {ohms['R2']}",
        f"Bc c 0 {level}",
        f"R5 c in {ohms['R5']}",
        _SCHOTTKY,
    ]


def _stretcher(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    unit = parts["U1"]
    room = 0.05 if unit.volts == 0 else 1.5
    level = _steep("v(h)-v(ref)", unit.volts + room, unit.rail_volts - room)
    return [
        f"Vcc vcc 0 {plain(unit.rail_volts)}",
        "D4 out h fast",
        ".model fast D(IS=1e-12 N=1.0 RS=1)",
        f"C1 h 0 {plain(parts['C1'].farads)} IC=0",
        f"R1 h 0 {ohms['R1']}",
        f"R3 vcc ref {ohms['R3']}",
        f"R4 ref 0 {ohms['R4']}",
        f"Bc c 0 {level}",
        f"R5 c in {ohms['R5']}",
        _SCHOTTKY,
    ]


def _pulse(parts: Mapping[str, Part], ohms: Mapping[str, str]) -> list[str]:
    return [f"R2 out c {ohms['R2']}", f"C1 c in {plain(parts['C1'].farads)}", f"R1 in 0 {ohms['R1']}", _SCHOTTKY]


_LINES = {
    "resistor and clamp": _clamp,
    "diode and divider": _diode,
    "transistor": _transistor,
    "logic buffer": _logic,
    "buffer": _follower,
    "amplifier": _amplifier,
    "comparator": _one_comparator,
    "stretcher": _stretcher,
    "pulse from a rise": _pulse,
}


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
        sends = [
            f"Vs s 0 PULSE({plain(output.low_volts)} {plain(output.high_volts)} 5m 1u 1u 5m 20m)",
            f"Rs s out {plain(max(output.ohms, 1e-3))}",
        ]
    lines = [*sends, *circuit_lines(circuit, parts, contact=output.kind == "switch"), *receiver_lines(sink, count)]
    return spice.text(title, lines, _SECONDS, _SECONDS / 1000.0, "in")
