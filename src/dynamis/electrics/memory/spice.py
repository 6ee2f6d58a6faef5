"""SPICE text of a circuit that remembers, as it meets a jump of an octave and back."""

from __future__ import annotations

from typing import Final

import numpy as np

from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.signals import spice
from dynamis.transfer.breakpoints import Breakpoints, Trajectory

_HELD: Final = int(Trajectory.HELD)


def trial_signals(circuit: Remembering, low_volts: float, high_volts: float) -> tuple[Breakpoints, Breakpoints, float]:
    """A signal that jumps up and back, what drives the circuit besides, and for how many seconds to look.

    A clock or a gate is up over the jump up and down before the jump back; the other signal stands half-way.  A
    rectifier gets both polarities.
    """
    unit = max(8.0 * circuit.tau_seconds, 1e-3)
    steps = _stepped((0.0, low_volts), (2.0 * unit, high_volts), (6.0 * unit, low_volts))
    if circuit.rectifies:
        low_volts = -high_volts
        steps = _stepped((0.0, low_volts), (2.0 * unit, high_volts), (6.0 * unit, low_volts))
        return steps, _stepped((0.0, 0.0)), 8.0 * unit
    if circuit.of.driven_by == "other":
        return steps, _stepped((0.0, (low_volts + high_volts) / 2.0)), 8.0 * unit
    return steps, _stepped((0.0, 0.0), (unit, 5.0), (5.0 * unit, 0.0)), 8.0 * unit


def _stepped(*steps: tuple[float, float]) -> Breakpoints:
    seconds, volts = zip(*steps, strict=True)
    return Breakpoints(np.array(seconds), np.array(volts), np.full(len(steps), _HELD, np.int8))


def memory_netlist(circuit: Remembering, low_volts: float, high_volts: float, title: str) -> str:
    """What `ngspice -b` runs as it is: the transient of the circuit over a jump."""
    signal, driven, seconds = trial_signals(circuit, low_volts, high_volts)
    lines = [spice.driven("IN", "in", signal, seconds)]
    if circuit.of.driven_by:
        node = "clock" if circuit.holds else circuit.of.driven_by
        lines.append(spice.driven("BY", node, driven, seconds))
    if circuit.kind == "glide":
        lines += spice.glide(circuit.ohms, circuit.farads)
    elif circuit.of.diodes:
        lines += spice.extreme(circuit.kind)
    elif circuit.holds:
        lines += spice.sample_hold(circuit.ohms, circuit.farads, circuit.leak_amperes)
    else:
        lines += spice.gated_pitch(circuit.ohms if circuit.floats else None, circuit.farads)
    return spice.text(title, lines, seconds, seconds / 2000.0)
