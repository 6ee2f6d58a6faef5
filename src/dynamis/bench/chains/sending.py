"""What turns a note into volts at the jack of an output, and what stands between.

Its converter or its law and its knobs; of an output that follows an input of its gear all that it comes through.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from dynamis.bench.chains.laws import law_after
from dynamis.bench.chains.node import between_of, link_net, missing_ohms
from dynamis.bench.chains.port_transfers import Head, converter_of, make_dac, make_head, source_of
from dynamis.bench.chains.tree import fed_from, path_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import Port, PortRef, Through, Way
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.gear.knobs import Turned, turned
from dynamis.converter.dac import MOST_BITS_WITH_INL
from dynamis.converter.heads import TableHead, inl_behind
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.quantizer import Quantizer
from dynamis.electrics.stage import Stage
from dynamis.notation.style import Style
from dynamis.pitch.laws import Law, parse_law
from dynamis.transfer.chain import Transfer
from dynamis.transfer.parameter import NOMINAL, World
from dynamis.transfer.quantity import Quantity
from dynamis.transfer.registry import REGISTRY, StoredTransfer


@dataclass(frozen=True)
class Sending:
    """What turns a note into volts at the jack, open: a head and a converter, or a law; and what stands between.

    sentence : why there is none.  true : as in `LinkChain`.  law : of the output where it begins.
    """

    transfers: tuple[Transfer, ...] = ()
    sentence: str = ""
    true: World = NOMINAL
    law: str = ""


def unknown_kind(label: str, transfers: Sequence[StoredTransfer]) -> str:
    """What is said where one of the transfers was written by a newer program; empty where none was."""
    unknown = next((stored for stored in transfers if not REGISTRY.knows(stored)), None)
    if unknown is None:
        return ""
    return (
        f"{label} holds {unknown.kind!r}, which this program does not know: it is kept, and nothing can be told about "
        "the link."
    )


def sending_of(
    bench: Bench,
    link: Link,
    head: HeadRecord = HeadRecord(),
    port: Port | None = None,
    seen: tuple[PortRef, ...] = (),
) -> Sending:
    """The front of a link's chain.  port : what the output is taken for, itself by default.

    Of an output that follows an input of its gear it begins at the output that feeds it.  Raises `InputError` where a
    tree feeds itself.
    """
    output = port or bench.port(link.output)
    unknown = unknown_kind(bench.label(link.output), (*output.transfers, *link.between))
    if unknown:
        return Sending(sentence=unknown)
    if output.through is not None and output.law is None:
        begun = _through(bench, link.output, output.through, head, seen)
    else:
        begun = _own(bench, link.output, output, head)
    if begun.sentence:
        return begun
    between = between_of(bench, link)
    if between is None:
        return Sending(sentence=f"Cannot tell until you measure the resistance of {bench.label(link.output)}.")
    return replace(begun, transfers=(*begun.transfers, *knob_stage(bench, link.output, turned(output)), *between))


def law_ahead(bench: Bench, link: Link) -> Law | None:
    """The pitch law that stands, open, behind all that a link or a path has between; None where nothing is known of it.

    Raises `InputError` as `sending_of`.
    """
    port = bench.port(link.output)
    if port.through is None and not port.knobs and not link.between:
        return None if port.law is None else parse_law(port.law)
    sending = sending_of(bench, link)
    if sending.sentence or not sending.law:
        return None
    law = parse_law(sending.law)
    for transfer in sending.transfers:
        law = law_after(law, transfer)
    return law


def knob_stage(bench: Bench, ref: PortRef, knobs: Turned) -> tuple[Stage, ...]:
    """The knobs of a port as what they do to its volts; nothing where they do nothing, or let nothing through."""
    if knobs.does_nothing or knobs.gain == 0.0 or (knobs.gain == 1.0 and knobs.offset_volts == 0.0):
        return ()
    port = bench.port(ref)
    words = f"{'behind' if port.direction == 'input' else 'after'} {knobs.label(Style())}"
    return (
        Stage(
            f"{ref.gear}.{ref.port}.knobs",
            knobs.gain,
            knobs.offset_volts,
            input=Quantity("volts", "ahead of its knobs"),
            output=Quantity("volts", words),
        ),
    )


def _own(bench: Bench, ref: PortRef, output: Port, head: HeadRecord) -> Sending:
    """An output that begins a chain: its converter with a head, or its law."""
    if output.law is None:
        return Sending(sentence=f"{bench.label(ref)} has no pitch law yet; give it one.")
    tuning, source = tuning_of(bench), f"{ref.gear}.{ref.port}"
    stored = converter_of(output)
    if stored is None:
        return Sending((source_of(source, output, tuning),), law=output.law)
    nominal = make_dac(f"{source}.dac", stored)
    made_head = make_head(f"{source}.head", head, parse_law(output.law), nominal.dac, tuning)
    converter, true = _as_measured(nominal, head, made_head)
    return Sending((made_head, converter), "", true, output.law)


def _through(bench: Bench, ref: PortRef, through: Through, head: HeadRecord, seen: tuple[PortRef, ...]) -> Sending:
    """An output that follows an input of its gear: what feeds that, the node there, the input's knobs and the way."""
    fed = fed_from(bench, ref, seen)
    if fed is None:
        inputs = " or ".join(bench.label(PortRef(ref.gear, way.input)) for way in through.ways)
        if not inputs:
            label = bench.label(ref)
            return Sending(sentence=f"Nothing says which of its inputs {label} follows: give it a way through.")
        return Sending(sentence=f"Cannot tell what {bench.label(ref)} sends until something is joined to {inputs}.")
    feeding, entry = fed
    path = path_in(bench, feeding, entry)
    begun = sending_of(bench, path, head, seen=(*seen, ref))
    if begun.sentence:
        return begun
    net = link_net(bench, path)
    if net is None:
        sentence = f"Cannot tell until you measure the resistance of {missing_ohms(bench, path)}."
        return Sending(sentence=sentence)
    way = next(one for one in through.ways if one.input == entry.port)
    loading = net.transfer(f"{path.output.gear}.{path.output.port}", f"{entry.gear}.{entry.port}")
    steps = _steps(bench, ref, through)
    return replace(
        begun,
        transfers=(
            *begun.transfers,
            loading,
            *knob_stage(bench, entry, turned(bench.port(entry))),
            way_stage(bench, ref, through, way),
            *steps,
        ),
    )


def way_stage(bench: Bench, ref: PortRef, through: Through, way: Way) -> Stage:
    """One way through gear, as what it does to volts."""
    gear = bench.gear_by(ref.gear)
    return Stage(
        f"{ref.gear}.{ref.port}.{way.input}",
        way.gain,
        through.offset_volts,
        way.gain_limit,
        input=Quantity("volts", f"at {gear.name}"),
        output=Quantity("volts", f"behind {gear.name}"),
        label=f"{gear.name}, {gear.port_by(way.input).name}",
    )


def _steps(bench: Bench, ref: PortRef, through: Through) -> tuple[Quantizer, ...]:
    if not through.step_volts:
        return ()
    return (Quantizer(f"{ref.gear}.{ref.port}.steps", through.step_volts, f"in steps, {bench.gear_by(ref.gear).name}"),)


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
