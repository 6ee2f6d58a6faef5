"""A correction as a table to copy or save: trimmer targets, two constants, or a code for each note."""

from __future__ import annotations

import csv
import io

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.calibration.correction_types import ConstantsCorrection, Correction, TableCorrection, TrimmerCorrection
from dynamis.notation.style import plain


def correction_text(correction: Correction, judged: RunAnalysis, *, separator: str = ",") -> str:
    """The correction in full precision, one line of headings first."""
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\n")
    unit = "volts" if judged.model.quantity == "volts" else "hertz"
    if isinstance(correction, TrimmerCorrection):
        writer.writerow(["trimmer", "note", f"reads_{unit}", f"turn_until_{unit}"])
        for step in correction.steps:
            writer.writerow([step.trimmer, plain(step.note), repr(step.reads), repr(step.target)])
    elif isinstance(correction, ConstantsCorrection):
        kind = judged.model.kind
        writer.writerow([f"offset_{kind}", "gain"])
        writer.writerow([repr(correction.offset), repr(correction.gain)])
    elif isinstance(correction, TableCorrection):
        headings = ["note", "aim_volts", "code"] if correction.codes else ["note", "aim_volts"]
        writer.writerow(headings)
        for k, volts in enumerate(correction.aim_volts):
            row: list[str | int] = [correction.first_note + k, repr(volts)]
            writer.writerow([*row, correction.codes[k]] if correction.codes else row)
    return out.getvalue()
