"""Where the ticks of an axis stand, and what they say."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from dynamis.notation.style import Style, decimals_of
from dynamis.pitch.notes import note_label

_DAYS_A_MONTH = 31.0
# Steps between the ticks of a note axis, in semitones: parts of an octave, then octaves.
_NOTE_STEPS = (1, 2, 3, 6, 12, 24, 48)


@dataclass(frozen=True)
class Tick:
    """place : on the axis, in its values."""

    place: float
    text: str


def round_steps(span: float) -> Iterator[float]:
    """1, 2 and 5 times the powers of ten, from a thousandth of the span up to beyond it."""
    first = math.floor(math.log10(span)) - 3
    for decade in range(first, first + 6):
        yield from (base * 10.0**decade for base in (1.0, 2.0, 5.0))


def number_ticks(low: float, high: float, most: int, style: Style, *, sign: bool = False) -> list[Tick]:
    """At most so many round numbers between two values, evenly apart; none where there is no room between them."""
    if not (math.isfinite(low) and math.isfinite(high) and high > low and most > 0):
        return []
    step = next((one for one in round_steps(high - low) if (high - low) / one <= most), high - low)
    values = step * np.arange(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)
    return [Tick(float(one), style.number(float(one), decimals_of(step), sign=sign)) for one in values]


def note_ticks(low: float, high: float, pixels: float, style: Style, least_apart: float = 60.0) -> list[Tick]:
    """Notes by number and name, `36 C2`, at parts of octaves as there is room; pixels : of the whole axis."""
    if not (math.isfinite(low) and math.isfinite(high) and high > low):
        return []
    each = pixels / (high - low)
    step = next((one for one in _NOTE_STEPS if each * one >= least_apart), _NOTE_STEPS[-1])
    first = math.ceil(low / step) * step
    return [Tick(float(note), note_label(float(note), style)) for note in np.arange(first, high + 1e-9, step)]


def date_ticks(first: datetime, low: float, high: float, most: int) -> list[Tick]:
    """Dates at round numbers of days, months or years; low, high : days since the first."""
    if not (math.isfinite(low) and math.isfinite(high) and high > low and most > 0):
        return []
    if (high - low) / most <= _DAYS_A_MONTH:
        step = next(one for one in (1, 2, 5, 7, 14, 31) if (high - low) / one <= most or one == 31)
        days = np.arange(math.ceil(low / step), math.floor(high / step) + 1) * float(step)
        return [Tick(float(day), f"{first + timedelta(days=float(day)):%Y-%m-%d}") for day in days]
    months = next(
        one for one in (1, 2, 3, 6, 12, 24, 60, 120) if (high - low) / most <= one * _DAYS_A_MONTH or one == 120
    )
    start = first + timedelta(days=low)
    ticks: list[Tick] = []
    count = months * math.ceil((start.year * 12 + start.month - 1) / months)
    while len(ticks) <= 2 * most:
        there = datetime(count // 12, count % 12 + 1, 1)
        day = (there - first).total_seconds() / 86400.0
        if day > high:
            break
        if day >= low:
            ticks.append(Tick(day, f"{there:%Y-%m}"))
        count += months
    return ticks
