"""Everything that a bench file holds, taken out of one and filled into another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.records import AdoptionRecord, ReadingRecord, RunRecord, SendRecord
from dynamis.errors import InputError
from dynamis.files.store import BenchFile
from dynamis.notation.safe import quoted


@dataclass(frozen=True)
class Contents:
    """Everything that a bench file holds but its undo history."""

    bench: Bench
    runs: Sequence[RunRecord] = ()
    readings: Sequence[ReadingRecord] = ()
    adoptions: Sequence[AdoptionRecord] = ()
    sends: Sequence[SendRecord] = ()


def everything(bench_file: BenchFile) -> Contents:
    """The document, its runs, all readings, adoptions and sends."""
    runs = bench_file.runs()
    readings = [reading for run in runs for reading in bench_file.readings(run.id)]
    return Contents(bench_file.bench(), runs, readings, bench_file.adoptions(), bench_file.sends())


def create_filled(path: Path, contents: Contents) -> BenchFile:
    """A new bench file of contents; raises `InputError`, and leaves no file, where they do not go together."""
    file = BenchFile.create(path, contents.bench)
    try:
        _fill(file, contents)
    except InputError:
        file.close()
        path.unlink(missing_ok=True)
        raise
    return file


def _fill(bench_file: BenchFile, contents: Contents) -> None:
    strange = {reading.run for reading in contents.readings} - {run.id for run in contents.runs}
    if strange:
        raise InputError(f"Readings name the run {quoted(min(strange))}, which is not there.")
    for run in contents.runs:
        bench_file.add_run(run)
        rows = [reading for reading in contents.readings if reading.run == run.id]
        add_rows(bench_file, run.id, rows)
        for old, new in zip(rows, bench_file.readings(run.id), strict=True):
            if old.voided:
                bench_file.set_void(new.id, True, old.void_reason)
    for adoption in contents.adoptions:
        bench_file.adopt(adoption)
    for sent in contents.sends:
        bench_file.add_send(sent)


def add_rows(bench_file: BenchFile, run_id: str, rows: Sequence[ReadingRecord]) -> None:
    """Append readings of another file to a run, with when they were taken and their own ids; voids do not come."""
    bench_file.add_readings(
        run_id,
        [(row.note, row.value, row.code, row.own) for row in rows],
        [row.taken for row in rows],
        [row.range_volts for row in rows],
        [row.uid for row in rows],
        [row.celsius for row in rows],
    )
