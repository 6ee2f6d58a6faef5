"""A correction as a table to copy or save: trimmer targets, two constants, or a code for each note."""

from __future__ import annotations

import csv
import io

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.calibration.corrections import Correction
from dynamis.notation.style import plain


def correction_text(way: Correction, judged: RunAnalysis, *, separator: str = ",") -> str:
    """The correction in full precision, one line of headings first."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\n")
    unit = "volts" if judged.model.quantity == "volts" else "hertz"
    if way.kind == "trimmer":
        writer.writerow(["trimmer", "note", f"reads_{unit}", f"turn_until_{unit}"])
        for step in way.steps:
            writer.writerow([step.which, plain(step.note), repr(step.reads), repr(step.target)])
    elif way.kind == "constants":
        kind = judged.model.kind
        writer.writerow([f"offset_{kind}", "gain"])
        writer.writerow([repr(way.offset), repr(way.gain)])
    else:
        headings = ["note", "aim_volts", "code"] if way.codes else ["note", "aim_volts"]
        writer.writerow(headings)
        for k, volts in enumerate(way.aim_volts):
            row: list[str | int] = [way.first_note + k, repr(volts)]
            writer.writerow([*row, way.codes[k]] if way.codes else row)
    return out.getvalue()
