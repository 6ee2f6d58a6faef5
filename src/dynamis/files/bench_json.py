"""A whole bench as JSON, out and in, with its published schema."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Final

import msgspec

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.ports import Record
from dynamis.bench.document.record_checks import check_records
from dynamis.bench.document.records import AdoptionRecord, ReadingRecord, RunRecord, SendRecord
from dynamis.bench.document.texts import check_texts
from dynamis.errors import InputError
from dynamis.files.contents import Contents, create_filled, everything
from dynamis.files.migrate import upgrade_export
from dynamis.files.schema import VERSION
from dynamis.files.store import BenchFile
from dynamis.files.text import read_text
from dynamis.files.writing import write_whole
from dynamis.notation.safe import quoted

FORMAT: Final = "dynamis-bench"


class BenchExport(Record, frozen=True):
    """Everything that a bench file holds but its undo history."""

    format: str
    version: int
    bench: Bench
    runs: tuple[RunRecord, ...] = ()
    readings: tuple[ReadingRecord, ...] = ()
    adoptions: tuple[AdoptionRecord, ...] = ()
    sends: tuple[SendRecord, ...] = ()


def export_json(bench_file: BenchFile, path: Path) -> None:
    """Write the whole bench as JSON; an older file of that name is replaced only when all is written."""
    write_whole(path, contents_json(everything(bench_file)))


def contents_json(held: Contents) -> bytes:
    """What a bench holds, as its JSON."""
    bench_export = BenchExport(
        FORMAT, VERSION, held.bench, tuple(held.runs), tuple(held.readings), tuple(held.adoptions), tuple(held.sends)
    )
    return msgspec.json.format(msgspec.json.encode(bench_export), indent=2) + b"\n"


def read_json(source: Path) -> Contents:
    """What an exported bench holds, older versions included; raises `InputError` naming the source."""
    text = read_text(source)
    try:
        raw = msgspec.json.decode(text)
        version = raw.get("version") if isinstance(raw, dict) else None
        if isinstance(version, int) and version < VERSION and raw.get("format") == FORMAT:
            raw = upgrade_export(raw)
        taken = msgspec.convert(raw, BenchExport)
    except RecursionError as error:
        raise InputError(f"{source}: this is no exported bench: it is nested too deep.") from error
    except (msgspec.MsgspecError, KeyError, TypeError, ValueError, AttributeError) as error:
        raise InputError(f"{source}: this is no exported bench: {error}.") from error
    if taken.format != FORMAT or taken.version > VERSION:
        raise InputError(
            f"{source}: the format is {quoted(taken.format)} {taken.version}; {FORMAT!r} up to {VERSION} is read here."
        )
    try:
        for what in ("bench", "runs", "readings", "adoptions", "sends"):
            check_texts(getattr(taken, what), what)
        check_bench(taken.bench)
        check_records(taken.runs, taken.readings, taken.adoptions, taken.sends)
    except InputError as error:
        raise InputError(f"{source}: {error}") from error
    return Contents(taken.bench, taken.runs, taken.readings, taken.adoptions, taken.sends)


def import_json(source: Path, target: Path) -> BenchFile:
    """Make a new bench file of an exported bench; raises `InputError` naming the source when it is not one."""
    contents = read_json(source)
    try:
        return create_filled(target, contents)
    except InputError as error:
        raise InputError(f"{source}: {error}") from error


def schema() -> dict[str, Any]:
    """The JSON Schema of an exported bench."""
    schema = msgspec.json.schema(BenchExport)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Dynamis bench", **schema}


def schema_text() -> str:
    return json.dumps(schema(), indent=2, ensure_ascii=False) + "\n"
