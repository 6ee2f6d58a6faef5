"""Circuits for a gate, trigger or clock link, side by side: each put between on trial and judged."""

from __future__ import annotations

from dataclasses import dataclass
from dataclasses import replace as with_

from msgspec.structs import replace

from dynamis.bench.chains.branches import own_part, with_part
from dynamis.bench.chains.tree import path_in, why_no_path
from dynamis.bench.designing.between import joined
from dynamis.bench.document.bench import Bench, GateStageRecord, Link
from dynamis.bench.document.commands import Change
from dynamis.bench.document.gate_ports import gate_input
from dynamis.bench.document.ports import PortRef, VoltSpan
from dynamis.bench.gear.commands import put_link
from dynamis.bench.judging.beside import spoiled
from dynamis.bench.judging.pairs import PairFit, judge_pair
from dynamis.bench.judging.sides import gate_output, input_of, sent_as
from dynamis.bench.judging.switching import fitting_circuits, meeting, pulse_seconds
from dynamis.electrics.gates.joints import BadJoint, bad_joints, guarded
from dynamis.electrics.gates.levels import GateFit, GateInput, GateOutput
from dynamis.electrics.gates.pulse import NAME as PULSE
from dynamis.electrics.gates.pulse import lengths, pulsing
from dynamis.electrics.gates.stretcher import stretching
from dynamis.electrics.part import Part
from dynamis.notation.style import Style

STRETCHER = "stretcher"
# Circuits that make another length, behind what mends the levels; one of them stands in a link.
_LENGTHS = (STRETCHER, PULSE)
# A stretched pulse against the shortest that the input takes; common practice, no source.
STRETCH = 2.0
# The shortest of a pulse against the longest, where only that is known; common practice, no source.
_SPAN = 8.0
# A pin's diode to its rail, and what it bears for sure; common practice, no source.
PIN_DIODE_VOLTS = 0.6
PIN_AMPERES = 1e-3


@dataclass(frozen=True)
class GateChoice:
    """One circuit, and the pair with it between.

    key : its name, with "in the link" where it stands there.  met : the levels, None where they are not known.
    holds : whether it also fits with its rails, or the sender, 5 % up; None where that is not worked out.
    spoils : a sentence for each other input of the link that would no longer fit.  protection : parts at the circuit's
    own input jack, which count for nothing.  joints : parts whose open joint would pass a limit of the input.
    guarded : the circuit with a clamp that holds it even so, None where there is none or none is needed.
    """

    key: str
    stage: GateStageRecord
    fit: PairFit
    met: GateFit | None
    holds: bool | None
    spoils: tuple[str, ...] = ()
    protection: tuple[Part, ...] = ()
    joints: tuple[BadJoint, ...] = ()
    guarded: GateStageRecord | None = None


@dataclass(frozen=True)
class GateChoices:
    """bare : the pair with nothing between.  choices : what stands in the link first, then what could.  limited :
    whether anything is known of what the input bears."""

    bare: PairFit
    met: GateFit | None
    choices: tuple[GateChoice, ...]
    limited: bool = False


def gate_choices(bench: Bench, link: Link, sink: PortRef, style: Style = Style()) -> GateChoices:
    """What stands between and what could, for an input of a gate, trigger or clock link."""
    empty = with_part(link, sink, gate_stages=())
    bare = judge_pair(bench, empty, sink, (), style)
    if why_no_path(bench, link, sink):
        return GateChoices(bare, None, (), bench.port(sink).bears != VoltSpan())
    standing = own_part(link, sink).gate_stages
    choices = [choice(bench, link, sink, stage, style, stands=True) for stage in standing]
    for gate_circuit in fitting_circuits(bench, empty, sink):
        stage = GateStageRecord(gate_circuit.name, gate_circuit.parts)
        tried = choice(bench, link, sink, stage, style)
        choices.append(with_(tried, holds=gate_circuit.holds, protection=gate_circuit.protection))
    gate = bench.port(sink).gate
    if (
        gate is not None
        and gate.min_seconds is not None
        and any(one.code == "pulse-too-short" for one in bare.findings)
    ):
        longer = stretcher(bench, link, sink)
        choices += [] if longer is None else [choice(bench, link, sink, longer, style)]
    if any(one.code == "pulse-too-long" for one in bare.findings):
        shorter = pulse(bench, link, sink)
        choices += [] if shorter is None else [choice(bench, link, sink, shorter, style)]
    return GateChoices(bare, _met(bench, empty, sink), tuple(choices), bench.port(sink).bears != VoltSpan())


def stretcher(bench: Bench, link: Link, sink: PortRef) -> GateStageRecord | None:
    """A pulse stretcher behind what mends the levels, for the shortest pulse that an input takes; None where none
    does it from the rails at hand, or something is not known."""
    met, gate = _ahead_of(bench, link, sink), bench.port(sink).gate
    if met is None or gate is None or gate.min_seconds is None:
        return None
    output, taken, ahead = met
    seconds = STRETCH * gate.min_seconds
    gate_circuit = stretching(
        output, taken, len(ahead.inputs), seconds, pulse_seconds(bench, ahead), bench.rails_for(link), battery=True
    )
    return None if gate_circuit is None else GateStageRecord(STRETCHER, gate_circuit.parts, seconds)


def pulse(bench: Bench, link: Link, sink: PortRef) -> GateStageRecord | None:
    """A pulse from the rise of a gate, within the lengths that an input takes, behind what mends the levels; None where
    none does it, or something is not known."""
    met, gate = _ahead_of(bench, link, sink), bench.port(sink).gate
    if met is None or gate is None or gate.max_seconds is None:
        return None
    output, taken, path = met
    made = pulsing(output, taken, len(path.inputs), gate.min_seconds or gate.max_seconds / _SPAN, gate.max_seconds)
    return None if made is None else GateStageRecord(PULSE, made[0].parts, made[1])


def _ahead_of(bench: Bench, link: Link, sink: PortRef) -> tuple[GateOutput, GateInput, Link] | None:
    """What comes to a circuit that makes another length, what takes it, and the path ahead of it."""
    path = path_in(bench, link, sink)
    ahead = replace(path, gate_stages=tuple(one for one in path.gate_stages if one.circuit not in _LENGTHS))
    output, taken = sent_as(bench, ahead)[0], input_of(bench, sink)[0]
    return None if output is None or taken is None else (output, taken, ahead)


def with_parts(
    bench: Bench, link: Link, sink: PortRef, stage: GateStageRecord, parts: tuple[Part, ...]
) -> GateStageRecord:
    """A circuit with other parts, and the length that they make."""
    before, now = ({one.name: one for one in which} for which in (stage.parts, parts))
    seconds, met = stage.seconds, _ahead_of(bench, link, sink)
    if seconds is not None and stage.circuit == STRETCHER and {"R1", "C1"} <= set(now):
        was, is_now = ((one["R1"].ohms or 0.0) * one["C1"].farads for one in (before, now))
        seconds = seconds * is_now / was if was else seconds
    elif stage.circuit == PULSE and met is not None:
        seconds = lengths(parts, met[0], met[1], len(met[2].inputs))[1]
    return replace(stage, parts=parts, seconds=seconds)


def choice(
    bench: Bench, link: Link, sink: PortRef, stage: GateStageRecord, style: Style = Style(), *, stands: bool = False
) -> GateChoice:
    """A circuit on trial in a link, in the place of one of its kind.

    One that makes another length stands behind what mends the levels; one of each may be there.
    """
    tried = with_stage(link, sink, stage)
    key = f"in the link: {stage.circuit}" if stands else stage.circuit
    spoils = () if stands else tuple(spoiled(bench, tried, sink))
    gate_choice = GateChoice(
        key, stage, judge_pair(bench, tried, sink, (), style), _met(bench, tried, sink), None, spoils
    )
    path = path_in(bench, tried, sink)
    ahead = replace(path, gate_stages=path.gate_stages[: path.gate_stages.index(stage)])
    output, taken, count = sent_as(bench, ahead)[0], input_of(bench, sink)[0], len(path.inputs)
    if output is None or taken is None or stage != path.gate_stages[-1]:
        return gate_choice
    joints = tuple(bad_joints(stage.circuit, stage.parts, output, taken, count))
    held = guarded(stage.circuit, stage.parts, output, taken, count, bench.rails_for(link))
    return with_(gate_choice, joints=joints, guarded=None if held is None else replace(stage, parts=held))


def with_stage(link: Link, sink: PortRef, stage: GateStageRecord) -> Link:
    """The link with a circuit ahead of an input, in the place of one of its kind."""
    times = stage.circuit in _LENGTHS
    kept = tuple(one for one in own_part(link, sink).gate_stages if (one.circuit in _LENGTHS) != times)
    return with_part(link, sink, gate_stages=(*kept, stage) if times else (stage, *kept))


def use_stage(bench: Bench, output: PortRef, sink: PortRef, stage: GateStageRecord, on_branch: bool = False) -> Change:
    """The two joined with a circuit for gates between."""
    bench, link = joined(bench, output, sink, on_branch)
    return put_link(bench, with_stage(link, sink, stage), f"put a {stage.circuit} between")


def _met(bench: Bench, link: Link, sink: PortRef) -> GateFit | None:
    met = meeting(bench, path_in(bench, link, sink), sink)
    return None if isinstance(met, list) else met


def unpowered_amperes(bench: Bench, link: Link, sink: PortRef) -> float | None:
    """What flows through a pin into its rail while its own gear is off and the sender is on; None where the pin's rail
    is not known, or nothing drives it."""
    if why_no_path(bench, link, sink):
        return None
    output, taken = sent_as(bench, path_in(bench, link, sink))[0], input_of(bench, sink)[0]
    if output is None or output.kind == "switch" or taken is None or taken.rail_volts is None:
        return None
    return max(0.0, output.clamp.held(output.high_volts) - PIN_DIODE_VOLTS) / max(output.ohms, 1.0)


def unpowered_words(bench: Bench, link: Link, sink: PortRef, style: Style = Style()) -> list[str]:
    """What happens when the receiver is off and the sender on."""
    amperes = unpowered_amperes(bench, link, sink)
    if amperes is None:
        return []
    gear = bench.gear_by(sink.gear).name
    sentence = f"While {gear} is off and the sender on, {style.engineering(amperes, 'A')} flow into it through its pin"
    if amperes <= PIN_AMPERES:
        return [f"{sentence}, which a pin bears."]
    most = style.engineering(PIN_AMPERES, "A")
    return [
        f"{sentence}, more than the {most} that a pin bears: switch it on first, or put a resistor ahead of the pin."
    ]


def meets_words(bench: Bench, link: Link, sink: PortRef, style: Style = Style()) -> list[str]:
    """What the output gives and what the input takes, a sentence each."""
    ahead, why = with_part(link, sink, (), ()), why_no_path(bench, link, sink)
    if why:
        return [f"Cannot tell what arrives: {why}."]
    return [_sends(bench, path_in(bench, ahead, sink), style), _takes(bench, sink, style), *_beside(bench, link, sink)]


def _sends(bench: Bench, link: Link, style: Style) -> str:
    output, label = gate_output(bench, link)[0], bench.label(link.output)
    if output is None:
        return f"What {label} gives is not known yet."
    ohms = style.engineering(output.ohms, "Ω")
    if output.kind == "switch":
        return f"{label} is a contact to ground of {ohms}."
    return f"{label} gives {style.volts(output.low_volts, 2)} and {style.volts(output.high_volts, 2)} behind {ohms}."


def _takes(bench: Bench, ref: PortRef, style: Style) -> str:
    takes, label = gate_input(bench.port(ref))[0], bench.label(ref)
    if takes is None:
        return f"What {label} takes is not known yet."
    ohms, on, off = style.engineering(takes.ohms, "Ω"), style.volts(takes.on_volts, 2), style.volts(takes.off_volts, 2)
    if takes.kind == "shorting":
        pulled = style.volts(takes.pullup_volts, 1)
        sentence = f"{label} is pulled up to {pulled} by {ohms}, goes on below {on} and off above {off}"
    else:
        sentence = f"{label} goes on above {on} and off below {off}, with {ohms} to ground"
    low, high = takes.absolute_limits.low, takes.absolute_limits.high
    ends = [style.volts(one, 1, sign=True) for one in (low, high) if one is not None]
    limits = f"; it bears {' to '.join(ends)}" if len(ends) == 2 else ""
    return f"{sentence}{limits}."


def _beside(bench: Bench, link: Link, sink: PortRef) -> list[str]:
    others = [bench.label(one) for one in link.inputs if one != sink]
    return [f"Beside it hang {', '.join(others)}."] if others else []
