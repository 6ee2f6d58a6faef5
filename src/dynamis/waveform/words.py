"""What a trace shows, in sentences."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from dynamis.notation.style import Style, digits_for
from dynamis.waveform.pulse import Droop, Measured, States
from dynamis.waveform.trace import FloatArray, Trace


@dataclass(frozen=True, eq=False)
class Seen:
    """A trace with what was measured of it."""

    trace: Trace
    found: Measured


# An edge of so few samples may be quicker than it looks.
_FEW_SAMPLES = 3.0
_ALIKE = 0.02


def measured_sentences(found: Measured, style: Style, lost: int = 0) -> list[str]:
    """Levels, lengths, edges, droop and noise; without levels, between what it moves.  lost : samples left out."""
    said = []
    if found.states is not None:
        said += _pulse(found, found.states, style)
    elif found.kind == "still":
        level = _with_u(found.mean_volts, max(2.0 * found.noise_volts, found.step_volts), style)
        said.append(f"It stands still, at {level}: nothing happens beyond its noise.")
    else:
        least, most = style.volts(found.least_volts, 3), style.volts(found.most_volts, 3)
        mean = style.volts(found.mean_volts, 3)
        said.append(f"It moves between {least} and {most}, {mean} in the middle, and has no two states to be a pulse.")
    if found.droop is not None:
        said.append(_droop(found.droop, style))
    if lost:
        what = "One sample was" if lost == 1 else f"{lost} samples were"
        said.append(f"{what} no number and left out: did it run off the screen? Then the levels are not these.")
    noise = style.engineering(found.noise_volts, "V") if found.noise_volts else "none to be seen"
    each, wide = (style.engineering(one, "s") for one in (found.step_seconds, found.length_expanded))
    said.append(
        f"Noise from sample to sample: {noise}; a sample each {each}, so a length is known to ± {wide}. The gain error "
        "of what recorded it comes on top of every level; its data sheet says how much."
    )
    return said


def _with_u(value: float, expanded: float, style: Style) -> str:
    if expanded <= 0.0:
        return style.volts(value, 3)
    digits = digits_for(expanded)
    return f"{style.number(value, digits)} ± {style.number(expanded, digits)} V"


def _pulse(found: Measured, states: States, style: Style) -> list[str]:
    low, high = (
        _with_u(states.low_volts, states.low_expanded, style),
        _with_u(states.high_volts, states.high_expanded, style),
    )
    said = [f"Low {low}, high {high}."]
    for name, lengths in (("Up", states.highs), ("Down", states.lows)):
        if lengths.size:
            said.append(f"{name} for {_lengths(lengths, style)}.")
    if not states.highs.size:
        said.append("No pulse is seen whole: its length cannot be told; record for longer.")
    period = states.period_seconds
    if period:
        said.append(f"A rise each {style.engineering(period, 's')}, {style.engineering(1.0 / period, 'Hz')}.")
    edges = [
        f"{name} in {_edge(seconds, found.step_seconds, style)}"
        for name, seconds in (("rises", states.rise_seconds), ("falls", states.fall_seconds))
        if seconds is not None
    ]
    if edges:
        said.append(f"It {' and '.join(edges)}, from a tenth to nine tenths.")
    return said


def _lengths(lengths: FloatArray, style: Style) -> str:
    middle = float(np.median(lengths))
    if lengths.size == 1 or float(np.ptp(lengths)) <= _ALIKE * middle:
        return style.engineering(middle, "s") + (f", {lengths.size} times" if lengths.size > 1 else "")
    shortest, longest = (style.engineering(float(one), "s") for one in (lengths.min(), lengths.max()))
    return f"{shortest} to {longest}, {lengths.size} times"


def _edge(seconds: float, step: float, style: Style) -> str:
    if seconds < _FEW_SAMPLES * step:
        return f"{style.engineering(max(seconds, step), 's')} or less"
    return style.engineering(seconds, "s")


def _droop(droop: Droop, style: Style) -> str:
    corner = 1.0 / (2.0 * math.pi * droop.time_constant_seconds)
    return (
        f"While up it sinks by {style.engineering(abs(droop.per_second), 'V')} a second; if it goes on to 0 V, that is "
        f"a corner at {style.engineering(corner, 'Hz')}: a capacitor in its way."
    )


def delay_sentence(apart: tuple[float, float] | None, first: str, second: str, style: Style) -> str:
    """How long one rises after another."""
    if apart is None:
        return f"No delay: {first} and {second} do not both rise."
    value, expanded = apart
    if abs(value) <= expanded:
        return f"{second} rises with {first}, within {style.engineering(expanded, 's')}."
    way = "after" if value > 0 else "before"
    return f"{second} rises {style.engineering(abs(value), 's')} ± {style.engineering(expanded, 's')} {way} {first}."
