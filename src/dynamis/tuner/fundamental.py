"""Which of the multiples of a period is the fundamental: told by the spectrum of the whole tone.

The period of a frame may come out as a half or a third of what it is where one harmonic is much the strongest, or as
several where it is but a few samples.  Over the whole tone the lines stand apart: the fundamental is the highest
frequency of which all lines that count are multiples.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.tuner.periods import fast_length

FloatArray = NDArray[np.float64]
_TRIED: Final = frozenset((*range(1, 41), *(times / part for part in range(2, 7) for times in range(1, 13))))
# A line counts above so much of the strongest, and so far above what lies around it; powers.
_LEAST_LINE: Final = 1e-5
_OVER_NOISE: Final = 60.0
# So much of the power may stand on no multiple: hum, a second sound.
_LEFT_OVER: Final = 7e-4
_MOST_SECONDS: Final = 1.2
_MOST_LINES: Final = 60


def fundamental(samples: NDArray[np.floating], rate: float, near_hertz: float) -> float:
    """The fundamental of a tone whose period was found as that of `near_hertz`, or a few times or a part of it."""
    lines, powers, bin_hertz = _lines(samples[: int(_MOST_SECONDS * rate)], rate)
    if not lines.size:
        return near_hertz
    tries = sorted({near_hertz * ratio for ratio in _TRIED if 8.0 < near_hertz * ratio < rate / 2.0}, reverse=True)
    strongest = float(lines[int(np.argmax(powers))])
    # Only a frequency of which the strongest line is a multiple can be it.
    tries = [
        one
        for one in tries
        if abs(strongest / one - round(strongest / one)) < min(0.25, 0.03 + 0.025 * strongest / one)
    ]
    tries = [one for one in tries if one < 1.05 * strongest] or [near_hertz]
    explained = np.array([_explained(lines, powers, one, bin_hertz) for one in tries])
    enough = explained >= explained.max() - _LEFT_OVER
    # A part of the true one explains as much: the highest that does is it.
    return float(_fitted(lines, powers, tries[int(np.argmax(enough))], bin_hertz))


def _lines(samples: NDArray[np.floating], rate: float) -> tuple[FloatArray, FloatArray, float]:
    """(hertz, power) of the lines of a spectrum, and the hertz of a bin."""
    window = np.hanning(samples.size + 2)[1:-1]
    size = fast_length(2 * samples.size)
    # Single precision is enough for lines down to a thousandth of the strongest, and takes half the time.
    shaped = ((samples - samples.mean()) * window).astype(np.float32)
    power = np.abs(np.fft.rfft(shaped / max(float(np.max(np.abs(shaped))), 1e-30), size)).astype(float) ** 2
    bin_hertz = rate / size
    inside = power[1:-1]
    peak = (inside > power[:-2]) & (inside >= power[2:]) & (inside > _LEAST_LINE * power.max())
    at = np.flatnonzero(peak) + 1
    at = np.sort(at[np.argsort(power[at])[-_MOST_LINES:]])
    # What lies round a line, in blocks; a median is moved little by the lines themselves.
    block = min(power.size, max(64, int(200.0 / bin_hertz)))
    floors = np.median(power[: power.size // block * block].reshape(-1, block), axis=1)
    floor = floors[np.minimum(at // block, floors.size - 1)]
    # A window's own side lobes stand beside a strong line: within 12 bins of twice the width nothing weaker counts.
    strong = np.ones(at.size, bool)
    for k, place in enumerate(at):
        near = np.abs(at - place) <= 24
        strong[k] = power[place] >= 1e-3 * power[at[near]].max()
    keep = strong & (power[at] > _OVER_NOISE * floor)
    at = at[keep]
    below, here, above = (np.log(power[at + k] + 1e-300) for k in (-1, 0, 1))
    bend = below - 2.0 * here + above
    shift = np.divide(0.5 * (below - above), bend, out=np.zeros_like(bend), where=bend < 0)
    return (at + np.clip(shift, -0.5, 0.5)) * bin_hertz, power[at], bin_hertz


def _explained(lines: FloatArray, powers: FloatArray, hertz: float, bin_hertz: float) -> float:
    """The share of the power of the lines that stands on multiples of a frequency."""
    fitted = _fitted(lines, powers, hertz, bin_hertz)
    times = np.maximum(1.0, np.round(lines / fitted))
    on = np.abs(lines - times * fitted) <= np.minimum(0.2 * fitted, 0.4 * bin_hertz + 5e-5 * lines)
    return float(powers[on].sum() / powers.sum())


def _fitted(lines: FloatArray, powers: FloatArray, hertz: float, bin_hertz: float) -> float:
    """A frequency moved to where its multiples stand on the lines, low multiples first."""
    # A period of a few samples is known to a fiftieth only.
    for most, off in ((3.0, 0.025), (10.0, 4e-3), (40.0, 2e-3)):
        times = np.maximum(1.0, np.round(lines / hertz))
        on = (np.abs(lines - times * hertz) <= np.minimum(0.2 * hertz, bin_hertz + off * lines)) & (times <= most)
        if on.any():
            weights = powers[on] * times[on]
            hertz = float((weights * lines[on]).sum() / (weights * times[on]).sum())
    return hertz
