"""One cause that readings show."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

Cause = Literal[
    "dead-band", "clipping", "slip", "drift", "scale", "offset", "step", "bend", "undecided", "rounding", "scatter"
]
# What would mean a fault of the equipment or of a reading; scale, offset and scatter are there in every unit.
FAULTS: Final = ("dead-band", "clipping", "slip", "drift", "step", "bend")


@dataclass(frozen=True)
class Term:
    """One cause.

    value : found minus wanted; a scatter's rms.  expanded : its U, None where the readings do not tell.  unit :
    "percent", "volts", "cents" or "hertz".  cents, cents_expanded : the same in cents: per octave for a scale under
    V/oct, else the largest effect.
    notes : first and last note concerned.  codes : DAC codes of a step's two notes.  carry : the code of a step.
    asks : notes whose readings would decide.  level : where stuck readings stand, in V or Hz.
    """

    cause: Cause
    value: float
    expanded: float | None
    unit: str
    cents: float
    cents_expanded: float | None
    notes: tuple[float, float]
    codes: tuple[int, ...] = ()
    carry: int | None = None
    asks: tuple[float, ...] = ()
    level: float | None = None
