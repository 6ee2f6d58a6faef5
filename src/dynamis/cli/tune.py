"""`dynamis tune`: the steady tones of a recording."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import click

from dynamis.cli.options import NUMBER, WHOLE, a4_option, naming_from, naming_option, naming_options, tuning_from
from dynamis.cli.output import emit_json, emit_table, number, say
from dynamis.errors import InputError
from dynamis.files.recording import read_recording
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label, note_name
from dynamis.tuner.tones import Tone, steady_tones

_MOST_PPM = 10_000.0


@click.command()
@click.argument("recording", metavar="RECORDING.wav", type=click.Path(path_type=Path))
@click.option("--channel-index", type=WHOLE, metavar="N", help="The channel, from 0; by default the loudest.")
@a4_option
@click.option("--sample-clock-ppm", type=NUMBER, default=0.0, metavar="PPM", help="How much too fast the recorder is.")
@naming_options
def tune(
    recording: Path,
    channel_index: int | None,
    a4_hertz: float | None,
    sample_clock_ppm: float,
    middle_c: str,
    as_json: bool,
) -> int:
    """Find the steady tones of a recording, half a second or longer."""
    tuning, naming = tuning_from(a4_hertz), naming_from(middle_c)
    with naming_option("--sample-clock-ppm"):
        if not abs(sample_clock_ppm) <= _MOST_PPM:
            raise InputError(f"{sample_clock_ppm:g} ppm; at most {_MOST_PPM:g} either way was expected.")
    a4 = float(tuning.hertz([69.0])[0])
    sound = read_recording(recording, channel_index)
    tones = steady_tones(sound.samples, sound.rate)
    factor = 1.0 + sample_clock_ppm * 1e-6
    rows = [_row(tone, factor, a4, Style(naming.middle_c)) for tone in tones]
    if as_json:
        emit_json({"tones": rows})
    elif rows:
        _print(rows, Style(naming.middle_c))
    else:
        say(f"No steady tone of half a second or longer in channel {sound.index}.")
    return 0 if rows else 1


def _row(tone: Tone, factor: float, a4_hertz: float, style: Style) -> dict[str, Any]:
    hertz = tone.hertz * factor
    note = 69.0 + 12.0 * math.log2(hertz / a4_hertz)
    near = round(note)
    return {
        "start_seconds": number(tone.start_seconds),
        "end_seconds": number(tone.end_seconds),
        "hertz": number(hertz),
        "uncertainty_cents": number(tone.uncertainty_cents),
        "note": near,
        "name": note_name(float(near), Style(style.middle_c, ascii_accidentals=True)),
        "cents": number(100.0 * (note - near)),
    }


def _print(rows: list[dict[str, Any]], style: Style) -> None:
    cells = [
        [
            style.number(row["start_seconds"], 2),
            style.number(row["end_seconds"], 2),
            style.number(row["hertz"], 3),
            note_label(float(row["note"]), style),
            style.cents(row["cents"], sign=True),
            style.number(2.0 * row["uncertainty_cents"], 3),
        ]
        for row in rows
    ]
    emit_table(["from s", "to s", "Hz", "note", "off by ct", "± ct (k = 2)"], cells)
