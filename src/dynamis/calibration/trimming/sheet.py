"""A walk through trimmers on paper, where nobody follows what is read: its steps, and the targets of the one turn that
depends on a reading."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from dynamis.calibration.trimming.walk import Trims, Turn, scale_turn
from dynamis.pitch.laws import ExponentialLaw

_ERRORS: Final = (-50.0, -20.0, -10.0, -5.0, 5.0, 10.0, 20.0, 50.0)


@dataclass(frozen=True)
class SheetStep:
    """target_cents : what it is turned to, None where that is in words."""

    note: float
    turn: Turn
    target_cents: float | None = None
    until: str = ""


def sheet_steps(trims: Trims) -> Iterator[SheetStep]:
    """Once through, with where to go back to.  Which trimmers there are is the law's and the walk's."""
    if not isinstance(trims.law, ExponentialLaw):
        yield SheetStep(trims.top_note, "scale", 0.0)
        yield SheetStep(trims.low_note, "offset", 0.0)
        yield SheetStep(trims.top_note, "read", None, "within? Else from the top again")
        return
    yield SheetStep(trims.low_note, "tune", 0.0)
    yield SheetStep(trims.high_note, "read", None, "write down how far it is off")
    if trims.pivot_volts is None:
        yield SheetStep(trims.high_note, "scale", 0.0)
        yield SheetStep(trims.low_note, "read", None, "a: how far it has moved; b: how far the high one was turned")
        yield SheetStep(trims.low_note, "tune", 0.0)
        yield SheetStep(trims.high_note, "scale", None, "off by e: turn until it is at e × a / (a − b)")
    else:
        table = turn_table(trims)
        yield SheetStep(table[0][1], "scale", None, "what the table below says")
    yield SheetStep(trims.low_note, "tune", 0.0)
    yield SheetStep(trims.high_note, "read", None, "within? Else the scale again")
    if trims.top_note != trims.high_note:
        if trims.high:
            yield SheetStep(trims.top_note, "high", 0.0)
            yield SheetStep(trims.low_note, "read", None, "within? Else from the top again")
        else:
            yield SheetStep(trims.top_note, "read", None, "within?")


def turn_table(trims: Trims) -> list[tuple[float, float, float]]:
    """How far the high note is off with the low one right, the note to watch, what it is turned to: cents, note, cents.
    Empty where nobody knows the pivot, and under Hz/V."""
    if trims.pivot_volts is None or not isinstance(trims.law, ExponentialLaw):
        return []
    steps = [(off, scale_turn(trims, 0.0, off, trims.pivot_volts)) for off in _ERRORS]
    return [(off, step.note, step.target_cents) for off, step in steps]
