"""Levels that act as edges, and edges that take levels: comparators, sample and hold, steps of chance, rows."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.control.pulses import Pulses, pulses
from dynamis.control.sequencer import Step
from dynamis.control.stepped import Level, Steps, steps
from dynamis.errors import InputError


def _is_on(signal: Steps, on_volts: float, off_volts: float) -> NDArray[np.bool_]:
    """Whether an input with two thresholds is on from each step on; one between them changes nothing."""
    if off_volts > on_volts:
        raise InputError(
            f"An input that goes off at {off_volts:g} V is on from {on_volts:g} V: its thresholds are crossed."
        )
    high, low = signal.volts >= on_volts, signal.volts <= off_volts
    decided = np.where(high | low, np.arange(high.size), -1)
    last = np.maximum.accumulate(decided)
    return np.asarray((last >= 0) & high[np.maximum(last, 0)])


def level_as_pulses(signal: Steps, on_volts: float, off_volts: float) -> Pulses:
    """A level as an edge: up from where it reaches `on_volts` until it is down at `off_volts`."""
    on = _is_on(signal, on_volts, off_volts)
    ends = np.append(signal.seconds[1:], np.inf)
    return pulses(zip(signal.seconds[on].tolist(), ends[on].tolist(), strict=True))


def silent_steps(volts: Sequence[float], played: Sequence[Step], on_volts: float, off_volts: float) -> list[int]:
    """The steps of a row (from 0) above `on_volts` that make no edge, since the one before is up as well."""
    stream = level_as_pulses(row_steps(volts, played), on_volts, off_volts)
    rises = set(stream.rises_seconds.tolist())
    begun = [one for one in played if volts[one.step] >= on_volts and one.seconds not in rises]
    return sorted({one.step for one in begun if one.seconds > 0.0})


def sampled(signal: Steps, clock: Pulses) -> Steps:
    """Sample and hold: at each rise what the signal stands at then, all that changes at that instant counted."""
    start = float(signal.volts[0])
    return steps(clock.rises_seconds, signal.at(clock.rises_seconds), start)


def by_chance(clock: Pulses, level: Level, seed: int, levels: int = 0) -> Steps:
    """Stepped random: another voltage at each rise, the same for the same seed; the low one before the first.

    levels : how many different ones, evenly apart with both ends; 0 for any.
    """
    if levels == 1 or levels < 0:
        raise InputError("Stepped random needs two levels at least, or 0 for any.")
    drawn = np.random.default_rng(seed).uniform(size=clock.rises_seconds.size)
    if levels:
        drawn = np.minimum(np.floor(drawn * levels), levels - 1) / (levels - 1)
    return steps(clock.rises_seconds, level.of(drawn), level.low)


def row_steps(volts: ArrayLike, played: Sequence[Step]) -> Steps:
    """The volts of a row (S,), step by step as it is played; those of its first step before."""
    row = np.asarray(volts, float)
    when = np.array([one.seconds for one in played], float)
    return steps(when, row[[one.step for one in played]], float(row[0]))


def recorded(signal: Steps, played: Sequence[Step], volts: Sequence[float]) -> list[float]:
    """A row with what a signal stands at when each step begins, of several times the last; other steps stay."""
    row = list(volts)
    last = {one.step: max(one.seconds, 0.0) for one in played}
    for step, seconds in last.items():
        row[step] = float(signal.at(np.array(seconds)))
    return row
