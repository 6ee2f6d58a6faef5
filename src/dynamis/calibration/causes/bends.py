"""A step or a bend: at least three notes that leave the line together, by more than a random walk does by itself."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.causes.chance import positions_of, quantile, samples
from dynamis.calibration.causes.noise import PURE_WALK, Estimate, estimate
from dynamis.calibration.causes.series import LEAST_OFF_CENTS, Places
from dynamis.calibration.causes.singles import find_jumps

FloatArray = NDArray[np.float64]
# As large in fewer than 1 of 100 random walks of the same scatter.
_RARE: Final = 0.99
_FEWEST_BESIDE: Final = 3
_MOST_KNOTS: Final = 64
_NEAR: Final = 6.0
_GOOD_PART: Final = 0.45
# Where a bend begins, and how, was chosen by the readings that its size is taken from; found by simulation.
_CHOSEN: Final = 1.25
# How much of the notes a bend at the top, or at the bottom, may take up.
_MOST_ABOVE, _MOST_BELOW = 0.65, 0.35
# Where codes are not known: from so many places on their rounding looks like chance, and with fewer this much of a
# step may be rounding (a code of ten bits over 5 V is 5.9 cents).
_ENOUGH_UNCODED: Final = 9
_MOST_ROUNDING_CENTS: Final = 8.0
FormKind = Literal["step", "bend"]


@dataclass(frozen=True, eq=False)
class Form:
    """One way to leave the line.

    column : (G,) 1 behind a step; a bend's share, 1 at its end.  first, last : places that show it (of a step those
    on both sides).
    """

    kind: FormKind
    column: FloatArray
    first: int
    last: int


@dataclass(frozen=True, eq=False)
class Unexplained:
    """A form that was found, with its size in cents and its U.  alike : forms of its kind that do nearly as well."""

    form: Form
    cents: float
    expanded: float
    alike: tuple[Form, ...] = ()


def forms(position: FloatArray) -> list[Form]:
    """Every step and bend that three places can show."""
    count = position.size
    knots = range(_FEWEST_BESIDE - 1, count - _FEWEST_BESIDE)
    thin = max(1, -(-len(knots) // _MOST_KNOTS))
    forms: list[Form] = []
    for k in knots:
        forms.append(Form("step", (np.arange(count) > k).astype(float), k, k + 1))
        if k % thin:
            continue
        # A hinge bends both ends alike: the smaller part is what leaves the line of the rest.
        for power in (1, 2):
            if count - 1 - k <= _MOST_ABOVE * count:
                up = np.clip(position - position[k], 0.0, None) ** power
                forms.append(Form("bend", up / up[-1], k + 1, count - 1))
            if _FEWEST_BESIDE <= k <= _MOST_BELOW * count:
                down = np.clip(position[k] - position, 0.0, None) ** power
                forms.append(Form("bend", down / down[0], 0, k - 1))
    return forms


def find_left(places: Places, taken: tuple[Unexplained, ...] = ()) -> Unexplained | None:
    """The form that explains most of what is left beside those that were taken; None where chance does as much."""
    if places.count < 2 * _FEWEST_BESIDE:
        return None
    base = np.column_stack([places.basis, *(one.form.column for one in taken)])
    if places.count < base.shape[1] + 4:
        return None
    every = forms(places.position)
    shares, sizes = _shares(base, every, places.off[None, :])
    best = int(np.argmax(shares[0]))
    design = np.column_stack([base, every[best].column])
    fitted = estimate(design, places.off, places.position, places.own)
    taken_count, ratio = base.shape[1] - 2, places.series.model.is_ratio
    if not shares[0, best] > _rare_share(positions_of(places.position), taken_count, ratio, fitted.walk):
        jumped = _by_jump(places, base, every, shares[0])
        if jumped is None:
            return None
        best = jumped
        design = np.column_stack([base, every[best].column])
        fitted = estimate(design, places.off, places.position, places.own)
    size, expanded = float(fitted.values[-1]), fitted.expanded(fitted.weights[-1])
    if expanded is None or not _stands_without_its_end(every[best], design, size, places):
        return None
    if every[best].kind == "bend":
        expanded *= _CHOSEN
    alike = _alike(every, shares[0], best, fitted)
    expanded = float(np.hypot(expanded, max((abs(float(sizes[0, k]) - size) for k in alike), default=0.0)))
    least = max(places.series.half_lsb_cents, 3.0 * float(np.max(places.own)))
    if not places.series.half_lsb_cents:  # rounding to codes that nobody knows makes steps of its own
        least = max(least, LEAST_OFF_CENTS if places.count >= _ENOUGH_UNCODED else _MOST_ROUNDING_CENTS)
    left = Unexplained(every[best], size, expanded, tuple(every[k] for k in alike))
    return left if abs(size) > max(expanded, least) else None


def _by_jump(places: Places, base: FloatArray, every: list[Form], shares: FloatArray) -> int | None:
    """A step whose two notes lie further apart than a walk's steps ever are, and that explains a good part besides."""
    off = places.off - base @ (np.linalg.pinv(base) @ places.off)
    jumps = find_jumps(places, off, _RARE)
    if not jumps:
        return None
    k = next((k for k, one in enumerate(every) if one.kind == "step" and one.first == jumps[0].after), None)
    return k if k is not None and shares[k] > _GOOD_PART else None


def _stands_without_its_end(form: Form, design: FloatArray, size: float, places: Places) -> bool:
    """Whether the form is there, by half, without the outermost place: one reading alone makes none."""
    outer = 0 if form.first == 0 else places.count - 1
    rest = np.delete(np.arange(places.count), outer)
    without = float((np.linalg.pinv(design[rest]) @ places.off[rest])[-1])
    return without * size > 0 and abs(without) > 0.5 * abs(size)


def _shares(base: FloatArray, every: list[Form], off_cents: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Of samples (S, G): the share of what the base leaves that each form explains (S, F), and their sizes."""
    basis = np.linalg.qr(base)[0]
    columns = np.array([one.column for one in every])
    columns = columns - (columns @ basis) @ basis.T
    length2 = np.maximum(np.einsum("ij,ij->i", columns, columns), 1e-12)
    left = off_cents - (off_cents @ basis) @ basis.T
    along = left @ columns.T
    total = np.maximum(np.einsum("ij,ij->i", left, left), 1e-300)
    return along**2 / length2 / total[:, None], along / length2


@lru_cache(maxsize=256)
def _rare_share(positions: tuple[float, ...], taken: int, ratio: bool, walk: float) -> float:
    """The share that the best form explains in fewer than 1 of 100 noises with so much of a walk in them.

    A form that was taken is one degree of freedom less.
    """
    position = np.array(positions)
    every, second = forms(position), np.exp2(-position / 4.0) if ratio else position
    base = np.column_stack([np.ones(position.size), second])
    drawn = (
        samples(positions, "white") + walk * samples(positions, "walk")
        if walk < PURE_WALK
        else (samples(positions, "walk"))
    )
    share = quantile(lambda some: _shares(base, every, some)[0].max(axis=1), drawn, _RARE)
    return share if not taken else 1.0 - (1.0 - share) * 0.8**taken


def _alike(every: list[Form], shares: FloatArray, best: int, fitted: Estimate) -> list[int]:
    """Forms of the best one's kind and end that leave no more than chance may add to what it leaves."""
    left = 1.0 - shares
    near = left <= float(left[best]) * (1.0 + _NEAR / max(1.0, fitted.freedom))
    mine = every[best]
    return [
        int(k)
        for k in np.flatnonzero(near)
        if k != best and every[k].kind == mine.kind and (every[k].first == 0) == (mine.first == 0)
    ]
