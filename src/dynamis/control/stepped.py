"""Signals of jacks against time, as exact steps: each has one value at an instant, the last that it was given there.

Nothing is sampled here, and there is no instant at which nothing changes.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dynamis.control.pulses import Pulses

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Level:
    """The volts of nothing and of all.

    shorting : a contact to ground; low is what it is pulled up to while it is open, high the 0 V of closed.
    """

    low: float
    high: float
    shorting: bool = False

    def of(self, share: FloatArray) -> FloatArray:
        """Volts of shares from 0 to 1, any shape."""
        return self.low + (self.high - self.low) * share


@dataclass(frozen=True, eq=False)
class Steps:
    """A signal that stands still between instants: `volts[k]` from `seconds[k]` on, the first at 0; both (N,)."""

    seconds: FloatArray
    volts: FloatArray

    def at(self, seconds: FloatArray) -> FloatArray:
        """Volts at instants from 0 on, any shape."""
        return self.volts[np.searchsorted(self.seconds, seconds, side="right") - 1]

    @property
    def most_volts(self) -> float:
        """The largest |volts|."""
        return float(np.max(np.abs(self.volts)))


def steps(seconds: FloatArray, volts: FloatArray, start: float) -> Steps:
    """Steps of changes (N,) in the order in which they count, never back in time; `start` is there before them."""
    when = np.concatenate([[0.0], seconds])
    values = np.concatenate([[start], volts])
    last = np.append(when[1:] > when[:-1], True)
    when, values = when[last], values[last]
    changes = np.append(True, values[1:] != values[:-1])
    return Steps(when[changes], values[changes])


def pulse_steps(pulses: Pulses, level: Level) -> Steps:
    """High while pulses are up."""
    edges = np.column_stack([pulses.rises_seconds, pulses.falls_seconds]).ravel()
    volts = np.tile([level.high, level.low], pulses.rises_seconds.size)
    finite = np.isfinite(edges)
    return steps(edges[finite], volts[finite], level.low)


def merged(named: Iterable[tuple[str, Steps]]) -> tuple[FloatArray, NDArray[np.int64], FloatArray]:
    """(seconds, which signal, volts) of every change of some signals, in time order and then in theirs."""
    signals = [one for _, one in named]
    when = np.concatenate([one.seconds for one in signals])
    which = np.repeat(np.arange(len(signals)), [one.seconds.size for one in signals])
    volts = np.concatenate([one.volts for one in signals])
    order = np.argsort(when, kind="stable")
    return when[order], which[order], volts[order]
