"""The chain of a link: head, converter, node, what stands between, oscillator."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.node import link_net, missing_ohms, rivals_of
from dynamis.bench.chains.port_transfers import heard_by
from dynamis.bench.chains.sending import knob_stage, sending_of, unknown_kind
from dynamis.bench.chains.tree import path_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.gear.knobs import set_for_pitch, without_reach
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tuning import Tuning
from dynamis.transfer.chain import Chain, Transfer, run
from dynamis.transfer.law import Oscillator, WantedPitch
from dynamis.transfer.parameter import NOMINAL, World

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


def link_chain(bench: Bench, link: Link, head: HeadRecord = HeadRecord(), sink: PortRef | None = None) -> LinkChain:
    """The chain from note to sound along a link.

    head : what turns notes into codes (the correction in force).  sink : which input is followed, the
    first by default.
    """
    try:
        return _link_chain(bench, link, head, sink or (link.inputs[0] if link.inputs else None))
    except InputError as error:
        return LinkChain(None, f"Cannot tell: {str(error).rstrip('.')}.")


def _link_chain(bench: Bench, link: Link, head: HeadRecord, sink: PortRef | None) -> LinkChain:
    tuning = tuning_of(bench)
    path = link if sink is None else path_in(bench, link, sink)
    sending = sending_of(bench, path, head)
    if sending.sentence:
        return LinkChain(None, sending.sentence)
    transfers, true = list(sending.transfers), sending.true
    source = f"{path.output.gear}.{path.output.port}"
    if sink is None:
        transfers.append(Oscillator(f"{source}.ideal", parse_law(sending.law), tuning, "would sound"))
        return LinkChain(Chain(tuple(transfers), WantedPitch(tuning=tuning)), true=true)
    unknown = unknown_kind(bench.label(sink), bench.port(sink).transfers)
    if unknown:
        return LinkChain(None, unknown)
    rivals = rivals_of(bench, path)
    if rivals:
        names = " and ".join(bench.label(one.output) for one in (path, *rivals))
        return LinkChain(None, f"Cannot tell what {bench.label(sink)} gets: {names} drive one node. Part one of them.")
    net = link_net(bench, path)
    if net is None:
        return LinkChain(None, f"Cannot tell until you measure the resistance of {missing_ohms(bench, path)}.")
    transfers.append(net.transfer(source, f"{sink.gear}.{sink.port}"))
    port = bench.port(sink)
    unmeasured = [knob for ref in (path.output, sink) for knob in without_reach(bench.port(ref))]
    if unmeasured:
        names = " and ".join(knob.name for knob in unmeasured)
        return LinkChain(None, f"Cannot tell until you measure what {names} does at both ends of its turn.")
    heard = heard_by(f"{sink.gear}.{sink.port}", port, tuning)
    if heard is None:
        return LinkChain(None, f"{bench.label(sink)} has no pitch law yet; give it one.")
    if port.knobs:
        heard = _turned_for(bench, sink, transfers, heard, path, tuning, true)
    chain = Chain((*transfers, heard), WantedPitch(tuning=tuning))
    return LinkChain(_tuned(chain, true, path, port.tune_semitones), true=true)


def _turned_for(
    bench: Bench,
    sink: PortRef,
    transfers: list[Transfer],
    heard: Oscillator,
    link: Link,
    tuning: Tuning,
    true: World,
) -> Oscillator:
    """Adds the receiver's own knobs to the transfers, where the verdict takes them; what it hears then."""
    port, notes = bench.port(sink), link.whole_notes
    codes = transfers[0].forward(notes, NOMINAL) if transfers[0].believes else notes
    volts = run(transfers[1:] if transfers[0].believes else transfers, codes, true)
    above = np.log2(tuning.hertz(heard.law.reference_note)) - WantedPitch(tuning=tuning).forward(notes, NOMINAL)
    knobs = set_for_pitch(port, heard.law, volts, above, link.allowed_cents(notes))
    if knobs.gain == 0.0:
        raise InputError(f"the knobs of {bench.label(sink)} stand where nothing gets through; turn them up")
    transfers.extend(knob_stage(bench, sink, knobs))
    return replace(heard, tuned_octaves=heard.tuned_octaves + knobs.octaves) if knobs.octaves else heard


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
    tuned = replace(heard, tuned_octaves=heard.tuned_octaves + cents / 1200.0, label=label)
    return replace(chain, transfers=(*chain.transfers[:-1], tuned))


def tuned_out(cents: FloatArray, allowed_cents: FloatArray, semitones: float) -> float:
    """What a tune knob that reaches `semitones` either way takes out, so that the worst note is as good as can be."""
    judged = np.isfinite(cents - allowed_cents)
    if semitones <= 0 or not np.any(judged):
        return 0.0
    high, low = np.max((cents - allowed_cents)[judged]), np.min((cents + allowed_cents)[judged])
    return float(np.clip((high + low) / 2.0, -100.0 * semitones, 100.0 * semitones))
