"""The tuning of a bench: equal temperament at its A4, or frequencies key by key."""

from __future__ import annotations

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.tuning import tuning_as
from dynamis.notation.style import Style
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.tuning import EqualTemperament


def tuning_of(bench: Bench) -> EqualTemperament | KeyTuning:
    """What turns notes into frequency on a bench."""
    return tuning_as(bench.a4_hertz, bench.tuning)


def tuning_words(bench: Bench, style: Style = Style()) -> str:
    """`A4 = 440 Hz`, or the tuning's own name."""
    if bench.tuning is not None:
        return bench.tuning.name
    return f"A4 = {style.typed(bench.a4_hertz)} Hz"
