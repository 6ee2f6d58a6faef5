"""Where the ticks of a nomogram's scales stand, and what they say."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np

from dynamis.bench.chains.nomogram import NomogramScale
from dynamis.notation.style import Style, decimals_of
from dynamis.pitch.notes import note_label
from dynamis.plotting.ticks import Tick, round_steps

_APART = 21.0


def ticks_of(scale: NomogramScale, low_note: float, high_note: float, pixels: float, style: Style) -> list[Tick]:
    """The ticks of a scale between two places; pixels : of one semitone."""
    kind = scale.quantity.kind
    octaves = [float(note) for note in range(12 * math.ceil(low_note / 12.0), math.floor(high_note) + 1, 12)]
    if kind == "note":
        return [Tick(note, note_label(note, style)) for note in octaves]
    if kind == "octaves":
        hertz = [(note, 2.0 ** scale.value(note)) for note in octaves]
        return [Tick(note, style.number(one, 0 if one >= 100.0 else 1)) for note, one in hertz]
    ends = scale.value(low_note), scale.value(high_note)
    if not all(math.isfinite(one) for one in ends) or ends[0] == ends[1]:
        return []
    least, most = min(ends), max(ends)

    def placed(value: float) -> float:
        return float(scale.place(value))

    for step in _steps(most - least, binary=kind == "code"):
        first, last = math.ceil(least / step), math.floor(most / step)
        values = step * np.arange(first, last + 1, dtype=np.float64)
        places = np.sort(scale.place(values)) * pixels
        if not scale.doubles and values.size > 1 and float(np.min(np.diff(places))) >= _APART:
            return [Tick(placed(float(one)), _text(float(one), step, kind, style)) for one in values]
    # Nowhere even: a law bends the scale, so values are doubled instead.
    return _doubling(most, placed, pixels, style, low_note)


def _steps(span: float, binary: bool) -> Iterator[float]:
    if binary:
        yield from (2.0**k for k in range(24))
        return
    yield from round_steps(span)


def _doubling(
    most: float, placed: Callable[[float], float], pixels: float, style: Style, low_note: float
) -> list[Tick]:
    ticks: list[Tick] = []
    value = 2.0 ** math.floor(math.log2(most)) if most > 0 else 0.0
    last = math.inf
    while value > 1e-3 and len(ticks) < 14:
        place = placed(value)
        if place < low_note:
            break
        if (last - place) * pixels >= _APART:
            ticks.append(
                Tick(place, style.number(value, max(0, 2 - math.floor(math.log10(value)))).rstrip("0").rstrip(".,"))
            )
            last = place
        value /= 2.0
    return ticks


def _text(value: float, step: float, kind: str, style: Style) -> str:
    return style.number(value, 0 if kind == "code" else decimals_of(step))
