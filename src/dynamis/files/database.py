"""What the bench file asks of SQLite."""

from __future__ import annotations

import contextlib
import sqlite3
from pathlib import Path

from dynamis.errors import InputError
from dynamis.files.text import MOST_BYTES

# How long another program is waited for that holds the file.
_BUSY_SECONDS = 2.0
# A value of 16 MB holds the largest document; nothing that is asked is long, deep or of many parts.
_LIMITS = (
    (sqlite3.SQLITE_LIMIT_LENGTH, MOST_BYTES),
    (sqlite3.SQLITE_LIMIT_SQL_LENGTH, 100_000),
    (sqlite3.SQLITE_LIMIT_COLUMN, 100),
    (sqlite3.SQLITE_LIMIT_EXPR_DEPTH, 50),
    (sqlite3.SQLITE_LIMIT_COMPOUND_SELECT, 5),
    (sqlite3.SQLITE_LIMIT_VDBE_OP, 25_000),
    (sqlite3.SQLITE_LIMIT_FUNCTION_ARG, 8),
    (sqlite3.SQLITE_LIMIT_ATTACHED, 0),
    (sqlite3.SQLITE_LIMIT_LIKE_PATTERN_LENGTH, 100),
    (sqlite3.SQLITE_LIMIT_TRIGGER_DEPTH, 2),
    (sqlite3.SQLITE_LIMIT_WORKER_THREADS, 0),
)


def copy_database(source: sqlite3.Connection, target: Path) -> None:
    """A whole copy of an open database, also while it is in use; raises `InputError` when it cannot be written."""
    try:
        target.unlink(missing_ok=True)
        connection = sqlite3.connect(target)
        try:
            source.backup(connection)
        finally:
            connection.close()
    except (OSError, sqlite3.Error) as error:
        with contextlib.suppress(OSError):
            target.unlink(missing_ok=True)
        raise InputError(f"{target}: cannot be written: {error}.") from error


def connect(path: Path) -> sqlite3.Connection:
    """Open a database whose transactions are begun and ended by hand, from any one thread at a time.

    It may come from somebody else: nothing that its schema says is trusted, and SQLite's own limits are lowered to what
    a bench needs.
    """
    connection = sqlite3.connect(path, timeout=_BUSY_SECONDS, isolation_level=None, check_same_thread=False)
    connection.execute("PRAGMA trusted_schema = OFF")
    connection.execute("PRAGMA cell_size_check = ON")
    for limit, most in _LIMITS:
        connection.setlimit(limit, most)
    return connection


def data_version(connection: sqlite3.Connection) -> int:
    """Another number whenever somebody else has changed the file."""
    return int(connection.execute("PRAGMA data_version").fetchone()[0])


def is_busy(error: sqlite3.Error) -> bool:
    """Whether another program holds the file, which is whole."""
    return getattr(error, "sqlite_errorcode", 0) & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED)


def told(error: sqlite3.Error) -> str:
    """What a failed write means at the bench."""
    if is_busy(error):
        return "another program holds the file. Close it there, then try again."
    if "full" in str(error):
        return "the disk is full. Make room, then try again; nothing that was stored is lost."
    return f"{error}."
