"""The frequency of a steady tone, by the phases of its harmonics in blocks that overlap.

The phase of a harmonic in the nearest bin of each block goes forward by its frequency times the distance of the blocks,
whatever the bin; a line through the phases of all harmonics gives the fundamental.  The window's side lobes lie 92 dB
down, so that neighbouring harmonics do not pull at each other.  Against the Cramer-Rao bound of the harmonic model, see
`least_deviation_hertz`.

Sources: four-term window of Harris, "On the use of windows" (Proc. IEEE 66, 1978), coefficients from memory; bound of a
real sinusoid in white noise, var(ω) >= 24 σ² / (A² N (N² - 1)) rad²/sample² (Kay, Fundamentals of Statistical Signal
Processing, from memory), by h² A_h² summed where there are harmonics (derived).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.tuner.periods import fast_length

FloatArray = NDArray[np.float64]
_WINDOW: Final = (0.35875, -0.48829, 0.14128, -0.01168)
# A harmonic's main lobe is four bins to either side; so many periods in a block keep the next one out of it.
_LEAST_PERIODS: Final = 5.0
_BLOCKS_IN_TONE: Final = 8.0
_OVERLAP: Final = 4
# A harmonic counts where its power in a block is so many times that of the noise.
_LEAST_POWER: Final = 6.0
_MOST_SHARE: Final = 0.46
_ROUNDS: Final = 3
# How far off a frequency may be as it is looked for in steps; parts of it.
_REACHES: Final = (4e-3, 1e-3, 2e-4)
# A block with so many times the usual power between its harmonics holds a click.
_DISTURBED: Final = 10.0
# So little of the strongest harmonic's power is no click.
_HARMLESS: Final = 1e-5
# A harmonic whose phase scatters by more is lost in the noise, or is another sound's; square radians.
_MOST_SCATTER: Final = 0.4


@dataclass(frozen=True)
class Fine:
    """hertz : the mean over the tone.  deviation_hertz : its standard uncertainty, from how far the phases scatter and
    the harmonics differ.  hertz_per_second : how fast it moves."""

    hertz: float
    deviation_hertz: float
    hertz_per_second: float


def fine_frequency(samples: NDArray[np.floating], rate: float, near_hertz: float) -> Fine | None:
    """The frequency of a tone that is steady over all of the samples.

    samples : (N,).  near_hertz : within a few parts in a thousand.  None where fewer than three blocks fit, or no
    harmonic stands out of the noise.
    """
    size = samples.size
    length = int(min(size, max(_LEAST_PERIODS * rate / near_hertz, size / _BLOCKS_IN_TONE)))
    hop = max(1, length // _OVERLAP)
    count = (size - length) // hop + 1
    if count < 3:
        return None
    even = samples - samples.mean()
    window = _window(length)
    padded = fast_length(length)
    blocks = np.lib.stride_tricks.sliding_window_view(even, length)[::hop][:count]
    spectra = np.fft.rfft(blocks * window, padded, axis=1)
    times = np.arange(1.0, max(2.0, _MOST_SHARE * rate / near_hertz))
    powers = np.mean(np.abs(spectra[:, _bins(times, near_hertz, rate, padded)]) ** 2, axis=0)
    noise = _noise_between(even, times, near_hertz, rate) * float(np.sum(window**2))
    strong = powers > _LEAST_POWER * noise
    if not strong.any():
        return None
    kept = _undisturbed(spectra, times[strong], near_hertz * padded / rate)
    blocks_of = _Blocks(
        spectra[kept], kept, times[strong], powers[strong], noise[strong], padded, hop / rate, rate, length / hop
    )
    hertz: float | None = blocks_of.by_steps(near_hertz)
    found: Fine | None = None
    for _ in range(_ROUNDS):
        if hertz is None:
            return None
        found = blocks_of.by_lines(hertz)
        if found is None or abs(found.hertz - hertz) < 1e-10 * hertz:
            return found
        hertz = found.hertz
    return found


@lru_cache(2)  # a tone that goes on is looked at again and again over the same time
def _hanning(size: int) -> FloatArray:
    return np.hanning(size)


@lru_cache(2)
def _window(length: int) -> FloatArray:
    once = np.cos(np.arange(length) * (2.0 * np.pi / length))
    # Cosines of twice and three times the angle, from that of the angle.
    first, second, third, fourth = _WINDOW
    constant, linear = first - third, second - 3.0 * fourth
    return constant + once * (linear + once * (2.0 * third + once * (4.0 * fourth)))


def _bins(times: FloatArray, hertz: float, rate: float, padded: int) -> NDArray[np.int64]:
    return np.minimum(np.round(times * hertz * padded / rate).astype(int), padded // 2)


@dataclass(frozen=True, eq=False)
class _Blocks:
    """The spectra of a tone's blocks, (K, B), at the harmonics that stand out of the noise.

    which : of the blocks.  times : which harmonics, (H,); powers, noise : of each in a block.  shared : how many blocks
    a sample lies in.
    """

    spectra: NDArray[np.complex128]
    which: NDArray[np.int64]
    times: FloatArray
    powers: FloatArray
    noise: FloatArray
    padded: int
    hop_seconds: float
    rate: float
    shared: float

    def _left(self, hertz: float, times: FloatArray) -> tuple[FloatArray, NDArray[np.complex128]]:
        """(the middles of the blocks, harmonics with the phase of a frequency taken off), (K,) and (K, H)."""
        middle = (self.which - np.mean(self.which)) * self.hop_seconds
        # The carrier of the lowest is turned once; those of the others are its powers.
        first = np.exp(-2j * np.pi * hertz * middle)
        carriers = first[:, None] ** times
        return middle, self.spectra[:, _bins(times, hertz, self.rate, self.padded)] * carriers

    def by_steps(self, hertz: float) -> float | None:
        """A frequency within reach of `by_lines`, by the steps of the phase from block to block of those harmonics of
        which a step is told from one that is a turn more; the middle one of them by their weight, since hum or another
        sound may stand on some.  None where no blocks follow each other."""
        follow = np.diff(self.which) == 1
        if not follow.any():
            return None
        for off in _REACHES:
            few = self.times * hertz * off * self.hop_seconds < 0.4
            few |= self.times == self.times[0]
            _, left = self._left(hertz, self.times[few])
            steps = np.sum((left[1:] * left[:-1].conj())[follow], axis=0)
            each = np.angle(steps) / (2.0 * np.pi * self.hop_seconds) / self.times[few]
            order = np.argsort(each)
            weight = np.cumsum((np.abs(steps) * self.times[few] ** 2)[order])
            hertz += float(each[order][np.searchsorted(weight, weight[-1] / 2.0)])
        return hertz

    def by_lines(self, hertz: float) -> Fine | None:
        """Lines through the phases of the harmonics; None where the phases do not hang together."""
        middle, left = self._left(hertz, self.times)
        left *= np.exp(-1j * np.angle(left.sum(axis=0)))
        phase = np.unwrap(np.angle(left), axis=0)
        phase -= phase.mean(axis=0)
        times, spread = self.times, float(np.sum(middle**2))
        slopes = middle @ phase / spread / (2.0 * np.pi) / times
        # A harmonic's phase scatters by its noise; so its say is h² A² / noise.
        say = times**2 * self.powers / self.noise
        off = float(np.sum(say * slopes) / np.sum(say))
        apart = phase - 2.0 * np.pi * np.outer(middle, times * off)
        scatter = np.mean(apart**2, axis=0)
        held = scatter < _MOST_SCATTER
        if float(np.sum(self.powers[held])) < 0.5 * float(np.sum(self.powers)):
            return None
        if not held.all():
            kept = replace(self, times=times[held], powers=self.powers[held], noise=self.noise[held])
            return kept.by_lines(hertz)
        bent = middle**2 - np.mean(middle**2)
        rates = bent @ phase / float(np.sum(bent**2)) / np.pi / times
        moves = float(np.sum(say * rates) / np.sum(say))
        return Fine(hertz + off, self._deviation(apart, spread, say, slopes - off), moves)

    def _deviation(self, apart: FloatArray, spread: float, say: FloatArray, off: FloatArray) -> float:
        """The standard uncertainty of the mean frequency: what the phases scatter by, or what the harmonics differ by
        where that is more."""
        # Neighbouring blocks share samples: about as many are independent as fit side by side, and half again.
        count = apart.shape[0]
        free = max(2.0, 1.5 * count / self.shared)
        scatter = np.sum(apart**2, axis=0) / count * free / max(1.0, free - 2.0)
        each = scatter / (spread * free / count) / (2.0 * np.pi * self.times) ** 2
        by_phases = float(np.sum(say**2 * each) / np.sum(say) ** 2)
        effective = float(np.sum(say) ** 2 / np.sum(say**2))
        if effective < 2.0:
            return float(np.sqrt(by_phases))
        # That harmonics differ more than their own phases scatter is what a string, or a second sound, does.
        between = float(np.sum(say * off**2) / np.sum(say)) / (effective - 1.0)
        return float(np.sqrt(max(by_phases, between)))


def _undisturbed(spectra: NDArray[np.complex128], times: FloatArray, bins_apart: float) -> NDArray[np.int64]:
    """The blocks without a click, which shows between the harmonics; all where few would be left."""
    places = np.round((np.concatenate([times, times[-1:] + 1.0]) - 0.5) * bins_apart).astype(int)
    between = np.median(np.abs(spectra[:, np.minimum(places, spectra.shape[1] - 1)]) ** 2, axis=1)
    loudest = float(np.max(np.abs(spectra[:, np.round(times * bins_apart).astype(int)]) ** 2))
    quiet = np.flatnonzero(between <= max(_DISTURBED * float(np.median(between)), _HARMLESS * loudest))
    return quiet if quiet.size >= max(3, spectra.shape[0] // 2) else np.arange(spectra.shape[0])


def _noise_between(even: FloatArray, times: FloatArray, hertz: float, rate: float) -> FloatArray:
    """The power of a sample's noise near each harmonic, by the spectrum of the whole tone half-way to its neighbours:
    a median over several of them, so that another line there, such as hum, is not taken for it."""
    size = even.size
    window = _hanning(size)
    padded = fast_length(size)
    power = np.abs(np.fft.rfft(even * window, padded)) ** 2 / float(np.sum(window**2))
    per_time = hertz * padded / rate
    reach = np.arange(-2, 3) if per_time > 14.0 else np.arange(-1, 2)
    places = np.round((times[:, None] - 0.5) * per_time).astype(int) + reach
    # The median of what is spread as powers of noise are lies under their mean by ln 2.
    each = np.median(power[np.clip(places, 0, power.size - 1)], axis=1) / np.log(2.0)
    wide = min(each.size // 2 * 2 - 1, 9)
    if wide >= 3:
        sides = np.pad(each, wide // 2, mode="reflect")
        each = np.median(np.lib.stride_tricks.sliding_window_view(sides, wide), axis=1)
    return np.maximum(each, 1e-22 * float(np.max(power)) + 1e-300)


def least_deviation_hertz(amplitudes: ArrayLike, noise_deviation: float, samples: int, rate: float) -> float:
    """The least standard deviation that any unbiased estimate of a fundamental can have, hertz.

    amplitudes : of the harmonics from the first on, (H,).  noise_deviation : rms of white noise, in their unit.
    Source: as above.
    """
    sizes = np.asarray(amplitudes, float)
    weight = float(np.sum((np.arange(1, sizes.size + 1) * sizes) ** 2))
    variance = 24.0 * noise_deviation**2 / (weight * samples * (float(samples) ** 2 - 1.0))
    return float(np.sqrt(variance) * rate / (2.0 * np.pi))
