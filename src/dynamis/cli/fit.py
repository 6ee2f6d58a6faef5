"""`dynamis fit`: a line through readings, what it leaves, and the verdict before and after."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal

import click
import numpy as np

from dynamis.bench.document.records import ReadQuantity
from dynamis.calibration.causes.describe import Shape, describe_shape
from dynamis.calibration.causes.words import cause_text, shape_sentences
from dynamis.calibration.fit import Fit, FitSide, Readings, fit_readings
from dynamis.calibration.line import METHODS, Method
from dynamis.calibration.meter import parse_meter_option
from dynamis.cli.options import law_from, naming_from, naming_option, pitch_options, tuning_from
from dynamis.cli.output import emit_json, emit_table, number, say
from dynamis.errors import InputError
from dynamis.files.readings_csv import CsvReading, read_rows, strict_layout
from dynamis.files.text import read_text
from dynamis.notation.style import Style
from dynamis.pitch.laws import CENTS_PER_NEPER
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.pitch.tuning import FloatArray

_OFFSET_KEY = {"volts": "offset_volts", "octaves": "offset_cents", "hertz": "offset_hertz"}


@click.command()
@click.argument("readings", metavar="READINGS.csv", type=click.Path(path_type=Path))
@click.option("--law", required=True, metavar="LAW", help="What the receiver expects: voct:… or hzv:…")
@click.option("--method", type=click.Choice(METHODS), default="least-squares", show_default=True)
@click.option("--tolerance-cents", "tolerance", default="5", show_default=True, metavar="CENTS|PROFILE")
@click.option("--meter", metavar="PERCENT,COUNTS,RESOLUTION_VOLTS", help="The meter's limits, for volts.")
@click.option("--judge", type=click.Choice(["before", "after"]), default="before", show_default=True)
@click.option("--quantity", type=click.Choice(["volts", "hertz", "cents"]), help="Which column, where there are more.")
@click.option("--drop-outliers", is_flag=True, help="Leave outliers out of the fit.")
@pitch_options
def fit(
    readings: Path,
    law: str,
    method: Method,
    tolerance: str,
    meter: str | None,
    judge: Literal["before", "after"],
    quantity: ReadQuantity | None,
    drop_outliers: bool,
    a4_hertz: float | None,
    scale: Path | None,
    keymap: Path | None,
    middle_c: str,
    as_json: bool,
) -> int:
    """Fit a line to readings and judge them before and after the correction."""
    naming = naming_from(middle_c)
    pitch_law = law_from("--law", law, naming)
    with naming_option("--tolerance-cents"):
        allowed = parse_tolerance(tolerance, naming)
    text = read_text(readings)
    layout = strict_layout(text, quantity, str(readings))
    read: Literal["volts", "hertz"] = "volts" if layout.quantity == "volts" else "hertz"
    with naming_option("--meter"):
        spec = None if meter is None else parse_meter_option(meter)
        if spec is not None and read == "hertz":
            raise InputError(f"A voltmeter's limits were given, but the readings are in {layout.quantity}.")
    tuning = tuning_from(a4_hertz, scale, keymap)
    with naming_option("--law"):
        model = PitchModel(pitch_law, read, tuning)
    rows = read_rows(text, layout, str(readings), naming)
    wanted = model.expected([row.note for row in rows])
    for row, value in zip(rows, wanted, strict=True):
        if not np.isfinite(value):
            raise InputError(f"{readings}: line {row.line}: note {row.note:g} has no frequency.")
        if model.is_ratio and row.value <= model.zero:
            raise InputError(
                f"{readings}: line {row.line}: {row.value:g} V is at or under the law's offset of {model.zero:g} V."
            )
    with naming_option(str(readings)):
        taken = _taken(rows, layout.quantity, model)
        answer = fit_readings(taken, model, allowed, method=method, meter=spec, drop_outliers=drop_outliers)
        with np.errstate(all="ignore"):  # readings of absurd sizes: nothing is claimed of those
            codes, seconds = (_column(rows, name) for name in ("code", "seconds"))
            shape = describe_shape(taken, model, allowed, spec, None, codes, seconds)
    style = Style(naming.middle_c)
    if as_json:
        emit_json(_as_json(answer, shape, style))
    else:
        _print(answer, shape, style)
    return 0 if getattr(answer, judge).verdict == "within" else 1


def _taken(rows: Sequence[CsvReading], quantity: ReadQuantity, model: PitchModel) -> Readings:
    """The rows as readings; cents become the hertz that they mean."""
    notes, values, own = (np.array([getattr(row, name) for row in rows], float) for name in ("note", "value", "own"))
    if quantity == "cents":
        values = model.tuning.hertz(notes) * np.exp2(values / 1200.0)
        own = own * values / CENTS_PER_NEPER
    return Readings.of(notes, values, own)


def _column(rows: Sequence[CsvReading], name: str) -> FloatArray | None:
    """A column as numbers, NaN where a cell is empty; None where all are."""
    cells = [getattr(row, name) for row in rows]
    return None if all(one is None for one in cells) else np.array([np.nan if one is None else one for one in cells])


def _side(side: FitSide) -> dict[str, Any]:
    return {
        "worst_cents": number(side.worst_cents),
        "worst_note": number(side.worst_note),
        "rms_cents": number(side.rms_cents),
        "verdict": side.verdict,
    }


def _as_json(fit: Fit, shape: Shape, style: Style) -> dict[str, Any]:
    unit = fit.model.quantity
    offset = fit.line.offset * (1200.0 if fit.model.kind == "octaves" else 1.0)
    rows = [
        {
            "note": number(note),
            f"expected_{unit}": number(expected),
            f"measured_{unit}": number(value),
            "error_cents": number(error),
            "residual_cents": number(residual),
        }
        for note, expected, value, error, residual in zip(
            fit.notes,
            fit.model.expected_shown(fit.notes),
            fit.readings.values,
            fit.error_cents,
            fit.residual_cents,
            strict=True,
        )
    ]
    return {
        "count": int(fit.notes.size),
        "used": int(fit.used.sum()),
        "method": fit.method,
        "gain": number(fit.line.gain),
        "gain_error_percent": number(fit.gain_error_percent),
        _OFFSET_KEY[fit.model.kind]: number(offset),
        "gain_standard_error": number(fit.gain_standard_error),
        "before": _side(fit.before),
        "after": _side(fit.after),
        "outliers": [number(note) for note in fit.notes[fit.outliers]],
        "causes": [
            {
                "cause": one.cause,
                "value": number(one.value),
                "expanded": number(one.expanded),
                "unit": one.unit,
                "notes": [number(note) for note in one.notes],
                "text": cause_text(one, shape, style),
            }
            for one in shape.terms
        ],
        "rows": rows,
    }


def _print(fit: Fit, shape: Shape, style: Style) -> None:
    unit = {"volts": "V", "octaves": "octaves", "hertz": "Hz"}[fit.model.kind]
    say(
        f"{int(fit.used.sum())} of {fit.notes.size} readings, {fit.method}: gain {style.number(fit.line.gain, 6)} "
        f"({style.percent(fit.gain_error_percent, 3, sign=True)}), offset {style.number(fit.line.offset, 6)} {unit}."
    )
    for name, side in (("before", fit.before), ("after", fit.after)):
        say(
            f"{name:>6}: worst {style.number(side.worst_cents, 2)} ct at {note_label(side.worst_note, style)}, "
            f"rms {style.number(side.rms_cents, 2)} ct: {side.verdict}"
        )
    if np.any(fit.outliers):
        say("Off the line: " + ", ".join(note_label(note, style) for note in fit.notes[fit.outliers]))
    for sentence in shape_sentences(shape, style):
        say(sentence)
    shown = style.volts if fit.model.quantity == "volts" else style.hertz
    cells = [
        [
            note_label(note, style),
            shown(wanted),
            shown(value),
            style.number(error, 2, sign=True),
            style.number(residual, 2, sign=True),
            style.number(expanded, 2),
        ]
        for note, wanted, value, error, residual, expanded in zip(
            fit.notes,
            fit.model.expected_shown(fit.notes),
            fit.readings.values,
            fit.error_cents,
            fit.residual_cents,
            fit.uncertainty.expanded,
            strict=True,
        )
    ]
    emit_table(["note", "wanted", "read", "off by ct", "left ct", "worth ± ct"], cells)
