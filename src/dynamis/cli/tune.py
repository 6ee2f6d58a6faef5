"""`dynamis tune`: the steady tones of a recording."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from dynamis.cli.options import NUMBER, WHOLE, a4_option, naming_from, naming_option, naming_options, tuning_from
from dynamis.cli.output import emit_json, emit_table, number, say
from dynamis.files.recording import read_recording
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label, note_name
from dynamis.pitch.tuning import EqualTemperament
from dynamis.tuner.tones import Tone, steady_tones, with_clock


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
    tuning, naming = EqualTemperament(float(tuning_from(a4_hertz).hertz(69.0))), naming_from(middle_c)
    with naming_option("--sample-clock-ppm"):
        with_clock([], sample_clock_ppm)  # refused before anything is listened to
    sound = read_recording(recording, channel_index)
    tones = steady_tones(sound.samples, sound.rate)
    tones = with_clock(tones, sample_clock_ppm)
    rows = [_row(tone, tuning, Style(naming.middle_c)) for tone in tones]
    if as_json:
        emit_json({"tones": rows})
    elif rows:
        _print(rows, tones, Style(naming.middle_c))
    else:
        say(f"No steady tone of half a second or longer in channel {sound.index}.")
    return 0 if rows else 1


def _row(tone: Tone, tuning: EqualTemperament, style: Style) -> dict[str, Any]:
    near, cents = tuning.nearest(tone.hertz)
    return {
        "start_seconds": number(tone.start_seconds),
        "end_seconds": number(tone.end_seconds),
        "hertz": number(tone.hertz),
        "uncertainty_cents": number(tone.uncertainty_cents),
        "note": near,
        "name": note_name(float(near), Style(style.middle_c, ascii_accidentals=True)),
        "cents": number(cents),
    }


def _print(rows: list[dict[str, Any]], tones: list[Tone], style: Style) -> None:
    cells = [
        [
            style.number(row["start_seconds"], 2),
            style.number(row["end_seconds"], 2),
            style.number(row["hertz"], 3),
            note_label(float(row["note"]), style),
            style.cents(row["cents"], sign=True),
            style.number(tone.expanded_cents, 3),
        ]
        for row, tone in zip(rows, tones, strict=True)
    ]
    emit_table(["from s", "to s", "Hz", "note", "off by ct", "± ct (k = 2)"], cells)
