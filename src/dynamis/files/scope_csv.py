"""What an oscilloscope saves as CSV: columns of time and volts under a header of any kind."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.files.text import read_text
from dynamis.notation.safe import one_line
from dynamis.waveform.trace import Trace

FloatArray = NDArray[np.float64]
MOST_BYTES: Final = 96 * 1024 * 1024
MOST_SAMPLES: Final = 2_000_000
MOST_COLUMNS: Final = 32
_HEADER_LINES: Final = 200
_SAMPLE_LINES: Final = 40
_MOST_CELL: Final = 60
# A time axis may stand still for a sample where its digits end, no more.
_RISING: Final = 0.5
_SECONDS: Final = {"ps": 1e-12, "ns": 1e-9, "µs": 1e-6, "μs": 1e-6, "us": 1e-6, "ms": 1e-3, "s": 1.0, "sec": 1.0}
_VOLTS: Final = {"uv": 1e-6, "µv": 1e-6, "μv": 1e-6, "mv": 1e-3, "v": 1.0, "volt": 1.0, "volts": 1.0, "kv": 1e3}
_SECONDS["second"] = _SECONDS["seconds"] = 1.0


def read_traces(path: Path, stop: Callable[[], bool] = lambda: False) -> list[Trace]:
    """The channels of a file, each with the nearest column of time at its left.

    The separator is a tab, semicolon, comma or spaces; 2,5 is 2.5 where the comma separates nothing.  Units stand in
    the two lines ahead of the numbers; without any, seconds and volts.  Cells that are no number are left out, and
    counted.  stop : asked now and then.  Raises `InputError`, naming the file.
    """
    lines = read_text(path, MOST_BYTES, or_latin=True).splitlines()
    split, first, width = _layout(lines, path)
    rows = [line for line in lines[first:] if line.strip()]
    if len(rows) > MOST_SAMPLES:
        raise InputError(f"{path}: {len(rows)} samples; at most {MOST_SAMPLES} are read.")
    table = _numbers(rows, split, width, path, stop)
    return _traces(table, _heads([line for line in lines[:first] if line.strip()][-2:], split, width), path)


def _layout(lines: list[str], path: Path) -> tuple[tuple[str, bool], int, int]:
    """How cells are parted, the line with the first numbers, and how many columns there are."""
    filled = [k for k, line in enumerate(lines) if line.strip()]
    if not filled:
        raise InputError(f"{path}: the file is empty.")
    # Numbers are looked for in the middle and at the end, where no header is.
    sample = [lines[k] for k in (filled[len(filled) // 2 :] or filled)[:_SAMPLE_LINES]]
    best: tuple[int, tuple[str, bool]] = (0, (",", False))
    for separator in ("\t", ";", ",", " "):
        for comma in (False,) if separator == "," else (True, False):
            split = separator, comma
            widths = [sum(_number(cell) is not None for cell in _cells(line, split)) for line in sample]
            even = int(np.median(widths))
            if even > best[0] and sum(width == even for width in widths) >= 0.8 * len(widths):
                best = even, split
    width, split = best
    if width < 2:
        raise InputError(f"{path}: no columns of numbers were found; time and volts were expected, side by side.")
    for k in filled[:_HEADER_LINES]:
        cells = _cells(lines[k], split)
        if sum(_number(cell) is not None for cell in cells) >= width:
            return split, k, min(len(cells), MOST_COLUMNS)
    raise InputError(
        f"{path}: no numbers stand in the first {_HEADER_LINES} lines; a header was expected, then columns."
    )


def _cells(line: str, split: tuple[str, bool]) -> list[str]:
    separator, comma = split
    cells = line.split() if separator == " " else line.split(separator)
    cells = [cell.strip().strip('"').strip() for cell in cells]
    while cells and not cells[-1]:
        cells.pop()
    return [cell.replace(",", ".") for cell in cells] if comma else cells


def _number(cell: str) -> float | None:
    if not cell or len(cell) > _MOST_CELL or not cell.isascii() or "_" in cell:
        return None
    try:
        value = float(cell)
    except ValueError:
        return None
    return value if np.isfinite(value) and abs(value) < 1e30 else None


def _numbers(
    rows: Sequence[str], split: tuple[str, bool], width: int, path: Path, stop: Callable[[], bool]
) -> FloatArray:
    table = np.full((len(rows), width), np.nan)
    for k, row in enumerate(rows):
        if k % 10_000 == 0 and stop():
            raise InputError(f"{path}: given up.")
        for column, cell in enumerate(_cells(row, split)[:width]):
            value = _number(cell)
            if value is not None:
                table[k, column] = value
    return table


def _heads(lines: Sequence[str], split: tuple[str, bool], width: int) -> list[str]:
    """What stands above each column, in lines that are as wide and have no numbers."""
    rows = [_cells(line, split) for line in lines]
    rows = [cells for cells in rows if len(cells) >= width and all(_number(cell) is None for cell in cells)]
    return [one_line(" ".join(cells[k] for cells in rows), _MOST_CELL) for k in range(width)]


def _unit(head: str, units: dict[str, float]) -> float | None:
    return next((units[word] for word in reversed(re.findall(r"[a-zµμ]+", head.lower())) if word in units), None)


def _traces(table: FloatArray, heads: list[str], path: Path) -> list[Trace]:
    times: list[int] = []
    traces: list[Trace] = []
    for column, head in enumerate(heads):
        values = table[:, column]
        known = np.isfinite(values)
        if not known.any():
            continue
        if _is_time(values[known], head):
            times.append(column)
        elif times:
            traces.append(
                _trace(table[:, times[-1]] * (_unit(heads[times[-1]], _SECONDS) or 1.0), values, head, column)
            )
    if not times:
        raise InputError(f"{path}: none of its {len(heads)} columns rises steadily; one of time was expected.")
    if not traces:
        raise InputError(f"{path}: there is a column of time, and none of volts at its right.")
    return traces


def _is_time(values: FloatArray, head: str) -> bool:
    """Whether a column rises all the way, in even steps, and is not said to be volts."""
    if values.size < 2 or _unit(head, _VOLTS) is not None:
        return False
    steps = np.diff(values)
    return bool(np.all(steps >= 0) and np.mean(steps > 0) > _RISING and steps.max() <= 4.0 * np.median(steps))


def _trace(seconds: FloatArray, values: FloatArray, head: str, column: int) -> Trace:
    known = np.isfinite(seconds) & np.isfinite(values)
    lost = int(np.sum(np.isfinite(seconds) & ~np.isfinite(values)))
    seconds, volts = seconds[known], values[known] * (_unit(head, _VOLTS) or 1.0)
    # Where its digits end, two samples have one time: spread over the steps that there are.
    if seconds.size > 1 and np.any(np.diff(seconds) <= 0):
        seconds = np.linspace(seconds[0], seconds[-1], seconds.size)
    return Trace(head or f"column {column + 1}", seconds, volts, lost)
