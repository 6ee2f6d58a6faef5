"""What may be wrong with a channel before it is read: how its errors hang together from note to note, in cents.

An offset and a scale of any size; linearity that walks from code to code within its limit; steps at the carries of a
converter's high bits; a bend at the top of an oscillator, whose reset takes time (f = 1/(1/f_ideal + t)); a little that
none of these tells.  Source: data sheets give limits, taken as uniform (JCGM 100:2008, 4.3.7); how INL hangs together
is common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.pitch.laws import CENTS_PER_NEPER

FloatArray = NDArray[np.float64]
# So large that nothing is assumed.
_OFFSET_CENTS, _SCALE_CENTS = 200.0, 100.0
# Linearity has lost what it was after such a part of all codes.
_WALK_SHARE: Final = 1.0 / 8.0
# Of a step at a carry, in parts of the limit of linearity: at the half, the quarters, the eighths.
_STEPS: Final = (1.0, 0.7, 0.5)
# What is left of a converter without a limit, and of an oscillator, from octave to octave.
_UNTOLD_CENTS, _UNTOLD_OCTAVES = 0.5, 1.0
# The longest reset that is met with; common practice, no source.
_RESET_SECONDS: Final = 2e-6


@dataclass(frozen=True, eq=False)
class Channel:
    """notes : that could be read, (N,).  own_cents : standard uncertainty that a reading of each has to itself, (N,).

    codes : at the notes, (N,), None where there is no converter; bits : of it.  linearity_cents : its limit at each
    note, (N,).  hertz : what the notes sound as where an oscillator is read, None for volts.
    """

    notes: FloatArray
    own_cents: FloatArray
    codes: FloatArray | None = None
    bits: int = 0
    linearity_cents: FloatArray | None = None
    hertz: FloatArray | None = None


def covariance(channel: Channel) -> FloatArray:
    """Of the errors at all notes before anything is read, (N, N), cents squared."""
    octaves = (channel.notes - channel.notes.mean()) / 12.0
    made = np.full((octaves.size, octaves.size), _OFFSET_CENTS**2) + _SCALE_CENTS**2 * np.outer(octaves, octaves)
    made += _UNTOLD_CENTS**2 * np.exp(-np.abs(octaves[:, None] - octaves) / _UNTOLD_OCTAVES)
    if channel.hertz is not None:
        bend = CENTS_PER_NEPER * channel.hertz * _RESET_SECONDS
        made += np.outer(bend, bend)
    if channel.codes is None or channel.linearity_cents is None or not np.any(channel.linearity_cents > 0):
        return made
    limit, every = channel.linearity_cents / np.sqrt(3.0), 2.0**channel.bits
    apart = np.abs(channel.codes[:, None] - channel.codes) / (_WALK_SHARE * every)
    made += np.outer(limit, limit) * np.exp(-apart)
    for place, size in carries(channel):
        step = np.where(channel.codes >= place, 0.5, -0.5) * size * limit
        made += np.outer(step, step)
    return made


def carries(channel: Channel) -> list[tuple[float, float]]:
    """(code, how large beside others) of the carries between the lowest and the highest code."""
    if channel.codes is None or not channel.bits:
        return []
    low, high, every = float(np.min(channel.codes)), float(np.max(channel.codes)), 2.0**channel.bits
    found = []
    for k in range(1, 8):
        place, depth = k * every / 8.0, 0 if k == 4 else 1 if k % 2 == 0 else 2
        if low < place <= high:
            found.append((place, _STEPS[depth]))
    return found
