"""`dynamis dac`: codes, errors and reach of a converter for a list of notes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
import numpy as np

from dynamis.cli.options import (
    NUMBER,
    WHOLE,
    law_from,
    naming_from,
    naming_option,
    notes_from,
    pitch_options,
    tuning_from,
    whole_under_scale,
)
from dynamis.cli.output import emit_json, emit_table, number, say
from dynamis.converter.codes import code_table
from dynamis.converter.dac import Dac
from dynamis.notation.style import Style, plain
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_label


@click.command()
@click.option("--bits", type=WHOLE, required=True, help="1 to 24.")
@click.option("--low-volts", type=NUMBER, required=True, help="The converter's low end.")
@click.option("--high-volts", type=NUMBER, required=True, help="Its high end; the top code is one LSB below.")
@click.option("--gain", type=NUMBER, default="1", help="Gain between converter and jack.")
@click.option("--offset-volts", type=NUMBER, default="0", help="Volts added at the jack.")
@click.option("--law", required=True, metavar="LAW", help="What the receiver expects: voct:… or hzv:…")
@click.option("--notes", required=True, metavar="LIST", help="Notes: 36,48,C4 or 36:96:12.")
@pitch_options
def dac(
    bits: int,
    low_volts: float,
    high_volts: float,
    gain: float,
    offset_volts: float,
    law: str,
    notes: str,
    a4_hertz: float | None,
    scale: Path | None,
    keymap: Path | None,
    middle_c: str,
    as_json: bool,
) -> int:
    """Give the DAC code of each note, its error, and what cannot be reached."""
    naming = naming_from(middle_c)
    option = "--bits" if not 1 <= bits <= 24 else "--gain" if gain == 0 else "--high-volts"
    with naming_option(option):
        converter = Dac(bits, low_volts, high_volts, gain, offset_volts)
    tuning = tuning_from(a4_hertz, scale, keymap)
    with naming_option("--law"):
        model = PitchModel(law_from("--law", law, naming), tuning=tuning)
    numbers = notes_from("--notes", notes, naming)
    whole_under_scale("--notes", numbers, scale)
    table = code_table(converter, model, np.array(numbers))
    rows: list[dict[str, Any]] = [
        {
            "note": number(note),
            "wanted_volts": number(wanted),
            "code": number(code),
            "volts": number(volts),
            "error_cents": number(cents),
            "clipped": bool(clipped),
        }
        for note, wanted, code, volts, cents, clipped in zip(
            table.notes, table.wanted_volts, table.codes, table.volts, table.error_cents, table.clipped, strict=True
        )
    ]
    if as_json:
        answer = {
            "lsb_volts": converter.lsb_volts,
            "lsb_cents": number(table.lsb_cents),
            "worst_cents": number(table.worst_cents),
            "worst_note": number(table.worst_note),
            "rows": rows,
        }
        emit_json(answer)
    else:
        _print(converter, table.lsb_cents, table.worst_cents, table.worst_note, rows, Style(naming.middle_c))
    return 1 if any(row["clipped"] or row["error_cents"] is None for row in rows) else 0


def _print(
    converter: Dac, lsb_cents: float | None, worst: float | None, note: float, rows: list[dict[str, Any]], style: Style
) -> None:
    low, high = converter.reach_volts
    say(
        f"{converter.bits} bits reach {style.volts(low)} to {style.volts(high)}; one LSB is "
        f"{style.millivolts(converter.lsb_volts, 4)}, {style.number(lsb_cents, 2)} ct."
    )
    say(f"Worst: {style.number(worst, 2)} ct at {note_label(note, style)}.")
    cells = [
        [
            note_label(row["note"], style),
            style.volts(row["wanted_volts"]),
            "–" if row["code"] is None else plain(row["code"]),
            style.volts(row["volts"]),
            f"{style.number(row['error_cents'], 2, sign=True)} ct",
            "clipped" if row["clipped"] else "",
        ]
        for row in rows
    ]
    emit_table(["note", "wanted", "code", "at the jack", "off by", ""], cells)
