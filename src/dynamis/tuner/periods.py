"""How long the period of a sound is, from moment to moment.

By the normalised square difference of a frame with itself, 2 Σ x(t) x(t + lag) / Σ (x(t)² + x(t + lag)²), which is 1
where the lag is a period and does not care for the shape of the wave or a fundamental that is missing.  Source:
McLeod and Wyvill, "A smarter way to find pitch" (ICMC 2005), from memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
# A frame holds two periods of the lowest tone.
LOWEST_HERTZ: Final = 16.0
_FRAME_SECONDS: Final = 2.0 / LOWEST_HERTZ
HOP_SECONDS: Final = 0.025
# Periods are looked for at about this rate; what is finer is left to the spectrum.
_COARSE_RATE: Final = 16000.0
# The first peak that is so near to the highest is the period.
_NEAR_HIGHEST: Final = 0.93
_FRAMES_AT_ONCE: Final = 256
# Louder samples than so many medians are a click.
_CLICK: Final = 12.0


@dataclass(frozen=True, eq=False)
class Periods:
    """One value a frame.  seconds : the middle of each.  hertz : NaN where nothing repeats.  clarity : 1 where it
    repeats wholly, s / (1 + s) with a signal of s times the power of the noise.  level : rms."""

    seconds: FloatArray
    hertz: FloatArray
    clarity: FloatArray
    level: FloatArray


def periods(samples: NDArray[np.floating], rate: float) -> Periods:
    """The period of a sound in frames of an eighth of a second.

    samples : (N,).  rate : samples a second.  A recording shorter than a frame has none.
    """
    step = max(1, round(rate / _COARSE_RATE))
    few = _thinned(samples, step)
    slow = rate / step
    length, hop = round(_FRAME_SECONDS * slow), round(HOP_SECONDS * slow)
    count = max(0, (few.size - length) // hop + 1)
    hertz, clarity = np.full(count, np.nan), np.zeros(count)
    level = np.zeros(count)
    for first in range(0, count, _FRAMES_AT_ONCE):
        last = min(count, first + _FRAMES_AT_ONCE)
        part = few[first * hop : (last - 1) * hop + length]
        frames = np.lib.stride_tricks.sliding_window_view(part, length)[::hop].astype(np.float32)
        hertz[first:last], clarity[first:last], level[first:last] = _of_frames(frames, slow)
    middles = (np.arange(count) * hop + length / 2.0) / slow
    return Periods(np.asarray(middles, float), hertz, clarity, level)


def _thinned(samples: NDArray[np.floating], step: int) -> NDArray[np.floating]:
    """The mean of every so many samples; clicks are cut down first, which leaves what repeats repeating."""
    whole = samples[: samples.size // step * step]
    few = whole.reshape(-1, step).mean(axis=1)
    if few.size:
        few = few - few.mean()
        # Of a long recording every hundredth tells as much; silence between tones is left out.
        sizes = np.abs(few[:: max(1, few.size // 100_000)])
        loud = sizes[sizes > 1e-3 * sizes.max()] if sizes.size else sizes
        most = _CLICK * float(np.median(loud)) if loud.size else 0.0
        if most > 0.0:
            few = np.clip(few, -most, most)
    return few


def _of_frames(frames: NDArray[np.float32], rate: float) -> tuple[FloatArray, FloatArray, FloatArray]:
    """(hertz, clarity, level) of frames, (F, L)."""
    frames = frames - frames.mean(axis=1, keepdims=True)
    length, most = frames.shape[1], frames.shape[1] // 2
    spectrum = np.fft.rfft(frames, fast_length(2 * length), axis=1)
    products = np.fft.irfft(spectrum.real**2 + spectrum.imag**2, axis=1)[:, : most + 1]
    squares = np.cumsum(frames**2, axis=1, dtype=float)
    lags = np.arange(most + 1)
    # Σ x(t)² over what is left of both ends at each lag.
    ahead = squares[:, length - 1 - lags]
    behind = squares[:, -1:] - np.where(lags > 0, squares[:, lags - 1], 0.0)
    both = ahead + behind
    alike = np.divide(2.0 * products, both, out=np.zeros_like(products), where=both > 0)
    level = np.sqrt(squares[:, -1] / length)
    inside = alike[:, 1:-1]
    peak = (inside > alike[:, :-2]) & (inside >= alike[:, 2:]) & (inside > 0)
    # What lies ahead of the first crossing of nought belongs to the lag of nought.
    peak &= np.cumsum(alike[:, 1:-1] < 0, axis=1) > 0
    heights = np.where(peak, inside, 0.0)
    highest = heights.max(axis=1, keepdims=True)
    first = np.argmax(heights >= np.maximum(_NEAR_HIGHEST * highest, 1e-9), axis=1)
    found = (highest[:, 0] > 0) & (level > 0)
    row = np.arange(frames.shape[0])
    below, at, above = alike[row, first], alike[row, first + 1], alike[row, first + 2]
    bend = below - 2.0 * at + above
    shift = np.divide(0.5 * (below - above), bend, out=np.zeros_like(bend), where=bend < 0)
    hertz = np.where(found, rate / (first + 1 + np.clip(shift, -0.5, 0.5)), np.nan)
    return hertz, np.where(found, np.minimum(1.0, highest[:, 0]), 0.0), level


def fast_length(least: int) -> int:
    """The next length of which a transform is quick: of twos, threes and fives."""
    best = 1 << max(0, int(least - 1).bit_length())
    five = 1
    while five < best:
        three = five
        while three < best:
            two = three << max(0, int(-(-least // three) - 1).bit_length())
            if least <= two < best:
                best = two
            three *= 3
        five *= 5
    return best
