"""The chain of a link: head, converter, node, what stands between, oscillator."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.node import between_of, link_net, missing_ohms, rivals_of
from dynamis.bench.chains.port_transfers import Head, converter_of, heard_by, make_dac, make_head, source_of
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.converter.dac import MOST_BITS_WITH_INL
from dynamis.converter.heads import TableHead, inl_behind
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.transfer.chain import Chain, Transfer
from dynamis.transfer.law import Oscillator, WantedPitch
from dynamis.transfer.parameter import NOMINAL, World
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]


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


def tuned_out(cents: FloatArray, allowed_cents: FloatArray, semitones: float) -> float:
    """What a tune knob that reaches `semitones` either way takes out, so that the worst note is as good as can be."""
    judged = np.isfinite(cents - allowed_cents)
    if semitones <= 0 or not np.any(judged):
        return 0.0
    high, low = np.max((cents - allowed_cents)[judged]), np.min((cents + allowed_cents)[judged])
    return float(np.clip((high + low) / 2.0, -100.0 * semitones, 100.0 * semitones))


def _as_measured(converter: DacTransfer, head: HeadRecord, measured_head: Head) -> tuple[DacTransfer, World]:
    """The converter, and the world in which its reference and offset are as constants in volts found them.

    The design stays as it is.  Where the data sheet gives no limits, tiny ones let the world act on them.
    A table upon the constants tells of the converter's linearity: what it takes off is what is there.
    """
    if head.kind == "nominal" or head.quantity != "volts":
        return converter, NOMINAL
    if isinstance(measured_head, TableHead) and converter.dac.bits <= MOST_BITS_WITH_INL:
        converter = replace(converter, dac=replace(converter.dac, inl_lsb=inl_behind(measured_head)))
    known = replace(
        converter,
        reference_limit=converter.reference_limit or 1e-9,
        offset_limit_volts=converter.offset_limit_volts or 1e-9,
    )
    # measured = offset + gain * nominal, and the transfer scales what lies above the offset after it.
    shift = head.offset + (head.gain - 1.0) * converter.dac.offset_volts
    deviations = {
        f"{known.id}.reference": (head.gain - 1.0) / known.reference_limit,
        f"{known.id}.offset": shift / known.offset_limit_volts,
    }
    return known, World(deviations)
