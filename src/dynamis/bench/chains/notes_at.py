"""Which note an output plays at given volts."""

from __future__ import annotations

import numpy as np

from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import note_label

_NEAR_NOTES = 0.02


def whole_note_volts(bench: Bench, output: PortRef, volts: float, low_volts: float, high_volts: float) -> float:
    """The volts between `low` and `high` of the whole note that an output plays nearest to `volts`; themselves where it
    has no law, or no whole note there."""
    port = bench.port(output)
    if port.law is None:
        return volts
    law, tuning = parse_law(port.law), tuning_of(bench)
    octaves = np.asarray(law.octaves(np.array([volts]), strict=False))
    if not np.isfinite(octaves).all():
        return volts
    near = round(float(tuning.notes(octaves, law.reference_note)[0]))
    plays = law.volts(tuning.octaves(np.arange(near - 1.0, near + 2.0), law.reference_note))
    inside = [float(one) for one in plays if low_volts - 1e-9 <= one <= high_volts + 1e-9]
    return min(inside, key=lambda one: abs(one - volts), default=volts)


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
