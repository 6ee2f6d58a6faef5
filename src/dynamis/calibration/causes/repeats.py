"""Notes that were read more than once: a reading that the others of its note contradict, or a unit that drifts."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.causes.chance import Noise, positions_of, quantile, samples
from dynamis.calibration.causes.series import LEAST_OFF_CENTS, Places, Series
from dynamis.calibration.causes.singles import between_neighbours, slip_term
from dynamis.calibration.causes.term import Term
from dynamis.calibration.significance import claim_factor

FloatArray = NDArray[np.float64]
_LEAST_DRIFT_CENTS: Final = 1.0
# One repeated note that moved by more than this is no warming that is seen by itself.
_MOST_BY_ONE_CENTS: Final = 25.0
_RARE: Final = 0.995
_FEWEST_IN_ANY_ORDER: Final = 7


@dataclass(frozen=True, eq=False)
class Repeats:
    """slips : (N,) readings that are slips.  terms : what is said.  drift, drift_expanded : cents a second, 0 without.

    open : notes of which two readings differ and nothing tells which is right.
    """

    slips: NDArray[np.bool_]
    terms: tuple[Term, ...]
    drift: float = 0.0
    drift_expanded: float = 0.0
    open: tuple[float, ...] = ()


@dataclass(frozen=True)
class _Pair:
    """The first and the last reading of a place."""

    place: int
    first: int
    last: int
    cents: float
    seconds: float


def judge_repeats(series: Series) -> Repeats:
    """What the readings of the same notes say of each other."""
    places = series.places
    none = np.zeros(series.good.shape, bool)
    if places.count < 3:
        return Repeats(none, ())
    noise = _noise(places)
    pairs = [_pair(places, k) for k in range(places.count) if places.members[k].size > 1]
    pairs = [pair for pair in pairs if pair.seconds > 0]
    if not pairs:
        drift = _by_time(places)
        return Repeats(none, ()) if drift is None else Repeats(none, (_drift_term(places, *drift),), *drift)
    drift = _by_pairs(places, pairs, noise)
    terms: list[Term] = []
    if drift is not None:
        terms.append(_drift_term(places, *drift))
        places = replace(series, measured=undrifted(series, drift[0])).places
        pairs = [_pair(places, pair.place) for pair in pairs]
    slips, open_notes = none.copy(), []
    for pair in pairs:
        slip, is_open = _contradicted(places, pair, noise, drift is not None)
        if slip is not None:
            slips[slip] = True
            own = np.delete(places.members[pair.place], np.flatnonzero(places.members[pair.place] == slip))
            cents = float(places.each[slip] - np.mean(places.each[own]))
            terms.append(slip_term(series, slip, cents, noise))
        elif is_open:
            open_notes.append(float(places.notes[pair.place]))
    return Repeats(slips, tuple(terms), *(drift or (0.0, 0.0)), tuple(open_notes))


def undrifted(series: Series, rate: float) -> FloatArray:
    """The readings with a drift of so many cents a second taken out, as if all had been taken at the first's time."""
    cents = rate * (series.seconds - float(np.min(series.seconds[series.good])))
    if series.model.is_ratio:
        zero = series.model.zero
        return np.asarray(zero + (series.measured - zero) * np.exp2(-cents / 1200.0))
    return np.asarray(series.measured - cents / series.model.cents_per_unit(series.measured))


def _pair(places: Places, k: int) -> _Pair:
    first, last = int(places.members[k][0]), int(places.members[k][-1])
    seconds = places.series.seconds
    return _Pair(k, first, last, float(places.each[last] - places.each[first]), float(seconds[last] - seconds[first]))


def _noise(places: Places) -> float:
    """At most this, cents, is the scatter of a reading when it is taken again."""
    return float(max(places.jump_scale() / np.sqrt(2.0), np.max(places.own)))


def _by_pairs(places: Places, pairs: list[_Pair], noise: float) -> tuple[float, float] | None:
    """(cents a second, its U) where later readings of notes differ from earlier ones in one direction."""
    series = places.series
    moved, spans = np.array([one.cents for one in pairs]), np.array([one.seconds for one in pairs])
    if moved.size == 1:
        return _by_one(places, pairs[0], noise)
    if moved.size == 2:
        both = bool(np.all(np.abs(moved) > max(_LEAST_DRIFT_CENTS, 3.0 * noise))) and moved[0] * moved[1] > 0
        rate = float(moved @ spans / (spans @ spans))
        return (rate, 2.0 * noise * np.sqrt(2.0) / float(np.sqrt(spans @ spans))) if both else None
    rate = float(moved @ spans / (spans @ spans))
    left = np.abs(moved - rate * spans)
    keep = np.arange(moved.size) != int(np.argmax(left))
    if moved.size > 4 and np.max(left) > 8.0 * float(np.sqrt(np.mean(left[keep] ** 2))):
        # one slip among the pairs shall not hide what the others say
        moved, spans = moved[keep], spans[keep]
        rate = float(moved @ spans / (spans @ spans))
    left = moved - rate * spans
    freedom = moved.size - 1
    standard = float(np.sqrt(left @ left / freedom / (spans @ spans)))
    own = float(np.max(places.own)) * np.sqrt(2.0) / float(np.sqrt(spans @ spans))
    standard = max(standard, own)
    whole = abs(rate) * _span(series)
    one_way = float(np.sum(spans[np.sign(moved) == np.sign(rate)])) / float(np.sum(spans))
    factor = claim_factor(freedom, 8)
    if whole < _LEAST_DRIFT_CENTS or one_way < 0.8 or abs(rate) <= factor * standard:
        return None
    return rate, claim_factor(freedom) * standard


def _by_one(places: Places, one: _Pair, noise: float) -> tuple[float, float] | None:
    """One note read again: the first reading of the run, at its end."""
    series = places.series
    index = np.flatnonzero(series.good)
    opens = one.first == index[np.argmin(series.seconds[index])]
    late = one.seconds > 0.5 * _span(series)
    size = abs(one.cents)
    if not (opens and late) or size <= max(_LEAST_DRIFT_CENTS, 4.0 * noise) or size > _MOST_BY_ONE_CENTS:
        return None
    if not _agrees(places, one, one.first, one.last):
        return None
    return one.cents / one.seconds, 2.0 * noise * np.sqrt(2.0) / one.seconds


def _agrees(places: Places, one: _Pair, right: int, wrong: int) -> bool:
    """Whether the neighbours speak for one reading of a place and against another."""
    there = between_neighbours(places, one.place)
    return abs(places.each[right] - there) < 0.35 * abs(places.each[right] - places.each[wrong])


def _by_time(places: Places) -> tuple[float, float] | None:
    """(cents a second, its U) where errors follow the time rather than the note; None where the order cannot tell."""
    if places.count < _FEWEST_IN_ANY_ORDER:
        return None
    seconds = places.means(places.series.seconds)
    basis = np.linalg.qr(places.basis)[0]
    aside = seconds - basis @ (basis.T @ seconds)
    about = seconds - seconds.mean()
    if aside @ aside < 0.3 * (about @ about) or not aside @ aside > 0:
        return None

    def share(drawn: FloatArray) -> FloatArray:
        left = drawn - (drawn @ basis) @ basis.T
        return (left @ aside) ** 2 / (aside @ aside) / np.maximum(np.einsum("ij,ij->i", left, left), 1e-300)

    keys = positions_of(np.arange(places.count, dtype=float))
    kinds: tuple[Noise, ...] = ("walk", "white")
    limit = max(quantile(share, samples(keys, kind), _RARE) for kind in kinds)
    rate = float(places.off @ aside / (aside @ aside))
    left = places.off - basis @ (basis.T @ places.off) - rate * aside
    standard = float(np.sqrt(left @ left / (places.count - 3) / (aside @ aside)))
    if share(places.off[None, :])[0] <= limit or abs(rate) * _span(places.series) < LEAST_OFF_CENTS:
        return None
    return rate, claim_factor(places.count - 3) * standard


def _span(series: Series) -> float:
    taken = series.seconds[series.good]
    return float(np.ptp(taken))


def _drift_term(places: Places, rate: float, expanded_cents: float) -> Term:
    series = places.series
    whole = _span(series)
    index = np.flatnonzero(series.good)
    order = index[np.argsort(series.seconds[index], kind="stable")]
    first, last = float(series.notes[order[0]]), float(series.notes[order[-1]])
    return Term(
        "drift", rate * whole, expanded_cents * whole, "cents", rate * whole, expanded_cents * whole, (first, last)
    )


def _contradicted(places: Places, one: _Pair, noise: float, drifting: bool) -> tuple[int | None, bool]:
    """(the reading of a place that is a slip, or None; whether two differ and nothing tells which is right)."""
    members = places.members[one.place]
    each = places.each[members]
    limit = max(places.least(one.place), 6.0 * noise)
    if members.size > 2:
        away = np.abs(each - np.median(each))
        k = int(np.argmax(away))
        others = np.delete(each, k)
        alike = float(np.ptp(others)) < 0.5 * float(away[k])
        return (int(members[k]), False) if away[k] > limit and alike else (None, False)
    if abs(one.cents) <= limit:
        return None, False
    for right, wrong in ((one.first, one.last), (one.last, one.first)):
        if _agrees(places, one, right, wrong):
            # What is taken last and alone contradicts may be the unit that moved.
            closing = wrong == places.series.last_taken and not drifting
            return (None, True) if closing else (wrong, False)
    return None, True
