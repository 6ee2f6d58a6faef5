"""An open bench file: made, opened, brought to this version, locked, changed as a whole, closed.

The rollback journal with synchronous FULL keeps it one file at rest and whole after a crash.
"""

from __future__ import annotations

import abc
import contextlib
import sqlite3
import tempfile
import threading
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Self

from dynamis.bench.document.bench import Bench
from dynamis.errors import InputError
from dynamis.files.database import connect, copy_database, data_version, told
from dynamis.files.lock import WriterLock, may_write, take_lock, why_read_only
from dynamis.files.migrate import keep_old, upgrade_file
from dynamis.files.opening import check_rows, damage_named, version_of
from dynamis.files.schema import APPLICATION_ID, CREATE, VERSION
from dynamis.files.writing import publish, real_target


def now() -> str:
    """The time as it is stored: ISO 8601, UTC, seconds."""
    return datetime.now(UTC).replace(microsecond=0).isoformat()


class StoredFile(abc.ABC):
    """An open bench file, whatever is in it.  Made by `create` or `open`; `close` it, or use it as a context manager.

    It may be used from several threads.  read_only : empty, or the sentence that says why nothing can be
    changed.  notice : what happened to the file on the way in, empty where nothing did.
    """

    def __init__(
        self, path: Path, connection: sqlite3.Connection, lock: WriterLock | None, read_only: str = "", notice: str = ""
    ) -> None:
        self.path, self.read_only, self.notice = path, read_only, notice
        self._connection, self._lock = connection, lock
        self._one = threading.RLock()
        self._seen = 0
        self._mends = False
        self._next_lock: WriterLock | None = None
        self._temporary: tempfile.TemporaryDirectory[str] | None = None

    @classmethod
    def create(cls, path: Path, bench: Bench) -> Self:
        """Make a new file; raises `InputError` when it exists or cannot be written."""
        try:
            # "x" leaves no gap between looking and making; SQLite then fills the empty file.
            with open(path, "xb"):
                pass
        except FileExistsError as error:
            raise InputError(f"{path}: the file exists already; it was left as it is.") from error
        except OSError as error:
            raise InputError(f"{path}: cannot be written: {error.strerror or error}.") from error
        lock = take_lock(path)
        connection = connect(path)
        try:
            connection.execute("PRAGMA synchronous = FULL")
            connection.executescript(
                f"BEGIN; PRAGMA application_id = {APPLICATION_ID}; PRAGMA user_version = {VERSION};{CREATE}COMMIT;"
            )
            file = cls(path, connection, lock)
            file.record("new bench", bench)
        except (sqlite3.Error, InputError) as error:
            connection.close()
            if lock is not None:
                lock.release()
            path.unlink(missing_ok=True)
            raise InputError(f"{path}: cannot be written: {error}.") from error
        return file

    @classmethod
    def open(cls, path: Path, *, write: bool = True) -> Self:
        """Open an existing file.

        With `write`, the one that comes first may change it; others, and all where the file or its folder
        cannot be written, open it read-only.  A file of an older version is brought to this one on a copy.

        Raises `InputError` for a missing, foreign or newer file, `DamagedFileError` for a damaged one.
        """
        try:
            if not path.is_file():
                raise InputError(f"{path}: there is no such file.")
            lock = take_lock(path) if write and may_write(path) else None
        except OSError as error:
            raise InputError(f"{path}: cannot be read: {error.strerror or error}.") from error
        read_only = "" if lock is not None else why_read_only(path, write)
        if lock is not None and not may_write(path.parent):
            lock.release()
            lock, read_only = None, why_read_only(path, write)
        opened = cls(path, connect(path), lock, read_only)
        try:
            version = opened._look_over()
            if version < VERSION:
                opened._upgrade(version)
        except BaseException:
            opened.close()
            raise
        return opened

    def _look_over(self) -> int:
        """The file's version; raises for what cannot be opened.  Nothing is changed before all is looked over."""
        connection = self._connection
        with damage_named(connection, self.path):
            version = version_of(connection, self.path)
            connection.execute("PRAGMA synchronous = FULL")
            connection.execute("PRAGMA foreign_keys = ON")
            if self.read_only:
                connection.execute("PRAGMA query_only = ON")
            if version == VERSION:
                self._seen = data_version(connection)
                check_rows(connection, self.path)
                self._look_into()
        return version

    @abc.abstractmethod
    def record(self, label: str, bench: Bench) -> None:
        """Store a new revision of the document."""

    @abc.abstractmethod
    def _look_into(self) -> None:
        """Look at what is stored in it; raises `DamagedFileError` for what could not be judged."""

    def _upgrade(self, version: int) -> None:
        """Go over to an upgraded copy: in the file's own place, or, read-only, in a folder that goes away again."""
        if self._lock is None:
            self._temporary = tempfile.TemporaryDirectory(prefix="dynamis-")
            target = Path(self._temporary.name) / self.path.name
        else:
            target = real_target(self.path)
        try:
            if self._lock is None:
                copy_database(self._connection, target)
                upgrade_file(target)
            else:
                with publish(target, replace=True) as part:
                    copy_database(self._connection, part)
                    upgrade_file(part)
                    kept = keep_old(target, version)
                    # Until the new one has the name nobody else may write it: the old one's lock stays till then.
                    self._next_lock = take_lock(part)
                self._connection.close()
                self._lock.release()
                self._lock, self._next_lock = self._next_lock, None
                self.notice = f"The bench was of file version {version}; it is kept as {kept.name}."
            self._connection.close()
        except (sqlite3.Error, OSError, InputError, KeyError, ValueError, TypeError, AttributeError) as error:
            raise InputError(f"{self.path}: the older bench could not be brought to this version: {error}.") from error
        self._connection = connect(target)
        self._look_over()

    def close(self) -> None:
        with self._one:
            self._connection.close()
            for lock in (self._lock, self._next_lock):
                if lock is not None:
                    lock.release()
            if self._temporary is not None:
                self._temporary.cleanup()

    def changed_elsewhere(self) -> bool:
        """Whether somebody else has changed the file since it was opened or since this was asked last."""
        with self._one:
            before, self._seen = self._seen, data_version(self._connection)
        return self._seen != before

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *exception: object) -> None:
        self.close()

    @contextlib.contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        """One committed change; on a failing disk nothing of it stays, and the sentence says so."""
        if self.read_only:
            raise InputError(self.read_only)
        with self._one:
            try:
                self._connection.execute("BEGIN IMMEDIATE")
                yield self._connection
                self._connection.execute("COMMIT")
            except sqlite3.Error as error:
                if self._connection.in_transaction:
                    self._connection.execute("ROLLBACK")
                raise InputError(f"{self.path}: the change could not be written: {told(error)}") from error
            except BaseException:
                if self._connection.in_transaction:
                    self._connection.execute("ROLLBACK")
                raise

    def _all(self, query: str, values: Sequence[object] = ()) -> list[Any]:
        with self._one:
            return self._connection.execute(query, values).fetchall()

    def _first(self, query: str, values: Sequence[object] = ()) -> Any:
        with self._one:
            return self._connection.execute(query, values).fetchone()
