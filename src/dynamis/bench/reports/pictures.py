"""The pictures of reports: errors against note, and how far each unit of a batch is off."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.plotting.drawing import Drawing
from dynamis.plotting.ticks import note_ticks, number_ticks

_WIDTH: Final = 760.0
_HEIGHT: Final = 280.0
_LEFT: Final = 52.0
_RIGHT: Final = 8.0
_BOTTOM: Final = 28.0
_INK, _MUTED, _RULE, _BAND, _AFTER, _GROUND = "#16212b", "#566573", "#dde3e8", "#dbe7f2", "#0b5cad", "#f8fafc"


def error_picture(judged: RunAnalysis, style: Style) -> Drawing:
    """Errors with their uncertainty, the tolerance, and what the constants would leave."""
    notes, errors, expanded = judged.notes, judged.error_cents, judged.expanded_cents
    correction = judged.correction("constants")
    low, high = float(notes.min()) - 2, float(notes.max()) + 2
    reach = max(float(np.max(np.abs(errors) + expanded)), float(np.nanmax(judged.allowed_cents, initial=1.0))) * 1.08

    across, up = Axis(low, high, _LEFT, _WIDTH - _RIGHT), Axis(-reach, reach, _HEIGHT - _BOTTOM, 0.0)
    drawing = Drawing(_WIDTH, _HEIGHT, "Error against note, cents")
    for first, last, cents in judged.tolerance.spans:
        left, right = max(first - 0.5, low), min(last + 0.5, high)
        if right > left:
            top = up.at(cents)
            drawing.rectangle(across.at(left), top, across.at(right) - across.at(left), up.at(-cents) - top, _BAND)
    _rules(drawing, up, reach, style)
    for tick in note_ticks(low, high, across.pixels, style):
        drawing.text(across.at(tick.place), _HEIGHT - 8.0, tick.text, _MUTED)
    for note, cents, half in zip(notes, errors, expanded, strict=True):
        x = across.at(float(note))
        drawing.line([(x, up.at(float(cents - half))), (x, up.at(float(cents + half)))], _INK)
        drawing.disc(x, up.at(float(cents)), 3.4, _INK)
    if correction is not None:
        for note, cents in zip(correction.notes, correction.left_cents, strict=True):
            drawing.disc(across.at(float(note)), up.at(float(cents)), 3.4, _GROUND, _AFTER)
    return drawing


@dataclass(frozen=True)
class Mark:
    """One channel of a unit: what decides it, its U and what is allowed there, cents."""

    label: str
    cents: float
    expanded: float
    allowed: float


def batch_picture(marks: Sequence[Mark], style: Style) -> Drawing:
    """How far each channel of a batch is off, with its uncertainty, within what is allowed."""
    drawing = Drawing(_WIDTH, _HEIGHT, "The note that decides, each channel, cents")
    finite = [one for one in marks if np.isfinite(one.cents)]
    reach = 1.08 * max((max(abs(one.cents) + one.expanded, _bound(one)) for one in finite), default=1.0)
    across = Axis(-0.5, max(0.5, len(marks) - 0.5), _LEFT, _WIDTH - _RIGHT)
    up = Axis(-reach, reach, _HEIGHT - _BOTTOM, 0.0)
    half = 0.4 * across.pixels / max(1, len(marks))
    for k, one in enumerate(marks):
        if _bound(one):
            x, top = across.at(float(k)), up.at(_bound(one))
            drawing.rectangle(x - half, top, 2.0 * half, up.at(-_bound(one)) - top, _BAND)
    _rules(drawing, up, reach, style)
    step = max(1, len(marks) // 12)
    for k, one in enumerate(marks):
        x = across.at(float(k))
        if k % step == 0:
            drawing.text(x, _HEIGHT - 8.0, one.label, _MUTED)
        if np.isfinite(one.cents):
            drawing.line([(x, up.at(one.cents - one.expanded)), (x, up.at(one.cents + one.expanded))], _INK)
            drawing.disc(x, up.at(one.cents), 3.4, _INK)
    return drawing


def _bound(mark: Mark) -> float:
    return mark.allowed if np.isfinite(mark.allowed) else 0.0


def _rules(drawing: Drawing, up: Axis, reach: float, style: Style) -> None:
    for tick in number_ticks(-reach, reach, 8, style):
        y = up.at(tick.place)
        drawing.line([(_LEFT, y), (_WIDTH - _RIGHT, y)], _RULE)
        drawing.text(_LEFT - 8.0, y + 4.0, tick.text, _MUTED, "end")
