"""Note numbers and their names.

Note numbers are those of MIDI 1.0 (60 is the middle C of the keyboard), fractions allowed.  Octave
names are not agreed: note 60 is called C3, C4 or C5, so every name needs a `Naming`.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Final

from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style, plain

_NAME: Final = re.compile(r"([A-Ga-g])([#♯b♭]?)(-?[0-9]{1,3})")
_STEP: Final = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_SHARP: Final = ("C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B")
_FLAT: Final = ("C", "D♭", "D", "E♭", "E", "F", "G♭", "G", "A♭", "A", "B♭", "B")
# A list longer than this is a slip of the step, and would keep the program busy for minutes.
MOST_NOTES: Final = 100_000


@dataclass(frozen=True)
class Naming:
    """Which octave number note 60 carries: 3, 4 (scientific pitch notation) or 5."""

    middle_c: int = 4


def parse_note(text: str, naming: Naming = Naming()) -> float:
    """Read a note number (`60`, `48.25`) or a name (`C4`, `F#3`, `D♭5`, `C-1`).

    Raises `InputError` with the text when it is neither.
    """
    cleaned = text.strip()
    named = _NAME.fullmatch(cleaned)
    if named:
        accidental = {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[named[2]]
        return float(60 + 12 * (int(named[3]) - naming.middle_c) + _STEP[named[1].upper()] + accidental)
    try:
        return parse_plain(cleaned, "The note")
    except InputError as error:
        raise InputError(
            f"The note {quoted(cleaned)} is neither a finite number nor a name such as C4, F#3 or Db5."
        ) from error


def note_name(note: float, style: Style = Style()) -> str | None:
    """The name of a whole note, `None` for a fraction (within 1e-9 of a semitone it counts as whole)."""
    if not math.isfinite(note) or abs(note - round(note)) > 1e-9:
        return None
    whole = round(note)
    name = (_FLAT if style.flats else _SHARP)[whole % 12]
    if style.ascii_accidentals:
        name = name.replace("♯", "#").replace("♭", "b")
    octave = (whole - 60) // 12 + style.middle_c
    return f"{name}{octave}"


def note_label(note: float, style: Style = Style()) -> str:
    """Number and name together, `60 C4`; a fraction has its number only."""
    name = note_name(note, style)
    return plain(round(note)) + " " + name if name else style.number(note, 2).rstrip("0").rstrip(".,")


def parse_note_list(text: str, naming: Naming = Naming()) -> list[float]:
    """Read `36,48,C4`, `36:96`, `C2:C7:12` or a mixture; order and repeats are kept.

    Both ends of a range are included where the step meets them.  Raises `InputError` for a reversed
    or half range, an empty entry, a step that is not above 0, or more than 100 000 notes.
    """
    notes: list[float] = []
    for entry in text.split(","):
        if not entry.strip():
            raise InputError(f"The list {quoted(text)} has an empty entry; write notes as 36,48,C4 or 36:96:12.")
        notes.extend(_entry(entry.strip(), naming))
        if len(notes) > MOST_NOTES:
            raise InputError(f"The list {quoted(text)} asks for more than {MOST_NOTES} notes; use a wider step.")
    return notes


def _entry(entry: str, naming: Naming) -> list[float]:
    if ":" not in entry:
        return [parse_note(entry, naming)]
    parts = entry.split(":")
    if len(parts) > 3 or not all(part.strip() for part in parts):
        raise InputError(f"The range {quoted(entry)} is not complete; write FROM:TO or FROM:TO:STEP, such as 36:96:12.")
    low, high = parse_note(parts[0], naming), parse_note(parts[1], naming)
    step = parse_plain(parts[2], f"The step of the range {quoted(entry)}") if len(parts) == 3 else 1.0
    if high < low:
        raise InputError(f"The range {quoted(entry)} runs down; write it from the lower to the higher note.")
    if step <= 0:
        raise InputError(f"The step of the range {quoted(entry)} is {plain(step)}; it has to be above 0.")
    if (high - low) / step > MOST_NOTES:
        raise InputError(f"The range {quoted(entry)} asks for more than {MOST_NOTES} notes; use a wider step.")
    count = math.floor((high - low) / step + 1e-9) + 1
    return [low + k * step for k in range(count)]
