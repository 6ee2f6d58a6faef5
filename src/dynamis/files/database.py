"""What the bench file asks of SQLite."""

from __future__ import annotations

import contextlib
import sqlite3
from pathlib import Path

from dynamis.errors import InputError


def copy_database(source: sqlite3.Connection, target: Path) -> None:
    """A whole copy of an open database, also while it is in use; raises `InputError` when it cannot be written."""
    try:
        target.unlink(missing_ok=True)
        made = sqlite3.connect(target)
        try:
            source.backup(made)
        finally:
            made.close()
    except (OSError, sqlite3.Error) as error:
        with contextlib.suppress(OSError):
            target.unlink(missing_ok=True)
        raise InputError(f"{target}: cannot be written: {error}.") from error


def connect(path: Path) -> sqlite3.Connection:
    """Open a database whose transactions are begun and ended by hand, from any one thread at a time."""
    return sqlite3.connect(path, isolation_level=None, check_same_thread=False)


def data_version(connection: sqlite3.Connection) -> int:
    """Another number whenever somebody else has changed the file."""
    return int(connection.execute("PRAGMA data_version").fetchone()[0])


def told(error: sqlite3.Error) -> str:
    """What a failed write means at the bench."""
    if "full" in str(error):
        return "the disk is full. Make room, then try again; nothing that was stored is lost."
    return f"{error}."
