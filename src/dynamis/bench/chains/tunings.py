"""The tuning of a bench: equal temperament at its A4, or frequencies key by key."""

from __future__ import annotations

from functools import lru_cache

from dynamis.bench.document.bench import Bench, TuningRecord
from dynamis.notation.style import Style
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.tuning import EqualTemperament, Tuning


def tuning_of(bench: Bench) -> Tuning:
    """What turns notes into frequency on a bench."""
    return _made(bench.a4_hertz, bench.tuning)


@lru_cache(maxsize=16)
def _made(a4_hertz: float, record: TuningRecord | None) -> Tuning:
    return EqualTemperament(a4_hertz) if record is None else KeyTuning(record.hertz)


def tuning_words(bench: Bench, style: Style = Style()) -> str:
    """`A4 = 440 Hz`, or the tuning's own name."""
    if bench.tuning is not None:
        return bench.tuning.name
    return f"A4 = {style.typed(bench.a4_hertz)} Hz"
