"""Tunings from files, whatever their form: a scale, a scale with its keymap beside it, or a dump."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from dynamis.bench.document.tuning import TuningRecord
from dynamis.errors import InputError
from dynamis.files.midi_tuning import read_tuning_dump, tuning_dump
from dynamis.files.scala import keymap_text, read_keymap, read_scale, scale_text
from dynamis.files.writing import write_together, write_whole
from dynamis.pitch.key_tuning import KEYS, KeyTuning
from dynamis.pitch.scale import Keymap, Scale, ScaleTuning
from dynamis.pitch.tuning import EqualTemperament


def read_tuning(path: Path, a4_hertz: float = 440.0, keymap: Path | None = None) -> TuningRecord:
    """A tuning for a bench.  a4_hertz : of a scale without a keymap.  Raises `InputError` as the readers do."""
    if path.suffix.lower() in (".syx", ".mid"):
        name, tuning = read_tuning_dump(path)
        return TuningRecord(name or path.stem, tuning.of_keys)
    if path.suffix.lower() != ".scl":
        raise InputError(f"{path.name}: a scale (.scl) or a tuning dump (.syx) was expected.")
    scale = read_scale(path)
    scale_tuning = (
        ScaleTuning.on_note_60(scale, a4_hertz) if keymap is None else ScaleTuning(scale, read_keymap(keymap))
    )
    return TuningRecord(scale.description or path.stem, KeyTuning.of(scale_tuning).of_keys)


def write_tuning(path: Path, record: TuningRecord | None, a4_hertz: float = 440.0) -> list[str]:
    """Write a tuning by the name's ending: a dump, or a scale with its keymap beside it; the names written."""
    tuning = EqualTemperament(a4_hertz) if record is None else KeyTuning(record.hertz)
    name = "equal temperament" if record is None else record.name
    if path.suffix.lower() == ".syx":
        write_whole(path, tuning_dump(tuning, name))
        return [path.name]
    if path.suffix.lower() != ".scl":
        raise InputError(f"{path.name}: a tuning is written as .scl or as .syx.")
    hertz = tuning.hertz(np.arange(KEYS))
    tuned = [int(key) for key in np.flatnonzero(np.isfinite(hertz))]
    if len(tuned) < 2:
        raise InputError(f"{path.name}: a scale needs two keys or more that play something.")
    first, last = tuned[0], tuned[-1]
    degrees = tuple(float(np.log2(hertz[key] / hertz[first])) for key in tuned[1:])
    steps = {key: k for k, key in enumerate(tuned)}
    keys = tuple(steps.get(key) for key in range(first, last + 1))
    keymap = Keymap(keys, first, last, first, first, float(hertz[first]), len(degrees))
    beside = path.with_suffix(".kbm")
    write_together({path: scale_text(Scale(degrees, name), path.name), beside: keymap_text(keymap, beside.name)})
    return [path.name, beside.name]
