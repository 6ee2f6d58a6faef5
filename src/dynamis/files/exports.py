"""What a channel's correction and readings look like in files: C header, codes and readings as CSV."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from dynamis.bench.chains.codes import channel_codes
from dynamis.bench.chains.port_transfers import converter_of, make_dac
from dynamis.bench.chains.summed import summed_codes, summed_with
from dynamis.bench.chains.tunings import tuning_of, tuning_words
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import (
    AdoptionRecord,
    HeadRecord,
    ReadingRecord,
    RunRecord,
    heads_in_force,
    in_force,
)
from dynamis.bench.runs.boards import channel_correction
from dynamis.converter.coding import words
from dynamis.converter.firmware import BoardCorrection, pitch_steps
from dynamis.errors import InputError
from dynamis.files.c_header import c_header, c_name
from dynamis.files.contents import Contents
from dynamis.files.template import filled
from dynamis.notation.safe import csv_row
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import law_words, parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_label, note_name


@dataclass(frozen=True)
class ChannelExport:
    """A channel of a unit with what is in force for it, ready to be written.

    adopted : None where nothing was adopted; the nominal values are written then, and the file says so.
    """

    bench: Bench
    channel: PortRef
    serial: str
    adopted: AdoptionRecord | None
    heads: dict[PortRef, HeadRecord] = field(default_factory=dict)

    @classmethod
    def of(cls, contents: Contents, channel: PortRef, serial: str) -> ChannelExport:
        """Raises `InputError` for a channel without a converter and a law."""
        heads = heads_in_force(contents.adoptions, serial)
        return cls(contents.bench, channel, serial, in_force(contents.adoptions, channel, serial), heads)

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
        link = self.bench.link_from(self.channel) or Link("", self.channel)
        return [int(note) for note in link.whole_notes]

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
        sentences = [f"{self.bench.label(self.channel)}, unit {self.serial}; bench: {self.bench.name}"]
        adopted = self.adopted
        if adopted is None:
            sentences.append("No correction is adopted for this channel: these are the nominal values of its design.")
        else:
            sentences.append(
                f"{adopted.kind} adopted {adopted.adopted} from the run {adopted.run}; left "
                f"{style.cents(adopted.leaves_cents)} ± {style.cents(adopted.expanded_cents)} ct (k = 2)"
            )
        sentences.append(
            f"{law_words(law, note_label(law.reference_note, style))}; {tuning_words(self.bench)}; {self.bits} bits"
        )
        if self.bench.tuning is not None:
            sentences.append(
                "A board's constants and table count equal semitones: this tuning is in the codes of each note."
            )
        return sentences

    def as_c_header(self) -> str:
        return c_header(self.correction, self.bits, prefix=self._prefix(), sentences=self.words(), notes=self.notes)

    def _prefix(self) -> str:
        """Its name in C; channels of the bench whose names fall together there are counted."""
        every = [
            (gear.id, port.id, unit, c_name(gear.name, unit, port.name))
            for gear in self.bench.gear
            for unit in [one.serial for one in gear.units] or [""]
            for port in gear.ports
            if port.direction == "output"
        ]
        mine = (self.channel.gear, self.channel.port, self.serial)
        name = c_name(self.bench.gear_by(mine[0]).name, self.serial, self.bench.port(self.channel).name)
        alike = [one[:3] for one in every if one[3] == name]
        return name if mine not in alike or alike.index(mine) == 0 else f"{name}_{alike.index(mine) + 1}"

    def code_rows(self) -> list[dict[str, str]]:
        """What each note gets, full precision: note, name, wanted_volts, code, nominal_volts, correction, word."""
        port = self.bench.port(self.channel)
        stored = converter_of(port)
        assert stored is not None
        dac = make_dac("converter", stored).dac
        model = PitchModel(parse_law(port.law or ""), "volts", tuning_of(self.bench))
        codes = np.asarray(self.correction.codes(pitch_steps(self.notes), dac.bits), float)
        if self.bench.tuning is not None:  # a board counts equal semitones; another tuning needs a code for each note
            table = channel_codes(self.bench, self.channel, self.head).table
            by_note = dict(zip(table.notes.tolist(), table.codes.tolist(), strict=True))
            codes = np.array([by_note.get(float(note), np.nan) for note in self.notes])
        rows = []
        for note, volts, code in zip(self.notes, model.expected(self.notes).tolist(), codes.tolist(), strict=True):
            plays = np.isfinite(code)
            rows.append(
                {
                    "note": str(note),
                    "name": note_name(note, Style(ascii_accidentals=True)) or "",
                    "wanted_volts": repr(volts) if np.isfinite(volts) else "",
                    "code": str(int(code)) if plays else "",
                    "nominal_volts": repr(float(dac.nominal_volts(code))) if plays else "",
                    "correction": self.kind,
                    "word": str(int(words(int(code), dac.bits, dac.coding))) if plays else "",
                }
            )
        return [{**row, **more} for row, more in zip(rows, self._summed_columns(), strict=True)]

    def _summed_columns(self) -> list[dict[str, str]]:
        """Where an adder makes one source of this channel and another: coarse_code, fine_code and summed_volts."""
        summed = summed_with(self.bench, self.channel, self.heads)
        if summed is None:
            return [{} for _ in self.notes]
        codes = summed_codes(self.bench, summed, np.array(self.notes, float))
        columns = (codes.table.codes.tolist(), codes.fine_codes.tolist(), codes.table.volts.tolist())
        return [
            {"coarse_code": plain(coarse), "fine_code": plain(fine), "summed_volts": repr(volts)}
            if np.isfinite(volts)
            else {"coarse_code": "", "fine_code": "", "summed_volts": ""}
            for coarse, fine, volts in zip(*columns, strict=True)
        ]

    def as_codes_csv(self) -> str:
        """The rows of `code_rows` with their names as the header; a key that plays nothing has empty cells.

        Where an adder makes one source of two converters, the codes of both stand behind.
        """
        rows, out = self.code_rows(), io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(rows[0])
        writer.writerows(csv_row(row.values()) for row in rows)
        return out.getvalue()

    def as_codes_json(self) -> str:
        """The same as one JSON object: numbers at full precision, null for a key that plays nothing."""
        port, correction = self.bench.port(self.channel), self.correction
        kinds: dict[str, type] = {"note": int, "code": int, "word": int, "coarse_code": int, "fine_code": int}
        kinds |= dict.fromkeys(("wanted_volts", "nominal_volts", "summed_volts"), float)
        rows = [
            {
                key: (kinds[key](value) if value else None) if key in kinds else value
                for key, value in row.items()
                if key != "correction"
            }
            for row in self.code_rows()
        ]
        answer = {
            "bench": self.bench.name,
            "gear": self.bench.gear_by(self.channel.gear).name,
            "unit": self.serial,
            "channel": port.name,
            "law": port.law,
            "tuning": tuning_words(self.bench),
            "bits": self.bits,
            "correction": self.kind,
            "adopted": None if self.adopted is None else self.adopted.adopted,
            "hash": correction.hash,
            "codes": rows,
        }
        return json.dumps(answer, ensure_ascii=False, allow_nan=False, indent=1) + "\n"

    def as_template(self, template: str, where: str = "The template") -> str:
        """A text of the user's own with its placeholders filled; raises `InputError` as `template.filled`."""
        port, rows = self.bench.port(self.channel), self.code_rows()
        values = {
            "bench": self.bench.name,
            "gear": self.bench.gear_by(self.channel.gear).name,
            "unit": self.serial,
            "channel": port.name,
            "law": port.law or "",
            "tuning": tuning_words(self.bench),
            "bits": str(self.bits),
            "correction": self.kind,
            "hash": self.correction.hash,
            "count": str(len(rows)),
        }
        last = len(rows) - 1
        each = [
            {
                **row,
                "index": str(k),
                "hex": f"0x{int(row['word']):X}" if row["word"] else "",
                "comma": "" if k == last else ",",
            }
            for k, row in enumerate(rows)
        ]
        return filled(template, values, each, where)


def readings_csv(runs: Sequence[RunRecord], readings: Sequence[ReadingRecord]) -> str:
    """All readings of some runs, one row each, full precision; columns of volts, hertz or cents as they occur.

    Voided readings are there with their reason.
    """
    quantities = [one for one in ("volts", "hertz", "cents") if any(run.quantity == one for run in runs)]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    own = [f"u_{one}" for one in quantities]
    conditions = ["code", "range_volts", "celsius", "taken", "voided", "void_reason"]
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
            warm = "" if row.celsius is None else plain(row.celsius)
            taken_under = [code, span, warm, row.taken, int(row.voided), row.void_reason]
            cells = [run.id, run.title, row.number, plain(row.note), name, *values, *owns, *taken_under]
            writer.writerow(csv_row(cells))
    return out.getvalue()
