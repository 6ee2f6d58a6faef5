"""What stands out and may be several things by what was read so far: named with the notes that would decide."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final

import numpy as np

from dynamis.calibration.causes.series import Places
from dynamis.calibration.causes.singles import Jump, between_neighbours
from dynamis.calibration.causes.term import Term

_MOST_ASKED: Final = 3
# With so few readings only this much is worth a doubt.
_FEW_CENTS: Final = 20.0


def undecided(
    places: Places, jumps: Sequence[Jump], open_notes: Sequence[float], reach: tuple[float, float]
) -> list[Term]:
    """One term for all that chance does not make and no cause explains; none where there is nothing of the kind.

    reach : the lowest and the highest note that can be read.

    A lone reading at an end, or the newest: a slip, or the first of a step, a bend or a flat end.  Two that lie
    together: the same.  A note whose two readings differ.
    """
    terms = [_term(places, (note, note), (note,), _off_at(places, note)) for note in open_notes]
    if not jumps:
        return terms[:1]
    worst = jumps[0]
    upper = places.count - 1 - worst.after <= places.count // 2
    chosen = range(worst.after + 1, places.count) if upper else range(0, worst.after + 1)
    if len(chosen) > 2:
        back = [one for one in jumps[1:] if one.cents * worst.cents < 0 and abs(one.after - worst.after) <= 3]
        if not back:
            return [_between(places, worst, reach), *terms][:1]
        low, high = sorted((worst.after, back[0].after))
        chosen = range(low + 1, high + 1)
    notes = [float(places.notes[k]) for k in chosen]
    middle = chosen[len(chosen) // 2]
    others = np.delete(np.arange(places.count), np.array(chosen))
    there = float(np.interp(places.position[middle], places.position[others], places.off[others]))
    cents = float(places.off[middle]) - there
    return [_term(places, (min(notes), max(notes)), _asked(places, chosen, upper, reach), cents), *terms][:1]


def _between(places: Places, jump: Jump, reach: tuple[float, float]) -> Term:
    """A jump amid the notes: its two notes once more, and what lies between."""
    pair = range(jump.after, jump.after + 2)
    low, high = (float(places.notes[k]) for k in pair)
    notes = [float(places.notes[k]) for k in pair if places.members[k].size < 2]
    middle = float(math.floor((low + high) / 2.0))
    if low < middle < high and middle not in places.notes:
        notes.append(middle)
    return _term(places, (low, high), tuple(notes), jump.cents)


def lone_reading(places: Places) -> list[Term]:
    """Of three or four notes: one that lies far off what the others speak for."""
    if places.count < 3:
        return []
    weights = np.linalg.pinv(places.basis)
    left = places.off - places.basis @ (weights @ places.off)
    k = int(np.argmax(np.abs(left)))
    if abs(left[k]) <= max(_FEW_CENTS, places.least(k)):
        return []
    first, last = float(places.notes[0]), float(places.notes[-1])
    asks = tuple(sorted({float(one) for one in places.notes})[:_MOST_ASKED])
    return [Term("undecided", float(left[k]), None, "cents", float(left[k]), None, (first, last), asks=asks)]


def _off_at(places: Places, note: float) -> float:
    k = int(np.argmin(np.abs(places.notes - note)))
    each = places.each[places.members[k]]
    there = between_neighbours(places, k)
    return float(each[int(np.argmax(np.abs(each - there)))] - there)


def _asked(places: Places, chosen: range, upper: bool, reach: tuple[float, float]) -> tuple[float, ...]:
    """The notes that would decide: those concerned once more, and what lies beside them."""
    once = [float(places.notes[k]) for k in chosen if places.members[k].size < 2]
    notes = once[:2]
    edge = float(places.notes[chosen[-1] if upper else chosen[0]])
    direction = 1.0 if upper else -1.0
    read = {float(note) for note in places.notes}
    inner = (
        float(places.notes[chosen[0] - 1])
        if upper and chosen[0] > 0
        else (float(places.notes[chosen[-1] + 1]) if not upper and chosen[-1] + 1 < places.count else edge)
    )
    between = math.floor((edge + inner) / 2.0)
    for note in (edge + direction, edge + 2.0 * direction, float(between), inner + direction):
        if len(notes) < _MOST_ASKED and note not in read and reach[0] <= note <= reach[1] and note not in notes:
            notes.append(note)
    return tuple(notes)


def _term(places: Places, notes: tuple[float, float], asks: tuple[float, ...], cents: float) -> Term:
    return Term("undecided", cents, None, "cents", cents, None, notes, asks=asks)
