"""SPICE text of a circuit, with its sender and its load, that ngspice runs as it is: a `.dc` sweep of the input."""

from __future__ import annotations

from collections.abc import Mapping

from dynamis.electrics.circuits.circuit import LOAD, MID, SOURCE, Circuit, trimmer_name
from dynamis.electrics.circuits.clamp import LOOP_NAME, Clamp
from dynamis.electrics.circuits.network import GROUND
from dynamis.electrics.circuits.supply import OpAmp
from dynamis.electrics.circuits.topology import INPUT, JACK, OUT, RAIL
from dynamis.notation.safe import comment
from dynamis.notation.style import plain

# A current into a megohm, which two diodes keep between the rails: simulators find their way through that.
_OP_AMP = (
    ".subckt opamp plus minus out vp vn gain={gain} vos=0 ib=0",
    "Iplus plus 0 DC {{ib}}",
    "Iminus minus 0 DC {{ib}}",
    "Vos plus p DC {{-vos}}",
    "Gm 0 x p minus {{gain/1e6}}",
    "Rx x 0 1e6",
    "Dhigh x vp clamp",
    "Dlow vn x clamp",
    "Eout out 0 x 0 1",
    ".model clamp D(IS=1e-15 N=0.1)",
    ".ends opamp",
)
STEPS = 50
# The op-amp's own output where a resistor follows inside the loop.
BEHIND = "u"
# 0.3 V at some milliamperes.
_SCHOTTKY = ".model schottky D(IS=2e-7 N=1.05 RS=2)"


def netlist(
    circuit: Circuit,
    in_low_volts: float,
    in_high_volts: float,
    title: str = "",
    travel: Mapping[str, float] | None = None,
    disturbed: Mapping[str, str] | None = None,
) -> str:
    """The text.  travel : of trimmers, at the middle where not named.  disturbed : by op-amp, parameters of its own."""
    lines = [f"* {comment(title or circuit.topology.title)}", f"Vin {INPUT} 0 DC {plain(in_low_volts)}"]
    jack = JACK
    if circuit.source_ohms > 0:
        lines.append(f"{SOURCE} {INPUT} {JACK} {plain(circuit.source_ohms)}")
    else:
        jack = INPUT
    lines += _slots(circuit, jack, travel or {})
    if circuit.load_ohms is not None:
        lines.append(f"{LOAD} {OUT} 0 {plain(circuit.load_ohms)}")
    if circuit.topology.amplifiers or circuit.uses_reference:
        lines += _rails(circuit)
    for amplifier in circuit.topology.amplifiers:
        plus, minus, out = (_named(circuit, node, jack) for node in (amplifier.plus, amplifier.minus, amplifier.out))
        if amplifier.out == OUT and circuit.loop_ohms:
            lines.append(f"{LOOP_NAME} {BEHIND} {OUT} {plain(circuit.loop_ohms)}")
            out = BEHIND
        more = (disturbed or {}).get(amplifier.name, "")
        lines.append(f"X{amplifier.name} {plus} {minus} {out} vp vn opamp {more}".rstrip())
    if circuit.topology.amplifiers:
        lines += op_amp_lines(circuit.op_amp)
    lines += clamp_lines(circuit.clamp)
    step = (in_high_volts - in_low_volts) / STEPS
    lines += [
        f".dc Vin {plain(in_low_volts)} {plain(in_high_volts)} {plain(step)}",
        f".print dc v({INPUT}) v({OUT})",
        ".end",
    ]
    return "\n".join(lines) + "\n"


def _rails(circuit: Circuit) -> list[str]:
    lines = [f"VP vp 0 DC {plain(circuit.supply.high)}", f"VN vn 0 DC {plain(circuit.supply.low)}"]
    if circuit.uses_reference and circuit.reference.node == "ref":
        lines.append(f"VREF ref 0 DC {plain(circuit.reference.volts)}")
    return lines


def op_amp_lines(op_amp: OpAmp) -> list[str]:
    """The model that the op-amps of a circuit share."""
    return [line.format(gain=plain(op_amp.gain)) for line in _OP_AMP]


def clamp_lines(clamp: Clamp) -> list[str]:
    """The diodes of a clamp with what they are tied to."""
    lines = []
    for diode in clamp.diodes:
        rail = GROUND
        if diode.rail_volts:
            rail = f"v{diode.name.lower()}"
            lines.append(f"V{diode.name} {rail} 0 DC {plain(diode.rail_volts)}")
        lines.append(
            f"{diode.name} {rail} {OUT} schottky" if diode.side == "low" else f"{diode.name} {OUT} {rail} schottky"
        )
    return [*lines, _SCHOTTKY] if lines else []


def _slots(circuit: Circuit, jack: str, travel: Mapping[str, float]) -> list[str]:
    """Each resistor a line of its own, with nodes of its own where two stand in series."""
    lines = []
    for slot in circuit.topology.slots:
        a, b = (_named(circuit, node, jack) for node in (slot.a, slot.b))
        fitted = circuit.by_slot.get(slot.name) if slot.name in circuit.connected else None
        if fitted is None:
            if slot.place in ("feedback", "series"):
                lines.append(f"V{slot.name} {a} {b} DC 0")
            continue
        at = a
        if fitted.trimmer_ohms:
            at, name = f"{slot.name.lower()}t", trimmer_name(slot.name)
            ohms = max(1e-3, travel.get(name, MID) * fitted.trimmer_ohms)
            lines.append(f"R{name[1:]} {a} {at} {plain(ohms)}")
        names = fitted.names(slot.name)
        middle = f"{slot.name.lower()}m" if len(names) == 2 and fitted.joined == "series" else ""
        for k, (name, ohms) in enumerate(zip(names, fitted.ohms, strict=True)):
            first = middle if middle and k == 1 else at
            last = middle if middle and k == 0 else b
            lines.append(f"{name} {first} {last} {plain(ohms)}")
    return lines


def _named(circuit: Circuit, node: str, jack: str) -> str:
    if node == JACK:
        return jack
    if node == RAIL:
        return circuit.reference.node
    return GROUND if node == GROUND else node
