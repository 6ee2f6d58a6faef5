"""What a bench file's tables may be: those that some version of this program has written, or has brought an older one
to, and nothing else.

A file from somebody else may hold views, triggers and checks of its own, which SQLite would run.  So its schema is read
as plain rows, before anything else is asked of it, and compared.
"""

from __future__ import annotations

import sqlite3
from functools import lru_cache
from pathlib import Path

from dynamis.errors import InputError
from dynamis.files.schema import CELSIUS_COLUMN, CREATE, RANGE_COLUMN, UID_COLUMN


def spaced(sql: str) -> str:
    """SQL with its spaces as one, so that the layout of a text does not count."""
    return " ".join(sql.split())


@lru_cache(maxsize=1)
def known_objects() -> dict[tuple[str, str], frozenset[str]]:
    """By type and name, the SQL that an object may have."""
    columns: dict[tuple[str, str], set[str]] = {}
    columns_since = (RANGE_COLUMN, UID_COLUMN, CELSIUS_COLUMN)  # in the order in which they came
    for have in range(len(columns_since) + 1):
        script, grown = CREATE, columns_since[have:]
        for later in grown:
            script = script.replace(f"    {later},\n", "")
        connection = sqlite3.connect(":memory:")
        connection.executescript(script)
        for column in (None, *grown):
            if column is not None:
                connection.execute(f"ALTER TABLE reading ADD COLUMN {column}")
            for kind, name, sql in connection.execute("SELECT type, name, sql FROM sqlite_master"):
                columns.setdefault((kind, name), set()).add(spaced(sql or ""))
        connection.close()
    return {key: frozenset(sqls) for key, sqls in columns.items()}


def check_schema(connection: sqlite3.Connection, path: Path) -> list[str]:
    """Refuse a file with more than we have ever written; gives what is missing, for which salvage is the way.

    Raises `InputError` naming what is foreign, `sqlite3.DatabaseError` where not even this can be read.
    """
    known, there = known_objects(), set()
    for kind, name, sql in connection.execute("SELECT type, name, sql FROM sqlite_master").fetchall():
        allowed = known.get((kind, name))
        if allowed is None or spaced(sql or "") not in allowed:
            raise InputError(
                f"{path}: the file holds a {str(kind)[:20]} that no Dynamis has written; it was left as it is, and "
                "nothing in it was run."
            )
        there.add((kind, name))
    return sorted(name for kind, name in known if kind == "table" and (kind, name) not in there and name != "sent")
