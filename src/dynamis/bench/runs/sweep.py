"""A recorded sweep as the readings of a run: which tone is which note, what was left out, and what is another note.

The tones are laid on the notes of the plan in their order, so that an oscillator which is far off is still matched:
what costs least in cents, about a line that may be shifted and stretched, with notes left out and tones besides.
Source: alignment by dynamic programming (Needleman and Wunsch, 1970, from memory); the costs are common practice, no
source.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label
from dynamis.pitch.tuning import cents_between
from dynamis.tuner.tones import Tone
from dynamis.tuner.tones import with_clock as told_by_clock

FloatArray = NDArray[np.float64]
# A note left out, or a tone besides, costs as much as so many cents off.
_SKIP_CENTS: Final = 70.0
_MOST_CENTS: Final = 140.0
# A tone that is so much nearer to another note of the plan than to its own is that note, played in the wrong place.
_WRONG_CENTS: Final = 60.0
_ROUNDS: Final = 4


@dataclass(frozen=True)
class Heard:
    """A tone and the note that it was matched to, None where it is none of those to read.

    off_cents : from the note; besides_cents : from what the other tones would have it, NaN with few.
    """

    tone: Tone
    note: float | None
    off_cents: float
    besides_cents: float


@dataclass(frozen=True)
class Sweep:
    """heard : each tone in its order.  missing : notes of the plan that no tone was matched to."""

    heard: tuple[Heard, ...]
    missing: tuple[float, ...]

    @property
    def matched(self) -> list[Heard]:
        return [one for one in self.heard if one.note is not None]


def match_sweep(judged: RunAnalysis, tones: Sequence[Tone]) -> Sweep:
    """The tones of a recording on the notes of a run, in the order in which they are to be read.

    Raises InputError for a run in volts, or where there is no tone.
    """
    run, model = judged.run, judged.model
    if run.quantity == "volts":
        raise InputError("This run reads volts; begin one in hertz, of the oscillator, to take it from a recording.")
    if not tones:
        raise InputError("No steady tone of half a second or longer is heard in it.")
    plan = np.array(run.plan, float)
    wanted = cents_between(model.tuning.hertz(plan), 440.0)
    played = cents_between([one.hertz for one in tones], 440.0)
    if run.enough_cents is not None:
        # Whatever of the notes was chosen, each tone is the nearest of them.
        pairs = [(k, int(np.argmin(np.abs(wanted - cents)))) for k, cents in enumerate(played)]
        pairs = [(k, j) for k, j in pairs if abs(played[k] - wanted[j]) <= _MOST_CENTS]
    else:
        pairs = _aligned(wanted, played)
    by_tone, line = dict(pairs), _line([(wanted[j], played[k]) for k, j in pairs])
    heard = []
    for k, tone in enumerate(tones):
        at = by_tone.get(k)
        note = None if at is None else float(plan[at])
        off = float("nan") if at is None else float(played[k] - wanted[at])
        besides = float("nan") if at is None or len(pairs) < 4 else float(played[k] - line(wanted[at]))
        heard.append(Heard(tone, note, off, besides))
    missing = () if run.enough_cents is not None else tuple(plan[sorted(set(range(plan.size)) - set(by_tone.values()))])
    return Sweep(tuple(heard), tuple(float(note) for note in missing))


def _line(pairs: Sequence[tuple[float, float]]) -> Callable[[float], float]:
    """What a note sounds as by the others: shifted alone with few, else by the line of Theil and Sen."""
    x, y = (np.array(side, float) for side in zip(*pairs, strict=True)) if pairs else (np.zeros(0), np.zeros(0))
    if np.unique(x).size < 4:
        shift = float(np.median(y - x)) if x.size else 0.0
        return _shifted(shift)
    first, second = np.triu_indices(x.size, 1)
    apart = x[second] - x[first]
    far = np.abs(apart) > 1.0
    slope = float(np.median((y[second] - y[first])[far] / apart[far]))
    start = float(np.median(y - slope * x))
    return lambda at: start + slope * at


def _aligned(wanted: FloatArray, played: FloatArray) -> list[tuple[int, int]]:
    """(tone, note) pairs in the order of both, about a line that is fitted as the pairs are found."""
    best: list[tuple[int, int]] = []
    cost = np.inf
    same = played.size == wanted.size
    for shift in (0.0, float(np.median(played) - np.median(wanted)), float(played[0] - wanted[0])):
        line, pairs, total = _shifted(shift), list[tuple[int, int]](), np.inf
        for _ in range(_ROUNDS):
            total, found = _laid(np.array([line(one) for one in wanted]), played)
            if found == pairs:
                break
            pairs, line = found, _line([(wanted[j], played[k]) for k, j in found])
        if pairs and total + 0.2 * abs(shift) / 100.0 < cost:
            best, cost = pairs, total + 0.2 * abs(shift) / 100.0
    if not best and same:
        best = [(k, k) for k in range(played.size)]
    return best


def _shifted(by_cents: float) -> Callable[[float], float]:
    return lambda at: at + by_cents


def _laid(wanted: FloatArray, played: FloatArray) -> tuple[float, list[tuple[int, int]]]:
    """(what it costs, the pairs) of laying tones on notes in order."""
    tones, notes = played.size, wanted.size
    cost = np.empty((tones + 1, notes + 1))
    cost[:, 0], cost[0, :] = np.arange(tones + 1) * _SKIP_CENTS, np.arange(notes + 1) * _SKIP_CENTS
    off = np.minimum(np.abs(played[:, None] - wanted[None, :]), 10.0 * _MOST_CENTS)
    for k in range(1, tones + 1):
        for j in range(1, notes + 1):
            skip = min(cost[k - 1, j], cost[k, j - 1]) + _SKIP_CENTS
            cost[k, j] = min(skip, cost[k - 1, j - 1] + off[k - 1, j - 1])
    pairs, k, j = [], tones, notes
    while k and j:
        if cost[k, j] == cost[k - 1, j - 1] + off[k - 1, j - 1]:
            pairs.append((k - 1, j - 1))
            k, j = k - 1, j - 1
        elif cost[k, j] == cost[k - 1, j] + _SKIP_CENTS:
            k -= 1
        else:
            j -= 1
    pairs = [(k, j) for k, j in reversed(pairs) if off[k, j] <= _MOST_CENTS]
    return float(cost[tones, notes]), pairs


def sweep_rows(judged: RunAnalysis, sweep: Sweep) -> list[tuple[float, float, float]]:
    """(note, value, its own standard uncertainty) of the readings that a sweep gives, in Hz or ct as the run reads."""
    rows = []
    for one in sweep.matched:
        assert one.note is not None
        if judged.run.quantity == "hertz":
            rows.append((one.note, one.tone.hertz, one.tone.deviation_hertz))
        else:
            rows.append((one.note, one.off_cents, one.tone.uncertainty_cents))
    return rows


def sweep_sentences(sweep: Sweep, style: Style) -> list[str]:
    """What was heard, what is missing, and what is another note than it should be."""
    count, matched = len(sweep.heard), sweep.matched
    tones = f"{count} steady tone{' is' if count == 1 else 's are'} heard, {len(matched)} of them notes to read."
    sentences = [tones]
    if sweep.missing:
        names = ", ".join(note_label(note, style) for note in sweep.missing[:12])
        more = f" and {len(sweep.missing) - 12} more" if len(sweep.missing) > 12 else ""
        sentences.append(f"Not heard: {names}{more}.")
    for one in sweep.heard:
        at = style.number(one.tone.start_seconds, 1)
        if one.note is None:
            sentences.append(f"At {at} s stands {style.hertz(one.tone.hertz)}, which is none of the notes: left out.")
        elif np.isfinite(one.besides_cents) and abs(one.besides_cents) > _WRONG_CENTS:
            sentences.append(
                f"At {at} s stands {style.hertz(one.tone.hertz)} for {note_label(one.note, style)}, "
                f"{style.cents(one.besides_cents, sign=True)} ct from where the others would have it: a wrong note, "
                "or a key struck twice?"
            )
    return sentences


def with_clock(sweep: Sweep, ppm: float) -> Sweep:
    """The same with a recorder's clock that runs too fast by so many parts in a million.

    Raises InputError where no recorder does.
    """
    tones = told_by_clock([one.tone for one in sweep.heard], ppm)
    heard = tuple(
        replace(one, tone=tone, off_cents=one.off_cents + float(cents_between(tone.hertz, one.tone.hertz)))
        for one, tone in zip(sweep.heard, tones, strict=True)
    )
    return Sweep(heard, sweep.missing)
