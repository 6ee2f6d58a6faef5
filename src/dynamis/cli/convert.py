"""`dynamis convert`: notes or volts from one pitch law into another."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
import numpy as np

from dynamis.cli.options import (
    law_from,
    naming_from,
    notes_from,
    numbers_from,
    pitch_options,
    tuning_from,
    whole_under_scale,
)
from dynamis.cli.output import emit_json, emit_table, number
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_name


@click.command()
@click.option("--from", "source", required=True, metavar="LAW", help="Law of the sender: voct:… or hzv:…")
@click.option("--to", "target", required=True, metavar="LAW", help="Law of the receiver.")
@click.option("--notes", metavar="LIST", help="Notes: 36,48,C4 or 36:96:12.")
@click.option("--volts", metavar="LIST", help="Volts of the sender's law, instead of notes.")
@pitch_options
def convert(
    source: str,
    target: str,
    notes: str | None,
    volts: str | None,
    a4_hertz: float | None,
    scale: Path | None,
    keymap: Path | None,
    middle_c: str,
    as_json: bool,
) -> int:
    """Convert notes or volts from one pitch law into another."""
    naming, tuning = naming_from(middle_c), tuning_from(a4_hertz, scale, keymap)
    from_law, to_law = law_from("--from", source, naming), law_from("--to", target, naming)
    if (notes is None) == (volts is None):
        raise InputError("--notes or --volts is needed, one of them.")
    if volts is not None and scale is not None:
        raise InputError("--volts: under --scale only notes can be asked for.")
    for option, law in (("--from", from_law), ("--to", to_law)):
        try:
            PitchModel(law, tuning=tuning)
        except InputError as error:
            raise InputError(f"{option}: {error}") from error
    if notes is not None:
        numbers = np.array(notes_from("--notes", notes, naming))
        whole_under_scale("--notes", numbers.tolist(), scale)
        with np.errstate(over="ignore"):
            sent = from_law.volts(tuning.octaves(numbers, from_law.reference_note))
    else:
        sent = np.array(numbers_from("--volts", volts or ""))
        octaves = from_law.octaves(sent, strict=False)
        numbers = tuning.notes(octaves, from_law.reference_note)
    hertz = tuning.hertz(numbers)
    with np.errstate(over="ignore"):
        wanted = to_law.volts(tuning.octaves(numbers, to_law.reference_note))
    style = Style(naming.middle_c, ascii_accidentals=True)
    rows: list[dict[str, Any]] = [
        {
            "note": number(note),
            "name": note_name(note, style),
            "hertz": number(f),
            "from_volts": number(sends),
            "to_volts": number(wants),
        }
        for note, f, sends, wants in zip(numbers, hertz, sent, wanted, strict=True)
    ]
    if as_json:
        emit_json({"rows": rows})
    else:
        cells = [
            [
                _cell(row["note"]),
                row["name"] or "–",
                style.hertz(row["hertz"]),
                style.volts(row["from_volts"]),
                style.volts(row["to_volts"]),
            ]
            for row in rows
        ]
        emit_table(["note", "name", "hertz", "from", "to"], cells)
    unknown = any(row[key] is None for row in rows for key in ("note", "hertz", "from_volts", "to_volts"))
    return 1 if unknown else 0


def _cell(value: float | int | None) -> str:
    return "–" if value is None else plain(round(value, 4))
