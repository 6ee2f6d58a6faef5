"""Thresholds of an input, from what it did as a voltage was moved up and down in steps."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from dynamis.calibration.learning.resistance import Learned
from dynamis.errors import InputError


@dataclass(frozen=True)
class Seen:
    """At these volts it was on, or off."""

    volts: float
    on: bool


@dataclass(frozen=True)
class Thresholds:
    """on : above it on (for a shorting input below it).  off : where it goes off again.  falls : whether it goes on as
    the volts fall."""

    on: Learned
    off: Learned
    falls: bool

    @property
    def hysteresis_volts(self) -> Learned:
        return Learned(abs(self.on.value - self.off.value), math.hypot(self.on.expanded, self.off.expanded))


def thresholds(seen: Sequence[Seen], volts_deviation: float) -> Thresholds:
    """The thresholds between the steps at which it changed, uniform within each step.

    seen : in the order in which it was seen, moving up and down.  volts_deviation : standard uncertainty of the volts.

    Raises InputError while it has not been seen to go on and off again.
    """
    changes = [(one, two) for one, two in itertools.pairwise(seen) if one.on != two.on]
    went_on = [(one, two) for one, two in changes if two.on]
    went_off = [(one, two) for one, two in changes if not two.on]
    if not went_on or not went_off:
        missing = "on" if not went_on else "off again"
        raise InputError(f"It has not gone {missing} yet: move on in the same direction, within its working range.")
    rising = [two.volts > one.volts for one, two in went_on]
    falling = [two.volts < one.volts for one, two in went_off]
    if len({*rising, *falling}) > 1:
        raise InputError("It went on both as the volts rose and as they fell: move up all the way, then down.")
    return Thresholds(_between(went_on, volts_deviation), _between(went_off, volts_deviation), not rising[0])


def _between(changes: Sequence[tuple[Seen, Seen]], volts_deviation: float) -> Learned:
    """Of several passes the mean, each within its step."""
    middles = [(one.volts + two.volts) / 2.0 for one, two in changes]
    steps = [abs(one.volts - two.volts) for one, two in changes]
    mean = sum(middles) / len(middles)
    step = math.sqrt(sum(one**2 for one in steps) / 12.0) / len(steps)
    spread = max(middles) - min(middles)
    apart = spread / math.sqrt(12.0) if len(middles) > 1 else 0.0
    return Learned(mean, 2.0 * math.sqrt(step**2 + apart**2 + volts_deviation**2))
