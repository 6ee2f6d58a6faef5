"""What a single bad joint in a circuit for gates would do, and the clamp that guards against it.

A resistor or a diode whose joint is open is as if it were not there; no divider survives its lower leg open.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from dynamis.electrics.gates.candidate import Candidate, Rails
from dynamis.electrics.gates.circuits import fitting
from dynamis.electrics.gates.levels import GateInput, GateOutput, levels_at
from dynamis.electrics.gates.library import CLAMP_OHMS, diode_sets
from dynamis.electrics.gates.stages import Stress, becomes
from dynamis.electrics.part import Part

_OPEN: Final = 1e9
_CLAMPED: Final = (
    "divider",
    "resistor and clamp",
    "diode and divider",
    "transistor",
    "logic buffer",
    "buffer",
    "amplifier",
    "comparator",
    "stretcher",
    "pulse from a rise",
)


@dataclass(frozen=True)
class BadJoint:
    """A part whose open joint passes a limit of the input.  volts : what the input then gets.  over : how far that is
    beyond what it bears."""

    part: str
    volts: float
    over: float


def bad_joints(
    circuit: str, parts: tuple[Part, ...], output: GateOutput, sink: GateInput, count: int
) -> list[BadJoint]:
    """The parts whose open joint would pass a limit of the input; empty where none does, or no limit is known."""
    joints = []
    for name, opened, stress in _opened(parts):
        try:
            gate_output = becomes(circuit, opened, output, _carried(sink, count), stress)
        except KeyError:  # the circuit is nothing without that part, and passes nothing on
            continue
        if gate_output.kind == "switch":
            continue
        worst = max(
            (volts for volts in levels_at(gate_output, sink, count)),
            key=lambda volts: abs(sink.absolute_limits.outside(volts)),
        )
        over = sink.absolute_limits.outside(worst)
        if over:
            joints.append(BadJoint(name, worst, over))
    return joints


def _opened(parts: tuple[Part, ...]) -> Iterator[tuple[str, tuple[Part, ...], Stress]]:
    for part in parts:
        if part.ohms is not None:
            yield part.name, parts, Stress(parts={part.name: _OPEN})
        elif _clamps(part):
            yield part.name, tuple(one for one in parts if one is not part), Stress()


def _clamps(part: Part) -> bool:
    """Whether it is a diode that holds the input, and not one that the signal goes through."""
    return part.name in ("D2", "Z1") or (part.name == "D1" and "from ground" in part.role)


def _carried(sink: GateInput, count: int) -> float:
    return sink.pullup_volts * count / sink.ohms if sink.kind == "shorting" else 0.0


def guarded(
    circuit: str, parts: tuple[Part, ...], output: GateOutput, sink: GateInput, count: int, supplies: tuple[Rails, ...]
) -> tuple[Part, ...] | None:
    """The circuit with diodes at the input that hold it whatever joint of the others is open, where that still fits;
    None where no such diodes are known, or they stand there already."""
    bad = bad_joints(circuit, parts, output, sink, count)
    resistors = [part.ohms for part in parts if part.ohms is not None]
    if not bad or circuit not in _CLAMPED or any(_clamps(part) for part in parts):
        return None
    if not resistors or max(resistors) < CLAMP_OHMS:
        return None
    low, high = min(joint.volts for joint in bad), max(joint.volts for joint in bad)
    for diodes in diode_sets(min(low, 0.0), high, sink, supplies):
        tried = (*parts, *diodes)
        if len({candidate.name for candidate in tried}) < len(tried):
            continue
        held = bad_joints(circuit, tuple(tried), output, sink, count)
        if all(joint.part in {candidate.name for candidate in diodes} for joint in held):
            candidate = Candidate(circuit, tried, None)
            if fitting(candidate, output, sink, count) is not None:
                return tried
    return None
