"""The bench file: one SQLite database, committed at every change, so that there is nothing to save.

The rollback journal with synchronous FULL keeps it one file at rest and whole after a crash.
"""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

import msgspec

from dynamis.bench.document import AdoptionRecord, Bench, PortRef, ReadingRecord, RunRecord
from dynamis.errors import InputError
from dynamis.files.schema import APPLICATION_ID, CREATE, VERSION

_MOST_REVISIONS: Final = 500
_READING: Final = ("id", "run", "number", "note", "value", "taken", "code", "own", "voided", "void_reason")


def now() -> str:
    """The time as it is stored: ISO 8601, UTC, seconds."""
    return datetime.now(UTC).replace(microsecond=0).isoformat()


class BenchFile:
    """An open bench file.  Made by `create` or `open`; `close` it, or use it as a context manager."""

    def __init__(self, path: Path, connection: sqlite3.Connection) -> None:
        self.path = path
        self._connection = connection

    @classmethod
    def create(cls, path: Path, bench: Bench) -> BenchFile:
        """Make a new file; raises `InputError` when it exists or cannot be written."""
        try:
            # "x" leaves no gap between looking and making; SQLite then fills the empty file.
            with open(path, "xb"):
                pass
        except FileExistsError as error:
            raise InputError(f"{path}: the file exists already; it was left as it is.") from error
        except OSError as error:
            raise InputError(f"{path}: cannot be written: {error.strerror or error}.") from error
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            connection.execute("PRAGMA synchronous = FULL")
            connection.executescript(
                f"BEGIN; PRAGMA application_id = {APPLICATION_ID}; PRAGMA user_version = {VERSION};{CREATE}COMMIT;"
            )
            made = cls(path, connection)
            made.record("new bench", bench)
        except sqlite3.Error as error:
            connection.close()
            path.unlink(missing_ok=True)
            raise InputError(f"{path}: cannot be written: {error}.") from error
        return made

    @classmethod
    def open(cls, path: Path) -> BenchFile:
        """Open an existing file; raises `InputError` for a missing, foreign, newer or damaged one."""
        if not path.is_file():
            raise InputError(f"{path}: there is no such file.")
        connection = sqlite3.connect(path, isolation_level=None)
        try:
            connection.execute("PRAGMA synchronous = FULL")
            mark = connection.execute("PRAGMA application_id").fetchone()[0]
            version = connection.execute("PRAGMA user_version").fetchone()[0]
            if mark != APPLICATION_ID:
                raise InputError(f"{path}: this is no Dynamis bench; it was left as it is.")
            if version > VERSION:
                raise InputError(
                    f"{path}: the bench was written by a newer Dynamis (file version {version}, this program knows "
                    f"{VERSION}); it was left as it is."
                )
            connection.execute("PRAGMA foreign_keys = ON")
            opened = cls(path, connection)
            opened.bench()  # a file whose document cannot be read is refused now, not later
        except sqlite3.DatabaseError as error:
            connection.close()
            raise InputError(f"{path}: this is no bench that can be read ({error}); it was left as it is.") from error
        except InputError:
            connection.close()
            raise
        return opened

    def close(self) -> None:
        self._connection.close()

    def __enter__(self) -> BenchFile:
        return self

    def __exit__(self, *exception: object) -> None:
        self.close()

    @contextlib.contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        """One committed change; on a failing disk nothing of it stays, and the sentence says so."""
        try:
            self._connection.execute("BEGIN IMMEDIATE")
            yield self._connection
            self._connection.execute("COMMIT")
        except sqlite3.Error as error:
            if self._connection.in_transaction:
                self._connection.execute("ROLLBACK")
            raise InputError(f"{self.path}: the change could not be written: {error}.") from error
        except BaseException:
            if self._connection.in_transaction:
                self._connection.execute("ROLLBACK")
            raise

    # -- the document and its revisions ------------------------------------------------------------

    def bench(self) -> Bench:
        """The document as it is now."""
        row = self._connection.execute("SELECT bench FROM revision WHERE id = ?", (self._position(),)).fetchone()
        if row is None:
            raise InputError(f"{self.path}: the bench file holds no document.")
        return _decode(row[0], Bench, self.path)

    def record(self, label: str, bench: Bench) -> None:
        """Store a new revision; what had been undone before it is gone from then on."""
        with self._change() as connection:
            position = self._position()
            connection.execute("DELETE FROM revision WHERE id > ?", (position,))
            cursor = connection.execute(
                "INSERT INTO revision (id, label, created, bench) VALUES (?, ?, ?, ?)",
                (position + 1, label, now(), msgspec.json.encode(bench).decode()),
            )
            self._set_position(int(cursor.lastrowid or 0))
            connection.execute("DELETE FROM revision WHERE id <= ?", (position + 1 - _MOST_REVISIONS,))

    def undo_label(self) -> str | None:
        """What undo would take back, None at the first revision."""
        row = self._connection.execute(
            "SELECT label FROM revision WHERE id = ? AND EXISTS (SELECT 1 FROM revision WHERE id = ?)",
            (self._position(), self._position() - 1),
        ).fetchone()
        return None if row is None else str(row[0])

    def redo_label(self) -> str | None:
        row = self._connection.execute("SELECT label FROM revision WHERE id = ?", (self._position() + 1,)).fetchone()
        return None if row is None else str(row[0])

    def undo(self) -> Bench:
        """Go one revision back; raises `InputError` when there is none."""
        if self.undo_label() is None:
            raise InputError("There is nothing to undo.")
        return self._move(-1)

    def redo(self) -> Bench:
        if self.redo_label() is None:
            raise InputError("There is nothing to redo.")
        return self._move(1)

    def _move(self, by: int) -> Bench:
        with self._change():
            self._set_position(self._position() + by)
        return self.bench()

    def _position(self) -> int:
        row = self._connection.execute("SELECT value FROM state WHERE key = 'revision'").fetchone()
        return 0 if row is None else int(row[0])

    def _set_position(self, position: int) -> None:
        self._connection.execute("INSERT OR REPLACE INTO state VALUES ('revision', ?)", (str(position),))

    # -- runs and readings: appended, never edited -------------------------------------------------

    def add_run(self, run: RunRecord) -> RunRecord:
        with self._change() as connection:
            number = connection.execute("SELECT COALESCE(MAX(number), 0) + 1 FROM run").fetchone()[0]
            connection.execute("INSERT INTO run VALUES (?, ?, ?)", (run.id, number, msgspec.json.encode(run).decode()))
        return run

    def runs(self) -> list[RunRecord]:
        """All runs in the order they were begun."""
        rows = self._connection.execute("SELECT settings FROM run ORDER BY number").fetchall()
        return [_decode(row[0], RunRecord, self.path) for row in rows]

    def readings(self, run_id: str, after: int = 0) -> list[ReadingRecord]:
        """The readings of a run in the order they were taken, each with its latest void.

        after : only those with a higher number.
        """
        rows = self._connection.execute(
            "SELECT r.id, r.run, r.number, r.note, r.value, r.taken, r.code, r.own, "
            "COALESCE(v.voided, 0), CASE v.voided WHEN 1 THEN v.reason ELSE '' END "
            "FROM reading r LEFT JOIN void v ON v.id = (SELECT MAX(id) FROM void WHERE reading = r.id) "
            "WHERE r.run = ? AND r.number > ? ORDER BY r.number",
            (run_id, after),
        ).fetchall()
        return [msgspec.convert(dict(zip(_READING, row, strict=True)), ReadingRecord, strict=False) for row in rows]

    def add_readings(
        self, run_id: str, taken: Iterable[tuple[float, float, int | None, float]], at: Sequence[str] | None = None
    ) -> None:
        """Append readings (note, value, code or None, own uncertainty), all of them or none.

        at : when each was taken; now, where it is not given.
        """
        with self._change() as connection:
            number = connection.execute(
                "SELECT COALESCE(MAX(number), 0) FROM reading WHERE run = ?", (run_id,)
            ).fetchone()[0]
            moment = now()
            rows = [
                (run_id, number + k, note, code, value, own, moment if at is None else at[k - 1])
                for k, (note, value, code, own) in enumerate(taken, start=1)
            ]
            connection.executemany(
                "INSERT INTO reading (run, number, note, code, value, own, taken) VALUES (?, ?, ?, ?, ?, ?, ?)", rows
            )

    def set_void(self, reading_id: int, voided: bool, reason: str) -> None:
        """Void a reading or take the void back; the reading itself stays as it was taken."""
        with self._change() as connection:
            connection.execute(
                "INSERT INTO void (reading, voided, reason, at) VALUES (?, ?, ?, ?)",
                (reading_id, int(voided), reason, now()),
            )

    def adopt(self, adoption: AdoptionRecord) -> None:
        """Append an adoption; its id is given here."""
        with self._change() as connection:
            number = connection.execute("SELECT COALESCE(MAX(id), 0) + 1 FROM adoption").fetchone()[0]
            content = msgspec.json.encode(msgspec.structs.replace(adoption, id=number)).decode()
            connection.execute("INSERT INTO adoption VALUES (?, ?)", (number, content))

    def adoptions(self) -> list[AdoptionRecord]:
        rows = self._connection.execute("SELECT content FROM adoption ORDER BY id").fetchall()
        return [_decode(row[0], AdoptionRecord, self.path) for row in rows]

    def in_force(self, channel: PortRef, serial: str) -> AdoptionRecord | None:
        """The last adoption for a channel of a unit, None where there is none or it was withdrawn."""
        mine = [
            one for one in self.adoptions() if (one.gear, one.port, one.serial) == (channel.gear, channel.port, serial)
        ]
        return mine[-1] if mine and mine[-1].kind != "withdrawn" else None

    # -- copies ------------------------------------------------------------------------------------

    def copy_to(self, path: Path) -> None:
        """Write a whole copy, also while the file is in use; an existing file is replaced only when done."""
        temporary = path.with_name(f".{path.name}.part")
        try:
            temporary.unlink(missing_ok=True)
            target = sqlite3.connect(temporary)
            try:
                self._connection.backup(target)
            finally:
                target.close()
            temporary.replace(path)
        except (OSError, sqlite3.Error) as error:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)
            raise InputError(f"{path}: cannot be written: {error}.") from error


def _decode(text: str, kind: Any, path: Path) -> Any:
    try:
        return msgspec.json.decode(text, type=kind)
    except msgspec.MsgspecError as error:
        raise InputError(f"{path}: the bench file holds what this program cannot read: {error}.") from error


def everything(bench_file: BenchFile) -> tuple[Bench, Sequence[RunRecord], list[ReadingRecord], list[AdoptionRecord]]:
    """The document, its runs, all readings and adoptions."""
    runs = bench_file.runs()
    readings = [reading for run in runs for reading in bench_file.readings(run.id)]
    return bench_file.bench(), runs, readings, bench_file.adoptions()
