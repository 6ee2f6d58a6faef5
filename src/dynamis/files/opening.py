"""What is asked of a bench file before it is opened: whose it is, whether it is whole, and what it holds.

Everything that could fail later is read once here, so that a file is refused now, with one sentence, or not at all.
"""

from __future__ import annotations

import contextlib
import sqlite3
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final

import msgspec

from dynamis.bench.document.limits import CELSIUS, HIGHEST_NOTE, MOST_CODE, MOST_HERTZ, MOST_READINGS, MOST_RUNS
from dynamis.errors import InputError
from dynamis.files.database import is_busy
from dynamis.files.known_schema import check_schema
from dynamis.files.schema import APPLICATION_ID, VERSION
from dynamis.notation.safe import quoted

# Looking a file over takes no longer than this.
MOST_SECONDS: Final = 6.0
_STEPS: Final = 20_000
# A reading that is none, as `record_checks.check_reading` has it, asked of all rows at once.
_STRANGE: Final = """SELECT run, number FROM reading WHERE NOT (
    typeof(note) IN ('real', 'integer') AND note BETWEEN 0 AND ? AND typeof(value) IN ('real', 'integer')
    AND abs(value) <= ? AND typeof(own) IN ('real', 'integer') AND own BETWEEN 0 AND ?
    AND (code IS NULL OR (typeof(code) = 'integer' AND code BETWEEN 0 AND ?))
    AND typeof(run) = 'text' AND typeof(taken) = 'text' AND length(taken) <= 200 AND typeof(uid) = 'text'
    AND (range_volts IS NULL OR (typeof(range_volts) IN ('real', 'integer') AND range_volts >= 0))
    AND (celsius IS NULL OR (typeof(celsius) IN ('real', 'integer') AND celsius BETWEEN ? AND ?))
    AND typeof(number) = 'integer'
) LIMIT 1"""
# What is held in memory as a whole, and how much of it there may be.
_LARGE: Final = (("run", "settings"), ("adoption", "content"), ("sent", "content"))
MOST_APPENDED: Final = 32_000_000
# Every text that is read later, so that one that is no text is met now.
_TEXTS: Final = (
    "SELECT label || created FROM revision",
    "SELECT key || value FROM state",
    "SELECT id FROM run",
    "SELECT run || taken || uid FROM reading",
    "SELECT reason || at FROM void",
)


class DamagedFileError(InputError):
    """A bench file that cannot be read as a whole; `salvage` may still get much out of it."""


@contextlib.contextmanager
def damage_named(connection: sqlite3.Connection, path: Path) -> Iterator[None]:
    """What is wrong with a file as a sentence, and an end to what takes too long."""
    until = time.monotonic() + MOST_SECONDS
    connection.set_progress_handler(lambda: int(time.monotonic() > until), _STEPS)
    try:
        yield
    except sqlite3.DatabaseError as error:
        if is_busy(error):
            raise InputError(f"{path}: another program holds the file; close it there, then open it again.") from error
        if time.monotonic() > until:
            raise InputError(
                f"{path}: the file takes longer than {MOST_SECONDS:g} s to look over; it was left as it is."
            ) from error
        raise DamagedFileError(f"{path}: this is no bench that can be read ({error}); it was left as it is.") from error
    finally:
        connection.set_progress_handler(None, 0)


def version_of(connection: sqlite3.Connection, path: Path) -> int:
    """The version of a bench file that is ours and whole; nothing of its own is run before that is known.

    Raises `InputError` for a foreign or newer file, `DamagedFileError` or `sqlite3.DatabaseError` for a damaged one.
    """
    mark = connection.execute("PRAGMA application_id").fetchone()[0]
    version = int(connection.execute("PRAGMA user_version").fetchone()[0])
    if mark != APPLICATION_ID:
        raise InputError(f"{path}: this is no Dynamis bench; it was left as it is.")
    if version > VERSION:
        raise InputError(
            f"{path}: the bench was written by a newer Dynamis (file version {version}, this program knows "
            f"{VERSION}); it was left as it is."
        )
    if version < 1:
        raise DamagedFileError(f"{path}: the bench file has the version {version}, which no Dynamis has written.")
    missing = check_schema(connection, path)
    if missing:
        raise DamagedFileError(f"{path}: the bench file lacks its table {' and '.join(missing)}; it was left as it is.")
    verdict = connection.execute("PRAGMA quick_check(1)").fetchone()[0]
    if verdict != "ok":
        raise DamagedFileError(f"{path}: the bench file is damaged ({verdict}); it was left as it is.")
    return version


def check_rows(connection: sqlite3.Connection, path: Path) -> None:
    """Refuse a file of this version with readings that are none, or texts that cannot be read.

    Raises `DamagedFileError` or `sqlite3.DatabaseError`.
    """
    strange = connection.execute(_STRANGE, (HIGHEST_NOTE, MOST_HERTZ, MOST_HERTZ, MOST_CODE, *CELSIUS)).fetchone()
    if strange is not None:
        raise DamagedFileError(
            f"{path}: reading {quoted(strange[1])} of the run {quoted(strange[0])} holds what no reading can; the file "
            "was left as it is."
        )
    most = connection.execute("SELECT COUNT(*) AS n FROM reading GROUP BY run ORDER BY n DESC LIMIT 1").fetchone()
    runs = connection.execute("SELECT COUNT(*) FROM run").fetchone()[0]
    if runs > MOST_RUNS or (most is not None and most[0] > MOST_READINGS):
        longest = 0 if most is None else most[0]
        raise DamagedFileError(
            f"{path}: the file holds {runs} runs, the longest of {longest} readings; at most {MOST_RUNS} and "
            f"{MOST_READINGS} are taken."
        )
    size = sum(
        connection.execute(f"SELECT TOTAL(LENGTH({column})) FROM {table}").fetchone()[0] for table, column in _LARGE
    )
    if size > MOST_APPENDED:
        raise DamagedFileError(
            f"{path}: its runs, adoptions and sends have {size / 1e6:.0f} MB; at most {MOST_APPENDED / 1e6:.0f} MB are "
            "taken."
        )
    for query in _TEXTS:
        for _ in connection.execute(query):
            pass


def decoded(text: Any, kind: Any, path: Path) -> Any:
    """A record of the file; raises `DamagedFileError` where it is none."""
    try:
        return msgspec.json.decode(text, type=kind)
    except (msgspec.MsgspecError, TypeError, ValueError, RecursionError) as error:
        raise DamagedFileError(f"{path}: the bench file holds what this program cannot read: {error}.") from error
