"""Which note an output plays at given volts."""

from __future__ import annotations

import numpy as np

from dynamis.bench.document import Bench
from dynamis.bench.ports import PortRef
from dynamis.bench.tunings import tuning_of
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import note_label

_NEAR_NOTES = 0.02


def note_at_volts(bench: Bench, output: PortRef, volts: float, style: Style = Style()) -> str:
    """`60 C4`, or with a fraction where it lies between two; empty where the output has no law or plays no such
    volts."""
    port = bench.port(output)
    if port.law is None:
        return ""
    law, tuning = parse_law(port.law), tuning_of(bench)
    octaves = np.asarray(law.octaves(np.array([volts]), strict=False))
    if not np.isfinite(octaves).all():
        return ""
    note = float(tuning.notes(octaves, law.reference_note)[0])
    near = round(note)
    return note_label(float(near), style) if abs(note - near) < _NEAR_NOTES else style.number(note, 2)
