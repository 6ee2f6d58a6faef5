"""Readings in CSV: strictly as the command line takes them, or by a layout that a person confirmed."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Final

from dynamis.bench.document.records import ReadQuantity
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import from_csv_cell, quoted
from dynamis.pitch.notes import Naming, parse_note

# Nobody measures this many notes of one channel; it bounds what a slip can make of a pasted text.
MOST_ROWS: Final = 5000


@dataclass(frozen=True)
class Layout:
    """How a text is laid out.

    separator : one character.  decimal_comma : 2,5 means 2.5.  header : the first line names columns.
    note, value, own, code, seconds : column numbers from 0, None where there is none; own is the standard
    uncertainty's, code what the converter was given, seconds when it was read.
    quantity, factor : what the value column holds, and what one of its units is in V, Hz or ct (mV: 0.001).
    """

    separator: str = ","
    decimal_comma: bool = False
    header: bool = True
    note: int = 0
    value: int = 1
    own: int | None = None
    quantity: ReadQuantity = "volts"
    factor: float = 1.0
    code: int | None = None
    seconds: int | None = None


@dataclass(frozen=True)
class CsvReading:
    """One reading of a text, with its line; code and seconds are None where they are not given."""

    line: int
    note: float
    value: float
    own: float
    code: int | None = None
    seconds: float | None = None


def strict_layout(text: str, quantity: ReadQuantity | None, where: str) -> Layout:
    """The layout that a header of the command line's contract gives.

    `note` and `volts`, `hertz` or `cents` are needed; more than one of them need `quantity`; `u_volts`, `u_hertz` or
    `u_cents` is each reading's own standard uncertainty.  Cells are parted by commas, semicolons or tabs.
    """
    first = next((line for line in text.splitlines() if line.strip()), "")
    separator = next((mark for mark in "\t;" if mark in first), ",")
    line, names = next(_lines(text, separator, where), (1, []))
    names = [name.strip() for name in names]
    for name in names:
        if name and names.count(name) > 1:
            raise InputError(f"{where}: line {line}: the column {quoted(name)} stands twice in the header.")
    known: list[ReadQuantity] = [one for one in ("volts", "hertz", "cents") if one in names]
    if "note" not in names or not known:
        raise InputError(
            f"{where}: line {line}: the header is {quoted(','.join(names))}; columns note and volts (or hertz, "
            "or cents) were expected."
        )
    if quantity is None:
        if len(known) > 1:
            options = " or ".join(f"--quantity {one}" for one in known)
            raise InputError(f"{where} has {' and '.join(known)}; say {options}.")
        quantity = known[0]
    if quantity not in names:
        raise InputError(f"--quantity {quantity} was asked, but {where} has no column {quantity}.")

    def column(name: str) -> int | None:
        return names.index(name) if name in names else None

    return Layout(
        separator,
        separator != ",",
        True,
        names.index("note"),
        names.index(quantity),
        column(f"u_{quantity}"),
        quantity,
        1.0,
        column("code"),
        column("seconds"),
    )


def read_rows(text: str, layout: Layout, where: str, naming: Naming = Naming()) -> list[CsvReading]:
    """The readings of a text by its layout; blank lines are passed over.

    Raises `InputError` naming `where` and the line for a cell that is missing, no number or no note, and
    for more than 5000 rows.
    """
    rows: list[CsvReading] = []
    width: int | None = None
    for line, cells in _lines(text, layout.separator, where):
        if width is None:
            width = len(cells)
            if layout.header:
                continue
        at = f"{where}: line {line}"
        if len(cells) > width and any(cell.strip() for cell in cells[width:]):
            raise InputError(f"{at} has {len(cells)} cells; {width} were expected (a decimal comma?).")
        rows.append(_reading(line, cells, layout, at, naming))
        if len(rows) > MOST_ROWS:
            raise InputError(f"{where} has more than {MOST_ROWS} readings; a run is shorter than that.")
    if not rows:
        raise InputError(f"{where} has no readings.")
    return rows


def _reading(line: int, cells: list[str], layout: Layout, at: str, naming: Naming) -> CsvReading:
    def cell(column: int) -> str:
        return from_csv_cell(cells[column].strip()) if column < len(cells) else ""

    unit = {"volts": "volts", "hertz": "hertz", "cents": "cents"}[layout.quantity]
    if not cell(layout.note):
        raise InputError(f"{at} has no note.")
    if not cell(layout.value):
        raise InputError(f"{at} has no {unit}.")
    try:
        note = parse_note(_point(cell(layout.note), layout), naming)
        value = parse_plain(_point(cell(layout.value), layout), unit) * layout.factor
        own = 0.0
        if layout.own is not None and cell(layout.own):
            own = parse_plain(_point(cell(layout.own), layout), f"u_{unit}") * layout.factor
        code, seconds = (
            None if column is None or not cell(column) else parse_plain(_point(cell(column), layout), name)
            for name, column in (("code", layout.code), ("seconds", layout.seconds))
        )
    except InputError as error:
        raise InputError(f"{at}: {error}") from error
    if code is not None and code != int(code):
        raise InputError(f"{at}: code is {cell(layout.code or 0)}; a whole number was expected.")
    if own < 0:
        raise InputError(f"{at}: u_{unit} is {cell(layout.own or 0)}; an uncertainty cannot be below 0.")
    if layout.quantity == "hertz" and value <= 0:
        raise InputError(f"{at}: hertz is {cell(layout.value)}; a frequency is above 0.")
    if not (math.isfinite(note) and math.isfinite(value)):
        raise InputError(f"{at} has a number that is too large.")
    return CsvReading(line, note, value, own, None if code is None else int(code), seconds)


def _point(cell: str, layout: Layout) -> str:
    return cell.replace(",", ".") if layout.decimal_comma else cell


def _lines(text: str, separator: str, where: str) -> Iterator[tuple[int, list[str]]]:
    """Line number and cells of every line that is not blank."""
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    while True:
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            raise InputError(f"{where}: line {reader.line_num} is not CSV: {error}.") from error
        if any(cell.strip() for cell in cells):
            yield reader.line_num, cells


_HEAD_VALUE: Final = re.compile(
    r"(volts?|mv|v|hertz|hz|khz|cents?|ct|freq.*|measured.*|reading.*|value.*|spannung.*)\b", re.I
)
_FACTORS: Final[dict[str, tuple[ReadQuantity, float]]] = {
    "mv": ("volts", 1e-3),
    "khz": ("hertz", 1e3),
    "hz": ("hertz", 1.0),
    "hertz": ("hertz", 1.0),
    "ct": ("cents", 1.0),
    "cent": ("cents", 1.0),
    "cents": ("cents", 1.0),
    "v": ("volts", 1.0),
    "volt": ("volts", 1.0),
    "volts": ("volts", 1.0),
}


def guess_layout(text: str, quantity: ReadQuantity = "volts") -> Layout:
    """A first layout for a text of unknown make, for a person to confirm.

    The separator is the one that cuts the first lines into the most equal pieces; a comma is a decimal
    comma where another separator does so.
    """
    sample = [line for line in text.splitlines()[:50] if line.strip()]
    separator = max("\t;,| ", key=lambda mark: _evenness(sample, mark))
    if _evenness(sample, separator) <= 0:
        separator = ","
    decimal_comma = separator != "," and any(re.search(r"\d,\d", line) for line in sample)
    first = sample[0].split(separator) if sample else []
    header = not any(_is_number(cell, decimal_comma) for cell in first)
    layout = Layout(separator, decimal_comma, header, quantity=quantity)
    if not header or len(first) < 2:
        return layout
    names = [name.strip().strip('"').lower() for name in first]
    note = next((k for k, name in enumerate(names) if re.match(r"note|key|midi|n$", name)), 0)
    matching = [k for k, name in enumerate(names) if re.match(r"(u_)?" + quantity[:4], name)]
    value = next((k for k in matching if not names[k].startswith("u_")), None)
    if value is None:
        value = next((k for k, name in enumerate(names) if k != note and _HEAD_VALUE.match(name)), None)
    if value is None:
        value = next((k for k in range(len(names)) if k != note), 0)
    own = next((k for k, name in enumerate(names) if name.startswith("u_")), None)
    layout = replace(layout, note=note, value=value, own=own)
    unit = next((word for word in re.findall(r"[a-z]+", names[value]) if word in _FACTORS), None)
    if unit is not None:
        layout = replace(layout, quantity=_FACTORS[unit][0], factor=_FACTORS[unit][1])
    return layout


def _evenness(sample: list[str], mark: str) -> float:
    counts = [line.strip().count(mark) if mark == " " else line.count(mark) for line in sample]
    if not counts or min(counts) == 0:
        return 0.0
    even = sum(count == counts[0] for count in counts) / len(counts)
    return even * (0.5 if mark in ", " else 1.0)


def _is_number(cell: str, decimal_comma: bool) -> bool:
    try:
        parse_plain(cell.replace(",", ".") if decimal_comma else cell, "cell")
    except InputError:
        return False
    return True
