"""The steady tones of a recording: where each begins and ends, its frequency, and how well that is known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.tuner.edges import edges
from dynamis.tuner.fundamental import fundamental
from dynamis.tuner.periods import HOP_SECONDS, Periods, periods
from dynamis.tuner.phases import Fine, fine_frequency

FloatArray = NDArray[np.float64]

LEAST_SECONDS: Final = 0.5
MOST_PPM: Final = 10_000.0
# What is recorded with twice as many samples a second or more is thinned.
_ENOUGH_RATE: Final = 44100.0
# A frame repeats where so much of its power does.
_LEAST_CLARITY: Final = 0.3
# Frames of one tone lie so near to each other; those that differ by an octave or a twelfth are told later.
_NEAR_CENTS: Final = 30.0
# A click or a knock may take away so many frames.
_MOST_GAP: Final = 9
# Fewer frames in a row are an edge, or nothing.
_LEAST_RUN: Final = 5
# A gap in which the level falls below such a part of both sides is a rest.
_QUIET: Final = 0.5
# A tone moves less.
_MOST_CENTS_A_SECOND: Final = 25.0
# Weaker than so much of the loudest it is what is heard besides; hum long before that.
_FAINT: Final = 0.01
_FAINT_HUM: Final = 0.1
_MAINS_HERTZ: Final = (50.0, 60.0)
# Two stretches that differ by less are of one tone.
_SAME_CENTS: Final = 3.0
_GUARD_SECONDS: Final = 0.004


@dataclass(frozen=True)
class Tone:
    """deviation_hertz : standard uncertainty.  level : rms, in the unit of the samples."""

    start_seconds: float
    end_seconds: float
    hertz: float
    deviation_hertz: float
    level: float

    @property
    def uncertainty_cents(self) -> float:
        return 1200.0 / np.log(2.0) * self.deviation_hertz / self.hertz

    @property
    def expanded_cents(self) -> float:
        """U = 2u."""
        return 2.0 * self.uncertainty_cents


def with_clock(tones: Sequence[Tone], ppm: float) -> list[Tone]:
    """The same of a recorder whose clock runs too fast by so many parts in a million.

    Raises InputError where none does.
    """
    if not abs(ppm) <= MOST_PPM:
        raise InputError(f"The recorder's clock is {ppm:g} ppm off; at most {MOST_PPM:g} either way was expected.")
    return [replace(tone, hertz=tone.hertz * (1.0 + ppm * 1e-6)) for tone in tones]


def steady_tones(samples: NDArray[np.floating], rate: float, least_seconds: float = LEAST_SECONDS) -> list[Tone]:
    """The tones of a recording that hold their frequency for so long, in their order.

    samples : (N,), any unit.  rate : samples a second.
    """
    step = max(1, int(rate // _ENOUGH_RATE))
    if step > 1:
        samples, rate = samples[: samples.size // step * step].reshape(-1, step).mean(axis=1), rate / step
    found = periods(samples, rate)
    rough = [_placed(samples, rate, found, *stretch) for stretch in _stretches(found)]
    tones: list[Tone] = []
    for begin, end, hertz in _apart([one for one in rough if one is not None]):
        tone = _measured(samples, rate, hertz, begin, end)
        both = _as_one(samples, rate, tones[-1], tone) if tones and tone is not None else None
        if both is not None:
            tones[-1] = both
        elif tone is not None:
            tones.append(tone)
    tones = [one for one in tones if one.end_seconds - one.start_seconds >= least_seconds - HOP_SECONDS]
    loudest = max((one.level for one in tones), default=0.0)
    return [one for one in tones if one.level > _FAINT * loudest and not _is_hum(one, loudest)]


def _apart(rough: list[tuple[int, int, float]]) -> list[tuple[int, int, float]]:
    """(first sample, one behind the last, hertz) of tones so that none lies over the next: the shorter period tells
    where one gives way to the other, since the longer may be a multiple of it."""
    placed = list(rough)
    for k in range(len(placed) - 1):
        (begin, end, hertz), (after, until, following) = placed[k], placed[k + 1]
        if end > after:
            cut = after if following > hertz else end
            placed[k], placed[k + 1] = (begin, max(begin, cut), hertz), (min(cut, until), until, following)
    return placed


def _is_hum(tone: Tone, loudest: float) -> bool:
    near = any(abs(tone.hertz / mains - max(1.0, round(tone.hertz / mains))) < 0.003 for mains in _MAINS_HERTZ)
    return tone.level < _FAINT_HUM * loudest and near and tone.hertz < 400.0


def _stretches(found: Periods) -> list[tuple[int, int]]:
    """(first, last) frames that lie near to each other: runs, joined over what a click takes away."""
    clear = (found.clarity >= _LEAST_CLARITY) & np.isfinite(found.hertz)
    octaves = np.log2(np.where(clear, found.hertz, 1.0))
    every: list[float] = octaves.tolist()  # of a few numbers a list gives the median sooner
    runs: list[list[int]] = []
    for k in np.flatnonzero(clear):
        mine = every[max(runs[-1][0], runs[-1][1] - 14) : runs[-1][1] + 1] if runs else []
        if runs and runs[-1][1] == k - 1 and _near(every[k] - median(mine)):
            runs[-1][1] = int(k)
        else:
            runs.append([int(k), int(k)])
    joined: list[list[int]] = []
    for run in runs:
        if run[1] - run[0] + 1 < _LEAST_RUN:
            continue
        middle = float(np.median(octaves[run[0] : run[1] + 1]))
        if joined and run[0] - joined[-1][1] - 1 <= _MOST_GAP and not _rests(found.level, joined[-1], run):
            before = octaves[joined[-1][0] : joined[-1][1] + 1][-15:]
            if _near(middle - float(np.median(before[clear[joined[-1][0] : joined[-1][1] + 1][-15:]]))):
                joined[-1][1] = run[1]
                continue
        joined.append(run)
    return [(first, last) for first, last in joined]


def _rests(level: FloatArray, before: list[int], after: list[int]) -> bool:
    """Whether it is quiet between two runs."""
    gap = level[before[1] + 1 : after[0]]
    sides = min(float(np.median(level[run[0] : run[1] + 1])) for run in (before, after))
    return bool(gap.size and gap.min() < _QUIET * sides)


def _near(octaves: float) -> bool:
    return abs(octaves) * 1200.0 <= _NEAR_CENTS


def _as_one(samples: NDArray[np.floating], rate: float, before: Tone, tone: Tone) -> Tone | None:
    """Two that follow each other without a gap, of one frequency and with phases that go on, are one; None else."""
    apart = abs(1200.0 * np.log2(tone.hertz / before.hertz))
    if tone.start_seconds - before.end_seconds > 2.0 * HOP_SECONDS or apart > _SAME_CENTS:
        return None
    return _measured(samples, rate, before.hertz, int(before.start_seconds * rate), int(tone.end_seconds * rate))


def _placed(
    samples: NDArray[np.floating], rate: float, found: Periods, first: int, last: int
) -> tuple[int, int, float] | None:
    """(first sample, one behind the last, hertz) of a stretch of frames."""
    hertz = float(np.nanmedian(found.hertz[first : last + 1]))
    begin, end = int(found.seconds[first] * rate), int(found.seconds[last] * rate) + 1
    inner = samples[begin:end].astype(float)
    if inner.size < 64 or not np.any(inner):
        return None
    hertz = fundamental(inner, rate, hertz)
    return (*edges(samples, rate, hertz, (begin, end)), hertz)


def _measured(samples: NDArray[np.floating], rate: float, hertz: float, begin: int, end: int) -> Tone | None:
    """A tone between two samples; None where it does not hold one frequency."""
    guard = int(_GUARD_SECONDS * rate)
    inner = samples[begin + guard : end - guard].astype(float)
    fine = fine_frequency(inner, rate, hertz) if inner.size > 64 else None
    if fine is None or not _is_steady(fine):
        return None
    drifts = fine.hertz_per_second * inner.size / rate / np.sqrt(12.0)
    deviation = float(np.hypot(fine.deviation_hertz, drifts if abs(drifts) > 2.0 * fine.deviation_hertz else 0.0))
    return Tone(begin / rate, end / rate, fine.hertz, deviation, float(np.std(inner)))


def _is_steady(fine: Fine) -> bool:
    return abs(fine.hertz_per_second) / fine.hertz * 1200.0 / np.log(2.0) <= _MOST_CENTS_A_SECOND
