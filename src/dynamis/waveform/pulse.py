"""The two states of a pulse and the edges between them; of what has no two states, how far it moves.

Sources: IEEE Std 181-2011: state levels by the modes of a histogram split in its middle, instants at half of the
amplitude, rise and fall from a tenth to nine tenths.  Uncertainties: JCGM 100:2008, a step as uniform.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from dynamis.waveform.trace import FloatArray, Trace

_BINS: Final = 256
# Within this part of the amplitude a sample belongs to a state; such a part of all samples makes it one of two states.
_BAND: Final = 0.1
_IN_STATES: Final = 0.6
# An edge is one when it comes from below 30 % to above 70 %.
_LOWER: Final = 0.3
_UPPER: Final = 0.7
_NOISES: Final = 6.0
_LEAST_IN_STATE: Final = 8
# Less of the amplitude than this is the arithmetic's, not the trace's.
_TOLD: Final = 1e-9
# A last digit that comes and goes is no pulse: of so few steps, states last so many samples or they are none.
_LONG: Final = 16
_EDGE: Final = 0.1
_MOST_EDGES: Final = 100_000


@dataclass(frozen=True, eq=False)
class States:
    """Two levels and the edges between them, volts and seconds.

    low_expanded, high_expanded : U = 2u of noise and the smallest step, without the instrument's own gain; 0 where the
    samples tell none.
    rises, falls : instants.  highs, lows : lengths of what lies between two edges, both seen.
    rise_seconds, fall_seconds : from 10 % to 90 %, the middle of all; None without any.
    """

    low_volts: float
    high_volts: float
    low_expanded: float
    high_expanded: float
    rises: FloatArray
    falls: FloatArray
    highs: FloatArray
    lows: FloatArray
    rise_seconds: float | None
    fall_seconds: float | None

    @property
    def amplitude_volts(self) -> float:
        return self.high_volts - self.low_volts

    @property
    def period_seconds(self) -> float | None:
        return float(np.median(np.diff(self.rises))) if self.rises.size > 1 else None


@dataclass(frozen=True)
class Droop:
    """How a high state sinks: volts a second, U = 2u, and the time constant to 0 V where it is one."""

    per_second: float
    expanded: float
    time_constant_seconds: float


@dataclass(frozen=True, eq=False)
class Measured:
    """kind : "pulse" has two states, "moving" none, "still" does not move beyond its noise.  noise_volts : standard
    deviation from sample to sample.  step_seconds, step_volts : between two samples."""

    kind: Literal["pulse", "moving", "still"]
    least_volts: float
    most_volts: float
    mean_volts: float
    noise_volts: float
    step_seconds: float
    step_volts: float
    length_seconds: float
    states: States | None = None
    droop: Droop | None = None

    @property
    def view_volts(self) -> tuple[float, float]:
        """From where to where a picture shows it."""
        room = 0.08 * max(self.most_volts - self.least_volts, 10.0 * self.step_volts, 1e-3)
        return self.least_volts - room, self.most_volts + room

    @property
    def length_expanded(self) -> float:
        """U = 2u of one length by the samples: each of two edges lies somewhere between two of them."""
        return 2.0 * self.step_seconds / math.sqrt(6.0)


def measure(trace: Trace) -> Measured:
    """What a trace shows."""
    volts = trace.volts
    least, most, mean = float(volts.min()), float(volts.max()), float(volts.mean())
    noise = 1.4826 * float(np.median(np.abs(np.diff(volts)))) / math.sqrt(2.0)
    step = trace.step_volts
    length = float(trace.seconds[-1] - trace.seconds[0])

    def found(kind: Literal["pulse", "moving", "still"], **more: States | Droop | None) -> Measured:
        values = least, most, mean, noise, trace.step_seconds, step, length
        return Measured(kind, *values, **more)  # type: ignore[arg-type]

    low, high = _levels(volts, least, most)
    amplitude = high - low
    coarse = step == 0.0 or amplitude <= 2.0 * step
    toggles = int(np.sum((volts[1:] > (low + high) / 2.0) != (volts[:-1] > (low + high) / 2.0)))
    if amplitude <= _NOISES * noise or (coarse and toggles > volts.size / _LONG):
        return found("still")
    near = [np.abs(volts - level) <= _BAND * amplitude for level in (low, high)]
    if min(int(one.sum()) for one in near) < _LEAST_IN_STATE or float((near[0] | near[1]).mean()) < _IN_STATES:
        return found("moving")
    low, high = (float(np.median(volts[one])) for one in near)
    spread = [float(np.std(volts[one])) for one in near]
    # Samples beside each other are seldom by themselves: a level is worth no more than a single step tells.
    expanded = [2.0 * math.hypot(s / math.sqrt(_LEAST_IN_STATE), step / math.sqrt(12.0)) for s in spread]
    expanded = [u if u > _TOLD * amplitude else 0.0 for u in expanded]
    states = _states(trace, low, high, expanded)
    if not states.rises.size and not states.falls.size:
        return found("moving")
    return found("pulse", states=states, droop=_droop(trace, states, noise))


def _levels(volts: FloatArray, least: float, most: float) -> tuple[float, float]:
    """The modes of the lower and of the upper half of the histogram."""
    if most <= least:
        return least, most
    counts, edges = np.histogram(volts, bins=_BINS, range=(least, most))
    half = _BINS // 2
    centres = (edges[:-1] + edges[1:]) / 2.0
    return float(centres[int(np.argmax(counts[:half]))]), float(centres[half + int(np.argmax(counts[half:]))])


def _states(trace: Trace, low: float, high: float, expanded: list[float]) -> States:
    amplitude = high - low
    state = np.zeros(trace.volts.size, np.int8)
    state[trace.volts > low + _UPPER * amplitude] = 1
    state[trace.volts < low + _LOWER * amplitude] = -1
    told = np.flatnonzero(state)
    turns = told[1:][state[told[1:]] != state[told[:-1]]][:_MOST_EDGES]
    rising = state[turns] > 0
    middle = low + amplitude / 2.0
    rises = _crossings(trace, turns[rising], middle, up=True)
    falls = _crossings(trace, turns[~rising], middle, up=False)
    edges = np.concatenate([rises, falls])
    up = np.concatenate([np.ones(rises.size, bool), np.zeros(falls.size, bool)])
    order = np.argsort(edges, kind="stable")
    between, begins_up = np.diff(edges[order]), up[order][:-1]
    ways = ((rising, True), (~rising, False))
    quick = [_edge_seconds(trace, turns[mine], low, amplitude, up=way) for mine, way in ways]
    lengths = between[begins_up], between[~begins_up]
    return States(low, high, expanded[0], expanded[1], rises, falls, *lengths, quick[0], quick[1])


def _crossings(trace: Trace, turns: np.ndarray, level: float, *, up: bool, after: bool = False) -> FloatArray:
    """Where a level was last crossed before each turn, or first after it, between two samples by a straight line."""
    above = trace.volts >= level
    change = np.flatnonzero(above[1:] != above[:-1])
    change = change[above[change + 1] == up]
    if not change.size or not turns.size:
        return np.full(turns.size, np.nan)
    # A turn is a sample beyond the level: the crossing ends at it, or before it.
    k = np.searchsorted(change + 1, turns, side="left" if after else "right") - (0 if after else 1)
    inside = (k >= 0) & (k < change.size)
    at = change[np.clip(k, 0, change.size - 1)]
    v, s = trace.volts, trace.seconds
    crossed = s[at] + (level - v[at]) / (v[at + 1] - v[at]) * (s[at + 1] - s[at])
    return np.where(inside, crossed, np.nan)


def _edge_seconds(trace: Trace, turns: np.ndarray, low: float, amplitude: float, *, up: bool) -> float | None:
    first, last = (low + share * amplitude for share in ((_EDGE, 1.0 - _EDGE) if up else (1.0 - _EDGE, _EDGE)))
    begun = _crossings(trace, turns, first, up=up)
    ended = _crossings(trace, turns, last, up=up, after=True)
    took = (ended - begun)[np.isfinite(ended - begun)]
    return float(np.median(took)) if took.size else None


def _droop(trace: Trace, states: States, noise: float) -> Droop | None:
    """Of the longest high state that is seen whole, without its first and last tenth; None where it does not sink."""
    pairs = [(rise, fall) for rise in states.rises[:1000] for fall in states.falls[states.falls > rise][:1]]
    if not pairs:
        return None
    rise, fall = max(pairs, key=lambda pair: pair[1] - pair[0])
    cut = 0.1 * (fall - rise)
    inside = (trace.seconds >= rise + cut) & (trace.seconds <= fall - cut)
    t, v = trace.seconds[inside], trace.volts[inside]
    if t.size < 2 * _LEAST_IN_STATE:
        return None
    slope, start = np.polyfit(t - t.mean(), v, 1)
    spread = max(float(np.std(v - start - slope * (t - t.mean()))), noise)
    u = spread / math.sqrt(float(np.sum((t - t.mean()) ** 2)))
    sinks = abs(float(slope)) * float(t[-1] - t[0])
    if abs(slope) <= 3.0 * u or sinks <= 0.01 * states.amplitude_volts or start * slope >= 0:
        return None
    return Droop(float(slope), 2.0 * u, -float(start) / float(slope))


def delay(first: Trace, second: Trace) -> tuple[float, float] | None:
    """How long after a rise of the first the second rises, seconds: the middle of all, and U = 2u of it.

    Each rise is set against the nearest.  None where either has no rise.
    """
    rises = []
    for trace in (first, second):
        states = measure(trace).states
        if states is None or not states.rises.size:
            return None
        rises.append(states.rises)
    nearest = np.abs(rises[0][:1000, None] - rises[1][None, :10_000]).argmin(axis=1)
    apart = rises[1][nearest] - rises[0][:1000]
    step = max(first.step_seconds, second.step_seconds)
    u = math.hypot(step / math.sqrt(6.0), float(np.std(apart)) / math.sqrt(apart.size))
    return float(np.median(apart)), 2.0 * u
