"""The chain of a link: head, converter, node, what stands between, oscillator."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document import Bench, Link
from dynamis.bench.ports import Port, PortRef
from dynamis.bench.records import HeadRecord, InstrumentRecord
from dynamis.bench.tunings import tuning_of
from dynamis.converter.dac import MOST_BITS_WITH_INL, Dac
from dynamis.converter.heads import ConstantsHead, TableHead, inl_behind
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.net import Net, Terminal
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import Law, parse_law
from dynamis.pitch.tuning import Tuning
from dynamis.transfer.chain import Chain, Transfer
from dynamis.transfer.law import Oscillator, PitchSource, WantedPitch
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]
# Circuits of parts are imported when a link has one.
REGISTRY.later("dynamis.electrics.circuits.built", "circuit")
REGISTRY.later("dynamis.electrics.exponential.converter", "exponential", "logarithmic")


@runtime_checkable
class Driven(Transfer, Protocol):
    """A circuit of parts between, which its sender's own resistance belongs to."""

    def driven_by(self, ohms: float, source: Parameter | None) -> Driven: ...
    def out_ohms(self, world: World) -> FloatArray: ...


Head = ConstantsHead | TableHead
# A tune knob that is not turned further is not told.
_LEAST_TUNED = 0.05


@dataclass(frozen=True)
class LinkChain:
    """A link's chain, or the sentence that says why none can be made yet.

    true : what is known to be so of this channel: where constants were measured in volts, the reference
        and offset that they found.
    """

    chain: Chain | None
    sentence: str = ""
    true: World = NOMINAL


def converter_of(port: Port) -> StoredTransfer | None:
    """The stored DAC of an output, or None."""
    return next((stored for stored in port.transfers if stored.kind == "dac"), None)


def make_dac(transfer_id: str, stored: StoredTransfer) -> DacTransfer:
    """The DAC of a stored transfer; raises `InputError` where it is none."""
    made = REGISTRY.make(transfer_id, stored)
    if not isinstance(made, DacTransfer):
        raise InputError(f"{transfer_id} is stored as {stored.kind!r}; a DAC was expected.")
    return made


def dac_if_known(transfer_id: str, stored: StoredTransfer | None) -> DacTransfer | None:
    """The DAC of a stored transfer; None where there is none, or a newer program wrote it."""
    return make_dac(transfer_id, stored) if stored is not None and REGISTRY.knows(stored) else None


def source_of(transfer_id: str, port: Port, tuning: Tuning) -> PitchSource:
    """What an output without a converter of ours does: its law, with the limits that are known of it.

    The port's own law holds, also where one was stored beside the limits.
    """
    stored = next((one for one in port.transfers if one.kind == "pitch-source"), None)
    made = None if stored is None else REGISTRY.make(transfer_id, stored)
    if isinstance(made, PitchSource):
        return replace(made, tuning=tuning, law=made.law if port.law is None else parse_law(port.law))
    if port.law is None:
        raise InputError(f"{port.name} has no pitch law.")
    return PitchSource(transfer_id, parse_law(port.law), tuning)


def heard_by(transfer_id: str, port: Port, tuning: Tuning) -> Oscillator | None:
    """What an input makes of volts: its oscillator, or its law alone; None where neither is known."""
    stored = next((one for one in port.transfers if one.kind == "oscillator"), None)
    made = None if stored is None else REGISTRY.make(transfer_id, stored)
    if isinstance(made, Oscillator):
        law = made.law if port.law is None else parse_law(port.law)
        return replace(made, tuning=tuning, label="sounds", law=law)
    return None if port.law is None else Oscillator(transfer_id, parse_law(port.law), tuning)


def make_head(head_id: str, record: HeadRecord, law: Law, dac: Dac, tuning: Tuning) -> Head:
    """The believing head that a record describes."""
    constants = ConstantsHead(head_id, law, dac, record.offset, record.gain, record.quantity, tuning)
    return TableHead(head_id, constants, record.first_note, record.sixteenths) if record.kind == "table" else constants


def aim_volts(head: Head, notes: FloatArray) -> FloatArray:
    """Nominal volts that the head aims for, for notes of shape (N,)."""
    if isinstance(head, TableHead):
        return head.under.dac.nominal_volts(head.exact(notes, NOMINAL))
    return head.aim_volts(notes)


@dataclass(frozen=True)
class Sending:
    """What turns a note into volts at the jack, open: a head and a converter, or a law; and what stands between.

    sentence : why there is none.  true : as in `LinkChain`.
    """

    transfers: tuple[Transfer, ...] = ()
    sentence: str = ""
    true: World = NOMINAL


def _unknown(label: str, transfers: Sequence[StoredTransfer]) -> str:
    """What is said where one of the transfers was written by a newer program; empty where none was."""
    unknown = next((stored for stored in transfers if not REGISTRY.knows(stored)), None)
    if unknown is None:
        return ""
    return (
        f"{label} holds {unknown.kind!r}, which this program does not know: it is kept, and nothing can be told about "
        "the link."
    )


def sending_of(bench: Bench, link: Link, head: HeadRecord = HeadRecord(), port: Port | None = None) -> Sending:
    """The front of a link's chain.  port : what the output is taken for, itself by default."""
    output, tuning = port or bench.port(link.output), tuning_of(bench)
    source = f"{link.output.gear}.{link.output.port}"
    unknown = _unknown(bench.label(link.output), (*output.transfers, *link.between))
    if unknown:
        return Sending(sentence=unknown)
    if output.law is None:
        return Sending(sentence=f"{bench.label(link.output)} has no pitch law yet; give it one.")
    between = between_of(bench, link)
    if between is None:
        return Sending(sentence=f"Cannot tell until you measure the resistance of {bench.label(link.output)}.")
    stored = converter_of(output)
    if stored is None:
        return Sending((source_of(source, output, tuning), *between))
    nominal = make_dac(f"{source}.dac", stored)
    made_head = make_head(f"{source}.head", head, parse_law(output.law), nominal.dac, tuning)
    converter, true = _as_measured(nominal, head, made_head)
    return Sending((made_head, converter, *between), "", true)


def link_chain(bench: Bench, link: Link, head: HeadRecord = HeadRecord(), sink: PortRef | None = None) -> LinkChain:
    """The chain from note to sound along a link.

    head : what turns notes into codes (the correction in force).  sink : which input is followed, the
    first by default.
    """
    tuning = tuning_of(bench)
    source = f"{link.output.gear}.{link.output.port}"
    sending = sending_of(bench, link, head)
    if sending.sentence:
        return LinkChain(None, sending.sentence)
    transfers, true = list(sending.transfers), sending.true
    sink = sink or (link.inputs[0] if link.inputs else None)
    if sink is None:
        transfers.append(
            Oscillator(f"{source}.ideal", parse_law(bench.port(link.output).law or ""), tuning, "would sound")
        )
        return LinkChain(Chain(tuple(transfers), WantedPitch(tuning=tuning)), true=true)
    unknown = _unknown(bench.label(sink), bench.port(sink).transfers)
    if unknown:
        return LinkChain(None, unknown)
    rivals = rivals_of(bench, link)
    if rivals:
        names = " and ".join(bench.label(one.output) for one in (link, *rivals))
        return LinkChain(None, f"Cannot tell what {bench.label(sink)} gets: {names} drive one node. Part one of them.")
    try:
        net = link_net(bench, link)
    except InputError as error:
        return LinkChain(None, str(error))
    if net is None:
        return LinkChain(None, f"Cannot tell until you measure the resistance of {missing_ohms(bench, link)}.")
    transfers.append(net.transfer(source, f"{sink.gear}.{sink.port}"))
    heard = heard_by(f"{sink.gear}.{sink.port}", bench.port(sink), tuning)
    if heard is None:
        return LinkChain(None, f"{bench.label(sink)} has no pitch law yet; give it one.")
    chain = Chain((*transfers, heard), WantedPitch(tuning=tuning))
    return LinkChain(_tuned(chain, true, link, bench.port(sink).tune_semitones), true=true)


def _tuned(chain: Chain, true: World, link: Link, semitones: float) -> Chain:
    """The chain with the tune knob of its voice where it is best for the notes used, as the verdict takes it."""
    notes, heard = link.whole_notes, chain.transfers[-1]
    if semitones <= 0 or not notes.size or not isinstance(heard, Oscillator):
        return chain
    with np.errstate(all="ignore"):
        off = chain.error_cents(notes, true)
    cents = -tuned_out(off, link.allowed_cents(notes), semitones)
    if abs(cents) < _LEAST_TUNED:
        return chain
    label = f"{heard.label}, tuned {Style().cents(cents, sign=True)} ct"
    tuned = replace(heard, tuned_octaves=cents / 1200.0, label=label)
    return replace(chain, transfers=(*chain.transfers[:-1], tuned))


def tuned_out(cents: FloatArray, allowed: FloatArray, semitones: float) -> float:
    """What a tune knob that reaches `semitones` either way takes out, so that the worst note is as good as can be."""
    judged = np.isfinite(cents - allowed)
    if semitones <= 0 or not np.any(judged):
        return 0.0
    high, low = np.max((cents - allowed)[judged]), np.min((cents + allowed)[judged])
    return float(np.clip((high + low) / 2.0, -100.0 * semitones, 100.0 * semitones))


def _as_measured(converter: DacTransfer, head: HeadRecord, made: Head) -> tuple[DacTransfer, World]:
    """The converter, and the world in which its reference and offset are as constants in volts found them.

    The design stays as it is.  Where the data sheet gives no limits, tiny ones let the world act on them.
    A table upon the constants tells of the converter's linearity: what it takes off is what is there.
    """
    if head.kind == "nominal" or head.quantity != "volts":
        return converter, NOMINAL
    if isinstance(made, TableHead) and converter.dac.bits <= MOST_BITS_WITH_INL:
        converter = replace(converter, dac=replace(converter.dac, inl_lsb=inl_behind(made)))
    known = replace(converter, reference_limit=converter.reference_limit or 1e-9,
                    offset_limit_volts=converter.offset_limit_volts or 1e-9)  # fmt: skip
    # measured = offset + gain * nominal, and the transfer scales what lies above the offset after it.
    shift = head.offset + (head.gain - 1.0) * converter.dac.offset_volts
    deviations = {f"{known.id}.reference": (head.gain - 1.0) / known.reference_limit,
                  f"{known.id}.offset": shift / known.offset_limit_volts}  # fmt: skip
    return known, World(deviations)


def between_of(bench: Bench, link: Link) -> tuple[Transfer, ...] | None:
    """What stands between, each circuit with what it hangs on the one before; None while that cannot be told."""
    made: list[Transfer] = []
    port = bench.port(link.output)
    ohms, limit = 0.0 if port.ohms is None and port.pot is not None else port.ohms, port.ohms_limit
    source = f"{link.output.gear}.{link.output.port}"
    label = f"{bench.gear_by(link.output.gear).name} {port.name}"
    for k, stored in enumerate(link.between):
        transfer = REGISTRY.make(f"{link.id}.{k}", stored)
        if isinstance(transfer, Driven):
            if ohms is None:
                return None
            own = Terminal(source, label, ohms, True, limit).parameter if ohms and k == 0 else None
            transfer = transfer.driven_by(ohms, own)
            ohms, limit = float(transfer.out_ohms(NOMINAL)), 0.0
        if isinstance(transfer, Stage):
            if ohms is None:
                return None
            before = Terminal(f"{link.id}.{k}.before", "the output", ohms, True, limit)
            after = Terminal(f"{link.id}.{k}.in", "the circuit", transfer.in_ohms, False)
            made.append(Net(f"{link.id}.{k}.node", (before, after)).transfer(before.id, after.id))
            ohms, limit = transfer.out_ohms, 0.0
        made.append(transfer)
    return tuple(made)


def driving(bench: Bench, link: Link) -> Terminal | None:
    """What the inputs of a link hang on: its output, or the last circuit between; None while that is not known."""
    ref, port = link.output, bench.port(link.output)
    terminal_id, label = f"{ref.gear}.{ref.port}", f"{bench.gear_by(ref.gear).name} {port.name}"
    if all(REGISTRY.knows(stored) for stored in link.between):
        for one in reversed(between_of(bench, link) or ()):
            if isinstance(one, Stage):
                return Terminal(terminal_id, label, one.out_ohms, True)
            if isinstance(one, Driven):
                return Terminal(terminal_id, label, float(one.out_ohms(NOMINAL)), True, behind=one)
    return None if port.ohms is None else Terminal(terminal_id, label, port.ohms, True, port.ohms_limit)


METER = "meter"


def link_net(bench: Bench, link: Link, meter: InstrumentRecord | None = None) -> Net | None:
    """The node of a link, other outputs on it included; None while a resistance is not known.

    meter : hangs on it too, as the terminal `METER`, while it is plugged.
    """
    terminals: list[Terminal] = []
    for one in (link, *rivals_of(bench, link)):
        output = driving(bench, one)
        if output is None:
            return None
        terminals.append(output)
    for ref in link.inputs:
        port = bench.port(ref)
        if port.ohms is None:
            return None
        label = f"{bench.gear_by(ref.gear).name} {port.name}"
        terminals.append(Terminal(f"{ref.gear}.{ref.port}", label, port.ohms, False, port.ohms_limit,
                                  port.rest_volts))  # fmt: skip
    if meter is not None:
        terminals.append(Terminal(METER, meter.name, meter.input_ohms, False))
    return Net(f"{link.id}.node", tuple(terminals))


def missing_ohms(bench: Bench, link: Link) -> str:
    """The port, in words, whose resistance a link's node lacks."""
    outputs = [one.output for one in (link, *rivals_of(bench, link)) if driving(bench, one) is None]
    inputs = [ref for ref in link.inputs if bench.port(ref).ohms is None]
    return " and ".join(bench.label(ref) for ref in (*outputs, *inputs))


def rivals_of(bench: Bench, link: Link) -> list[Link]:
    """The other links whose outputs drive an input that hangs on this one's output now."""
    now = bench.link_from(link.output)
    joined = () if now is None else now.inputs
    found = {one.id: one for sink in joined for one in bench.links_into(sink) if one.output != link.output}
    return list(found.values())
