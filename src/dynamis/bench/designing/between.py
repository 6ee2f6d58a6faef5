"""What a link asks of a circuit between, and putting a designed one there.

The gain and offset are from the output's own volts to the input, so that its load and the sender's resistance are
made up for in the design.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import replace as with_
from functools import lru_cache
from typing import Final

import numpy as np

from dynamis.bench.chains.branches import branched, own_part, with_part
from dynamis.bench.chains.node import driving
from dynamis.bench.chains.port_transfers import heard_by
from dynamis.bench.chains.remembered import entering_ohms, with_scaling
from dynamis.bench.chains.sending import law_ahead
from dynamis.bench.chains.tree import site_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change, join
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.commands import put_link
from dynamis.bench.judging.swings import Swing, swing_at
from dynamis.electrics.circuits.built import KIND, BuiltCircuit
from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp, Supply
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting, varied_in
from dynamis.electrics.design.kinds import best_kind
from dynamis.electrics.design.proposal import ORDER, Proposal, Proposals, propose, propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.trims import Trimming, needed_range
from dynamis.electrics.exponential.converter import KINDS as CONVERTERS
from dynamis.electrics.gates.candidate import BATTERY, BATTERY_WORN, Rails
from dynamis.electrics.net import loaded, parallel
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.transfer.chain import Transfer
from dynamis.transfer.registry import REGISTRY, StoredTransfer

# Of metal film resistors of 1 %; common practice, no source.
RESISTOR_PER_KELVIN: Final = 50e-6
# Single values are near enough at this share of what is allowed; common practice, no source.
_NEAR: Final = 0.5
# An octave and its first note: with fewer notes a circuit is none.
_LEAST_NOTES: Final = 13
_SLACK_VOLTS: Final = 1e-3
# How far a modulation may be off, of its whole swing; common practice, no source.
MODULATION_PERCENT: Final = 3.0
DEFAULT_REQUIREMENT: Final = Requirement(1.0, op_amp=OP_AMPS["jfet"], resistor_per_kelvin=RESISTOR_PER_KELVIN)


def asked_of(bench: Bench, link: Link, sink: PortRef, start: Requirement = DEFAULT_REQUIREMENT) -> Requirement | str:
    """What a circuit between has to do, or the sentence that says why a link asks for none.

    start : the supply, the series and whatever else the link does not decide.
    """
    try:
        return _asked_of(bench, link, sink, start)
    except InputError as error:
        return str(error)


def _asked_of(bench: Bench, link: Link, sink: PortRef, start: Requirement) -> Requirement | str:
    site, receiver = site_in(bench, link, sink), bench.port(sink)
    ahead = site.ahead
    output, driven = bench.port(ahead.output), driving(bench, ahead)
    if driven is None and output.pot is None:
        return f"Measure the resistance of {bench.label(ahead.output)} first: the circuit's input hangs on it."
    ohms = (output.ohms or 0.0) if driven is None or not ahead.between else driven.ohms
    loads = [*(bench.port(ref).ohms for ref in ahead.inputs or (sink,)), *(load.ohms for load in site.loads)]
    if any(one is None for one in loads):
        return f"Measure the resistance of {bench.label(sink)} first: it loads the circuit."
    remembers = entering_ohms(own_part(link, sink))
    load = parallel(loads) if remembers is None else remembers
    known = with_(start, source_ohms=ohms, load_ohms=load, absolute_limits=borne_by(bench, ahead, sink))
    if receiver.role == "pitch":
        return _pitch(bench, ahead, sink, known)
    if receiver.role == "modulation":
        swing = swing_at(bench, ahead, sink)
        if not isinstance(swing, Swing) or swing.jack_high <= swing.jack_low or swing.acts_high <= swing.acts_low:
            return f"Tell between which volts {bench.label(link.output)} swings and {bench.label(sink)} acts first."
        only = parallel(bench.port(ref).ohms for ref in ahead.inputs or (sink,))
        ends, acts = _sent_swing(swing, ohms, only), swing.acts_at_jack
        gain = (acts[1] - acts[0]) / (ends[1] - ends[0])
        # Of a modulation the whole swing stands for an octave, so that 12 cents are 1 % of it.
        return with_(
            known,
            gain=gain,
            offset_volts=acts[0] - gain * ends[0],
            in_low_volts=ends[0],
            in_high_volts=ends[1],
            volts_per_octave=ends[1] - ends[0],
            pairs=False,
            tolerance_cents=12.0 * MODULATION_PERCENT,
        )
    return (
        f"{bench.label(sink)} takes a {receiver.role}: what goes between is chosen by its levels, among the circuits "
        "for gates. Gain and offset are designed for pitch and modulation."
    )


def supply_from(rails: tuple[Rails, ...], tolerance_fraction: float = 0.0) -> Supply:
    """The supply of those at hand that reaches furthest: two rails before a single one; a battery when worn."""
    low, high = max(rails, key=lambda one: (one[0] < 0 < one[1], one[1] - one[0]))
    if (low, high) == BATTERY:
        high = BATTERY_WORN  # what still works when it is worn works before
    return Supply(low, high, tolerance_fraction) if high > 0 else Supply(tolerance=tolerance_fraction)


def _pitch(bench: Bench, link: Link, sink: PortRef, known: Requirement) -> Requirement | str:
    tuning, sent = tuning_of(bench), law_ahead(bench, link)
    heard = heard_by("heard", bench.port(sink), tuning)
    if sent is None or heard is None:
        lawless = link.output if sent is None else sink
        return f"Give {bench.label(lawless)} its pitch law first."
    wanted = heard.law
    apart = float(tuning.octaves(sent.reference_note, wanted.reference_note))
    zero: float | None = None
    if isinstance(sent, ExponentialLaw) and isinstance(wanted, ExponentialLaw):
        gain = wanted.volts_per_octave / sent.volts_per_octave
        offset = wanted.reference_volts + wanted.volts_per_octave * apart - gain * sent.reference_volts
    elif isinstance(sent, LinearLaw) and isinstance(wanted, LinearLaw):
        zero = wanted.offset_volts
        gain = wanted.reference_volts * 2.0**apart / sent.reference_volts
        offset = zero - gain * sent.offset_volts
    else:
        return (
            f"{bench.label(link.output)} and {bench.label(sink)} differ in their law, V/oct and Hz/V: no gain and "
            "offset turns one into the other. It takes a table per note, or a converter of the law."
        )
    notes = np.array([link.low_note, max(link.high_note, link.low_note + 1.0)])
    volts = sent.volts(tuning.octaves(notes, sent.reference_note))
    tightest = link.tightest_cents
    return with_(
        known,
        gain=gain,
        offset_volts=offset,
        in_low_volts=float(volts[0]),
        in_high_volts=float(volts[1]),
        volts_per_octave=sent.volts_per_octave if isinstance(sent, ExponentialLaw) else 1.0,
        zero_volts=zero,
        tolerance_cents=tightest if math.isfinite(tightest) else 5.0,
    )


def _sent_swing(swing: Swing, ohms: float, load: float) -> tuple[float, float]:
    """The sender's own volts behind a swing that was worked out at the loaded input."""
    share, _ = loaded(ohms, [(load, 0.0)])
    return swing.jack_low / share, swing.jack_high / share


def borne_by(bench: Bench, link: Link, sink: PortRef) -> Clamp:
    """What all inputs of a link survive."""
    spans = [bench.port(ref).bears for ref in link.inputs or (sink,)]
    low = max((one.low for one in spans if one.low is not None), default=None)
    high = min((one.high for one in spans if one.high is not None), default=None)
    if low is not None and high is not None and low >= high:
        return Clamp()  # no level suits them all, which the findings tell
    return Clamp(low, high)


def built(proposal: Proposal, transfer_id: str = "between", trimmed: bool = True) -> BuiltCircuit:
    """The circuit of a proposal as it stands between; trimmed : its trimmers where readings would leave them."""
    set_to: tuple[tuple[str, float], ...] = ()
    if trimmed and proposal.trims:
        bench = Trimming(proposal.circuit, proposal.requirement)
        set_to = tuple((name, float(travel)) for name, travel in bench.set({}, stepped=False).items())
    return BuiltCircuit(transfer_id, proposal.circuit, set_to, trimmed and bool(proposal.trims))


def use_between(bench: Bench, output: PortRef, sink: PortRef, circuit: BuiltCircuit, on_branch: bool = False) -> Change:
    """The two joined with a designed circuit between, in the place of one that stood there."""
    bench, link = joined(bench, output, sink, on_branch)
    return put_between(bench, link, sink, circuit.stored(), circuit.circuit.topology.title)


def put_between(bench: Bench, link: Link, sink: PortRef, stored: StoredTransfer, title: str) -> Change:
    """A link with a circuit ahead of an input, in the place of one that stood there."""
    part = own_part(link, sink)
    kept = tuple(one for one in part.between if one.kind not in (KIND, *CONVERTERS, "stage"))
    words = f"put {title[0].lower()}{title[1:]} between"
    return put_link(bench, with_part(link, sink, between=with_scaling(kept, stored)), words)


def joined(bench: Bench, output: PortRef, sink: PortRef, on_branch: bool = False) -> tuple[Bench, Link]:
    """The bench with the two joined, and their link; the input on a branch of its own where that is asked for."""
    link = bench.link_from(output)
    if link is None or sink not in link.inputs:
        bench = join(bench, output, sink).bench
        link = bench.link_from(output)
    assert link is not None
    return bench, branched(link, sink) if on_branch else link


def standing(circuit: BuiltCircuit, requirement: Requirement) -> Proposal:
    """A circuit that stands in a link as a proposal for what the link asks, its trimmers as they are described."""
    here = with_(circuit.circuit, source_ohms=requirement.source_ohms, load_ohms=requirement.load_ohms)
    known = with_(requirement, supply=here.supply, op_amp=here.op_amp, tolerance=here.resistor_tolerance_fraction)
    needed = needed_range(here, known, varied_in(here, Counting()))
    return Proposal(here, known, tuple(Trimming(here, known).describe(needed)))


def circuit_of(link: Link, sink: PortRef | None = None) -> BuiltCircuit | None:
    """The designed circuit that stands in a link ahead of an input, of the first by default; None where there is
    none."""
    transfer = made_of(link, (KIND,), sink)
    return transfer if isinstance(transfer, BuiltCircuit) else None


def made_of(link: Link, kinds: Sequence[str], sink: PortRef | None = None) -> Transfer | None:
    """The first of some kinds that stands in a link, None where there is none."""
    part = link if sink is None else own_part(link, sink)
    stored = next((one for one in part.between if one.kind in kinds and REGISTRY.knows(one)), None)
    return None if stored is None else REGISTRY.make(f"{link.id}.between", stored)


def why_none(bench: Bench, link: Link, sink: PortRef) -> str:
    """Why no circuit is known for a link from the rails at hand; "" where the link asks for none."""
    rails = bench.rails_for(link)
    supply = supply_from(rails) if rails else Supply()
    requirement = asked_of(bench, link, sink, with_(DEFAULT_REQUIREMENT, supply=supply, op_amp=op_amp_for(supply)))
    if isinstance(requirement, str):
        return ""
    low, high = (f"{plain(round(volts, 2))} V" for volts in sorted(requirement.ends))
    asks = f"It asks for {low} to {high} at the input"
    reaches = requirement.absolute_limits.within(*requirement.op_amp.swing(supply)) if rails else None
    if reaches is None:
        return f"{asks}; without a supply nothing does that."
    span = " to ".join(f"{plain(round(volts, 2))} V" for volts in reaches)
    return f"{asks}; from {supply.words} an op-amp there gives {span}. Other rails at hand would do it."


@dataclass(frozen=True)
class Chosen:
    """The circuit that a link would get.  requirement : what it was asked.  notes : the lowest and the highest that the
    supply leaves, None where it reaches all."""

    proposal: Proposal
    requirement: Requirement
    notes: tuple[float, float] | None = None


def circuit_for(bench: Bench, link: Link, sink: PortRef) -> Chosen | None:
    """The smallest circuit for a link from the rails at hand; None where none does it.

    Resistors alone where one input hangs there and its resistance decides little; else with an op-amp; where the supply
    ends first, for an octave of its notes or more.
    """
    rails = bench.rails_for(link)
    supply = supply_from(rails) if rails else Supply()
    requirement = asked_of(bench, link, sink, with_(DEFAULT_REQUIREMENT, supply=supply, op_amp=op_amp_for(supply)))
    if isinstance(requirement, str):
        return None
    part = _borne_part(requirement)
    if part is None:
        return None
    alone = set(link.inputs) <= {sink} or link.branch_of(sink) is not None
    proposal = _resistors(part, bool(rails)) if alone else None
    if proposal is None and rails:
        proposal = smallest_with_op_amp(part)
    if proposal is not None and part is requirement:
        return Chosen(proposal, requirement)
    if proposal is not None:
        notes = _notes_within(bench, site_in(bench, link, sink).ahead, part.in_low_volts, part.in_high_volts)
        return None if notes is None else Chosen(proposal, requirement, notes)
    return _as_far_as(bench, link, sink, part) if rails else None


def _borne_part(requirement: Requirement) -> Requirement | None:
    """The requirement over the part of its input range whose output the receiver bears; itself where that is all."""
    ends = sorted(requirement.ends)
    low, high = requirement.absolute_limits.within(*ends)
    if low <= ends[0] + _SLACK_VOLTS and high >= ends[1] - _SLACK_VOLTS:
        return requirement
    if low >= high:
        return None
    first, last = sorted((end - requirement.offset_volts) / requirement.gain for end in (low, high))
    return with_(requirement, in_low_volts=first, in_high_volts=last) if last - first > _SLACK_VOLTS else None


def _does(proposal: Proposal) -> bool:
    """Whether its values come near enough: to what is required, or of single ones to a part of what is allowed."""
    return not proposal.misses or (
        not proposal.requirement.pairs and proposal.nominal_cents <= _NEAR * proposal.requirement.tolerance_cents
    )


@lru_cache(maxsize=64)
def _resistors(requirement: Requirement, supplied: bool) -> Proposal | None:
    """Resistors alone, where neither the load nor the rail of an offset decides too much; None else."""
    try:
        proposal = propose_one(TOPOLOGIES["resistors"], requirement, Counting(op_amps=False))
    except InputError:
        return None
    unfit = (
        not _does(proposal)
        or proposal.is_soft
        or proposal.wanders
        or (proposal.circuit.uses_reference and not supplied)
    )
    return None if unfit else proposal


def _as_far_as(bench: Bench, link: Link, sink: PortRef, requirement: Requirement) -> Chosen | None:
    """The circuit that keeps gain and offset as far as the supply reaches, with the notes that it leaves."""
    try:
        proposals = _proposed(requirement)
    except InputError:
        return None
    reached = proposals.reached_in_volts
    notes = None if reached is None else _notes_within(bench, site_in(bench, link, sink).ahead, *reached)
    return None if notes is None else Chosen(proposals.suitable[0], requirement, notes)


def _notes_within(bench: Bench, link: Link, low_volts: float, high_volts: float) -> tuple[float, float] | None:
    """The lowest and the highest note used that the sender plays between two of its volts; None for less than an
    octave of them."""
    sent, notes = law_ahead(bench, link), link.whole_notes
    if sent is None:
        return None
    volts = sent.volts(tuning_of(bench).octaves(notes, sent.reference_note))
    inside = notes[(volts >= low_volts - 1e-9) & (volts <= high_volts + 1e-9)]
    return None if inside.size < _LEAST_NOTES else (float(inside[0]), float(inside[-1]))


@lru_cache(maxsize=64)
def _proposed(requirement: Requirement) -> Proposals:
    return propose(requirement, smallest=True)


@lru_cache(maxsize=64)
def smallest_with_op_amp(requirement: Requirement) -> Proposal | None:
    """The smallest circuit with an op-amp that does a requirement; None where none does.

    Resistors alone hang on their load: unplugging one of several inputs would retune the others.  The kind of op-amp
    is that which leaves least, where another leaves much less than the one asked for.
    """
    proposal = _smallest(requirement)
    if proposal is None:
        return None
    kind = best_kind(proposal.circuit, proposal.requirement)
    return proposal if kind is requirement.op_amp else _smallest(with_(requirement, op_amp=kind)) or proposal


def _smallest(requirement: Requirement) -> Proposal | None:
    for name in ORDER:
        if not TOPOLOGIES[name].amplifiers:
            continue
        try:
            proposal = propose_one(TOPOLOGIES[name], requirement, Counting(op_amps=True))
        except InputError:
            continue
        if _does(proposal):
            return proposal
    return None


def suited_kind(requirement: Requirement) -> OpAmp:
    """The kind of op-amp that leaves least in the smallest circuit; the requirement's own where none does better."""
    proposal = smallest_with_op_amp(requirement)
    return requirement.op_amp if proposal is None else proposal.circuit.op_amp


def op_amp_for(supply: Supply) -> OpAmp:
    """The kind that suits a supply: JFET inputs between two rails, rail to rail from a single one."""
    return OP_AMPS["rail-to-rail" if supply.single else "jfet"]
