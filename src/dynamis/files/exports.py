"""What a channel's correction and readings look like in files: C header, codes and readings as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dynamis.bench.boards import channel_correction
from dynamis.bench.chains import converter_of, make_dac
from dynamis.bench.document import Bench
from dynamis.bench.ports import PortRef
from dynamis.bench.records import AdoptionRecord, HeadRecord, ReadingRecord, RunRecord, in_force
from dynamis.converter.firmware import BoardCorrection, pitch_steps
from dynamis.errors import InputError
from dynamis.files.c_header import c_header, c_name
from dynamis.files.contents import Contents
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import law_words, parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_label, note_name
from dynamis.pitch.tuning import EqualTemperament

_USUAL_NOTES = (36, 96)


@dataclass(frozen=True)
class ChannelExport:
    """A channel of a unit with what is in force for it, ready to be written.

    adopted : None where nothing was adopted; the nominal values are written then, and the file says so.
    """

    bench: Bench
    channel: PortRef
    serial: str
    adopted: AdoptionRecord | None

    @classmethod
    def of(cls, contents: Contents, channel: PortRef, serial: str) -> ChannelExport:
        """Raises `InputError` for a channel without a converter and a law."""
        return cls(contents.bench, channel, serial, in_force(contents.adoptions, channel, serial))

    @property
    def head(self) -> HeadRecord:
        return HeadRecord() if self.adopted is None else self.adopted.head

    @property
    def correction(self) -> BoardCorrection:
        return channel_correction(self.bench, self.channel, self.head)

    @property
    def kind(self) -> str:
        """nominal, trimmer, constants or table."""
        return "nominal" if self.adopted is None else self.adopted.kind

    @property
    def notes(self) -> list[int]:
        """The whole notes that the channel's link uses."""
        link = self.bench.link_from(self.channel)
        low, high = _USUAL_NOTES if link is None else (link.low_note, link.high_note)
        return list(range(int(np.ceil(low)), int(np.floor(high)) + 1))

    @property
    def bits(self) -> int:
        stored = converter_of(self.bench.port(self.channel))
        if stored is None:
            raise InputError(f"{self.bench.label(self.channel)} has no converter.")
        return make_dac("converter", stored).dac.bits

    def words(self) -> list[str]:
        """What this is, in lines."""
        style, port = Style(), self.bench.port(self.channel)
        law = parse_law(port.law or "")
        told = [f"{self.bench.label(self.channel)}, unit {self.serial}; bench: {self.bench.name}"]
        one = self.adopted
        if one is None:
            told.append("No correction is adopted for this channel: these are the nominal values of its design.")
        else:
            told.append(
                f"{one.kind} adopted {one.adopted} from the run {one.run}; left {style.cents(one.leaves_cents)} "
                f"± {style.cents(one.expanded_cents)} ct (k = 2)"
            )
        told.append(f"{law_words(law, note_label(law.reference_note, style))}; A4 = {plain(self.bench.a4_hertz)} Hz; "
                    f"{self.bits} bits")  # fmt: skip
        return told

    def as_c_header(self) -> str:
        bench = self.bench
        prefix = c_name(bench.gear_by(self.channel.gear).name, self.serial, bench.port(self.channel).name)
        return c_header(self.correction, self.bits, prefix=prefix, told=self.words(), notes=self.notes)

    def as_codes_csv(self) -> str:
        """`note,name,wanted_volts,code,nominal_volts,correction`, one row a note; the last says what is in force."""
        port = self.bench.port(self.channel)
        stored = converter_of(port)
        assert stored is not None
        dac = make_dac("converter", stored).dac
        notes = self.notes
        model = PitchModel(parse_law(port.law or ""), "volts", EqualTemperament(self.bench.a4_hertz))
        codes = self.correction.codes(pitch_steps(notes), dac.bits)
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(["note", "name", "wanted_volts", "code", "nominal_volts", "correction"])
        for note, volts, code in zip(notes, model.expected(notes).tolist(), codes.tolist(), strict=True):
            name = note_name(note, Style(ascii_accidentals=True)) or ""
            writer.writerow([note, name, repr(volts), code, repr(float(dac.nominal_volts(code))), self.kind])
        return out.getvalue()


def readings_csv(runs: Sequence[RunRecord], readings: Sequence[ReadingRecord]) -> str:
    """All readings of some runs, one row each, full precision; columns of volts, hertz or cents as they occur.

    Voided readings are there with their reason.
    """
    quantities = [one for one in ("volts", "hertz", "cents") if any(run.quantity == one for run in runs)]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    own = [f"u_{one}" for one in quantities]
    conditions = ["code", "range_volts", "taken", "voided", "void_reason"]
    writer.writerow(["run", "title", "number", "note", "name", *quantities, *own, *conditions])
    for run in runs:
        for row in readings:
            if row.run != run.id:
                continue
            values = [repr(row.value) if run.quantity == one else "" for one in quantities]
            owns = [repr(row.own) if run.quantity == one and row.own else "" for one in quantities]
            name = note_name(row.note, Style(ascii_accidentals=True)) or ""
            code = "" if row.code is None else row.code
            span = "" if row.range_volts is None else plain(row.range_volts)
            taken_under = [code, span, row.taken, int(row.voided), row.void_reason]
            writer.writerow([run.id, run.title, row.number, plain(row.note), name, *values, *owns, *taken_under])
    return out.getvalue()
