"""The bench file: revisions, runs, voids, adoptions, versions, copies, JSON."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import msgspec
import pytest

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import rename
from dynamis.bench.document.records import AdoptionRecord, HeadRecord
from dynamis.demo.lantern import CHANNEL_A, bench, write_demo
from dynamis.errors import InputError
from dynamis.files.bench_json import export_json, import_json, schema_text
from dynamis.files.contents import everything
from dynamis.files.schema import APPLICATION_ID, VERSION
from dynamis.files.store import BenchFile


def test_every_change_is_there_after_reopening(empty_file):
    empty_file.record("rename", Bench("Second"))
    path = empty_file.path
    empty_file.close()
    again = BenchFile.open(path)
    assert again.bench().name == "Second"
    again.close()


def test_undo_and_redo_go_through_revisions_also_after_a_restart(empty_file):
    for name in ("One", "Two", "Three"):
        change = rename(empty_file.bench(), name)
        empty_file.record(change.label, change.bench)
    assert empty_file.undo_label() == "rename the bench to Three"
    assert empty_file.undo().name == "Two"
    empty_file.close()
    with BenchFile.open(empty_file.path) as again:
        assert again.undo().name == "One"
        assert again.redo_label() == "rename the bench to Two"
        assert again.redo().name == "Two"
        again.record("rename", Bench("Four"))
        assert again.redo_label() is None
        assert [again.undo().name for _ in range(3)] == ["Two", "One", "Test bench"]
        with pytest.raises(InputError, match="nothing to undo"):
            again.undo()
    with (
        BenchFile.create(empty_file.path.with_name("c.dynamis"), Bench()) as fresh,
        pytest.raises(InputError, match="nothing to redo"),
    ):
        fresh.redo()


def test_readings_are_rows_that_are_voided_and_never_edited(demo_file):
    run = demo_file.runs()[0]
    first = demo_file.readings(run.id)[0]
    demo_file.set_void(first.id, True, "wrong range")
    voided = demo_file.readings(run.id)[0]
    assert (voided.voided, voided.void_reason, voided.value) == (True, "wrong range", first.value)
    demo_file.set_void(first.id, False, "")
    assert demo_file.readings(run.id)[0] == first
    raw = sqlite3.connect(demo_file.path)
    for statement in ("UPDATE reading SET value = 1", "DELETE FROM reading"):
        with pytest.raises(sqlite3.IntegrityError, match="never"):
            raw.execute(statement)
    raw.close()


def test_undo_does_not_touch_readings(demo_file):
    run = demo_file.runs()[0]
    demo_file.record("rename", rename(demo_file.bench(), "Other").bench)
    demo_file.add_readings(run.id, [(60.0, 2.2, None, 0.0)])
    demo_file.undo()
    assert len(demo_file.readings(run.id)) == 22


def test_several_readings_are_taken_together_or_not_at_all(demo_file):
    run = demo_file.runs()[0]
    before = demo_file.readings(run.id)
    with pytest.raises(InputError, match="could not be written"):
        demo_file.add_readings(run.id, [(60.0, 2.2, None, 0.0), (61.0, None, None, 0.0)])
    assert demo_file.readings(run.id) == before


def test_the_last_adoption_of_a_channel_is_in_force_until_it_is_withdrawn(demo_file):
    assert demo_file.in_force(CHANNEL_A, "03").kind == "constants"
    assert demo_file.in_force(CHANNEL_A, "02") is None
    last = demo_file.adoptions()[-1]
    demo_file.adopt(msgspec.structs.replace(last, kind="withdrawn", head=HeadRecord()))
    assert demo_file.in_force(CHANNEL_A, "03") is None
    assert [one.id for one in demo_file.adoptions()] == [1, 2]
    assert isinstance(demo_file.adoptions()[0], AdoptionRecord)


def test_the_file_is_one_file_at_rest_and_marked_as_ours(demo_file):
    raw = sqlite3.connect(demo_file.path)
    assert raw.execute("PRAGMA application_id").fetchone() == (APPLICATION_ID,)
    assert raw.execute("PRAGMA user_version").fetchone() == (VERSION,)
    raw.close()
    assert {path.name for path in demo_file.path.parent.iterdir()} == {demo_file.path.name}


def broken(tmp_path: Path, kind: str) -> Path:
    path = tmp_path / f"{kind}.dynamis"
    if kind == "missing":
        return path
    if kind == "empty":
        path.write_bytes(b"")
    elif kind == "text":
        path.write_text("note,volts\n36,0.2\n" * 200)
    elif kind == "truncated":
        write_demo(path)
        path.write_bytes(path.read_bytes()[:9000])
    elif kind == "foreign":
        made = sqlite3.connect(path)
        made.execute("CREATE TABLE t (x)")
        made.close()
    else:
        write_demo(path)
        made = sqlite3.connect(path)
        if kind == "newer":
            made.execute(f"PRAGMA user_version = {VERSION + 1}")
        else:
            made.execute("UPDATE revision SET bench = '{\"name\": 3}'")
        made.commit()
        made.close()
    return path


@pytest.mark.parametrize(
    ("kind", "word"),
    [
        ("missing", "no such file"),
        ("empty", "no Dynamis bench"),
        ("text", "no bench that can be read"),
        ("foreign", "no Dynamis bench"),
        ("newer", "newer Dynamis"),
        ("truncated", "no bench that can be read"),
        ("damaged", "cannot read"),
    ],
)
def test_a_file_that_is_no_bench_is_refused_and_left_as_it_was(tmp_path, kind, word):
    path = broken(tmp_path, kind)
    before = path.read_bytes() if path.exists() else None
    with pytest.raises(InputError, match=word) as refusal:
        BenchFile.open(path)
    assert str(path) in str(refusal.value)
    assert (path.read_bytes() if path.exists() else None) == before


def test_an_existing_file_is_not_overwritten(tmp_path):
    path = tmp_path / "b.dynamis"
    path.write_text("mine")
    for make in (lambda: BenchFile.create(path, Bench()), lambda: write_demo(path)):
        with pytest.raises(InputError, match="exists already"):
            make()
    assert path.read_text() == "mine"
    with pytest.raises(InputError, match="cannot be written"):
        BenchFile.create(tmp_path / "none" / "b.dynamis", Bench())
    with pytest.raises(InputError, match="not there"):
        write_demo(tmp_path / "none" / "b.dynamis")
    assert {one.name for one in tmp_path.iterdir()} == {"b.dynamis"}


def test_a_failing_disk_loses_nothing_and_says_so(empty_file):
    pages = empty_file._connection.execute("PRAGMA page_count").fetchone()[0]
    empty_file._connection.execute(f"PRAGMA max_page_count = {pages}")
    with pytest.raises(InputError, match=r"could not be written.*full"):
        empty_file.record("notes", Bench("Big", notes="x" * 100_000))
    assert empty_file.bench().name == "Test bench"
    empty_file._connection.execute("PRAGMA max_page_count = 100000")
    empty_file.record("rename", Bench("After"))
    assert empty_file.bench().name == "After"


def test_a_copy_is_whole_also_while_in_use(demo_file, tmp_path):
    target = tmp_path / "copy.dynamis"
    target.write_text("older")
    demo_file.copy_to(target)
    with BenchFile.open(target) as copied:
        assert everything(copied) == everything(demo_file)
    with pytest.raises(InputError, match="cannot be written"):
        demo_file.copy_to(tmp_path / "none" / "copy.dynamis")


def test_json_takes_a_whole_bench_out_and_in(demo_file, tmp_path):
    run = demo_file.runs()[0]
    demo_file.set_void(demo_file.readings(run.id)[3].id, True, "not settled")
    export_json(demo_file, tmp_path / "b.json")
    with import_json(tmp_path / "b.json", tmp_path / "again.dynamis") as again:
        old, new = everything(demo_file), everything(again)
        assert new.bench == old.bench == bench()
        assert (new.runs, new.adoptions, new.sends) == (old.runs, old.adoptions, old.sends)
        assert [msgspec.structs.replace(row, id=0) for row in new.readings] == [
            msgspec.structs.replace(row, id=0) for row in old.readings
        ]


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("", "no exported bench"),
        ("{}", "no exported bench"),
        ('{"format": "x", "version": 1, "bench": {}}', "'x' 1"),
        ('{"format": "dynamis-bench", "version": 99, "bench": {}}', "99"),
        ('{"format": "dynamis-bench", "version": 1, "bench": {"colour": 1}}', "colour"),
        (
            '{"format": "dynamis-bench", "version": 1, "bench": {}, "readings": [{"id":1,"run":"r","number":1,"note":60,"value":2,"taken":""}]}',
            "run 'r'",
        ),
    ],
)
def test_json_that_is_no_bench_is_refused_and_leaves_nothing(tmp_path, text, word):
    source, target = tmp_path / "b.json", tmp_path / "b.dynamis"
    source.write_text(text)
    with pytest.raises(InputError, match=word):
        import_json(source, target)
    assert not target.exists()


def test_the_published_schema_is_the_one_of_the_types():
    published = Path(__file__).parents[2] / "docs" / "bench.schema.json"
    assert published.read_text(encoding="utf-8") == schema_text()
    assert json.loads(schema_text())["$defs"]["Bench"]["type"] == "object"
