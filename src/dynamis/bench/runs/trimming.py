"""A walk through trimmers for a run: its law, the notes at the ends of its range, its tolerance."""

from __future__ import annotations

import numpy as np

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.calibration.trimming.walk import Trims
from dynamis.errors import InputError
from dynamis.pitch.tuning import cents_between

# The scale is set over the middle octaves, below where the reset bends; common practice, no source.
_MIDDLE_OCTAVES = 2.0


def trims_of(
    judged: RunAnalysis,
    *,
    low_note: float | None = None,
    high_note: float | None = None,
    top_note: float | None = None,
    pivot_volts: float | None = None,
    high: bool = False,
) -> Trims:
    """The walk of a run; notes that are not given follow from its plan.  high : a high-frequency trimmer is there.

    Raises InputError for a run in volts, or notes that make no walk.
    """
    run, model = judged.run, judged.model
    if run.quantity == "volts":
        raise InputError("A walk through an oscillator's trimmers is read in hertz or cents; begin such a run.")
    if not run.plan:
        raise InputError("This run has no plan of notes: the ends of its range are not known. Begin one that has.")
    plan = np.array(sorted(run.plan), float)
    low = float(plan[0]) if low_note is None else low_note
    top = float(plan[-1]) if top_note is None else top_note
    middle = min(top, low + 12.0 * _MIDDLE_OCTAVES) if high_note is None else high_note
    allowed = judged.tolerance.cents_at([low, middle, top])
    tightest = float(np.nanmin(np.where(np.isfinite(allowed) & (allowed > 0), allowed, np.nan), initial=5.0))
    return Trims(model.law, model.tuning, low, middle, top, tightest, pivot_volts, high)


def typed_cents(trims: Trims, note: float, value: float, unit: str) -> float:
    """A reading in Hz or ct as cents off a note; raises InputError for hertz that are none."""
    if unit == "ct":
        return value
    if not value > 0:
        raise InputError("A reading is more than 0 Hz.")
    return float(cents_between(value, trims.hertz(note)))
