"""Clocks that follow a tempo map: so many pulses a quarter note."""

from __future__ import annotations

import numpy as np

from dynamis.control.pulses import Pulses
from dynamis.converter.playing.song import TempoMap
from dynamis.errors import InputError

MOST_PER_QUARTER = 960.0
MOST_PULSES = 4_000_000


def clock_pulses(
    tempo: TempoMap,
    end_tick: float,
    per_quarter: float,
    *,
    seconds: float = 0.005,
    share: float = 0.5,
    swing: float = 0.5,
) -> Pulses:
    """Pulses from the first tick on, ahead of `end_tick`.

    Parameters
    ----------
    per_quarter : how many a quarter note, whole or not.
    seconds, share : how long one is: a time, and at most this share of the time until the next.
    swing : where between two pulses that stand around it every second one comes; 0.5 is even.

    Raises
    ------
    InputError
        Where there are none or too many a quarter note, or a share or swing that no clock has.
    """
    if not 0.0 < per_quarter <= MOST_PER_QUARTER:
        raise InputError(
            f"A clock of {per_quarter:g} pulses a quarter note; more than 0 up to {MOST_PER_QUARTER:g} were expected."
        )
    if not (seconds > 0.0 and 0.0 < share < 1.0 and 0.5 <= swing < 1.0):
        raise InputError("A clock's pulses need a length above 0, a share below 1 and a swing from 0.5 to below 1.")
    apart = tempo.quarter_ticks / per_quarter
    count = int(np.ceil(end_tick / apart - 1e-9))
    if count > MOST_PULSES:
        raise InputError(f"A clock would give {count} pulses; at most {MOST_PULSES} are made.")
    places = np.arange(count + 1) * apart
    places[1::2] += (2.0 * swing - 1.0) * apart
    rises = tempo.seconds_at(places)
    wide = np.minimum(seconds, share * np.diff(rises))
    kept = wide > 0.0
    return Pulses(rises[:-1][kept], (rises[:-1] + wide)[kept])
