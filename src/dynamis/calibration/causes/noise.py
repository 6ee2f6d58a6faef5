"""How uncertain a number is when the scatter about it hangs together from note to note.

What is left of the readings is taken for white noise plus a random walk, in the mixture that its changes from
neighbour to neighbour speak for: the ratio of von Neumann, moved towards the walk by its own uncertainty.
Sources: von Neumann's ratio and its variance under independence (from memory); Welch–Satterthwaite (JCGM 100:2008,
G.4).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.calibration.significance import claim_factor

FloatArray = NDArray[np.float64]
# How many standard deviations of its ratio the mixture is moved towards the walk: for U, and for what a walk may make.
_TOWARDS_WALK, _AT_MOST_WALK = 1.0, 2.0
# How large a walk's steps may be beside white noise before nothing of that is seen any more; and steps between.
PURE_WALK: Final = 4.0
WALKS: Final = (0.0, 0.05, 0.1, 0.2, 0.35, 0.6, 1.0, 2.0, PURE_WALK)


@dataclass(frozen=True, eq=False)
class Estimate:
    """A linear model of places, fitted: values (P,), what is left (G,), and the covariance of what is left.

    weights : (P, G).  factor : U is this many standard uncertainties; infinite where nothing is left to judge by.
    freedom : degrees of freedom of the scatter.  walk : how large a walk's steps may be beside the white noise in it.
    """

    values: FloatArray
    left: FloatArray
    weights: FloatArray
    covariance: FloatArray
    factor: float
    freedom: float = math.inf
    walk: float = 0.0

    def expanded(self, weights: FloatArray) -> float | None:
        """U of a linear function of the places; None where the readings do not tell."""
        if not math.isfinite(self.factor):
            return None
        return self.factor * math.sqrt(max(0.0, float(weights @ self.covariance @ weights)))


def estimate(design: FloatArray, off_cents: FloatArray, position: FloatArray, own_cents: FloatArray) -> Estimate:
    """Least squares of `off` (G,) on the columns of `design` (G, P), and what chance may have added.

    own : (G,) the least standard uncertainty of each, cents.
    """
    weights = np.asarray(np.linalg.pinv(design), float)
    values = weights @ off_cents
    left = off_cents - design @ values
    count, parameters = design.shape
    floor = np.diag(own_cents**2)
    if count <= parameters:
        known = bool(np.all(own_cents > 0))
        return Estimate(values, left, weights, floor, 2.0 if known else math.inf)
    makes = np.eye(count) - design @ weights
    walk = np.minimum(position[:, None], position[None, :])
    share = _walk_share(makes, walk, left, _TOWARDS_WALK)
    shape = walk if share == PURE_WALK**2 else np.eye(count) + share * walk
    squares = float(left @ left)
    covariance = shape * (squares / float(np.trace(makes @ shape)))
    middle = makes @ covariance
    freedom = float(np.trace(middle)) ** 2 / max(float(np.sum(middle * middle.T)), 1e-300)
    # Where the instrument allows more than is seen, it decides.
    least = float(np.trace(makes @ floor))
    if squares < least:
        covariance, freedom = covariance * 0.0 + floor, math.inf
    most = _walk_share(makes, walk, left, _AT_MOST_WALK)
    step = min((one for one in WALKS if one**2 >= most - 1e-12), default=PURE_WALK)
    return Estimate(values, left, weights, covariance, claim_factor(max(1.0, freedom)), freedom, step)


def _walk_share(makes: FloatArray, walk: FloatArray, left: FloatArray, deviations: float) -> float:
    """The variance of a walk's step beside that of white noise, in the mixture that von Neumann's ratio speaks for."""
    count = left.size
    change = np.diff(np.eye(count), axis=0)
    changed = change @ makes
    white_sum, walk_sum = float(np.trace(makes)), float(np.trace(makes @ walk))
    white_steps = float(np.sum(changed**2))
    walk_steps = float(np.sum((changed @ walk) * changed))
    squares = float(left @ left)
    if squares <= 0:
        return 0.0
    ratio = float(np.sum(np.diff(left) ** 2)) / squares - deviations * 2.0 / math.sqrt(count)
    if ratio >= white_steps / white_sum:
        return 0.0
    if ratio <= walk_steps / walk_sum:
        return PURE_WALK**2
    return min(PURE_WALK**2, (ratio * white_sum - white_steps) / (walk_steps - ratio * walk_sum))
