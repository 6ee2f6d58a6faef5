"""The changes of signals as CSV: `seconds,signal,volts`, a row for each, in time order."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from dynamis.control.stepped import merged
from dynamis.converter.playing.rendering import Signal
from dynamis.errors import InputError
from dynamis.files.writing import publish

_ROWS = 1 << 16


def write_events(part: Path, signals: Sequence[Signal], name: str = "") -> None:
    """Fill a file that is not there yet; `name` stands in refusals.  Raises `InputError`."""
    try:
        with part.open("x", encoding="utf-8", newline="") as file:
            file.writelines(event_rows(signals))
    except OSError as error:
        raise InputError(f"{name or part}: cannot be written: {error.strerror or error}.") from error


def event_rows(signals: Sequence[Signal]) -> Iterator[str]:
    """The header, then blocks of rows in full precision."""
    yield "seconds,signal,volts\n"
    when, which, volts = merged((one.name, one.steps) for one in signals)
    names = [_cell(one.name) for one in signals]
    for at in range(0, when.size, _ROWS):
        block = slice(at, at + _ROWS)
        rows = zip(when[block].tolist(), which[block].tolist(), volts[block].tolist(), strict=True)
        yield "".join(f"{seconds!r},{names[index]},{value!r}\n" for seconds, index, value in rows)


def _cell(name: str) -> str:
    """A name as CSV has it (RFC 4180)."""
    return '"' + name.replace('"', '""') + '"' if any(one in name for one in ',"') else name


def save_events(path: Path, signals: Sequence[Signal]) -> None:
    """Write them whole or not at all.  Raises `InputError`."""
    with publish(path, replace=True) as part:
        write_events(part, signals, str(path))
