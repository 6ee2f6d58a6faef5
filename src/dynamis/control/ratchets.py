"""Ratchets: a control voltage chooses through thresholds how many pulses take the place of one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.control.pulses import Pulses
from dynamis.control.rates import multiplied
from dynamis.control.stepped import Steps
from dynamis.errors import InputError

MOST_TIMES = 16


@dataclass(frozen=True)
class Band:
    """From `low_volts` to below `high_volts` a pulse becomes `times`; 0 is the silent band."""

    times: int
    low_volts: float
    high_volts: float

    @property
    def middle_volts(self) -> float:
        """What to set."""
        return (self.low_volts + self.high_volts) / 2.0

    @property
    def margin_volts(self) -> float:
        """How far it may be off, from the middle."""
        return (self.high_volts - self.low_volts) / 2.0


def checked(thresholds: Sequence[float]) -> tuple[float, ...]:
    """Thresholds that rise, as many as the most pulses; raises `InputError`."""
    if not 1 <= len(thresholds) <= MOST_TIMES:
        raise InputError(f"A ratchet has {len(thresholds)} thresholds; 1 to {MOST_TIMES} were expected.")
    if any(high <= low for low, high in pairwise(thresholds)):
        raise InputError("The thresholds of a ratchet have to rise, from ×1 on.")
    return tuple(thresholds)


def bands(thresholds: Sequence[float], least_volts: float, most_volts: float) -> list[Band]:
    """The bands within what a control can reach; those beyond are left out.  Raises `InputError`."""
    edges = [-np.inf, *checked(thresholds), np.inf]
    found = []
    for times in range(len(edges) - 1):
        low, high = max(edges[times], least_volts), min(edges[times + 1], most_volts)
        if low < high:
            found.append(Band(times, float(low), float(high)))
    return found


def times_of(volts: ArrayLike, thresholds: Sequence[float]) -> NDArray[np.int64]:
    """How many pulses each control voltage chooses, any shape; a threshold itself belongs to what is above."""
    return np.asarray(np.searchsorted(np.asarray(checked(thresholds)), np.asarray(volts, float), side="right"))


def nearest_threshold(volts: float, thresholds: Sequence[float]) -> float:
    """How far the nearest threshold is, volts."""
    return float(np.min(np.abs(np.asarray(checked(thresholds)) - volts)))


def ratcheted(clock: Pulses, control: Steps, thresholds: Sequence[float]) -> Pulses:
    """So many pulses in the place of each as the control chooses when it rises, what changes then counted."""
    return multiplied(clock, times_of(control.at(clock.rises_seconds), thresholds).tolist())
