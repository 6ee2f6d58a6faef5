"""Two converters that an adder sums as coarse and fine: one source, with a code of both for each note."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.laws import law_after
from dynamis.bench.chains.node import between_of, link_net
from dynamis.bench.chains.port_transfers import converter_of, dac_if_known
from dynamis.bench.chains.sending import knob_stage
from dynamis.bench.chains.tree import path_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef, Through, Way
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.gear.knobs import turned
from dynamis.converter.coarse_fine import CoarseFine
from dynamis.converter.codes import CodeTable
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import Law, parse_law
from dynamis.pitch.model import PitchModel
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]
# A way that makes less than this of an octave is meant to tune, as the fine one of two converters.
FINE_SHARE = 0.25


@dataclass(frozen=True)
class Summed:
    """output : of the adder.  coarse, fine : the channels.  both : as they stand at the adder's output.  law : there.

    inl_lsb : how far the coarse one's linearity may be off, in its own steps.
    """

    output: PortRef
    coarse: PortRef
    fine: PortRef
    both: CoarseFine
    law: Law
    inl_lsb: float


@dataclass(frozen=True, eq=False)
class SummedCodes:
    """table : with the coarse codes, and volts and errors of both.  fine_codes : one for each note."""

    summed: Summed
    table: CodeTable
    fine_codes: FloatArray


def way_line(bench: Bench, path: Link, entry: PortRef, way: Way) -> tuple[float, float] | None:
    """(gain, volts) from the node of a path into an adder to the adder's output; None while that cannot be told."""
    net = link_net(bench, path)
    if net is None:
        return None
    share, rest = (float(one) for one in net.share(f"{path.output.gear}.{path.output.port}", NOMINAL))
    knobs = turned(bench.port(entry))
    gain = share * knobs.gain * way.gain
    return gain, (rest * knobs.gain + knobs.offset_volts) * way.gain


def summed_with(bench: Bench, channel: PortRef, heads: dict[PortRef, HeadRecord] | None = None) -> Summed | None:
    """The pair that a channel is the coarse or the fine one of; None where it is neither.

    Each of the two goes into an input of its own of one adder, and a step of the fine one's octave is less than a
    quarter of one.  heads : corrections in force; constants in volts are counted in.
    """
    link = bench.link_from(channel)
    for sink in () if link is None else link.inputs:
        gear = bench.gear_by(sink.gear)
        for port in gear.ports:
            through = port.through
            if through is None or through.kind != "sum" or len(through.ways) < 2:
                continue
            if any(way.input == sink.port for way in through.ways):
                try:
                    found = _pair(bench, PortRef(gear.id, port.id), through, heads or {})
                except InputError:
                    continue  # why it cannot be followed is told by the link's verdict
                if found is not None and channel in (found.coarse, found.fine):
                    return found
    return None


@dataclass(frozen=True)
class _Adds:
    """One converter with its way into an adder: what its jack's volts come to behind it."""

    ref: PortRef
    converter: DacTransfer
    law: Law
    gain: float
    offset_volts: float

    @property
    def step_volts(self) -> float:
        return abs(self.gain) * self.converter.dac.lsb_volts


def _pair(bench: Bench, output: PortRef, through: Through, heads: dict[PortRef, HeadRecord]) -> Summed | None:
    adding = [one for way in through.ways for one in _adding(bench, PortRef(output.gear, way.input), way, heads)]
    adding.sort(key=lambda one: -one.step_volts)
    if len(adding) < 2 or adding[0].gain <= 0 or not 0 < adding[1].step_volts < FINE_SHARE * adding[0].step_volts:
        return None
    coarse, fine = adding[:2]
    offset = coarse.offset_volts + through.offset_volts
    law = law_after(coarse.law, Stage("adds", coarse.gain, offset))
    dac = _moved(coarse.converter.dac, coarse.gain, offset + fine.offset_volts)
    both = CoarseFine(dac, fine.converter.dac, fine.gain)
    return Summed(output, coarse.ref, fine.ref, both, law, coarse.converter.inl_limit_lsb)


def _adding(bench: Bench, entry: PortRef, way: Way, heads: dict[PortRef, HeadRecord]) -> Iterator[_Adds]:
    for feeding in bench.links_into(entry)[:1]:
        port = bench.port(feeding.output)
        converter = _converter(bench, feeding.output, heads)
        if converter is None or port.law is None:
            return
        sent, path = parse_law(port.law), path_in(bench, feeding, entry)
        line, ahead = way_line(bench, path, entry, way), _line_ahead(bench, path, converter.dac)
        if line is not None and ahead is not None:
            yield _Adds(feeding.output, converter, sent, ahead[0] * line[0], ahead[1] * line[0] + line[1])


def _line_ahead(bench: Bench, path: Link, dac: Dac) -> tuple[float, float] | None:
    """(gain, volts) from a converter's jack to behind all that a path has between; None where that is no line."""
    low, high = dac.reach_volts
    tried = (low + high) / 2.0 + np.array([-0.05, 0.0, 0.05]) * (high - low)
    ahead = between_of(bench, path)
    if ahead is None:
        return None
    volts = tried
    for transfer in (*knob_stage(bench, path.output, turned(bench.port(path.output))), *ahead):
        volts = transfer.forward(volts, NOMINAL)
    gain = float((volts[2] - volts[0]) / (tried[2] - tried[0]))
    bend = abs(float(volts[2] + volts[0] - 2.0 * volts[1]))
    if not np.isfinite(gain) or bend > 1e-9 * max(1.0, abs(float(volts[2] - volts[0]))):
        return None
    return gain, float(volts[1]) - gain * float(tried[1])


def _moved(dac: Dac, gain: float, offset: float) -> Dac:
    """A converter as it stands behind a gain and an offset."""
    ends = [None if volts is None else volts * gain + offset for volts in (dac.floor_volts, dac.ceiling_volts)]
    floor, ceiling = ends if gain > 0 else ends[::-1]
    more = dac.offset_volts * gain + offset
    return replace(dac, gain=dac.gain * gain, offset_volts=more, floor_volts=floor, ceiling_volts=ceiling)


def _converter(bench: Bench, ref: PortRef, heads: dict[PortRef, HeadRecord]) -> DacTransfer | None:
    """The converter of a channel, with the constants in force for it counted in."""
    port = bench.port(ref)
    known = dac_if_known("converter", converter_of(port))
    if known is None:
        return None
    head = heads.get(ref, HeadRecord())
    if head.kind == "nominal" or head.quantity != "volts":
        return known
    # As constants found it: measured = offset + gain * nominal.  The buffer stops where it stopped.
    dac = replace(known.dac, floor_volts=None, ceiling_volts=None)
    dac = _moved(dac, head.gain, head.offset)
    return replace(known, dac=replace(dac, floor_volts=known.dac.floor_volts, ceiling_volts=known.dac.ceiling_volts))


def summed_codes(bench: Bench, summed: Summed, notes: FloatArray) -> SummedCodes:
    """The codes of both for notes, with what stands at the adder's output."""
    both, tuning, law = summed.both, tuning_of(bench), summed.law
    wanted = law.volts(tuning.octaves(notes, law.reference_note))
    aim = np.nan_to_num(wanted)
    coarse, fine = both.codes_for(aim)
    volts = np.where(np.isfinite(wanted), both.volts(coarse, fine), np.nan)
    model = PitchModel(law, "volts", tuning)
    error = model.cents(volts, wanted)
    ends = np.add.outer(both.coarse.reach_volts, both.share * np.array(both.fine.reach_volts))
    outside = (wanted < ends.min() - both.step_volts) | (wanted > ends.max() + both.step_volts)
    # Between two coarse steps that the fine one does not span lies a gap, which is like a dead band of its own.
    reason = np.where(np.abs(volts - wanted) > both.step_volts, Reason.DEAD_BAND, Reason.STEP).astype(np.int8)
    reason[outside] = Reason.CLAMP
    steps = np.abs(model.cents(volts + both.step_volts, volts))[~outside]
    steps = steps[np.isfinite(steps)]
    step = float(np.max(steps)) if steps.size else None
    return SummedCodes(summed, CodeTable(notes, wanted, coarse, volts, error, reason, step), fine)


def summed_sentences(codes: SummedCodes, label: Callable[[PortRef], str], style: Style) -> list[str]:
    """What the two are together: the step, what it is worth, and whether every volt between is reached."""
    summed, both = codes.summed, codes.summed.both
    names = label(summed.coarse), label(summed.fine), label(summed.output)
    step = codes.table.lsb_cents
    cents = "" if step is None else f", {style.number(step, 3)} ct"
    bits = style.number(both.as_bits, 1)
    sentences = [
        f"{names[0]} is coarse and {names[1]} fine: {names[2]} is one source of them, in steps of "
        f"{style.millivolts(both.step_volts, 4)}{cents}, as of {bits} bits."
    ]
    spans = style.number(both.fine_span_volts / both.coarse.lsb_volts, 1)
    takes = (both.fine_span_volts / both.coarse.lsb_volts - 1.0) / 2.0
    if both.gapless(summed.inl_lsb):
        sentences.append(
            f"The fine one spans {spans} steps of the coarse one, and takes up a linearity of ± "
            f"{style.number(takes, 1)} LSB, once it is measured."
        )
    else:
        asks = style.number(both.needed_span_volts(summed.inl_lsb) / both.coarse.lsb_volts, 1)
        sentences.append(
            f"The fine one spans {spans} steps of the coarse one, and with its linearity {asks} are asked for: there "
            "are volts that no pair of codes reaches. Give the fine way more gain."
        )
    return sentences
