"""SPICE text of a converter of the law with its sender and its load, that ngspice runs as it is."""

from __future__ import annotations

from dynamis.electrics.circuits.circuit import LOAD, MID, SOURCE
from dynamis.electrics.circuits.clamp import LOOP_NAME
from dynamis.electrics.circuits.spice import BEHIND, STEPS, clamp_lines, op_amp_lines
from dynamis.electrics.circuits.topology import INPUT, JACK, OUT
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.parts import BETA, BULK_OHMS, TRIMMERS, Direction
from dynamis.notation.safe import comment
from dynamis.notation.style import plain

_SHARED = {"R2": ("a1", "o1"), "R4": ("o1", "b1"), "R5": ("b1", "0"), "R6": ("refp", "c1"), "R7": ("o2", "e")}
_OWN: dict[Direction, dict[str, tuple[str, str]]] = {
    "exponential": {"R1": (JACK, "a1"), "R8": ("c2", OUT)},
    "logarithmic": {"R1": (OUT, "a1"), "R8": (JACK, "c2")},
}
# The collector that U2 holds, and the one that U3 does.
_HELD: dict[Direction, tuple[str, str]] = {"exponential": ("c1", "c2"), "logarithmic": ("c2", "c1")}


def pair_netlist(
    converter: Converter, in_low_volts: float, in_high_volts: float, title: str, celsius: float = 25.0
) -> str:
    """The text; the trimmers as they stand."""
    parts, travel = converter.parts, dict(converter.travel)
    lines = [
        f"* {comment(title)}",
        f".options temp={plain(celsius)} tnom=25 reltol=1e-6 vntol=1e-9 abstol=1e-15",
        f"Vin {INPUT} 0 DC {plain(in_low_volts)}",
    ]
    jack = JACK if converter.source_ohms else INPUT
    if converter.source_ohms:
        lines.append(f"{SOURCE} {INPUT} {JACK} {plain(converter.source_ohms)}")
    wired = _OWN[parts.direction] | _SHARED
    second, third = _HELD[parts.direction]
    if "R3" in parts.ohms:
        wired["R3"] = ("refp" if parts.middle_below else "refn", "a1")
    trimmed = {slot: name for name, slot in TRIMMERS.items()}
    for name, (a, b) in wired.items():
        first = jack if a == JACK else a
        if name in trimmed:
            trimmer = trimmed[name]
            ohms = max(1e-3, travel.get(trimmer, MID) * parts.trimmers[trimmer])
            lines.append(f"R{trimmer[1:]} {first} {name.lower()}t {plain(ohms)}")
            first = f"{name.lower()}t"
        grows = f" tc1={plain(parts.base_ppm * 1e-6)}" if name == "R5" and parts.base_ppm else ""
        lines.append(f"{name} {first} {b} {plain(parts.ohms[name])}{grows}")
    lines += ["Q1 c1 b1 e pair", "Q2 c2 0 e pair", f".model pair npn(is=1e-14 bf={plain(BETA)} re={plain(BULK_OHMS)})"]
    lines += [f"C1 o2 {second} {plain(parts.capacitors['C1'])}", f"C2 {third} {OUT} {plain(parts.capacitors['C2'])}"]
    lines += [f"VP vp 0 DC {plain(parts.supply.high)}", f"VN vn 0 DC {plain(parts.supply.low)}"]
    lines += [f"VR1 refp 0 DC {plain(parts.reference_volts)}", f"VR2 refn 0 DC {plain(-parts.reference_volts)}"]
    tip = OUT
    if parts.loop_ohms:
        tip = BEHIND
        lines.append(f"{LOOP_NAME} {BEHIND} {OUT} {plain(parts.loop_ohms)}")
    lines += ["XU1 0 a1 o1 vp vn opamp", f"XU2 0 {second} o2 vp vn opamp", f"XU3 0 {third} {tip} vp vn opamp"]
    if parts.load_ohms is not None:
        lines.append(f"{LOAD} {OUT} 0 {plain(parts.load_ohms)}")
    lines += [*op_amp_lines(parts.op_amp), *clamp_lines(parts.clamp)]
    lines.append(".nodeset v(e)=-0.6 v(o2)=-0.8 v(c1)=0 v(c2)=0")  # where a simulator begins to look
    step = (in_high_volts - in_low_volts) / STEPS
    lines += [
        f".dc Vin {plain(in_low_volts)} {plain(in_high_volts)} {plain(step)}",
        f".print dc v({INPUT}) v({OUT})",
        ".end",
    ]
    return "\n".join(lines) + "\n"
