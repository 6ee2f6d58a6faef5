"""The tuning that a bench has, or that something was made in: equal temperament at its A4, or key by key."""

from __future__ import annotations

from functools import lru_cache

from dynamis.bench.document.ports import Record
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.tuning import EqualTemperament


class TuningRecord(Record, frozen=True):
    """A tuning other than equal temperament.  hertz : of the 128 keys, None for one that plays nothing."""

    name: str
    hertz: tuple[float | None, ...]


@lru_cache(maxsize=64)
def tuning_as(a4_hertz: float, record: TuningRecord | None) -> EqualTemperament | KeyTuning:
    """What turns notes into frequency; `a4_hertz` counts without a record alone."""
    return EqualTemperament(a4_hertz) if record is None else KeyTuning(record.hertz)
