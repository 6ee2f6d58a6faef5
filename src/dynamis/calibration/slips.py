"""Slips of unit, scale or note while typing a reading: asked about, never repaired quietly."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.calibration.meter import Limits, MeterRange
from dynamis.notation.style import Style
from dynamis.pitch.model import PitchModel

_FACTORS: Final = (1e-3, 1e-2, 1e-1, 1e1, 1e2, 1e3, 1e-6, 1e6, -1.0)
# A board out of calibration is rarely a semitone off; anything farther is worth a question.
_ASK_CENTS: Final = 100.0
_CLOSE_CENTS: Final = 60.0


@dataclass(frozen=True)
class Slip:
    """A reading that is probably mistyped.

    value : as typed.  meant : what would fit, or None.  note : the note it would fit, or None.
    off_cents : how far it lies from what is expected; NaN where it has no pitch.
    """

    value: float
    meant: float | None
    note: float | None
    off_cents: float


def beyond_range(meter: Limits | None, volts: float, style: Style = Style()) -> str:
    """A question about a reading that the meter's range cannot show, empty where it can; asked once, never repaired."""
    if not isinstance(meter, MeterRange) or meter.full_scale_volts is None or abs(volts) <= meter.full_scale_volts:
        return ""
    return (
        f"{style.volts(volts)} is more than the {style.volts(meter.full_scale_volts, 1)} that this range shows. Is the "
        "run on another range, or is it a slip? Enter once more takes it as it is."
    )


def find_slip(value: float, expected: float, note: float, model: PitchModel) -> Slip | None:
    """Judge a typed reading, in volts or hertz, against what is expected for a note; None where it is plausible."""
    off = _cents(value, expected, model)
    if abs(off) <= _ASK_CENTS:
        return None
    tries = [value * factor for factor in _FACTORS]
    close = [one for one in tries if abs(_cents(one, expected, model)) <= _CLOSE_CENTS]
    if close:
        best = min(close, key=lambda one: abs(_cents(one, expected, model)))
        return Slip(value, best, None, off)
    notes = np.arange(0.0, 128.0)
    away = np.array([abs(_cents(value, float(shown), model)) for shown in model.expected_shown(notes)])
    away = np.where(np.isnan(away) | (notes == note), np.inf, away)
    nearest = int(np.argmin(away))
    other = float(notes[nearest]) if away[nearest] <= 25.0 else None
    return Slip(value, None, other, off)


def _cents(value: float, expected: float, model: PitchModel) -> float:
    """Cents from expected up to a value as it is read; NaN is far."""
    in_unit = PitchModel(model.law, model.quantity, model.tuning)
    if (in_unit.quantity == "hertz" or in_unit.is_ratio) and value - in_unit.zero <= 0:
        return float("inf")
    measured, line = in_unit.measured(np.array([value, expected]))
    return float(in_unit.cents(measured, line))
