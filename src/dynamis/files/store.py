"""What is in a bench file: revisions of the document, and rows that are appended.

One SQLite database, committed at every change, so that there is nothing to save.
"""

from __future__ import annotations

import math
import sqlite3
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any, Final, TypeVar

import msgspec

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.limits import MOST_READINGS
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.record_checks import check_records, counted
from dynamis.bench.document.records import AdoptionRecord, ReadingRecord, RunRecord, SendRecord
from dynamis.bench.document.texts import with_safe_texts
from dynamis.bench.runs.history import MIDDLE_NOTE, Sums, tuned_sums
from dynamis.errors import InputError
from dynamis.files.database import copy_database
from dynamis.files.ids import fresh_uid
from dynamis.files.opening import DamagedFileError, decoded
from dynamis.files.stored import StoredFile, now
from dynamis.files.writing import publish

_MOST_REVISIONS: Final = 500
_READING: Final = (
    "id",
    "run",
    "number",
    "note",
    "value",
    "taken",
    "code",
    "own",
    "voided",
    "void_reason",
    "range_volts",
    "uid",
    "celsius",
)
# Digits of a revision number.
_MOST_DIGITS: Final = 15
Appended = TypeVar("Appended", RunRecord, AdoptionRecord, SendRecord)


class BenchFile(StoredFile):
    """The document and its revisions, runs, readings, adoptions and what was sent.  See `StoredFile`."""

    def _look_into(self) -> None:
        """What could not be judged is refused now; names that are not one line are made so each time they are read,
        and said once."""
        held = (self.bench(), *self.runs(), *self.adoptions(), *self.sends())
        mended = sum(with_safe_texts(one)[1] for one in held)
        if mended:
            self._mends = True
            what = "A name" if mended == 1 else f"{mended} names"
            sentence = (
                f"{what} in this bench had several lines, characters that are not seen, or was too long: cut here."
            )
            self.notice = f"{self.notice} {sentence}".strip()
        try:
            check_bench(self.bench())
            check_records(self.runs(), (), self.adoptions(), self.sends())
        except InputError as error:
            raise DamagedFileError(f"{self.path}: {error}") from error

    # -- the document and its revisions ------------------------------------------------------------

    def bench(self) -> Bench:
        """The document as it is now."""
        row = self._first("SELECT bench FROM revision WHERE id = ?", (self._position(),))
        if row is None:
            raise DamagedFileError(f"{self.path}: the bench file holds no document; it was left as it is.")
        return self._safe(decoded(row[0], Bench, self.path))

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
        position = self._position()
        row = self._first(
            "SELECT label FROM revision WHERE id = ? AND EXISTS (SELECT 1 FROM revision WHERE id = ?)",
            (position, position - 1),
        )
        return None if row is None else str(row[0])

    def redo_label(self) -> str | None:
        row = self._first("SELECT label FROM revision WHERE id = ?", (self._position() + 1,))
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
            there = self.bench()
            check_bench(there)  # one that could not be judged is not gone to
        return there

    def _position(self) -> int:
        row = self._first("SELECT value FROM state WHERE key = 'revision'")
        if row is None:
            return 0
        if not row[0].isascii() or not row[0].isdigit() or len(row[0]) > _MOST_DIGITS:
            raise DamagedFileError(f"{self.path}: the bench file does not say where it stands; it was left as it is.")
        return int(row[0])

    def _set_position(self, position: int) -> None:
        self._connection.execute("INSERT OR REPLACE INTO state VALUES ('revision', ?)", (str(position),))

    # -- runs and readings: appended, never edited -------------------------------------------------

    def add_run(self, run: RunRecord) -> RunRecord:
        run = _with_uid(run)
        with self._change() as connection:
            number = connection.execute("SELECT COALESCE(MAX(number), 0) + 1 FROM run").fetchone()[0]
            connection.execute("INSERT INTO run VALUES (?, ?, ?)", (run.id, number, msgspec.json.encode(run).decode()))
        return run

    def runs(self) -> list[RunRecord]:
        """All runs in the order they were begun."""
        return self._records("SELECT settings FROM run ORDER BY number", RunRecord)

    def _records(self, query: str, kind: type[Appended]) -> list[Appended]:
        return [self._safe(decoded(row[0], kind, self.path)) for row in self._all(query)]

    def _safe(self, record: Any) -> Any:
        return with_safe_texts(record)[0] if self._mends else record

    def readings(self, run_id: str, after: int = 0) -> list[ReadingRecord]:
        """The readings of a run in the order they were taken, each with its latest void.

        after : only those with a higher number.
        """
        rows = self._all(
            "SELECT r.id, r.run, r.number, r.note, r.value, r.taken, r.code, r.own, "
            "COALESCE(v.voided, 0), CASE v.voided WHEN 1 THEN v.reason ELSE '' END, r.range_volts, r.uid, r.celsius "
            "FROM reading r LEFT JOIN void v ON v.id = (SELECT MAX(id) FROM void WHERE reading = r.id) "
            "WHERE r.run = ? AND r.number > ? ORDER BY r.number",
            (run_id, after),
        )
        return [msgspec.convert(dict(zip(_READING, row, strict=True)), ReadingRecord, strict=False) for row in rows]

    def sums(self, *, logs: bool = True, tuned: Sequence[RunRecord] = ()) -> dict[str, Sums]:
        """Of the readings that count, by run: what the log needs of them, added up where they are.

        logs : whether the logarithms' sums are wanted; they take as long as all others.  tuned : runs in a tuning of
        their own, whose notes have places of their own.
        """
        with self._one:
            try:
                self._connection.execute("SELECT ln(1.0)")
            except sqlite3.OperationalError:  # built without mathematics
                self._connection.create_function("ln", 1, math.log, deterministic=True)
        more = ", SUM(w), SUM(x*w), SUM(w*w), SUM(v > 0)" if logs else ""
        inner = ", CASE WHEN value > 0 THEN ln(value) ELSE 0.0 END AS w" if logs else ""
        counting = (
            "WHERE id NOT IN (SELECT reading FROM void v WHERE voided = 1 "
            "AND id = (SELECT MAX(id) FROM void WHERE reading = v.reading))"
        )
        rows = self._all(
            f"SELECT run, COUNT(*), SUM(x), SUM(x*x), SUM(v), SUM(x*v), SUM(v*v){more} FROM ("
            f"SELECT run, (note - ?) / 12.0 AS x, value AS v{inner} "
            f"FROM reading {counting}) GROUP BY run",
            (MIDDLE_NOTE,),
        )
        found = {run: Sums(*values) for run, *values in rows}
        for run in tuned:
            pairs = self._all(f"SELECT note, value FROM reading {counting} AND run = ?", (run.id,))
            if pairs:
                found[run.id] = tuned_sums(run, *zip(*pairs, strict=True))
        return found

    def add_readings(
        self,
        run_id: str,
        taken: Iterable[tuple[float, float, int | None, float]],
        at: Sequence[str] | None = None,
        ranges: Sequence[float | None] | None = None,
        uids: Sequence[str] | None = None,
        celsius: Sequence[float | None] | None = None,
    ) -> None:
        """Append readings (note, value, code or None, own uncertainty), all of them or none.

        at : when each was taken; now, where it is not given.  ranges : full scale of the meter's range.  uids : fresh
        ones where they are not given, or empty.  celsius : the temperature at each, where it is known.
        """
        with self._change() as connection:
            number = connection.execute(
                "SELECT COALESCE(MAX(number), 0) FROM reading WHERE run = ?", (run_id,)
            ).fetchone()[0]
            moment = now()
            taken = list(taken)
            counted("readings of a run", number + len(taken), MOST_READINGS)
            rows = [
                (
                    run_id,
                    number + k,
                    note,
                    code,
                    value,
                    own,
                    moment if at is None else at[k - 1],
                    None if ranges is None else ranges[k - 1],
                    (uids[k - 1] if uids else "") or fresh_uid(),
                    None if celsius is None else celsius[k - 1],
                )
                for k, (note, value, code, own) in enumerate(taken, start=1)
            ]
            connection.executemany(
                "INSERT INTO reading (run, number, note, code, value, own, taken, range_volts, uid, celsius) "
                "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                rows,
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
            content = msgspec.json.encode(msgspec.structs.replace(_with_uid(adoption), id=number)).decode()
            connection.execute("INSERT INTO adoption VALUES (?, ?)", (number, content))

    def adoptions(self) -> list[AdoptionRecord]:
        return self._records("SELECT content FROM adoption ORDER BY id", AdoptionRecord)

    def in_force(self, channel: PortRef, serial: str) -> AdoptionRecord | None:
        """The last adoption for a channel of a unit, None where there is none or it was withdrawn."""
        mine = [
            one for one in self.adoptions() if (one.gear, one.port, one.serial) == (channel.gear, channel.port, serial)
        ]
        return mine[-1] if mine and mine[-1].kind != "withdrawn" else None

    # -- what was sent to boards -------------------------------------------------------------------

    def add_send(self, sent: SendRecord) -> SendRecord:
        """Append what was sent and verified; its id is given here."""
        with self._change() as connection:
            number = connection.execute("SELECT COALESCE(MAX(id), 0) + 1 FROM sent").fetchone()[0]
            stored = msgspec.structs.replace(_with_uid(sent), id=number)
            connection.execute("INSERT INTO sent VALUES (?, ?)", (number, msgspec.json.encode(stored).decode()))
        return stored

    def sends(self) -> list[SendRecord]:
        """Everything that was sent, oldest first."""
        return self._records("SELECT content FROM sent ORDER BY id", SendRecord)

    # -- copies ------------------------------------------------------------------------------------

    def copy_to(self, path: Path) -> None:
        """Write a whole copy, also while the file is in use; an existing file is replaced only when done."""
        with publish(path, replace=True) as part, self._one:
            copy_database(self._connection, part)


def _with_uid(record: Appended) -> Appended:
    return record if record.uid else msgspec.structs.replace(record, uid=fresh_uid())
