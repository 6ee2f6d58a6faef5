"""Scala's scale (.scl) and keymap (.kbm) files, read and written.

Source: the open description of the two forms (from memory).  Lines that begin with ! are comments.  A scale has a
description (it may be empty), the number of degrees, and a line for each: cents where there is a point, else a
ratio; what follows on the line does not count.  A keymap has the size of its pattern, first and last note,
middle note, reference note and its frequency, the degree of its repetition, and a line for each key of the
pattern, x for one that plays nothing.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Final

from dynamis.errors import InputError
from dynamis.files.text import read_text
from dynamis.notation.safe import quoted
from dynamis.notation.style import plain
from dynamis.pitch.scale import Keymap, Scale

_MOST_BYTES: Final = 1024 * 1024
_MOST_DEGREES: Final = 10_000
# No degree lies further than this from the first.
_MOST_OCTAVES: Final = 2000.0
_CENTS: Final = re.compile(r"[+-]?(\d+\.\d*|\.\d+)")
_RATIO: Final = re.compile(r"(\d+)(?:/(\d+))?")
_WHOLE: Final = re.compile(r"[+-]?\d+")
_HEADS: Final = (
    "the size of the map",
    "the first note",
    "the last note",
    "the middle note",
    "the reference note",
    "the reference frequency",
    "the degree of the formal octave",
)


def read_scale(path: Path) -> Scale:
    """A scale file; raises `InputError` naming the file, the line, what was found and what was expected."""
    lines = _lines(read_text(path, _MOST_BYTES, or_latin=True))
    _, description = next(lines, (0, ""))
    number, text = _next(lines, path, "the number of degrees")
    count = _whole(text, path, number, "the number of degrees")
    if not 1 <= count <= _MOST_DEGREES:
        raise InputError(f"{path}: line {number}: {count} degrees were found; 1 to {_MOST_DEGREES} were expected.")
    octaves = []
    for k in range(count):
        number, text = _next(lines, path, f"degree {k + 1} of {count}")
        octaves.append(_degree(text, path, number))
    return Scale(tuple(octaves), description.strip())


def read_keymap(path: Path) -> Keymap:
    """A keymap file; raises `InputError` naming the file, the line, what was found and what was expected."""
    lines = _lines(read_text(path, _MOST_BYTES, or_latin=True))
    heads: list[float] = []
    at: list[int] = []
    for what in _HEADS:
        number, text = _next(lines, path, what)
        at.append(number)
        heads.append(_hertz(text, path, number) if "frequency" in what else _whole(text, path, number, what))
    size = int(heads[0])
    if not 0 <= size <= _MOST_DEGREES:
        raise InputError(f"{path}: line {at[0]}: a map of {size} keys was found; 0 to {_MOST_DEGREES} were expected.")
    degrees: list[int | None] = []
    for number, text in lines:
        if len(degrees) == size:
            break
        first = text.split()[0] if text.split() else ""
        degrees.append(None if first in ("x", "X") else _whole(text, path, number, "a degree, or x"))
    degrees += [None] * (size - len(degrees))  # keys left out at the end play nothing
    try:
        return Keymap(
            tuple(degrees), int(heads[1]), int(heads[2]), int(heads[3]), int(heads[4]), heads[5], int(heads[6])
        )
    except InputError as error:
        raise InputError(f"{path}: {error}") from error


def scale_text(scale: Scale, name: str) -> str:
    """A scale as a .scl file, each degree in cents."""
    degrees = "".join(f" {1200.0 * one:.10f}\n" for one in scale.octaves)
    return f"! {name}\n!\n{scale.description}\n {len(scale.octaves)}\n!\n{degrees}"


def keymap_text(keymap: Keymap, name: str) -> str:
    """A keymap as a .kbm file."""
    heads = (
        len(keymap.degrees),
        keymap.first,
        keymap.last,
        keymap.middle,
        keymap.reference_note,
        plain(keymap.reference_hertz),
        keymap.octave_degree,
    )
    lines = [
        f"! {name}",
        *(line for what, value in zip(_HEADS, heads, strict=True) for line in (f"! {what}", str(value))),
    ]
    return "\n".join([*lines, "! the map", *("x" if one is None else str(one) for one in keymap.degrees), ""])


def _lines(text: str) -> Iterator[tuple[int, str]]:
    """(number, text) of the lines that are no comments."""
    return iter([(k, line) for k, line in enumerate(text.splitlines(), 1) if not line.startswith("!")])


def _next(lines: Iterator[tuple[int, str]], path: Path, what: str) -> tuple[int, str]:
    found = next(lines, None)
    if found is None:
        raise InputError(f"{path}: the file ends where {what} was expected.")
    return found


def _first(text: str) -> str:
    parts = text.split()
    return parts[0] if parts else ""


def _whole(text: str, path: Path, number: int, what: str) -> int:
    first = _first(text)
    if _WHOLE.fullmatch(first) is None or len(first) > 9:
        said = quoted(text.strip())
        raise InputError(f"{path}: line {number}: {said} was found; {what}, a whole number, was expected.")
    return int(first)


def _hertz(text: str, path: Path, number: int) -> float:
    try:
        found = float(_first(text))
    except ValueError:
        found = math.nan
    if not (math.isfinite(found) and found > 0):
        raise InputError(f"{path}: line {number}: {quoted(text.strip())} was found; a frequency above 0 was expected.")
    return found


def _degree(text: str, path: Path, number: int) -> float:
    first = _first(text)
    if len(first) > 600:
        raise InputError(f"{path}: line {number}: the degree has {len(first)} characters; at most 600 are read.")
    if _CENTS.fullmatch(first):
        octaves = float(first) / 1200.0
        if not abs(octaves) <= _MOST_OCTAVES:
            raise InputError(f"{path}: line {number}: {quoted(first)} cents were found, which is no degree of a scale.")
        return octaves
    ratio = _RATIO.fullmatch(first)
    if ratio is None or int(ratio[1]) == 0 or (ratio[2] is not None and int(ratio[2]) == 0):
        raise InputError(
            f"{path}: line {number}: {quoted(text.strip())} was found; a ratio such as 3/2, or cents with a point, was "
            "expected."
        )
    value = Fraction(int(ratio[1]), int(ratio[2] or 1))
    return math.log2(value.numerator) - math.log2(value.denominator)
