"""What the two sides of a link are as volts, whatever they were made for: the volts that an output sends, open, and
what an input takes and how it hangs on the node.

Any voltage may meet any input; what was made for a pitch sends the volts of its notes, a gate its two levels.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from msgspec.structs import replace as with_

from dynamis.bench.chains.node import between_of, driving
from dynamis.bench.chains.port_transfers import converter_of, dac_if_known
from dynamis.bench.chains.tree import path_in, refuse_ring, why_no_path
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.gate_ports import gate_input
from dynamis.bench.document.ports import SWITCHING, GateRecord, Port, PortRef, SwingRecord, Through
from dynamis.bench.gear.knobs import Turned, turned
from dynamis.bench.judging.audio import left_of_balanced, peak_volts
from dynamis.electrics.gates.levels import GateInput, GateOutput, moved
from dynamis.electrics.gates.stages import becomes
from dynamis.electrics.net import loaded
from dynamis.electrics.potentiometer import LoadedPot
from dynamis.electrics.span import Span
from dynamis.pitch.laws import Law, parse_law
from dynamis.transfer.law import PitchSource
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.registry import REGISTRY

# A pin bears its rail and half a volt or so more; a limit beyond that is not the rail's.
_PIN_ABOVE_RAIL = 0.6


@dataclass(frozen=True)
class Sent:
    """The least and the most volts of an output, open, behind `ohms`; of a potentiometer fully down behind none."""

    low: float
    high: float
    ohms: float
    pot: bool = False


# By output what it may have, as far as it was worked out already; None where that is not known.
Spans = dict[PortRef, tuple[float, float] | None]
# What would be more volts than these is not known.
_MOST_SENT = 1e5


# -- the output ------------------------------------------------------------------------------------


def may_send(bench: Bench, link: Link, known: Spans | None = None) -> tuple[float, float] | None:
    """The least and most volts that the output of a link may have, open, its own knobs as they stand; None where
    nobody knows.

    A contact to ground sends none of its own.  Raises `InputError` where a tree feeds itself.
    """
    port = bench.port(link.output)
    span = None
    if port.through is not None:
        if known is None:
            refuse_ring(bench, link.output)
        span = _follows(bench, link.output, port.through, {} if known is None else known)
    if span is None:
        span = _own_span(bench, link, port)
    knobs = turned(port)
    if span is None or knobs.does_nothing:
        return span
    return _rising(*(knobs.gain * volts + knobs.offset_volts for volts in span))


def _own_span(bench: Bench, link: Link, port: Port) -> tuple[float, float] | None:
    """Of an output by itself, ahead of its knobs."""
    if port.role == "audio":
        peak, left = peak_volts(port), left_of_balanced(bench, link)
        return None if peak is None or left is None else (-peak * left, peak * left)
    if port.role in SWITCHING:
        gate = port.gate or GateRecord("driven")
        known = gate.kind == "driven" and gate.low_volts is not None and gate.high_volts is not None
        return _rising(gate.low_volts, gate.high_volts) if known else None
    if port.role == "pitch":
        stored = converter_of(port)
        if stored is not None:
            dac = dac_if_known(link.id, stored)
            return None if dac is None else dac.dac.reach_volts
        source = next((one.values for one in port.transfers if one.kind == "pitch-source"), {})
        return _rising(source.get("low_volts"), source.get("high_volts"))
    if port.pot is not None and port.pot.ohms:
        fed = fed_at(bench, link)
        if fed is None:
            return None
        reach, low = LoadedPot(port.pot.ohms, 1.0, port.pot.fed_ohms).reach_volts, port.pot.to_volts
        ends = [low + reach * (end - low) for end in fed]
        return _rising(min(low, *ends), max(low, *ends))
    swing = port.swing or SwingRecord()
    return _rising(swing.low_volts, swing.high_volts)


def fed_at(bench: Bench, link: Link) -> tuple[float, float] | None:
    """The least and the most volts that feed a potentiometer: its own, or what an input that it is joined to has on a
    pole of its jack, a supply or a signal from inside; None where nobody knows."""
    pot = bench.port(link.output).pot
    if pot is not None and pot.fed_volts is not None:
        return pot.fed_volts, pot.fed_volts
    for sink in link.inputs:
        for pole in bench.port(sink).poles:
            inside = PortRef(sink.gear, pole.port)
            if pole.port and bench.has(inside) and bench.port(inside).direction == "output" and inside != link.output:
                return _own_span(bench, Link("", inside), bench.port(inside))
            if pole.carries == "supply" and pole.volts is not None:
                return pole.volts, pole.volts
    return None


def _follows(bench: Bench, ref: PortRef, through: Through, known: Spans) -> tuple[float, float] | None:
    """What an output that follows inputs of its gear may have: the sum of what its ways bring; None where none brings
    anything that is known."""
    if ref in known:
        return known[ref]
    low = high = through.offset_volts
    brings = False
    for way in through.ways:
        entry = PortRef(ref.gear, way.input)
        for feeding in bench.links_into(entry)[:1]:
            arrives = None
            if not why_no_path(bench, feeding, entry):
                path = path_in(bench, feeding, entry)
                sent = sent_swing(bench, path, known)
                arrives = None if sent is None else arriving(bench, path, sent)
            if arrives is None:
                known[ref] = None
                return None
            knobs, brings = turned(bench.port(entry)), True
            ends = sorted(way.gain * (knobs.gain * volts + knobs.offset_volts) for volts in arrives)
            low, high = low + ends[0], high + ends[1]
    known[ref] = (low, high) if brings else None
    return known[ref]


def sent_volts(bench: Bench, link: Link, known: Spans | None = None) -> tuple[float, float] | None:
    """As `may_send`; a pitch output whose reach nobody gave sends at least the volts of the notes used."""
    port, reach = bench.port(link.output), may_send(bench, link, known)
    if reach is not None or port.role != "pitch" or port.law is None:
        return reach
    law = parse_law(port.law)
    ends = law.volts(tuning_of(bench).octaves(np.array([link.low_note, link.high_note]), law.reference_note))
    return _rising(float(ends[0]), float(ends[1])) if np.all(np.isfinite(ends)) else None


def _rising(low_volts: float | None, high_volts: float | None) -> tuple[float, float] | None:
    return (
        None
        if low_volts is None or high_volts is None
        else (float(min(low_volts, high_volts)), float(max(low_volts, high_volts)))
    )


def own_ohms(port: Port) -> float | None:
    """The resistance of an output; of a potentiometer that at its upper end."""
    if port.pot is None or not port.pot.ohms or port.role != "modulation":
        return port.ohms
    return float(LoadedPot(port.pot.ohms, port.pot.fed_volts or 0.0, port.pot.fed_ohms).source_ohms(1.0))


def sent_swing(bench: Bench, link: Link, known: Spans | None = None) -> Sent | None:
    """What comes out of everything that stands between, open; None where that is not known."""
    sends = sent_volts(bench, link, known)
    if sends is None:
        return None
    if link.gate_stages:
        output, _ = sent_as(bench, link)
        return (
            None
            if output is None or output.kind == "switch"
            else Sent(output.low_volts, output.high_volts, output.ohms)
        )
    port = bench.port(link.output)
    ohms = own_ohms(port)
    if link.between:
        readable = all(REGISTRY.knows(stored) for stored in link.between)
        made_of, driven = (between_of(bench, link), driving(bench, link)) if readable else (None, None)
        if made_of is None or driven is None:
            return None
        for one in made_of:
            first, second = (float(one.forward(volts, NOMINAL)) for volts in sends)
            sends = min(first, second), max(first, second)
        ohms = driven.ohms
    if ohms is None or not max(abs(one) for one in sends) <= _MOST_SENT:
        return None
    return Sent(*sends, ohms, port.pot is not None and not link.between)


def gate_output(bench: Bench, link: Link) -> tuple[GateOutput | None, list[str]]:
    """What the output of a link sends as a gate, ahead of the circuits for gates, and the names of values that are
    not known (then None)."""
    port, ahead = bench.port(link.output), _ahead(link)
    gate = port.gate or GateRecord("driven")
    limits = port.bears.span
    if port.role in SWITCHING and gate.kind == "switch":
        lacks = ["ohms"] if port.ohms is None else []
        return (None if port.ohms is None else GateOutput("switch", ohms=port.ohms, absolute_limits=limits)), lacks
    sent = sent_swing(bench, ahead)
    if sent is not None:
        return GateOutput("driven", sent.low, sent.high, sent.ohms, limits if not link.between else Span()), []
    lacks = ["ohms"] if own_ohms(port) is None else []
    if port.role in SWITCHING:
        levels = {"low_volts": gate.low_volts, "high_volts": gate.high_volts}
        lacks = [key for key, value in levels.items() if value is None] + lacks
    elif sent_volts(bench, link) is None:
        lacks = ["reach", *lacks]
    return None, lacks or ["between"]


def _ahead(link: Link) -> Link:
    """The link without its circuits for gates."""
    return with_(link, gate_stages=()) if link.gate_stages else link


def as_pitch(bench: Bench, link: Link, law: Law) -> Port:
    """An output of any voltage as a pitch output: what feeds it can play any law, as far as it reaches."""
    port = bench.port(link.output)
    low, high = may_send(bench, link) or (None, None)
    source = PitchSource("program", law, low_volts=low, high_volts=high).stored()
    return with_(port, law=source.values["law"], transfers=(source,))


def sent_as(bench: Bench, link: Link, end: float = 0.0) -> tuple[GateOutput | None, list[str]]:
    """What the output of a link comes to behind the circuits between, and the names of values that are not known.

    end : from -1 to 1, which end of the tolerance of its levels it stands at.
    """
    output, lacks = gate_output(bench, link)
    if output is None:
        return None, lacks
    gate = bench.port(link.output).gate
    if end and gate is not None and gate.level_limit:
        output = moved(output, 1.0 + end * gate.level_limit)
    inputs = [gate_input(bench.port(ref))[0] for ref in link.inputs]
    carried = sum(one.pullup_volts / one.ohms for one in inputs if one is not None and one.kind == "shorting")
    for stage in link.gate_stages:
        output = becomes(stage.circuit, stage.parts, output, carried)
    return output, []


# -- the input -------------------------------------------------------------------------------------


def input_of(bench: Bench, ref: PortRef) -> tuple[GateInput | None, list[str]]:
    """As `gate_input`, with the receiver's own rail where its limit is that of a pin on it and the rail is at hand:
    only then do both move together."""
    taken, lacks = gate_input(bench.port(ref))
    taken = None if taken is None else _ahead_of_knobs(taken, turned(bench.port(ref)))
    high = None if taken is None else taken.absolute_limits.high
    shared = {rails[1] for rails in bench.rails} & set(bench.gear_by(ref.gear).power.rails)
    own = [volts for volts in shared if high is not None and 0 < volts <= high <= volts + _PIN_ABOVE_RAIL]
    return (replace(taken, rail_volts=own[0]) if taken is not None and own else taken), lacks


def _ahead_of_knobs(taken: GateInput, knobs: Turned) -> GateInput:
    """An input as it is at its jack, ahead of its own knobs; behind one that lets nothing through it never goes on."""
    if knobs.does_nothing or taken.kind == "shorting":
        return taken
    if knobs.gain <= 0:
        return replace(taken, on_volts=_MOST_SENT, off_volts=min(taken.off_volts, _MOST_SENT))
    on, off = ((volts - knobs.offset_volts) / knobs.gain for volts in (taken.on_volts, taken.off_volts))
    return replace(taken, on_volts=on, off_volts=off)


def arriving(bench: Bench, link: Link, sent: Sent) -> tuple[float, float] | None:
    """(low, high) volts at the inputs of a link, all plugged in; None while a resistance is not known."""
    ports = [bench.port(one) for one in link.inputs]
    if any(port.ohms is None for port in ports):
        return None
    loads = [(port.ohms, port.rest_volts) for port in ports if port.ohms is not None]
    (share, rest), (down, down_rest) = loaded(sent.ohms, loads), loaded(0.0 if sent.pot else sent.ohms, loads)
    return sent.low * down + down_rest, sent.high * share + rest
