"""How long pulses are that an output sends, and how short they may be for an input: from lengths as they were read."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from dynamis.calibration.learning.resistance import Learned
from dynamis.errors import InputError


@dataclass(frozen=True)
class Length:
    """A pulse of these seconds, its last digit, and whether the input fired at it."""

    seconds: float
    step: float
    fired: bool = False


def sent_length(lengths: Sequence[Length]) -> Learned:
    """The length of the pulses that an output sends: the mean of what was read, as uncertain as they scatter and round.

    Raises InputError without one.
    """
    if not lengths:
        raise InputError("Read the length of one pulse at least.")
    values, count = [one.seconds for one in lengths], len(lengths)
    mean = sum(values) / count
    rounding = max(one.step for one in lengths) / math.sqrt(12.0)
    scatter = math.sqrt(sum((one - mean) ** 2 for one in values) / (count - 1)) if count > 1 else 0.0
    return Learned(mean, 2.0 * math.hypot(scatter, rounding))


def shortest_taken(lengths: Sequence[Length]) -> Learned:
    """The shortest pulse that fires an input: between the longest that did not and the shortest that did.

    Raises InputError while there is not one of each, or where they contradict one another.
    """
    fired = [one.seconds for one in lengths if one.fired]
    missed = [one.seconds for one in lengths if not one.fired]
    if not fired or not missed:
        raise InputError(f"No pulse has {'fired it' if not fired else 'been too short for it'} yet: go on trying.")
    if max(missed) >= min(fired):
        raise InputError("A longer pulse did not fire it while a shorter one did: its level may be the trouble.")
    middle, width = (max(missed) + min(fired)) / 2.0, min(fired) - max(missed)
    rounding = max(one.step for one in lengths)
    return Learned(middle, 2.0 * math.hypot(width, rounding) / math.sqrt(12.0))
