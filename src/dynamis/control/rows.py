"""A row of steps: its volts against time, and the pulses that its high steps make."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.control.pulses import Pulses, pulses
from dynamis.errors import InputError

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class RowPulses:
    """What a row does to an input with thresholds.

    stream : when it is up.  fires : the steps (from 0) at whose beginning it rises, in the order they were played,
    each once.  silent : steps above the threshold that make no edge, because the one before was up as well.
    """

    stream: Pulses
    fires: tuple[int, ...]
    silent: tuple[int, ...]


def row_as_pulses(
    step_volts: ArrayLike, starts_seconds: ArrayLike, on_volts: float, off_volts: float, first_step: int = 0
) -> RowPulses:
    """A row at its maximum as a pulse: two high steps in a row make one edge.

    step_volts : (S,) of the row.  starts_seconds : (N,) rising, when each step begins; it goes round.
    on_volts, off_volts : of the input; a step between the two changes nothing.
    """
    volts, starts = np.asarray(step_volts, float), np.asarray(starts_seconds, float)
    if volts.ndim != 1 or volts.size == 0:
        raise InputError("A row needs at least one step.")
    if off_volts > on_volts:
        raise InputError(
            f"An input that goes off at {off_volts:g} V is on from {on_volts:g} V: its thresholds are crossed."
        )
    up, since = False, 0.0
    spans: list[tuple[float, float]] = []
    fires: dict[int, None] = {}
    silent: dict[int, None] = {}
    for k, start in enumerate(starts.tolist()):
        step = (first_step + k) % volts.size
        if volts[step] >= on_volts:
            (silent if up else fires).setdefault(step)
            since, up = (since, True) if up else (start, True)
        elif volts[step] <= off_volts and up:
            spans.append((since, start))
            up = False
    return RowPulses(pulses([*spans, *([(since, math.inf)] if up else [])]), tuple(fires), tuple(silent))
