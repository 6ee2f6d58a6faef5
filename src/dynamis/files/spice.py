"""The circuit of a link as SPICE text."""

from __future__ import annotations

from msgspec.structs import replace as with_

from dynamis.bench.chains.node import between_of
from dynamis.bench.chains.tree import path_in
from dynamis.bench.designing.between import asked_of
from dynamis.bench.designing.law_change import converter_asked, title_of
from dynamis.bench.document.bench import Bench, GateStageRecord, Link
from dynamis.bench.document.gate_ports import gate_input
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.sides import sent_as
from dynamis.electrics.circuits.built import BuiltCircuit
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.exponential.spice import pair_netlist
from dynamis.electrics.gates.spice import gate_netlist
from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.memory.spice import memory_netlist
from dynamis.electrics.net import parallel
from dynamis.errors import InputError

_USUAL_VOLTS = (-5.0, 5.0)
# An octave of the usual scale, that a circuit which remembers is tried with.
_JUMP_VOLTS = (1.0, 2.0)


def link_spice(bench: Bench, link: Link, sink: PortRef) -> str:
    """The circuit between, with its sender and all of its inputs, its trimmers as they stand.

    Raises `InputError` where none stands there, or what does has no parts.
    """
    ask, link = link, path_in(bench, link, sink)
    if link.gate_stages:
        return stage_spice(bench, link, sink, link.gate_stages[-1])
    between = between_of(bench, link) or ()
    converter = next((one for one in between if isinstance(one, Converter)), None)
    if converter is not None:
        asks = converter_asked(bench, link, sink)
        span = (asks.in_low_volts, asks.in_high_volts) if isinstance(asks, LawRequirement) else _USUAL_VOLTS
        what = title_of(converter.parts.direction)
        title = f"{bench.label(link.output)} > {bench.label(sink)}: {what[0].lower()}{what[1:]}"
        return pair_netlist(converter, *span, title)
    circuit = next((one for one in between if isinstance(one, BuiltCircuit)), None)
    remembers = next((one for one in between if isinstance(one, Remembering)), None)
    if circuit is None and remembers is not None:
        title = f"{bench.label(link.output)} > {bench.label(sink)}: {remembers.of.title}"
        return memory_netlist(remembers, *_JUMP_VOLTS, title)
    if circuit is None:
        raise InputError(
            f"{bench.label(link.output)} > {bench.label(sink)}: what stands between has no parts of its own; have its "
            "circuit designed first."
        )
    requirement = asked_of(bench, ask, sink)
    ends = (
        (requirement.in_low_volts, requirement.in_high_volts) if isinstance(requirement, Requirement) else _USUAL_VOLTS
    )
    load = min(1e12, parallel(bench.port(ref).ohms for ref in link.inputs))
    title = f"{bench.label(link.output)} > {bench.label(sink)}: {circuit.circuit.topology.title}"
    return netlist(circuit.loaded(load), *ends, title, dict(circuit.travel))


def stage_spice(bench: Bench, link: Link, sink: PortRef, stage: GateStageRecord) -> str:
    """One circuit of a gate link, with what comes before it worked out as its sender.

    Raises `InputError` where levels, thresholds or parts are not known.
    """
    link = path_in(bench, link, sink)
    ahead = with_(link, gate_stages=link.gate_stages[: link.gate_stages.index(stage)])
    output, receiver = sent_as(bench, ahead)[0], gate_input(bench.port(sink))[0]
    if output is None or receiver is None:
        raise InputError(
            f"{bench.label(link.output)} > {bench.label(sink)}: its levels or thresholds are not known; enter them "
            "first."
        )
    title = f"{bench.label(link.output)} > {bench.label(sink)}: {stage.circuit}"
    try:
        return gate_netlist(title, stage.circuit, stage.parts, output, receiver, len(link.inputs))
    except KeyError as error:
        raise InputError(f"{title} lacks its part {error}; take it out and apply the remedy anew.") from error
