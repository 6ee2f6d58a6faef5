"""The bench file's tables, and its version.

`application_id` marks the file as ours; `user_version` counts the schema.  Revisions hold the document
as JSON; runs, readings, adoptions and what was sent to boards are rows, appended and never edited; a void
is a row of its own.  `migrate.py` brings older versions here.
"""

from __future__ import annotations

from typing import Final

APPLICATION_ID: Final = 0x44594E4D  # "DYNM"
VERSION: Final = 8

SENT: Final = "CREATE TABLE sent (id INTEGER PRIMARY KEY, content TEXT NOT NULL);"

NEVER_EDITED: Final = """CREATE TRIGGER reading_never_edited BEFORE UPDATE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are never edited'); END;"""

RANGE_COLUMN: Final = "range_volts REAL"
UID_COLUMN: Final = "uid TEXT NOT NULL DEFAULT ''"
CELSIUS_COLUMN: Final = "celsius REAL"

CREATE: Final = f"""
CREATE TABLE revision (
    id INTEGER PRIMARY KEY,
    label TEXT NOT NULL,
    created TEXT NOT NULL,
    bench TEXT NOT NULL
);
CREATE TABLE state (key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE run (
    id TEXT PRIMARY KEY,
    number INTEGER NOT NULL UNIQUE,
    settings TEXT NOT NULL
);
CREATE TABLE reading (
    id INTEGER PRIMARY KEY,
    run TEXT NOT NULL REFERENCES run(id),
    number INTEGER NOT NULL,
    note REAL NOT NULL,
    code INTEGER,
    value REAL NOT NULL,
    own REAL NOT NULL DEFAULT 0,
    taken TEXT NOT NULL,
    {RANGE_COLUMN},
    {UID_COLUMN},
    {CELSIUS_COLUMN},
    UNIQUE (run, number)
);
CREATE TABLE void (
    id INTEGER PRIMARY KEY,
    reading INTEGER NOT NULL REFERENCES reading(id),
    voided INTEGER NOT NULL CHECK (voided IN (0, 1)),
    reason TEXT NOT NULL,
    at TEXT NOT NULL
);
CREATE INDEX void_by_reading ON void(reading);
CREATE TABLE adoption (
    id INTEGER PRIMARY KEY,
    content TEXT NOT NULL
);
{SENT}
{NEVER_EDITED}
CREATE TRIGGER reading_never_deleted BEFORE DELETE ON reading
BEGIN SELECT RAISE(ABORT, 'readings are never deleted'); END;
"""
