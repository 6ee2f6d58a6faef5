"""What an output makes of what it is asked for: its gain and its offset, from one reading at each of two levels."""

from __future__ import annotations

import math
from dataclasses import dataclass

from dynamis.calibration.learning.resistance import Learned
from dynamis.errors import InputError
from dynamis.notation.style import plain

# An output that is told to move and moves by less than this share of it, or the other way, is another one.
_LEAST_GAIN = 0.05


@dataclass(frozen=True)
class GainOffset:
    """read = offset + gain · asked."""

    gain: Learned
    offset_volts: Learned


def gain_offset(asked: tuple[float, float], first: tuple[float, float], second: tuple[float, float]) -> GainOffset:
    """The line through two readings.

    asked : the two levels, volts.  first, second : what was read at each, with its standard uncertainty (Gaussian
    propagation, JCGM 100:2008, 5.1.2).

    Raises InputError where the levels are one, or the readings do not follow them.
    """
    apart = asked[1] - asked[0]
    if not apart:
        raise InputError(f"Both levels are {plain(asked[0])} V; two different ones were expected.")
    gain = (second[0] - first[0]) / apart
    if not gain > _LEAST_GAIN:
        raise InputError(
            f"The reading moves by {plain(round(second[0] - first[0], 4))} V where {plain(round(apart, 4))} V were "
            "asked for: is the probe at this channel's jack, and does it hold a voltage?"
        )
    gain_u = math.hypot(first[1], second[1]) / abs(apart)
    offset_u = math.hypot(asked[1] * first[1], asked[0] * second[1]) / abs(apart)
    return GainOffset(Learned.of(gain, gain_u), Learned.of(first[0] - gain * asked[0], offset_u))
