"""Whether an output holds a voltage: a step, read again and again as it stands, and the corner that fits its fall.

Behind a coupling capacitor V(t) = V0·e^(-2πft) with the corner f = 1/(2πRC) (derived).  The logarithms of the readings
lie on a line then; each weighs by its own uncertainty, and the scatter about the line counts where it is larger.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from dynamis.calibration.learning.resistance import Learned
from dynamis.errors import InputError

_FEWEST: Final = 3
# Below this share of the first reading what is left is noise, and no straight line.
_LEAST_SHARE: Final = 0.05
# A note that has to stand for so long, and by how much it may move meanwhile; common practice, no source.
NOTE_SECONDS: Final = 10.0
NOTE_CENTS: Final = 1.0
# Over how much of that time it has to have been read, to say that it stands.
_LEAST_PART: Final = 0.1
Holds = Literal["yes", "no", "cannot-tell"]


@dataclass(frozen=True)
class Step:
    """Volts, so many seconds after a step, each with its standard uncertainty."""

    seconds: float
    volts: float
    deviation: float
    seconds_deviation: float = 0.0


@dataclass(frozen=True)
class Coupling:
    """What a step that was read again and again tells.

    holds : whether a note of `NOTE_SECONDS` moves by at most `NOTE_CENTS`.  corner_hertz : with its U; below 0 it
    rises. volts : what it began at.  span_seconds : over which it was read.
    """

    holds: Holds
    corner_hertz: Learned
    volts: float
    span_seconds: float

    @property
    def falls(self) -> bool:
        """Whether a fall is seen at all."""
        return self.corner_hertz.value > self.corner_hertz.expanded

    @property
    def most_hertz(self) -> float:
        """The highest corner that the readings leave open."""
        return max(0.0, self.corner_hertz.value + self.corner_hertz.expanded)

    def seconds_within(self, cents: float, volts: float, volts_per_octave: float) -> float:
        """How long a held voltage stays within some cents; at the worst that the readings leave open."""
        return _seconds_within(self.most_hertz, cents, volts, volts_per_octave)


def of_rounding(last_digit: float) -> float:
    """The standard uncertainty of a value that was read to a digit."""
    return last_digit / math.sqrt(12.0)


def _seconds_within(corner_hertz: float, cents: float, volts: float, volts_per_octave: float) -> float:
    allowed = cents / 1200.0 * volts_per_octave
    if corner_hertz <= 0.0 or allowed >= abs(volts):
        return math.inf
    return -math.log1p(-allowed / abs(volts)) / (2.0 * math.pi * corner_hertz)


def learn_coupling(steps: Sequence[Step], volts_per_octave: float = 1.0) -> Coupling:
    """Fit a corner to readings after a step.

    Raises InputError where there are too few, where they stand for nothing, or are of no one sign.
    """
    if not steps:
        raise InputError("Read the step a few times, with the seconds since it was made.")
    first = min(steps, key=lambda one: one.seconds)
    kept = [one for one in steps if one.volts * first.volts >= _LEAST_SHARE * first.volts**2 > 0.0]
    if len(kept) < _FEWEST or len({one.seconds for one in kept}) < _FEWEST:
        raise InputError(
            f"{len(kept)} readings stand above 5 % of the first; at least {_FEWEST} at different times are needed."
        )
    seconds = np.array([one.seconds for one in kept])
    volts = np.abs([one.volts for one in kept])
    own = np.maximum(np.array([one.deviation for one in kept]) / volts, 1e-9)
    design = np.column_stack([np.ones(seconds.size), -2.0 * np.pi * seconds]) / own[:, None]
    values, *_ = np.linalg.lstsq(design, np.log(volts) / own, rcond=None)
    left = np.log(volts) / own - design @ values
    covariance = np.linalg.inv(design.T @ design)
    scatter = max(1.0, float(left @ left) / max(1, seconds.size - 2))
    span = float(seconds.max() - seconds.min())
    # Instants that are off stretch the time that it took, by both ends alike.
    stretched = math.sqrt(2.0) * max(one.seconds_deviation for one in kept) / span
    deviation = math.hypot(math.sqrt(float(covariance[1, 1]) * scatter), float(values[1]) * stretched)
    corner = Learned.of(float(values[1]), deviation)
    start = math.copysign(float(np.exp(values[0])), first.volts)
    highest, lowest = corner.value + corner.expanded, corner.value - corner.expanded
    worst = _seconds_within(highest, NOTE_CENTS, start, volts_per_octave)
    best = _seconds_within(lowest, NOTE_CENTS, start, volts_per_octave)
    # What stands for a moment is not said to stand for long.
    stands = worst >= NOTE_SECONDS and span >= _LEAST_PART * NOTE_SECONDS
    holds: Holds = "yes" if stands else "no" if best < NOTE_SECONDS else "cannot-tell"
    return Coupling(holds, corner, start, span)
