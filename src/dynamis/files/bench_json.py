"""A whole bench as JSON, out and in, with its published schema."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Final

import msgspec

from dynamis.bench.document import AdoptionRecord, Bench, ReadingRecord, Record, RunRecord
from dynamis.errors import InputError
from dynamis.files.schema import VERSION
from dynamis.files.store import BenchFile, everything
from dynamis.files.text import read_text, write_whole

FORMAT: Final = "dynamis-bench"


class BenchExport(Record, frozen=True):
    """Everything that a bench file holds but its undo history."""

    format: str
    version: int
    bench: Bench
    runs: tuple[RunRecord, ...] = ()
    readings: tuple[ReadingRecord, ...] = ()
    adoptions: tuple[AdoptionRecord, ...] = ()


def export_json(bench_file: BenchFile, path: Path) -> None:
    """Write the whole bench as JSON; an older file of that name is replaced only when all is written."""
    bench, runs, readings, adoptions = everything(bench_file)
    made = BenchExport(FORMAT, VERSION, bench, tuple(runs), tuple(readings), tuple(adoptions))
    write_whole(path, msgspec.json.format(msgspec.json.encode(made), indent=2) + b"\n")


def import_json(source: Path, target: Path) -> BenchFile:
    """Make a new bench file of an exported bench; raises `InputError` naming the source when it is not one."""
    text = read_text(source)
    try:
        taken = msgspec.json.decode(text, type=BenchExport)
    except msgspec.MsgspecError as error:
        raise InputError(f"{source}: this is no exported bench: {error}.") from error
    if taken.format != FORMAT or taken.version > VERSION:
        raise InputError(
            f"{source}: the format is {taken.format!r} {taken.version}; {FORMAT!r} up to {VERSION} is read here."
        )
    made = BenchFile.create(target, taken.bench)
    try:
        _fill(made, taken, source)
    except InputError:
        made.close()
        target.unlink(missing_ok=True)
        raise
    return made


def _fill(made: BenchFile, taken: BenchExport, source: Path) -> None:
    for run in taken.runs:
        made.add_run(run)
        rows = [reading for reading in taken.readings if reading.run == run.id]
        made.add_readings(run.id, [(row.note, row.value, row.code, row.own) for row in rows],
                          [row.taken for row in rows])  # fmt: skip
        for old, new in zip(rows, made.readings(run.id), strict=True):
            if old.voided:
                made.set_void(new.id, True, old.void_reason)
    strange = {reading.run for reading in taken.readings} - {run.id for run in taken.runs}
    if strange:
        raise InputError(f"{source}: readings name the run {min(strange)!r}, which is not in the file.")
    for adoption in taken.adoptions:
        made.adopt(adoption)


def schema() -> dict[str, Any]:
    """The JSON Schema of an exported bench."""
    made = msgspec.json.schema(BenchExport)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Dynamis bench", **made}


def schema_text() -> str:
    return json.dumps(schema(), indent=2, ensure_ascii=False) + "\n"
