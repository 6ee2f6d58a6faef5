"""SPICE text of circuits that remember: driven by a signal's own breakpoints, a `.tran` of what comes out.

Diodes and switches are near to ideal ones, so that what is compared is the circuit, not a part's data sheet.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from dynamis.electrics.signals.pieces import pieces
from dynamis.notation.safe import comment
from dynamis.notation.style import plain
from dynamis.transfer.breakpoints import Breakpoints, Trajectory

_EDGE_SECONDS = 1e-8
_DECAY_CUTS = 40


def driven(name: str, node: str, signal: Breakpoints, seconds: float) -> str:
    """A voltage source that plays a signal up to an instant; edges take 10 ns, decays are cut into straight pieces."""
    points: list[tuple[float, float]] = []
    for one in pieces(signal):
        if one.start >= seconds:
            break
        end = min(one.end, seconds)
        if points and points[-1][1] != one.value:
            points.append((one.start + _EDGE_SECONDS, one.value))
        elif not points:
            points.append((max(0.0, one.start), one.value))
        cuts = _DECAY_CUTS if one.kind is Trajectory.DECAYING else 1
        points += [(at, one.at(at)) for at in np.linspace(one.start, end, cuts + 1)[1:].tolist()]
    change = " ".join(f"{plain(at)} {plain(volts)}" for at, volts in points)
    return f"V{name} {node} 0 PWL({change})"


def text(title: str, lines: Iterable[str], seconds: float, step: float, node: str = "out") -> str:
    """A circuit with its sources, run for a while and printed."""
    return "\n".join(
        [
            f"* {comment(title)}",
            *lines,
            f".tran {plain(step)} {plain(seconds)} 0 {plain(step)} uic",
            f".print tran v({node})",
            ".end",
            "",
        ]
    )


def comparator_lines(plus: str, minus: str, out: str, swing_volts: float) -> list[str]:
    """A comparator between ± swing, steep but smooth."""
    return [f"Bcmp {out} 0 V={plain(swing_volts)}*tanh(2e4*(V({plus})-V({minus})))"]


def comparator(input_ohms: float, feedback_ohms: float, reference_volts: float, swing_volts: float) -> list[str]:
    """A comparator with hysteresis; from `in` to `out`."""
    return [
        f"R1 in k {plain(input_ohms)}",
        f"R2 out k {plain(feedback_ohms)}",
        f"VREF ref 0 DC {plain(reference_volts)}",
        *comparator_lines("k", "ref", "out", swing_volts),
    ]


def stretcher(ohms: float, farads: float, threshold_volts: float, high_volts: float) -> list[str]:
    """Diode, capacitor, resistor, comparator."""
    compare = f"Bcmp out 0 V={plain(high_volts / 2)}*(1+tanh(1e4*(V(h)-{plain(threshold_volts)})))"
    return [
        "D1 in h fast",
        ".model fast D(IS=1e-12 N=1.0 RS=1)",
        f"C1 h 0 {plain(farads)} IC=0",
        f"R1 h 0 {plain(ohms)}",
        compare,
    ]


def trigger_from_gate(ohms: float, farads: float) -> list[str]:
    return [
        f"C1 in out {plain(farads)} IC=0",
        f"R1 out 0 {plain(ohms)}",
        "D1 0 out clamp",
        ".model clamp D(IS=1e-12 N=1.0 RS=1)",
    ]


def glide(ohms: float, farads: float, start_seconds: float = 0.0) -> list[str]:
    return [f"R1 in out {plain(ohms)}", f"C1 out 0 {plain(farads)} IC={plain(start_seconds)}"]


def gated_pitch(floating_ohms: float | None, farads: float = 0.0) -> list[str]:
    """A switch that passes, and one that grounds; or the input's own resistance and capacitance while it floats."""
    lines = ["S1 in out gate 0 pass", ".model pass SW(VT=2.5 VH=0.1 RON=1 ROFF=1e12)"]
    if floating_ohms is None:
        return [*lines, "S2 out 0 gate 0 ground", ".model ground SW(VT=2.5 VH=0.1 RON=1e12 ROFF=1)"]
    return [*lines, f"R1 out 0 {plain(floating_ohms)}", f"C1 out 0 {plain(farads)} IC=0"]


def sample_hold(ohms: float, farads: float, leak_amperes: float) -> list[str]:
    """A switch of `ohms`, a capacitor, what leaks out of it, and a follower."""
    model = f".model track SW(VT=2.5 VH=0.1 RON={plain(ohms)} ROFF=1e14)"
    leak = f"Bleak h 0 I={plain(leak_amperes)}*tanh(1e4*V(h))"
    return ["S1 in h clock 0 track", model, f"C1 h 0 {plain(farads)} IC=0", leak, "E1 out 0 h 0 1"]


def extreme(which: str) -> list[str]:
    """Two op-amps with diodes inside their loops, as their sum sees them."""
    word = "max" if which == "maximum" else "min"
    return [f"B1 out 0 V={word}(V(in),V(other))"]


def octave_pair(millivolts: float, celsius: float) -> list[str]:
    """Two transistors, one with so many millivolts more at its base; the ratio of their currents is at `out`."""
    base = 0.5
    return [
        f".temp {plain(celsius)}",
        ".model pair NPN(IS=1e-14 BF=1e9)",
        "VC c 0 DC 5",
        f"VB1 b1 0 DC {plain(base)}",
        f"VB2 b2 0 DC {plain(base + millivolts / 1e3)}",
        "VM1 c c1 DC 0",
        "VM2 c c2 DC 0",
        "Q1 c1 b1 0 pair",
        "Q2 c2 b2 0 pair",
        "B1 out 0 V=I(VM2)/I(VM1)",
    ]
