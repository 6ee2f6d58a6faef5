"""Older bench files and exports brought to this version; always on a copy, so that the old one stays as it was.

Version 2: a table is kept as distances from its constants (it was a list of codes); readings know the meter's
range; what was sent to boards has a table of its own.  Version 3: ports, gear and links know more of themselves;
what version 2 stored is read as it is.  Version 5: the rails at hand, instruments, ids that are unique across files.
Version 6: branches of links, knobs that turn something, outputs that follow inputs of their gear.  Version 7: readings
know their temperature, runs and tables their tuning.  Version 8: signals that are made of a converter's.
"""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, Final

from dynamis.converter.dac import Dac
from dynamis.converter.heads import ConstantsHead, sixteenths_of
from dynamis.files.database import connect
from dynamis.files.ids import uid_of
from dynamis.files.schema import CELSIUS_COLUMN, NEVER_EDITED, RANGE_COLUMN, SENT, UID_COLUMN, VERSION
from dynamis.files.writing import write_whole
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tuning import EqualTemperament

_DAC_KEYS: Final = ("bits", "low_volts", "high_volts", "gain", "offset_volts")


def upgrade_file(path: Path) -> None:
    """Bring a copy of a bench file to this version, each step with its version number in one transaction."""
    connection = connect(path)
    try:
        version = connection.execute("PRAGMA user_version").fetchone()[0]
        while version < VERSION:
            connection.execute("BEGIN IMMEDIATE")
            try:
                _STEPS[version](connection)
                version += 1
                connection.execute(f"PRAGMA user_version = {version}")
                connection.execute("COMMIT")
            except BaseException:
                connection.execute("ROLLBACK")
                raise
    finally:
        connection.close()


def _from_1(connection: sqlite3.Connection) -> None:
    connection.execute(f"ALTER TABLE reading ADD COLUMN {RANGE_COLUMN}")
    connection.execute(SENT)
    runs = {run_id: json.loads(text) for run_id, text in connection.execute("SELECT id, settings FROM run")}
    for run_id, run in runs.items():
        text = json.dumps(upgrade_run(run), ensure_ascii=False)
        connection.execute("UPDATE run SET settings = ? WHERE id = ?", (text, run_id))
    for number, text in connection.execute("SELECT id, content FROM adoption").fetchall():
        adoption = upgrade_adoption(json.loads(text), runs)
        connection.execute(
            "UPDATE adoption SET content = ? WHERE id = ?", (json.dumps(adoption, ensure_ascii=False), number)
        )


def _new_fields(connection: sqlite3.Connection) -> None:
    """Only new fields and kinds of transfer, which are empty in what was stored: nothing has to be rewritten."""


def _from_4(connection: sqlite3.Connection) -> None:
    """What is appended gets ids that are unique across files, the same in every copy of an older one."""
    connection.execute(f"ALTER TABLE reading ADD COLUMN {UID_COLUMN}")
    connection.execute("DROP TRIGGER reading_never_edited")
    runs = {run_id: json.loads(text) for run_id, text in connection.execute("SELECT id, settings FROM run")}
    for run_id, run in runs.items():
        text = json.dumps(with_uid(run, *_RUN_KEYS), ensure_ascii=False)
        connection.execute("UPDATE run SET settings = ? WHERE id = ?", (text, run_id))
    for key, run_id, *row in connection.execute("SELECT id, run, number, note, value, taken FROM reading").fetchall():
        uid = _uid_of_reading(run_id, runs, *row)
        connection.execute("UPDATE reading SET uid = ? WHERE id = ?", (uid, key))
    connection.execute(NEVER_EDITED)
    for table, keys in (("adoption", _ADOPTION_KEYS), ("sent", _SEND_KEYS)):
        for key, text in connection.execute(f"SELECT id, content FROM {table}").fetchall():
            content = json.dumps(with_uid(json.loads(text), *keys), ensure_ascii=False)
            connection.execute(f"UPDATE {table} SET content = ? WHERE id = ?", (content, key))


def _from_6(connection: sqlite3.Connection) -> None:
    connection.execute(f"ALTER TABLE reading ADD COLUMN {CELSIUS_COLUMN}")


def with_uid(record: dict[str, Any], *keys: str) -> dict[str, Any]:
    """A record with an id of what it holds, where it has none."""
    return record if record.get("uid") else {**record, "uid": uid_of(*(record.get(key) for key in keys))}


_RUN_KEYS: Final = ("id", "created", "gear", "serial", "port")
_ADOPTION_KEYS: Final = ("id", "gear", "serial", "port", "run", "adopted")
_SEND_KEYS: Final = ("id", "gear", "serial", "port", "at")


_STEPS: Final[dict[int, Callable[[sqlite3.Connection], None]]] = {
    1: _from_1,
    2: _new_fields,
    3: _new_fields,
    4: _from_4,
    5: _new_fields,
    6: _from_6,
    7: _new_fields,
}


def upgrade_run(run: dict[str, Any]) -> dict[str, Any]:
    """A run as version 1 stored it, as this version does; one of this version stays as it is."""
    return {**run, "head": _upgrade_head(run["head"], run)} if "head" in run else run


def upgrade_adoption(adoption: dict[str, Any], runs: Mapping[str, dict[str, Any]]) -> dict[str, Any]:
    """An adoption as version 1 stored it; `runs` : by id, with law and converter of the run it came from."""
    run = runs.get(adoption["run"])
    if run is None:
        return adoption
    return {**adoption, "head": _upgrade_head(adoption["head"], run)}


def _upgrade_head(head: dict[str, Any], run: dict[str, Any]) -> dict[str, Any]:
    """A list of codes as distances from the nominal values, which come to the same codes at every whole note."""
    if "codes" not in head:
        return head
    values = run["converter"]["values"]
    dac = Dac(**{key: values[key] for key in _DAC_KEYS if key in values})
    under = ConstantsHead("nominal", parse_law(run["law"]), dac, tuning=EqualTemperament(run.get("a4_hertz", 440.0)))
    first = head.get("first_note", 0)
    notes = [float(first + k) for k in range(len(head["codes"]))]
    kept = {key: value for key, value in head.items() if key != "codes"}
    return {**kept, "sixteenths": sixteenths_of(under, notes, head["codes"])}


def upgrade_export(taken: dict[str, Any]) -> dict[str, Any]:
    """A whole exported bench of an older version."""
    runs = {run["id"]: run for run in taken.get("runs", [])}
    if taken.get("version") == 1:
        taken = {
            **taken,
            "runs": [upgrade_run(run) for run in taken.get("runs", [])],
            "adoptions": [upgrade_adoption(one, runs) for one in taken.get("adoptions", [])],
        }
    tables = {}
    for name, keys in (("runs", _RUN_KEYS), ("adoptions", _ADOPTION_KEYS), ("sends", _SEND_KEYS)):
        if name in taken:
            tables[name] = [with_uid(one, *keys) for one in taken[name]]
    if "readings" in taken:
        tables["readings"] = [_reading_with_uid(one, runs) for one in taken["readings"]]
    return {**taken, **tables}


def _reading_with_uid(reading: dict[str, Any], runs: Mapping[str, dict[str, Any]]) -> dict[str, Any]:
    own = [reading.get(key) for key in ("number", "note", "value", "taken")]
    return {**reading, "uid": _uid_of_reading(reading.get("run"), runs, *own)}


def _uid_of_reading(run: Any, runs: Mapping[str, dict[str, Any]], *own: Any) -> str:
    """Alike for the file and for what was exported of it, where 60 and 60.0 are one note."""
    begun = runs.get(str(run), {}).get("created")
    return uid_of(run, begun, *(float(one) if isinstance(one, int | float) else one for one in own))


def keep_old(path: Path, version: int) -> Path:
    """Keep an older file beside itself, under a name that tells its version; gives that name.

    Its own name goes on leading to it, until something newer is put there.
    """
    kept, number = path.with_name(f"{path.stem} (version {version}){path.suffix}"), 2
    while True:
        try:
            os.link(path, kept)
            return kept
        except FileExistsError:
            kept = path.with_name(f"{path.stem} (version {version}, {number}){path.suffix}")
            number += 1
        except OSError:  # a file system without hard links
            write_whole(kept, path.read_bytes(), replace=False)
            return kept
