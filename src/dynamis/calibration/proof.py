"""Can this meter prove the tolerance, and what would?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike

from dynamis.calibration.meter import MeterRange, reading_uncertainty
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tolerance import ToleranceProfile

# What is usual on a bench, worst first.  Source: common practice, no source; limits as data sheets state them.
USUAL_METERS: Final[tuple[tuple[str, MeterRange], ...]] = (
    ("a 3½-digit meter on its 20 V range", MeterRange(0.5, 2, 0.01, 20.0)),
    ("a 4½-digit meter on its 20 V range", MeterRange(0.05, 3, 0.001, 20.0)),
    ("a bench meter on its 10 V range", MeterRange(0.015, 4, 0.0001, 10.0)),
    ("a precision bench meter on its 10 V range", MeterRange(0.0035, 5, 0.00001, 10.0)),
)
# A frequency is good to about 0.1 cent with a counter or tuner.  Source: common practice, no source.
COUNTER_CENTS: Final = 0.1


@dataclass(frozen=True)
class Proof:
    """Whether an instrument can prove a tolerance over notes.

    enough : U is below the tolerance on every judged note, so that a good unit can be proved good.
    worst_note, worst_expanded_cents, worst_expanded_volts : where U is largest beside its tolerance.
    allowed_cents : the tolerance there.
    error_room_cents : how large an error can be there and still be proved within.
    better : name and range of the least demanding usual meter that is enough, None where none is.
    better_expanded_cents : its U at the same note.
    """

    enough: bool
    worst_note: float
    worst_expanded_cents: float
    worst_expanded_volts: float
    allowed_cents: float
    error_room_cents: float
    better: tuple[str, MeterRange] | None
    better_expanded_cents: float | None


def can_prove(model: PitchModel, tolerance: ToleranceProfile, notes: ArrayLike, meter: MeterRange) -> Proof | None:
    """Judge a voltmeter's range for a law, a tolerance and notes; None where no note is judged.

    A better instrument leaves at least half of the tolerance for the error itself.
    """
    notes = np.asarray(notes, float)
    allowed = tolerance.cents_at(notes)
    judged = ~np.isnan(allowed)
    volts = model.to_volts(model.expected(notes))
    judged &= np.isfinite(volts)
    if not np.any(judged):
        return None
    notes, allowed, volts = notes[judged], allowed[judged], volts[judged]
    expanded = _expanded(model, volts, meter)
    worst = int(np.argmin(allowed - expanded))
    better = next((usual for usual in USUAL_METERS if np.all(_expanded(model, volts, usual[1]) <= 0.5 * allowed)), None)
    return Proof(
        bool(np.all(expanded < allowed)),
        float(notes[worst]),
        float(expanded[worst]),
        meter.expanded_volts(float(volts[worst])),
        float(allowed[worst]),
        max(0.0, float(allowed[worst] - expanded[worst])),
        better,
        None if better is None else float(_expanded(model, volts, better[1])[worst]),
    )


def _expanded(model: PitchModel, volts: np.ndarray, meter: MeterRange) -> np.ndarray:
    in_volts = PitchModel(model.law, "volts", model.tuning)
    expanded = reading_uncertainty(volts, np.zeros_like(volts), in_volts, meter).expanded
    return np.where(np.isfinite(expanded), expanded, math.inf)
