"""What the errors of an oscillator are made of, in words: beside the shape of a run that was read in hertz."""

from __future__ import annotations

from typing import Final

import numpy as np

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.calibration.causes.words import shape_sentences
from dynamis.calibration.tracking import Part, Tracking, split_tracking
from dynamis.notation.style import Style
from dynamis.pitch.laws import CENTS_PER_NEPER, ExponentialLaw

# What moves nothing by more than this is not worth a sentence.
_LEAST_CENTS: Final = 0.5


def find_tracking(judged: RunAnalysis) -> Tracking | None:
    """The parts of a V/oct oscillator's errors; None where none was read, or too little."""
    model, run = judged.model, judged.run
    if model.quantity != "hertz" or not isinstance(model.law, ExponentialLaw) or run.codes or not judged.valid:
        return None
    warm = [row.celsius if row.celsius is not None else run.celsius for row in judged.valid]
    celsius = np.array([np.nan if one is None else one for one in warm], float)
    octaves = model.tuning.octaves(judged.notes, model.law.reference_note)
    slips = np.zeros(judged.notes.size, bool) if judged.fit is None else judged.fit.outliers
    keep = ~slips if slips.size == judged.notes.size else np.ones(judged.notes.size, bool)
    own = judged.independent_cents
    kept = (one[keep] for one in (octaves, judged.wanted, judged.error_cents, own, celsius))
    return split_tracking(*kept)


def tracking_sentences(tracking: Tracking, style: Style) -> list[str]:
    """The reset time, and what a kelvin does; the scale and the offset are told by the shape already."""
    said = []
    reset = tracking.reset
    if reset.is_told and reset.size * CENTS_PER_NEPER * tracking.top_hertz > _LEAST_CENTS:
        said.append(
            f"The top goes flat as a reset time of {_worth(_in_micro(reset), 'µs', style, sign=False)} would make it: "
            "its high-frequency trim bends that back."
        )
    if tracking.alike:
        said.append(
            f"It became {style.number(tracking.kelvin, 1)} K warmer or colder as the notes rose: what is temperature "
            "and what is scale cannot be told apart. Read some low and some high notes again now."
        )
    if tracking.per_kelvin is None or tracking.scale_per_kelvin is None:
        return said
    over = f"over {style.number(tracking.kelvin, 1)} K"
    moved, scale = tracking.per_kelvin, tracking.scale_per_kelvin
    moves, tilts = (one.is_told and abs(one.size) * tracking.kelvin > _LEAST_CENTS for one in (moved, scale))
    if not moves and not tilts:
        small = all(one.expanded is not None and one.reaches * tracking.kelvin < _LEAST_CENTS for one in (moved, scale))
        much = "little" if small else "by no more than can be told"
        said.append(f"Temperature moves it {much} {over} ({_worth(moved, 'ct a kelvin', style)}).")
        return said
    parts = [f"all notes by {_worth(moved, 'ct a kelvin', style)}"] if moves else []
    parts += [f"the scale by {_worth(scale, 'ct per octave a kelvin', style)}"] if tilts else []
    said.append(f"Temperature moves {' and '.join(parts)} {over}: wait until it stands still before it is trimmed.")
    return said


def said_of(judged: RunAnalysis, style: Style) -> list[str]:
    """Why the errors are as they are: the shape, and of an oscillator the parts it is made of."""
    if judged.shape is None:
        return [judged.why_no_fit]
    words = shape_sentences(judged.shape, style, judged.loading_factor)
    tracking = find_tracking(judged)
    return words if tracking is None else [*words, *tracking_sentences(tracking, style)]


def _in_micro(part: Part) -> Part:
    return Part(part.size * 1e6, None if part.expanded is None else part.expanded * 1e6)


def _worth(part: Part, unit: str, style: Style, *, sign: bool = True) -> str:
    if part.expanded is None:
        return f"{style.number(part.size, 2, sign=sign)} {unit}, of unknown worth"
    return f"{style.number(part.size, 2, sign=sign)} ± {style.number(part.expanded, 2)} {unit}"
