"""The codes of a channel: what the Codes station shows, with its sentences."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains import Head, aim_volts, converter_of, make_dac, make_head
from dynamis.bench.document import Bench
from dynamis.bench.ports import PortRef
from dynamis.bench.records import HeadRecord
from dynamis.converter.codes import CodeTable, code_table
from dynamis.converter.dac import floor_bound_lsb
from dynamis.converter.heads import TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_label
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class ChannelCodes:
    """Codes of a channel for the notes of its link.

    table : with the error that is expected; what is in force is counted in.  reach_notes : lowest and
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


def channel_codes(bench: Bench, channel: PortRef, head: HeadRecord) -> ChannelCodes:
    """Codes for the notes that the channel's link uses (36 to 96 without a link).

    Raises `InputError` where the channel has no converter or law.
    """
    port, link = bench.port(channel), bench.link_from(channel)
    stored = converter_of(port)
    if stored is None or port.law is None:
        raise InputError(f"{bench.label(channel)} has no converter and law; codes need both.")
    converter = make_dac("converter", stored)
    law, tuning = parse_law(port.law), EqualTemperament(bench.a4_hertz)
    model = PitchModel(law, "volts", tuning)
    low, high = (36.0, 96.0) if link is None else (link.low_note, link.high_note)
    notes = np.arange(low, high + 1e-9)
    made = make_head("head", head, law, converter.dac, tuning)
    every = np.arange(0.0, 128.0)
    aim = aim_volts(made, every)
    reached = every[~np.isin(converter.dac.code_for(aim).reason, (Reason.CLAMP, Reason.DEAD_BAND)) & np.isfinite(aim)]
    volts = model.law.cents_per_volt(model.expected(notes))
    per_semitone = np.abs(np.diff(converter.dac.exact_code(model.expected(np.append(notes, notes[-1] + 1)))))
    return ChannelCodes(
        _table(converter, model, made, notes), converter, model, head,
        (int(reached.min()), int(reached.max())) if reached.size else None,
        floor_bound_lsb(0.0) * converter.dac.lsb_volts * float(np.max(volts)), float(np.min(per_semitone)),
    )  # fmt: skip


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


def codes_sentences(codes: ChannelCodes, style: Style) -> list[str]:
    """What the converter gives: range, step, floor, reach, and what that means."""
    dac, table = codes.converter.dac, codes.table
    low, high = dac.reach_volts
    told = [
        f"{dac.bits} bits reach {style.volts(low)} to {style.volts(high)} at the jack; one LSB is "
        f"{style.millivolts(dac.lsb_volts, 3)}"
        + (f", {style.number(table.lsb_cents, 2)} ct." if table.lsb_cents is not None else ".")
    ]
    bound = f"The floor: rounding to codes leaves up to ± {style.number(codes.floor_cents, 2)} ct"
    inl = codes.converter.inl_limit_lsb
    if inl:
        lsb = 2.0 * codes.floor_cents
        told.append(
            f"{bound}; linearity of ± {style.number(inl, 1)} LSB may add {style.number(inl * lsb, 1)} ct, which "
            "only a table of measured notes takes out."
        )
    else:
        told.append(f"{bound}; what linearity adds is not known until it is measured.")
    if isinstance(codes.model.law, ExponentialLaw):
        told.append(f"A semitone has {style.number(codes.semitone_codes, 1)} codes.")
    else:
        told.append(f"The lowest semitone has {style.number(codes.semitone_codes, 1)} codes; higher ones have more.")
    told.append(_reach(codes, style))
    lost = [("clipped", table.clipped), ("in the buffer's dead band", table.dead)]
    for word, which in lost:
        if np.any(which):
            notes = table.notes[which]
            ends = note_label(float(notes[0]), style)
            if notes.size > 1:
                ends += f" to {note_label(float(notes[-1]), style)}"
            told.append(f"{notes.size} of the notes used {'is' if notes.size == 1 else 'are'} {word}: {ends}.")
    if codes.head.kind == "constants":
        told.append("The constants in force are counted in; volts and errors are what they count on.")
    elif codes.head.kind == "table":
        told.append("The table in force is counted in; volts and errors are what it counts on.")
    return told


def _reach(codes: ChannelCodes, style: Style) -> str:
    if codes.reach_notes is None:
        return "No note from 0 to 127 is reached: check the law's reference against the converter's range."
    low, high = codes.reach_notes
    return f"Notes {note_label(low, style)} to {note_label(high, style)} are reached."
