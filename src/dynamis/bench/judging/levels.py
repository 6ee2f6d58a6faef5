"""A gate, trigger or clock at an input, as it is drawn: levels as bands, thresholds, limits, and the pulse in time."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from msgspec.structs import replace

from dynamis.bench.chains.tree import path_in, path_of, why_no_path
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.gate_ports import gate_input, loading_of
from dynamis.bench.document.ports import EnvelopeRecord, Port, PortRef, VoltSpan
from dynamis.bench.judging.sides import own_ohms, sent_as
from dynamis.bench.judging.switching import meeting, pulse_seconds
from dynamis.electrics.finding import Finding, cannot_tell
from dynamis.electrics.gates.levels import GateFit, GateInput, GateOutput, levels_at
from dynamis.transfer.breakpoints import Breakpoints, Trajectory

_RELEASE_SHARE: Final = float(np.log(100.0))


@dataclass(frozen=True)
class Band:
    """Volts from the least to the most that a level may be."""

    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Levels:
    """One pair, in volts and seconds.

    low, high : the levels at the input, with any of the inputs plugged in and resistances at their limits.
    on_volts, off_volts : thresholds.  on_from, off_from : levels that the two margins are measured from.
    works, bears : of the input; sender_bears : of the output.  seconds : of the pulse, None for a key's length.
    """

    fit: GateFit
    shorting: bool
    low: Band
    high: Band
    on_volts: float
    off_volts: float
    works: VoltSpan
    bears: VoltSpan
    sender_bears: VoltSpan
    seconds: float | None
    min_seconds: float | None
    max_seconds: float | None
    envelope: EnvelopeRecord | None

    @property
    def on_from(self) -> float:
        return self.fit.low_volts if self.shorting else self.fit.high_volts

    @property
    def off_from(self) -> float:
        return self.fit.high_volts if self.shorting else self.fit.low_volts


def levels_of(bench: Bench, link: Link, sink: PortRef) -> Levels | list[Finding]:
    """The picture of one input of a link; or what has to be measured first."""
    why = why_no_path(bench, link, sink)
    if why:
        return [cannot_tell(f"Cannot tell: {why}.")]
    link = path_in(bench, link, sink)
    fit = meeting(bench, link, sink)
    output, _ = sent_as(bench, link)
    port = bench.port(sink)
    taken, _ = gate_input(port)
    if isinstance(fit, list) or output is None or taken is None or port.gate is None:
        return fit if isinstance(fit, list) else []
    others = [bench.port(one) for one in link.inputs if one != sink]
    low, high = _bands(bench.port(link.output), output, port, taken, others)
    return Levels(
        fit,
        taken.kind == "shorting",
        low,
        high,
        taken.on_volts,
        taken.off_volts,
        port.works,
        port.bears,
        bench.port(link.output).bears,
        pulse_seconds(bench, link),
        port.gate.min_seconds,
        port.gate.max_seconds,
        port.envelope,
    )


def _bands(
    output: Port, gate_output: GateOutput, port: Port, taken: GateInput, others: Sequence[Port]
) -> tuple[Band, Band]:
    """Levels with resistances and the sender's levels at their limits, all or none of the other inputs plugged in."""
    lows, highs = [], []
    moved = 0.0 if output.gate is None else output.gate.level_limit
    for first, second, third, plugged in itertools.product((-1.0, 1.0), (-1.0, 1.0), (-1.0, 1.0), (True, False)):
        beside = [loading_of(one) for one in others] if plugged else []
        up, ohms = 1.0 + third * moved, gate_output.ohms * (1.0 + first * output.ohms_limit)
        sender = GateOutput(gate_output.kind, gate_output.low_volts * up, gate_output.high_volts * up, ohms)
        sink_ohms = taken.ohms * (1.0 + second * port.ohms_limit)
        sink = GateInput(taken.on_volts, taken.off_volts, taken.kind, sink_ohms, taken.pullup_volts)
        low, high = levels_at(sender, sink, 1, [one for one in beside if one is not None])
        lows.append(low)
        highs.append(high)
    return Band(min(lows), max(lows)), Band(min(highs), max(highs))


def pulse_of(levels: Levels, held_seconds: float = 0.2) -> Breakpoints:
    """The volts at the input in time: at rest, for its length (a key's where it has none), at rest again."""
    rest, active = levels.fit.low_volts, levels.fit.high_volts
    if levels.shorting:
        rest, active = active, rest
    seconds = levels.seconds or held_seconds
    return Breakpoints(
        np.array([0.0, 0.25, 1.25]) * seconds, np.array([rest, active, rest]), np.full(3, Trajectory.HELD, np.int8)
    )


def envelope_of(envelope: EnvelopeRecord, starts: float, ends: float) -> Breakpoints:
    """What a pulse between two instants starts, as a share of its peak.

    It rises for its attack, falls to its sustain in its decay and to nothing in its release, each to a hundredth.
    A pulse that ends before the peak lets it fall from where it is.
    """
    rows = [(0.0, 0.0, Trajectory.HELD, 0.0, 1.0)] if starts > 0 else []
    attack, length = envelope.attack_seconds, ends - starts
    peak = starts + attack
    level = min(1.0, length / attack) if attack > 0 else 1.0
    if attack > 0:
        rows.append((starts, 0.0, Trajectory.RAMPED, 0.0, 1.0))
    if attack <= 0 or length > attack:
        falls = envelope.decay_seconds > 0 and envelope.sustain < 1.0
        tau_seconds = envelope.decay_seconds / _RELEASE_SHARE if falls else 1.0
        rows.append((peak, 1.0, Trajectory.DECAYING if falls else Trajectory.HELD, envelope.sustain, tau_seconds))
        if falls:
            level = envelope.sustain + (1.0 - envelope.sustain) * float(np.exp(-(ends - peak) / tau_seconds))
    release = envelope.release_seconds / _RELEASE_SHARE
    rows.append(
        (
            ends,
            level if release > 0 else 0.0,
            Trajectory.DECAYING if release > 0 else Trajectory.HELD,
            0.0,
            release or 1.0,
        )
    )
    seconds, values, kinds, targets, constants = (np.array(column) for column in zip(*rows, strict=True))
    return Breakpoints(seconds, values, kinds.astype(np.int8), targets, constants)


def loaded_to_open(bench: Bench, output: PortRef, sink: PortRef, volts: float) -> float:
    """The open volts of an output that come to these volts at an input, as it is loaded now."""
    link = path_of(bench, output, sink)
    taken, _ = gate_input(bench.port(sink))
    ohms = own_ohms(bench.port(output))
    others = [loading_of(bench.port(one)) for one in link.inputs if one != sink]
    if taken is None or ohms is None or None in others:
        return volts
    beside = [one for one in others if one is not None]
    low, high = levels_at(GateOutput("driven", 0.0, 1.0, ohms), taken, 1, beside)
    return (volts - low) / (high - low)


def with_level(bench: Bench, ref: PortRef, key: str, volts: float) -> Bench:
    """The bench with another level or threshold of a port, as it is while it is dragged; unchecked."""
    gear, port = bench.gear_by(ref.gear), bench.port(ref)
    if port.gate is None:
        return bench
    changed = replace(port, gate=replace(port.gate, **{key: volts}))
    moved = replace(gear, ports=tuple(changed if one.id == ref.port else one for one in gear.ports))
    return replace(bench, gear=tuple(moved if one.id == ref.gear else one for one in bench.gear))
