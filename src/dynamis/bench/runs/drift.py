"""What moved while a run was taken: its first note read again at the end."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Final

import numpy as np

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

# A unit that moves by more than this part of the tolerance during a run is not ready.  Common practice, no source.
_TOO_MUCH: Final = 0.2


@dataclass(frozen=True)
class Drift:
    """How far a note moved from its first reading to its last.

    cents, expanded_cents : the difference and its U = 2u; the meter's gain and zero are the same in both.
    seconds : between them, None where the times are not known.  moved : more than U.  too_much : and more
    than a fifth of the tolerance.
    """

    note: float
    cents: float
    expanded_cents: float
    seconds: float | None
    moved: bool
    too_much: bool


def find_drift(judged: RunAnalysis) -> Drift | None:
    """The drift of the first note that was read; None while it has been read only once."""
    if not judged.valid:
        return None
    note = judged.valid[0].note
    same = [k for k, row in enumerate(judged.valid) if row.note == note]
    if len(same) < 2 or same[-1] < len(judged.valid) // 2:
        return None
    first, last = same[0], same[-1]
    cents = float(judged.error_cents[last] - judged.error_cents[first])
    expanded = 2.0 * float(np.hypot(judged.independent_cents[first], judged.independent_cents[last]))
    moved = abs(cents) > expanded and bool(np.isfinite(cents))
    tightest = float(np.nanmin(np.where(np.isfinite(judged.allowed_cents), judged.allowed_cents, np.nan)))
    return Drift(
        note,
        cents,
        expanded,
        _seconds(judged.valid[first].taken, judged.valid[last].taken),
        moved,
        moved and abs(cents) > _TOO_MUCH * tightest,
    )


def _seconds(first: str, last: str) -> float | None:
    try:
        return (datetime.fromisoformat(last) - datetime.fromisoformat(first)).total_seconds()
    except (ValueError, TypeError):
        return None


def drift_sentence(drift: Drift, style: Style) -> str:
    """How far the first note moved, and what that means."""
    note = note_label(drift.note, style)
    size = f"{style.cents(drift.cents, sign=True)} ± {style.cents(drift.expanded_cents)} ct"
    span = ""
    if drift.seconds is not None and drift.seconds >= 1:
        minutes = drift.seconds / 60.0
        span = f" in {style.number(minutes, 0)} min" if minutes >= 2 else f" in {style.number(drift.seconds, 0)} s"
    if drift.too_much:
        return (
            f"Read again at the end, {note} has moved by {size}{span}: the unit is still warming, or a contact is bad. "
            "Wait until it is warm, then measure again."
        )
    if drift.moved:
        return f"Read again at the end, {note} has moved by {size}{span}: little beside the tolerance."
    return f"Read again at the end, {note} has not moved ({size}{span})."
