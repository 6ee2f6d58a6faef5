"""Remedies of gain and offset: circuits of real parts, buffers, and what straightens a potentiometer."""

from __future__ import annotations

from collections.abc import Iterator

from dynamis.bench.chains.branches import own_part
from dynamis.bench.chains.remembered import scaled_in
from dynamis.bench.chains.tree import path_in
from dynamis.bench.designing.between import borne_by, built, circuit_for, op_amp_for, supply_from, why_none
from dynamis.bench.designing.remedy import LinkChange, Remedy
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.swings import Swing, loaded_pots, swing_at
from dynamis.electrics.circuits.built import BuiltCircuit
from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.parts import pieces_of
from dynamis.electrics.circuits.supply import OP_AMPS
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.design.kinds import kind_words
from dynamis.electrics.gates.candidate import BATTERY_WORN
from dynamis.electrics.potentiometer import straightenings
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

_NOTHING_GAIN, _NOTHING_VOLTS = 5e-4, 5e-4


def swings(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[Remedy]:
    swing = swing_at(bench, path_in(bench, link, sink), sink)
    if not isinstance(swing, Swing) or swing.jack_high <= swing.jack_low or scaled_in(own_part(link, sink)):
        return
    gain, offset = swing.wants
    if abs(gain - 1.0) < 0.02 and abs(offset) < 0.02 * (swing.acts_high - swing.acts_low):
        return
    what = "scales and shifts the swing" if not swing.bias else "adds the bias and scales the swing"
    yield from designed(bench, link, sink, f"so that all of it acts; it {what}", style)


def designed(bench: Bench, link: Link, sink: PortRef, why: str, style: Style) -> Iterator[Remedy]:
    """A circuit of real parts with the gain and offset that the link asks for, trimmed; where the supply ends first,
    for the notes that it reaches."""
    chosen = circuit_for(bench, link, sink)
    if chosen is None:
        sentence = why_none(bench, link, sink)
        if sentence:
            yield Remedy("advice", "Not from the rails at hand", sentence)
        return
    proposal, requirement = chosen.proposal, chosen.requirement
    if abs(requirement.gain - 1.0) < _NOTHING_GAIN and abs(requirement.offset_volts) < _NOTHING_VOLTS:
        return  # what a buffer does
    title = f"Gain {style.number(requirement.gain, 3)}, offset {style.volts(requirement.offset_volts, 3, sign=True)}"
    parts = ", ".join(f"{one.name} {one.value}" for one in pieces_of(proposal.circuit, style) if one.ohms is not None)
    turned = [f"{one.name} for the {'interval' if one.role == 'scale' else 'offset'}" for one in proposal.trims]
    trimmed = f"; trimmers {' and '.join(turned)}" if turned else ""
    words = [
        f"From the output's own volts to the input, {why}. {proposal.circuit.topology.title}: {parts}{trimmed}."
        f"{_clamped(proposal.circuit, style)}",
        kind_words(proposal.circuit, proposal.requirement, style),
    ]
    if not proposal.circuit.topology.amplifiers:
        words.append("The input's resistance is a part of it: another input in its place takes another circuit.")
    more: dict[str, object] = {}
    if chosen.notes is not None:
        first, last = chosen.notes
        ends = f"{note_label(first, style)} to {note_label(last, style)}"
        title, more = f"{title}, {ends}", {"low_note": first, "high_note": last}
        words.append("The other notes used want more than its supply gives, or than the input bears.")
    yield _between(link, sink, title, " ".join(text for text in words if text), built(proposal), **more)


def straighter(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[Remedy]:
    """What straightens a loaded potentiometer without an op-amp."""
    for pot, name, _ in loaded_pots(bench, path_in(bench, link, sink), sink):
        for straightening in straightenings(pot):
            value = style.engineering(straightening.ohms, "Ω")
            lower = straightening.kind == "lower"
            title = f"A potentiometer of {value}" if lower else f"{value} from the wiper to the fed end"
            text = (
                f"{'In the place of' if lower else 'Across the upper part of'} {name}: it then bends by "
                f"{style.share(straightening.bend, 0)} at most and reaches "
                f"{style.volts(straightening.reach_volts, 2)}, for {style.engineering(straightening.amperes, 'A')}."
            )
            yield Remedy("advice", title, text)


def buffer(bench: Bench, link: Link, sink: PortRef, why: str, kind: str, style: Style) -> Iterator[Remedy]:
    """A follower from the rails at hand; from a single one it is a rail-to-rail kind.  why : what it is good for."""
    rails = bench.rails_for(link)
    if not rails:
        return
    supply = supply_from(rails)
    clamp = borne_by(bench, link, sink).needed(supply.low, supply.high)
    op_amp = op_amp_for(supply) if supply.single else OP_AMPS[kind]
    circuit = Circuit(TOPOLOGIES["follower"], (), supply, op_amp, clamp=clamp)
    worn = ", a 9 V battery when it is worn" if supply.high == BATTERY_WORN and supply.single else ""
    off = style.engineering(op_amp.offset_limit_volts, "V")
    words = (
        f"A {op_amp.title} as follower, at most {off} off: {why} From {supply.words}{worn}.{_clamped(circuit, style)}"
    )
    yield _between(link, sink, "A buffer", words, BuiltCircuit("buffer", circuit))


def _between(link: Link, sink: PortRef, title: str, text: str, circuit: BuiltCircuit, **more: object) -> Remedy:
    words = f"put {title[0].lower()}{title[1:]} between"
    command = LinkChange(link, sink, words, more, circuit.stored())
    return Remedy("circuit", title, text, command, circuit=circuit.circuit.topology.name)


def _clamped(circuit: Circuit, style: Style) -> str:
    clamp = circuit.clamp
    ends = [
        f"{words} {style.volts(volts, 2)}"
        for words, volts in (("below", clamp.low), ("above", clamp.high))
        if volts is not None
    ]
    return f" Diodes clamp it {' and '.join(ends)}, which the input bears." if ends else ""
