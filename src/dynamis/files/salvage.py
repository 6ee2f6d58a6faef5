"""A damaged bench file read as far as it can be read, into a new one; the damaged one is only copied."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final, TypeVar

import msgspec
from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Gear, Unit
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.ports import Port
from dynamis.bench.document.record_checks import check_adoption, check_reading, check_run, check_sent
from dynamis.bench.document.records import AdoptionRecord, ReadingRecord, RunRecord, SendRecord
from dynamis.bench.document.texts import with_safe_texts
from dynamis.errors import InputError
from dynamis.files.contents import Contents, create_filled
from dynamis.files.database import connect
from dynamis.files.migrate import upgrade_adoption, upgrade_run
from dynamis.files.store import BenchFile

# A gap of this many rows that cannot be read ends the search for more.
_MOST_GAP: Final = 4096
# More rows than these of one kind are not looked for.
MOST_ROWS: Final = 2_000_000
MOST_TEXT: Final = 64_000_000
_STEPS: Final = 20_000
Recovered = TypeVar("Recovered")
_READING: Final = ("id", "run", "number", "note", "value", "taken", "code", "own", "range_volts", "uid", "celsius")


@dataclass
class Salvaged:
    """What could be read.  lost : by kind, how many rows could not be."""

    bench: Bench | None = None
    runs: list[RunRecord] = field(default_factory=list)
    readings: list[ReadingRecord] = field(default_factory=list)
    adoptions: list[AdoptionRecord] = field(default_factory=list)
    sends: list[SendRecord] = field(default_factory=list)
    lost: dict[str, int] = field(default_factory=dict)
    cancelled: Callable[[], bool] = lambda: False

    def into(self, path: Path) -> BenchFile:
        """A new bench file of what was read."""
        bench = _completed(self.bench or Bench("Salvaged"), self.runs)
        return create_filled(path, Contents(bench, self.runs, self.readings, self.adoptions, self.sends))

    def sentence(self) -> str:
        """What was saved, and what was lost, in numbers."""
        saved = f"{len(self.runs)} runs, {len(self.readings)} readings and {len(self.adoptions)} adoptions were read"
        gone = ", ".join(f"{count} of the {kind}" for kind, count in self.lost.items() if count)
        bench = (
            "" if self.bench is not None else "; the state of the bench could not be: its gear was made from the runs"
        )
        return f"{saved}{bench}; {gone + ' could not be' if gone else 'nothing is known to be lost'}."


def salvage(path: Path, cancelled: Callable[[], bool] = lambda: False) -> Salvaged:
    """Read what can be read of a damaged bench file, row by row, on a copy with its journal.

    cancelled : asked from time to time; where it says so, the reading ends.  Raises `InputError` when nothing at all
    can be read, or it was cancelled.
    """
    with tempfile.TemporaryDirectory(prefix="dynamis-salvage-") as folder:
        copied = Path(folder) / "damaged.dynamis"
        try:
            shutil.copyfile(path, copied)
            journal = path.with_name(path.name + "-journal")
            if journal.exists():
                shutil.copyfile(journal, copied.with_name(copied.name + "-journal"))
        except OSError as error:
            raise InputError(f"{path}: cannot be read: {error.strerror or error}.") from error
        connection = connect(copied)
        # A question that is still at work is ended too.
        connection.set_progress_handler(lambda: int(cancelled()), _STEPS)
        try:
            salvaged = _read_all(connection, cancelled)
        finally:
            connection.close()
    if cancelled():
        raise InputError(f"{path}: the salvage was cancelled; nothing was written.")
    if salvaged.bench is None and not salvaged.runs:
        raise InputError(f"{path}: nothing in this file can be read; it was left as it is.")
    return salvaged


def _read_all(connection: sqlite3.Connection, cancelled: Callable[[], bool]) -> Salvaged:
    salvaged = Salvaged(cancelled=cancelled)
    revisions = [number for number, _ in _rows(connection, "revision", ("label",), salvaged, "states of the bench")]
    position = next((row[0] for _, row in _rows(connection, "state", ("value",), Salvaged(), "")), None)
    for number in sorted(revisions, key=lambda one: (str(one) == position, one), reverse=True):
        salvaged.bench = _checked(_decoded(_state(connection, number), Bench), check_bench)
        if salvaged.bench is not None:
            break
    raw_runs: dict[str, dict[str, Any]] = {}
    for _, (text,) in _rows(connection, "run", ("settings",), salvaged, "runs"):
        run = _checked(_decoded_with(text, RunRecord, upgrade_run), check_run)
        if run is None:
            _lose(salvaged, "runs")
            continue
        salvaged.runs.append(run)
        raw_runs[run.id] = json.loads(text)
    voids = {
        row[0]: (row[1], row[2])
        for _, row in _rows(connection, "void", ("reading", "voided", "reason"), salvaged, "voids")
    }
    columns = [name for name in _READING if name in _columns(connection, "reading")]
    known = {run.id for run in salvaged.runs}
    for number, row in _rows(connection, "reading", tuple(columns), salvaged, "readings"):
        values = dict(zip(columns, row, strict=True))
        voided, reason = voids.get(number, (0, ""))
        try:
            reading = msgspec.convert(
                {**values, "voided": bool(voided), "void_reason": reason if voided else ""}, ReadingRecord, strict=False
            )
        except msgspec.MsgspecError:
            _lose(salvaged, "readings")
            continue
        if reading.run in known and _checked(reading, check_reading) is not None:
            salvaged.readings.append(reading)
        else:
            _lose(salvaged, "readings")
    salvaged.readings.sort(key=lambda one: (one.run, one.number))
    for _, (text,) in _rows(connection, "adoption", ("content",), salvaged, "adoptions"):
        adoption = _decoded_with(text, AdoptionRecord, lambda one: upgrade_adoption(one, raw_runs))
        adoption = _checked(adoption, check_adoption)
        if adoption is not None:
            salvaged.adoptions.append(adoption)
        else:
            _lose(salvaged, "adoptions")
    for _, (text,) in _rows(connection, "sent", ("content",), salvaged, "sends"):
        sent = _checked(_decoded(text, SendRecord), check_sent)
        if sent is not None:
            salvaged.sends.append(sent)
        else:
            _lose(salvaged, "sends")
    return salvaged


def _state(connection: sqlite3.Connection, number: int) -> Any:
    """The text of a state of the bench, None where it cannot be read; one at a time, since each may be large."""
    try:
        row = connection.execute("SELECT bench FROM revision WHERE rowid = ?", (number,)).fetchone()
    except sqlite3.DatabaseError:
        return None
    return None if row is None else row[0]


def _completed(bench: Bench, runs: list[RunRecord]) -> Bench:
    """A bench with the gear that runs are about: each run carries its channel's law, converter and meter."""
    gear = {owner.id: owner for owner in bench.gear}
    meters = {owner.id: owner for owner in bench.meters}
    for run in runs:
        owner = gear.get(run.gear) or Gear(run.gear, run.gear.replace("-", " ").capitalize())
        if all(port.id != run.port for port in owner.ports):
            port = Port(
                run.port,
                run.port.replace("-", " "),
                "output",
                law=run.law,
                ohms=run.output_ohms,
                transfers=() if run.converter is None else (run.converter,),
                trimmers=run.trimmers,
            )
            owner = replace(owner, ports=(*owner.ports, port))
        if all(unit.serial != run.serial for unit in owner.units):
            owner = replace(owner, units=(*owner.units, Unit(run.serial)))
        gear[run.gear] = owner
        if run.meter is not None:
            meters.setdefault(run.meter.id, run.meter)
    return replace(bench, gear=tuple(gear.values()), meters=tuple(meters.values()))


def _lose(salvaged: Salvaged, kind: str) -> None:
    salvaged.lost[kind] = salvaged.lost.get(kind, 0) + 1


def _columns(connection: sqlite3.Connection, table: str) -> set[str]:
    try:
        real = connection.execute("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", (table,)).fetchone()
        if real is None:  # a view of that name is none of ours
            return set()
        return {row[1] for row in connection.execute(f"PRAGMA table_info({table})")}
    except sqlite3.DatabaseError:
        return set()


def _rows(
    connection: sqlite3.Connection, table: str, columns: tuple[str, ...], salvaged: Salvaged, kind: str
) -> Iterator[tuple[Any, tuple[Any, ...]]]:
    """Row by row: a page that cannot be read costs its own rows and no others."""
    if not columns or not set(columns) <= _columns(connection, table):
        return
    if table in ("state",):  # without row numbers
        try:
            for row in connection.execute(f"SELECT {', '.join(columns)} FROM {table}"):
                yield None, row
        except sqlite3.DatabaseError:
            return
        return
    wanted = f"SELECT rowid, {', '.join(columns)} FROM {table}"
    after, gap, read, size = 0, 0, 0, 0
    while gap < _MOST_GAP and not salvaged.cancelled():
        try:
            row = connection.execute(f"{wanted} WHERE rowid > ? ORDER BY rowid LIMIT 1", (after,)).fetchone()
        except sqlite3.DatabaseError:
            # The next row cannot be reached in order: ask for the numbers behind it one by one.
            try:
                row = connection.execute(f"{wanted} WHERE rowid = ?", (after + 1,)).fetchone()
            except sqlite3.DatabaseError:
                row = None
            if row is None:
                after, gap = after + 1, gap + 1
                continue
        if row is None:
            return
        size += sum(len(cell) for cell in row if isinstance(cell, str | bytes))
        if row[0] <= after:  # a damaged page that leads back to where it came from
            return
        if read >= MOST_ROWS or size > MOST_TEXT:
            salvaged.lost[kind] = salvaged.lost.get(kind, 0) + _behind(connection, table, after)
            return
        read += 1
        if gap and kind:  # behind the last row nobody knows how many there were
            salvaged.lost[kind] = salvaged.lost.get(kind, 0) + gap
        after, gap = row[0], 0
        yield row[0], row[1:]


def _checked(record: Recovered | None, check: Callable[[Recovered], None]) -> Recovered | None:
    """A record with its texts on one line, None where it could not be judged."""
    if record is None:
        return None
    safe = with_safe_texts(record)[0]
    try:
        check(safe)
    except InputError:
        return None
    return safe


def _behind(connection: sqlite3.Connection, table: str, after: int) -> int:
    """How many rows are behind one; one at least."""
    try:
        count = connection.execute(f"SELECT COUNT(*) FROM {table} WHERE rowid > ?", (after,)).fetchone()[0]
    except sqlite3.DatabaseError:
        return 1
    return max(1, int(count))


def _decoded(text: Any, kind: Any) -> Any:
    try:
        return msgspec.json.decode(text, type=kind)
    except (msgspec.MsgspecError, TypeError, ValueError, RecursionError):
        return None


def _decoded_with(text: Any, kind: Any, upgrade: Any) -> Any:
    try:
        return msgspec.convert(upgrade(json.loads(text)), kind, strict=False)
    except (msgspec.MsgspecError, ValueError, TypeError, KeyError, AttributeError, RecursionError, InputError):
        return None
