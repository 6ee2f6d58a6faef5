"""The codes of a channel: what the Codes station shows, with its sentences."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.port_transfers import Head, aim_volts, converter_of, make_dac, make_head
from dynamis.bench.chains.summed import SummedCodes, summed_codes, summed_sentences, summed_with
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.converter.coarse_fine import CoarseFine
from dynamis.converter.codes import CodeTable, code_table
from dynamis.converter.dac import Dac, floor_bound_lsb
from dynamis.converter.heads import TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.converter.uses import Use, judge_uses
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw, parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_label
from dynamis.pitch.tuning import Tuning
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class ChannelCodes:
    """Codes of a channel for the notes of its link.

    table : with the error that is expected; what is in force is counted in.  fine : where two converters are one
    source, the codes of the second; the table then is that of both.  reach_notes : lowest and
    highest whole note that is reached, or None.
    floor_cents : half a code at the note where it weighs most.  semitone_codes : codes in a semitone, the
    fewest over the notes.
    """

    table: CodeTable
    converter: DacTransfer
    model: PitchModel
    head: HeadRecord
    reach_notes: tuple[int, int] | None
    floor_cents: float
    semitone_codes: float
    uses: tuple[Use, ...] = ()
    fine: SummedCodes | None = None

    @property
    def inl_at_notes(self) -> FloatArray | None:
        """Linearity in LSB at the code of each note, None where it is not known by code."""
        dac = self.converter.dac
        if dac.inl_lsb is None:
            return None
        return np.interp(self.table.codes, np.arange(dac.codes), np.asarray(dac.inl_lsb))


def other_law(law: Law, dac: Dac, low_note: float, high_note: float) -> Law:
    """The other of the two laws, laid so that the notes fit the converter: octaves doubling up to its top, or a volt
    an octave from its bottom."""
    low, high = dac.reach_volts
    if isinstance(law, ExponentialLaw):
        octaves = (high_note - low_note) / 12.0
        return LinearLaw(low_note, float(2.0 ** np.floor(np.log2(max(high, 1e-3) / 2.0**octaves))))
    return ExponentialLaw(1.0, low_note, max(0.0, float(np.ceil(low * 10.0) / 10.0)))


def channel_codes(
    bench: Bench, channel: PortRef, head: HeadRecord, *, as_other_law: bool = False, tuning: Tuning | None = None
) -> ChannelCodes:
    """Codes for the notes that the channel's link uses (36 to 96 without a link).

    as_other_law : as they would be with the other of the two laws, from nominal values.  tuning : another than equal
    temperament.  Raises `InputError` where the channel has no converter or law.
    """
    port, link = bench.port(channel), bench.link_from(channel) or Link("", channel)
    stored = converter_of(port)
    if stored is None or port.law is None:
        raise InputError(f"{bench.label(channel)} has no converter and law; codes need both.")
    converter = make_dac("converter", stored)
    low, high = link.low_note, link.high_note
    law, tuning = parse_law(port.law), tuning or tuning_of(bench)
    if as_other_law:
        law, head = other_law(law, converter.dac, low, high), HeadRecord()
    model = PitchModel(law, "volts", tuning)
    notes = link.notes_to_show
    correction = make_head("head", head, law, converter.dac, tuning)
    every = np.arange(0.0, 128.0)
    aim = aim_volts(correction, every)
    reached = every[~np.isin(converter.dac.code_for(aim).reason, (Reason.CLAMP, Reason.DEAD_BAND)) & np.isfinite(aim)]
    volts = model.law.cents_per_volt(model.expected(notes))
    per_semitone = np.abs(
        converter.dac.exact_code(model.expected(notes + 1.0)) - converter.dac.exact_code(model.expected(notes))
    )
    table = _table(converter, model, correction, notes)
    finite = table.wanted_volts[np.isfinite(table.wanted_volts)]
    levels = float(np.ptp(finite) / converter.dac.lsb_volts) if finite.size else 0.0
    tightest = link.tightest_cents
    inl = converter.inl_limit_lsb or float(np.max(np.abs(converter.dac.inl_lsb or (0.0,))))
    step = np.nan if table.lsb_cents is None else table.lsb_cents
    return ChannelCodes(
        table,
        converter,
        model,
        head,
        (int(reached.min()), int(reached.max())) if reached.size else None,
        floor_bound_lsb(0.0) * converter.dac.lsb_volts * float(np.nanmax(volts)),
        float(np.nanmin(per_semitone)),
        judge_uses(converter.dac.bits, step, inl, tightest, levels),
    )


def both_codes(bench: Bench, channel: PortRef, heads: dict[PortRef, HeadRecord]) -> ChannelCodes | None:
    """The codes of two converters that an adder sums, one of them the channel; None where there is no such pair."""
    summed = summed_with(bench, channel, heads)
    if summed is None:
        return None
    alone = channel_codes(bench, summed.coarse, heads.get(summed.coarse, HeadRecord()))
    link = bench.link_from(summed.output) or bench.link_from(summed.coarse) or Link("", summed.output)
    made = summed_codes(bench, summed, link.notes_to_show)
    both, table = summed.both, made.table
    finite = table.wanted_volts[np.isfinite(table.wanted_volts)]
    levels = float(np.ptp(finite) / both.step_volts) if finite.size else 0.0
    step = np.nan if table.lsb_cents is None else table.lsb_cents
    uses = judge_uses(int(both.as_bits), step, 0.0, link.tightest_cents, levels)
    reached = table.notes[~table.clipped]
    return replace(
        alone,
        table=table,
        model=PitchModel(summed.law, "volts", tuning_of(bench)),
        reach_notes=(int(reached.min()), int(reached.max())) if reached.size else None,
        floor_cents=step / 2.0,
        uses=uses,
        fine=made,
    )


def use_words(use: Use, style: Style) -> str:
    """What a converter does for a use, in a sentence."""
    if not np.isfinite(use.value):
        return "No note is reached, so nothing can be said."
    more = "" if use.bits is None or use.verdict == "fits" else f" {use.bits} bits would do."
    if use.name == "stepped notes" and not np.isfinite(use.bound):
        return f"{style.cents(use.value)} ct at most with rounding and linearity; the tolerance judges no note used."
    if use.name == "stepped notes":
        text = f"{style.cents(use.value)} ct at most with rounding and linearity, {style.cents(use.bound)} are allowed."
        return text + (" A table of measured notes brings it within." if use.after_table else more)
    if use.name == "glide":
        return f"A step is {style.number(use.value, 2)} ct; under {style.number(use.bound, 0)} it is not heard.{more}"
    what = "in ± 25 ct" if use.name == "vibrato" else "over the volts used"
    return f"{style.number(use.value, 0)} levels {what}; {style.number(use.bound, 0)} are smooth.{more}"


def supply_words(codes: ChannelCodes, style: Style) -> str:
    """What a supply used as the reference does to the pitch; empty where the reference is its own."""
    converter = codes.converter
    if not converter.reference_is_supply:
        return ""
    sentence = "Its supply is its reference: the pitch moves with it and with what loads it."
    if converter.reference_limit and isinstance(codes.model.law, ExponentialLaw):
        cents = 1200.0 * converter.reference_limit
        sentence += f" ± {style.share(converter.reference_limit, 1)} is {style.cents(cents)} ct an octave."
    return sentence


def second_converter_words(codes: ChannelCodes, style: Style) -> str:
    """What a fine converter of the same kind, added to it, would bring."""
    dac = codes.converter.dac
    if codes.table.lsb_cents is None:
        return ""
    inl = codes.converter.inl_limit_lsb
    share = 2.0 ** np.ceil(np.log2((1.0 + 2.0 * inl) / dac.codes))
    both = CoarseFine(dac, dac, float(share))
    cents = codes.table.lsb_cents * both.step_volts / dac.lsb_volts
    return (
        f"A second one, added at 1/{style.number(1 / share, 0)}, would make the step {style.number(cents, 3)} ct "
        f"(as {style.number(both.as_bits, 0)} bits); it takes up a linearity of ± {style.number(inl, 1)} LSB."
    )


def _table(converter: DacTransfer, model: PitchModel, head: Head, notes: FloatArray) -> CodeTable:
    """The codes that the head sends, with what it counts on at the jack."""
    dac = converter.dac
    plain = code_table(dac, model, notes, aim_volts(head, notes))
    if isinstance(head, TableHead):
        believed = head.under.believed_volts(plain.volts - head.moved(notes) * dac.lsb_volts)
    else:
        believed = head.believed_volts(plain.volts)
    error = model.cents(believed, plain.wanted_volts)
    return CodeTable(notes, plain.wanted_volts, plain.codes, believed, error, plain.reason, plain.lsb_cents)


def codes_sentences(codes: ChannelCodes, style: Style, names: Callable[[PortRef], str] = str) -> list[str]:
    """What the converter gives: range, step, floor, reach, and what that means.  names : what a port is called."""
    if codes.fine is not None:
        return [*summed_sentences(codes.fine, names, style), _reach(codes, style)]
    dac, table = codes.converter.dac, codes.table
    low, high = dac.reach_volts
    sentences = [
        f"{dac.bits} bits reach {style.volts(low)} to {style.volts(high)} at the jack; one LSB is "
        f"{style.millivolts(dac.lsb_volts, 3)}"
        + (f", {style.number(table.lsb_cents, 2)} ct." if table.lsb_cents is not None else ".")
    ]
    bound = f"The floor: rounding to codes leaves up to ± {style.number(codes.floor_cents, 2)} ct"
    inl = codes.converter.inl_limit_lsb
    if inl:
        lsb = 2.0 * codes.floor_cents
        sentences.append(
            f"{bound}; linearity of ± {style.number(inl, 1)} LSB may add {style.number(inl * lsb, 1)} ct, which "
            "only a table of measured notes takes out."
        )
    else:
        sentences.append(f"{bound}; what linearity adds is not known until it is measured.")
    if isinstance(codes.model.law, ExponentialLaw):
        sentences.append(f"A semitone has {style.number(codes.semitone_codes, 1)} codes.")
    else:
        sentences.append(
            f"The lowest semitone has {style.number(codes.semitone_codes, 1)} codes; higher ones have more."
        )
    sentences.append(_reach(codes, style))
    sentences += [text for text in (supply_words(codes, style), second_converter_words(codes, style)) if text]
    lost = [("clipped", table.clipped), ("in the buffer's dead band", table.dead)]
    for word, which in lost:
        if np.any(which):
            notes = table.notes[which]
            ends = note_ranges(notes, style)
            sentences.append(f"{notes.size} of the notes used {'is' if notes.size == 1 else 'are'} {word}: {ends}.")
    if codes.head.kind == "constants":
        sentences.append("The constants in force are counted in; volts and errors are what they count on.")
    elif codes.head.kind == "table":
        sentences.append("The table in force is counted in; volts and errors are what it counts on.")
    return sentences


def note_ranges(notes: FloatArray, style: Style) -> str:
    """`36 C2, 90 F♯6 to 96 C7`: notes with what is missing between them left out."""
    groups = np.split(notes, np.flatnonzero(np.diff(notes) > 1.0) + 1)
    ends = [[note_label(float(note), style) for note in dict.fromkeys((one[0], one[-1]))] for one in groups if one.size]
    return ", ".join(" to ".join(pair) for pair in ends)


def _reach(codes: ChannelCodes, style: Style) -> str:
    if codes.reach_notes is None:
        return "No note from 0 to 127 is reached: check the law's reference against the converter's range."
    low, high = codes.reach_notes
    return f"Notes {note_label(low, style)} to {note_label(high, style)} are reached."
