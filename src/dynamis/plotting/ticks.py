"""Where the ticks of an axis stand, and what they say."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from dynamis.notation.style import Style, decimals_of
from dynamis.pitch.notes import note_label

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
