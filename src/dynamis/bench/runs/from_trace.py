"""What an output was seen to do against time, taken into its port."""

from __future__ import annotations

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.checks import check_port
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import SWITCHING, GateRecord, Port, PortRef, SwingRecord
from dynamis.errors import InputError
from dynamis.notation.style import digits_for
from dynamis.waveform.pulse import Measured

# Roles whose pulse has a length of its own; a gate is up for as long as a key is held.
OWN_LENGTH = ("trigger", "clock")
SWITCH_HAS_NO_LEVELS = "A switch to ground has no levels of its own: they are those of the input that it pulls down."
# Decimals of volts where the samples do not say how well they are known.
_DIGITS = 3


def takers(bench: Bench) -> list[PortRef]:
    """Outputs that a trace can be taken into: what switches, and what swings."""
    return [
        PortRef(gear.id, port.id)
        for gear in bench.gear
        if not gear.archived
        for port in gear.ports
        if port.direction == "output" and (port.role in SWITCHING or port.role == "modulation")
    ]


def take_trace(bench: Bench, ref: PortRef, found: Measured) -> Change:
    """Levels and, of a trigger or clock, the shortest length of its pulse; of a modulation its swing.

    Each to the digits that its U leaves.  Raises InputError where the trace does not show them.
    """
    port = bench.port(ref)
    changed = _switching(port, found) if port.role in SWITCHING else _swinging(port, found)
    check_port(changed)
    return Change(f"{bench.label(ref)}: as it was seen against time", bench.with_port(ref, changed))


def _switching(port: Port, found: Measured) -> Port:
    gate = port.gate or GateRecord("driven")
    if gate.kind == "switch":
        raise InputError(SWITCH_HAS_NO_LEVELS)
    states = found.states
    if states is None:
        raise InputError("The trace has no two states: there are no levels to take.")
    low, high = (
        round(value, digits_for(expanded) if expanded > 0 else _DIGITS)
        for value, expanded in (
            (states.low_volts, states.low_expanded),
            (states.high_volts, states.high_expanded),
        )
    )
    gate = replace(gate, low_volts=low, high_volts=high)
    if port.role in OWN_LENGTH:
        if not states.highs.size:
            raise InputError("No pulse is seen whole: its length cannot be taken; record for longer.")
        gate = replace(gate, seconds=float(f"{float(states.highs.min()):.3g}"))
    return replace(port, gate=gate)


def _swinging(port: Port, found: Measured) -> Port:
    if found.kind == "still":
        raise InputError("The trace stands still: there is no swing to take.")
    low, high = found.least_volts, found.most_volts
    if found.states is not None:
        low, high = found.states.low_volts, found.states.high_volts
    swing = port.swing or SwingRecord()
    return replace(port, swing=replace(swing, low_volts=round(low, _DIGITS), high_volts=round(high, _DIGITS)))
