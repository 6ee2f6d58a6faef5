"""What moved from one run to another: a difference with its uncertainty, and what was changed between them.

What both were read with alike, the gain and the zero of one meter on one range, takes itself out of the difference.
Source: JCGM 100:2008, 5.1 and 5.2 (the variance of a difference, with and without correlation).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

FloatArray = NDArray[np.float64]
_LEAST_NOTES: Final = 2
_LEAST_KELVIN: Final = 2.0


@dataclass(frozen=True, eq=False)
class Difference:
    """The second run less the first, on the notes of both, shape (N,).

    cents, expanded_cents : note by note.  shift_cents : of all notes alike, at the middle of them; per_octave_cents :
    of every octave; each with its U.  alike : whether one instrument read both, so that its own errors take themselves
    out.
    """

    notes: FloatArray
    cents: FloatArray
    expanded_cents: FloatArray
    shift_cents: float
    shift_expanded: float
    per_octave_cents: float
    per_octave_expanded: float
    alike: bool

    @property
    def moved(self) -> bool:
        """Whether more moved than the uncertainty explains."""
        shift, octave = abs(self.shift_cents), abs(self.per_octave_cents)
        return shift > self.shift_expanded or octave > self.per_octave_expanded


def difference_of(first: RunAnalysis, second: RunAnalysis) -> Difference | None:
    """The second run less the first; None where fewer than two notes are in both, or one of them proves nothing."""
    sides = [_by_note(one) for one in (first, second)]
    shared = np.array(sorted(set(sides[0]) & set(sides[1])), float)
    if shared.size < _LEAST_NOTES or first.meter is None or second.meter is None:
        return None
    alike = first.run.meter == second.run.meter and first.run.quantity == second.run.quantity
    off = [np.array([side[note][0] for note in shared]) for side in sides]
    column = 1 if alike else 2
    standard = [np.array([side[note][column] for note in shared]) / 2.0 for side in sides]
    cents, u = off[1] - off[0], np.hypot(*standard)
    if not np.all(np.isfinite(cents)):
        return None
    octaves = shared / 12.0
    x = octaves - octaves.mean()
    spread = float(x @ x)
    shift, per_octave = float(cents.mean()), float(x @ cents) / spread
    left = cents - shift - per_octave * x
    # Readings that hang together, or scatter more than they should, are worth what they show.
    scatter = float(np.sqrt(left @ left / max(1, shared.size - 2)))
    of_each = np.maximum(u, scatter)
    shared_u = 0.0 if alike else float(np.max(u))
    u_shift = float(np.hypot(np.sqrt(np.sum(of_each**2)) / shared.size, shared_u))
    u_octave = float(
        np.hypot(np.sqrt(np.sum((x * of_each) ** 2)) / spread, 2.0 * shared_u / max(1e-9, np.ptp(octaves)))
    )
    return Difference(shared, cents, 2.0 * u, shift, 2.0 * u_shift, per_octave, 2.0 * u_octave, alike)


def _by_note(judged: RunAnalysis) -> dict[float, tuple[float, float, float]]:
    """(error, its own U, all of its U) of the last reading of each note, cents."""
    return {
        float(judged.notes[k]): (
            float(judged.error_cents[k]),
            float(judged.independent_expanded_cents[k]),
            float(judged.expanded_cents[k]),
        )
        for k in range(judged.notes.size)
    }


def changed_between(bench: Bench, first: RunRecord, second: RunRecord, style: Style) -> list[str]:
    """What two runs of one channel were taken with that is not the same, each in words."""
    said = []

    def plugged(run: RunRecord) -> str:
        return " and ".join(bench.label(ref) for ref in run.plugged if bench.has(ref)) or "nothing"

    def celsius(run: RunRecord) -> str:
        return "not known" if run.celsius is None else f"{style.number(run.celsius, 1)} °C"

    def instrument(run: RunRecord) -> str:
        return "none" if run.meter is None else run.meter.label

    heads = {"nominal": "nominal codes", "constants": "constants", "table": "a table"}

    for what, before, after in (
        ("in force", heads[first.head.kind], heads[second.head.kind]),
        ("plugged", plugged(first), plugged(second)),
        ("read", first.where, second.where),
        ("instrument", instrument(first), instrument(second)),
        ("temperature", celsius(first), celsius(second)),
    ):
        if before != after:
            said.append(f"{what}, {before} → {after}")
    return said


def _per_kelvin(first: RunRecord, second: RunRecord, found: Difference, changes: int, style: Style) -> list[str]:
    """How a channel moves with its temperature, where nothing else was changed and that by enough to tell."""
    if first.celsius is None or second.celsius is None or changes != 1 or not found.moved:
        return []
    kelvin = second.celsius - first.celsius
    if abs(kelvin) < _LEAST_KELVIN:
        return []
    shift = style.plus_minus(found.shift_cents / kelvin, found.shift_expanded / abs(kelvin), "ct", sign=True)
    octave = style.plus_minus(found.per_octave_cents / kelvin, found.per_octave_expanded / abs(kelvin), "ct", sign=True)
    return [f"That is {shift} a kelvin at the middle, and {octave} a kelvin for every octave."]


def _channel(run: RunRecord) -> tuple[str, str, str]:
    return run.gear, run.port, run.serial


def _apart_words(
    bench: Bench, first: RunAnalysis, second: RunAnalysis, difference: Difference, style: Style
) -> list[str]:
    """How two channels track each other: a chip beside another, an oscillator beside another."""
    names = [_named(bench, one.run) for one in (first, second)]
    if not difference.moved:
        said = f"{names[1]} and {names[0]} track each other: they differ by less than the readings are worth"
    else:
        shift = style.plus_minus(difference.shift_cents, difference.shift_expanded, "ct", sign=True)
        octave = style.plus_minus(difference.per_octave_cents, difference.per_octave_expanded, "ct", sign=True)
        said = f"{names[1]} lies {shift} from {names[0]} at the middle of their notes, and by {octave} more each octave"
    told = [f"{said}, on {difference.notes.size} notes of both."]
    if all(one.model.quantity == "hertz" for one in (first, second)):
        worst = int(np.argmax(np.abs(difference.cents)))
        note = float(difference.notes[worst])
        hertz = float(first.model.tuning.hertz(note))
        beats = abs(hertz * (float(np.exp2(difference.cents[worst] / 1200.0)) - 1.0))
        told.append(
            f"Together they beat {style.number(beats, 2)} times a second at {note_label(note, style)}, where they lie "
            f"{style.cents(float(difference.cents[worst]), sign=True)} ct apart, as far as anywhere."
        )
    if not difference.alike:
        told.append("They were read with different instruments, whose own errors are in the difference.")
    return told


def _named(bench: Bench, run: RunRecord) -> str:
    where = bench.label(run.channel) if bench.has(run.channel) else f"{run.gear} {run.port}"
    return f"{where}, unit {run.serial}"


def difference_words(bench: Bench, first: RunAnalysis, second: RunAnalysis, style: Style) -> list[str]:
    """What moved between two runs, and what was changed; nothing where the two cannot be compared.

    Two runs of one channel are told from the older to the newer, whichever is laid over the other.
    """
    if _channel(first.run) == _channel(second.run) and second.run.created < first.run.created:
        first, second = second, first
    difference = difference_of(first, second)
    if difference is None:
        return []
    if _channel(first.run) != _channel(second.run):
        return _apart_words(bench, first, second, difference, style)
    changes = changed_between(bench, first.run, second.run, style)
    count = len(changes)
    between = "Nothing that was written down was changed between them"
    if changes:
        between = f"Changed between them: {'; '.join(changes)}"
    if not difference.moved:
        what = "nothing moved beyond what the readings are worth"
    else:
        shift = style.plus_minus(difference.shift_cents, difference.shift_expanded, "ct", sign=True)
        octave = style.plus_minus(difference.per_octave_cents, difference.per_octave_expanded, "ct", sign=True)
        what = f"all notes moved by {shift} at their middle, every octave by {octave}"
    said = [f"{between}; on {difference.notes.size} notes of both {what}."]
    said += _per_kelvin(first.run, second.run, difference, count, style)
    if difference.moved and count > 1:
        said.append(f"{count} things were changed at once: which of them did it cannot be told.")
    if not difference.alike:
        said.append("They were read with different instruments, whose own errors are in the difference.")
    return said
