"""Files from anybody: what they are called, hold and are made of can do nothing to whoever opens them.

Outside sources: ngspice runs the exported circuits, gcc compiles the exported headers, SQLite makes the hostile files.
"""

from __future__ import annotations

import csv
import io
import json
import os
import sqlite3
import subprocess
from pathlib import Path

import pytest
from msgspec.structs import replace
from tests.fuzzing import targets

from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.between import asked_of, built, smallest_with_op_amp, use_between
from dynamis.bench.document.ports import PortRef
from dynamis.calibration.frequency import parse_frequency_words
from dynamis.calibration.meter import parse_meter_words
from dynamis.converter.firmware import BoardCorrection
from dynamis.demo.lantern import bench, write_demo
from dynamis.errors import InputError
from dynamis.files.bench_json import import_json
from dynamis.files.c_header import c_header
from dynamis.files.contents import everything
from dynamis.files.exports import ChannelExport
from dynamis.files.midi_tuning import read_tuning_dump
from dynamis.files.opening import DamagedFileError
from dynamis.files.readings_csv import read_rows, strict_layout
from dynamis.files.reports.making import whole_report, written_as
from dynamis.files.salvage import salvage
from dynamis.files.spice import link_spice
from dynamis.files.store import BenchFile
from dynamis.files.text import read_text
from dynamis.notation.safe import ascii_line, comment, csv_row, from_csv_cell, hidden, one_line, terminal
from dynamis.notation.style import Style
from timing import at_once

BOARD, TONE = PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone")
OLD = Path(__file__).parent / "old"
HOSTILE = [
    "x\n.control\nshell touch {mark}\n.endc\n*",
    "x */ int smuggled = 1; /*",
    "x \\",
    "x ??/",
    "a/*b",
    "x\u202egnp.exe",
    "x\r\n.shell touch {mark}",
    "x*\\\n/ int smuggled = 2; /\\\n*",
    "Ω ÷ ž ♯",
    "x\u2028.include /etc/passwd",
    "\x1b[2J",
    "x" * 5000,
    "=cmd|'/c calc'!A0",
    "\x00",
    "",
]


@pytest.fixture(scope="module")
def drawn():
    """The demo bench with a circuit between that can be written as SPICE text."""
    held = bench()
    requirement = asked_of(held, trial_link(held.link_from(BOARD), BOARD, TONE), TONE)
    return use_between(held, BOARD, TONE, built(smallest_with_op_amp(requirement))).bench


@pytest.mark.parametrize("name", HOSTILE, ids=range(len(HOSTILE)))
def test_a_name_stays_a_name_in_spice_and_in_c(drawn, name, tmp_path):
    mark = tmp_path / "mark"
    name = name.format(mark=mark)
    gear = tuple(replace(one, name=name) if one.id == BOARD.gear else one for one in drawn.gear)
    held = replace(drawn, gear=gear)
    text = link_spice(held, held.link_from(BOARD), TONE)
    assert all(" " <= one <= "~" for one in text.replace("\n", ""))
    deck = tmp_path / "deck.cir"
    deck.write_text(text)
    done = subprocess.run(["ngspice", "-b", deck], capture_output=True, text=True, timeout=60, check=False)
    assert "v(out)" in done.stdout
    assert not mark.exists()
    (tmp_path / "h.h").write_text(
        c_header(
            BoardCorrection("E", 1, 1), 12, prefix="board", sentences=[f"{name}: of a channel", name], notes=[36.0]
        )
    )
    (tmp_path / "m.c").write_text('#include "h.h"\nint smuggled(void); int smuggled(void) { return board_check(); }\n')
    strict = ["-std=c99", "-trigraphs", "-Wall", "-Wextra", "-Wpedantic", "-Werror", "-Wbidi-chars=any", "-Wno-unused"]
    subprocess.run(["gcc", *strict, "-c", "-o", tmp_path / "m.o", tmp_path / "m.c"], check=True)


def test_names_that_fall_together_in_c_are_counted(demo_file):
    held = demo_file.bench()
    ports = [replace(port, name="Pitch ♯") for port in held.gear_by(BOARD.gear).ports]
    held = replace(
        held, gear=tuple(replace(one, ports=tuple(ports)) if one.id == BOARD.gear else one for one in held.gear)
    )
    made = [ChannelExport(held, PortRef(BOARD.gear, port), "03", None)._prefix() for port in ("pitch-a", "pitch-b")]
    assert made[0] != made[1]


@pytest.mark.parametrize(
    ("cell", "written"),
    [
        ("=1+1", "'=1+1"),
        ("-x", "'-x"),
        ("@sum", "'@sum"),
        ("\tx", "'\tx"),
        ("-1.5", "-1.5"),
        ("+2e3", "+2e3"),
        ("a=1", "a=1"),
        (-3, -3),
    ],
)
def test_a_cell_is_no_formula_and_comes_back(cell, written):
    out = io.StringIO()
    csv.writer(out).writerow(csv_row([cell, "x"]))
    assert next(csv.reader(io.StringIO(out.getvalue())))[0] == str(written)
    assert from_csv_cell(str(written)) == str(cell)


@pytest.mark.parametrize("text", [*HOSTILE, "né\u0301e", "a\u00a0b", "\ud800"], ids=range(len(HOSTILE) + 3))
def test_no_text_keeps_what_cannot_be_seen(text):
    for made in (one_line(text), comment(text), ascii_line(text), terminal(text).replace("\n", "")):
        assert not hidden(made)
    assert len(one_line(text)) <= 200
    assert not any(mark in comment(text) for mark in ("*/", "/*", "\\", "??"))


# -- bench files ---------------------------------------------------------------------------------------

ENDLESS = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT x AS id, '{}' AS bench FROM n"
FOREIGN = {
    "view": f"ALTER TABLE revision RENAME TO kept; CREATE VIEW revision AS {ENDLESS}",
    "more view": f"CREATE VIEW other AS {ENDLESS}",
    "trigger": "CREATE TRIGGER gone AFTER INSERT ON revision BEGIN DELETE FROM run; END",
    "changed trigger": "DROP TRIGGER reading_never_edited; CREATE TRIGGER reading_never_edited BEFORE UPDATE ON reading "
    "BEGIN DELETE FROM void; END",
    "table": "CREATE TABLE more (x)",
    "column": "ALTER TABLE run ADD COLUMN more TEXT GENERATED ALWAYS AS (hex(zeroblob(100000000)))",
    "index": "CREATE INDEX i ON run (abs(number))",
}


@pytest.mark.parametrize("kind", FOREIGN)
def test_a_bench_of_somebody_else_runs_nothing(tmp_path, kind):
    path = tmp_path / "b.dynamis"
    write_demo(path)
    with sqlite3.connect(path) as made:
        made.executescript(FOREIGN[kind])
    made.close()
    before = path.read_bytes()
    with at_once(2.0), pytest.raises(InputError, match="nothing in it was run") as refused:
        BenchFile.open(path)
    assert not isinstance(refused.value, DamagedFileError)
    assert path.read_bytes() == before


def test_a_bench_that_lacks_a_table_is_salvaged(tmp_path):
    path = tmp_path / "b.dynamis"
    write_demo(path)
    with sqlite3.connect(path) as made:
        made.execute("DROP TABLE adoption")
    made.close()
    with pytest.raises(DamagedFileError, match="lacks its table adoption"):
        BenchFile.open(path)
    assert len(salvage(path).readings) == 48


def test_names_are_made_one_line_and_said_once(demo_file):
    path = demo_file.path
    gear = demo_file.bench().gear
    demo_file.record(
        "x", replace(demo_file.bench(), gear=(replace(gear[0], name="A\nB\u202eC" + "d" * 400), *gear[1:]))
    )
    demo_file.close()
    with BenchFile.open(path) as again:
        assert "A name in this bench" in again.notice
        assert again.bench().gear[0].name.startswith("A BC")
        assert len(again.bench().gear[0].name) == 200
        again.record("y", replace(again.bench(), name="Other"))
    with BenchFile.open(path) as again:
        assert again.notice == ""


@pytest.mark.parametrize(
    ("change", "word"),
    [
        (lambda raw: raw["bench"].update(name="a\nb"), "bench.name has a line break"),
        (lambda raw: raw["bench"]["gear"][0].update(name="x" * 201), r"gear\[0\].name has 201 characters"),
        (lambda raw: raw["runs"][0].update(title="\u202ex"), r"runs\[0\].title has a line break, or a character"),
        (lambda raw: raw["bench"].update(gear=7), "Expected"),
        (lambda raw: raw.update(version="x"), "no exported bench"),
        (lambda raw: raw.update(version=1, runs=[{"law": 3}]), "no exported bench"),
    ],
)
def test_json_with_what_no_bench_has_is_refused_by_its_place(demo_file, tmp_path, change, word):
    from dynamis.files.bench_json import export_json

    export_json(demo_file, tmp_path / "b.json")
    raw = json.loads((tmp_path / "b.json").read_text())
    change(raw)
    (tmp_path / "c.json").write_text(json.dumps(raw))
    with pytest.raises(InputError, match=word) as told:
        import_json(tmp_path / "c.json", tmp_path / "c.dynamis")
    assert "\n" not in str(told.value)
    assert not (tmp_path / "c.dynamis").exists()


@pytest.mark.parametrize("text", ["[" * 100_000, '{"a":' * 100_000, "9" * 100_000])
def test_deep_and_long_json_is_refused(tmp_path, text):
    (tmp_path / "c.json").write_text(text)
    with pytest.raises(InputError, match="no exported bench"):
        import_json(tmp_path / "c.json", tmp_path / "c.dynamis")


def test_long_digits_are_read_at_once():
    text = "note,volts\n36," + "9" * 20_000 + "x\n"
    with at_once(0.2), pytest.raises(InputError, match=r"f\.csv: line 2: volts is"):
        read_rows(text, strict_layout(text, None, "f.csv"), "f.csv")


def test_salvage_can_be_cancelled(demo_file):
    with pytest.raises(InputError, match="was cancelled; nothing was written"):
        salvage(demo_file.path, lambda: True)


def test_what_salvage_does_not_read_is_counted_as_lost(demo_file, monkeypatch):
    monkeypatch.setattr("dynamis.files.salvage.MOST_ROWS", 30)
    found = salvage(demo_file.path)
    assert (len(found.readings), found.lost["readings"]) == (30, 18)
    assert "18 of the readings could not be" in found.sentence()


def test_salvage_ends_where_a_page_leads_back(tmp_path, monkeypatch):
    """A table whose next row is always the same one."""
    from dynamis.files import salvage as module

    path = tmp_path / "b.dynamis"
    write_demo(path)
    real = module.connect

    class Circling:
        def __init__(self, connection) -> None:
            self.connection = connection

        def execute(self, query, values=()):
            return self.connection.execute(query.replace("rowid > ?", "rowid > 0 * ?"), values)

        def set_progress_handler(self, *_) -> None:
            pass

        def close(self) -> None:
            self.connection.close()

    monkeypatch.setattr(module, "connect", lambda where: Circling(real(where)))
    with at_once(2.0):
        assert len(salvage(path).readings) <= 1


# -- each case that was seen ---------------------------------------------------------------------------


def put(column: str, table: str, value: object, where: str = "1"):
    """A statement that puts a value into a file."""
    return f"UPDATE {table} SET {column} = ? WHERE {where}", value


@pytest.mark.parametrize(
    ("statement", "value", "word"),
    [
        (*put("value", "state", "x"), "does not say where it stands"),
        (*put("value", "state", 1e300), "does not say where"),
        (*put("value", "state", b"\xff\xfe"), "left as it is"),
        (*put("id", "run", b"\xc3(", "number = 1"), "left as it is"),
        (*put("bench", "revision", b"\xff\xfe"), "left as it is"),
        (*put("bench", "revision", "[" * 100_000), "cannot read"),
        (*put("label", "revision", b"\xc3("), "left as it is"),
        (
            "UPDATE run SET settings = replace(settings, '\"plan\":[', '\"plan\":[' || ?)",
            "1e12,",
            "1000000000000; 0 to 127",
        ),
        ('UPDATE run SET settings = replace(settings, \'"law":"voct\', \'"law":"voct\' || ?)', "x", "no known kind"),
        (
            "UPDATE revision SET bench = replace(bench, '\"offset_limit_volts\":0.003', '\"offset_limit_volts\":' || ?)",
            '"x"',
            "holds what does not belong there",
        ),
        ("UPDATE adoption SET content = json_set(content, '$.head.gain', ?)", 1e9, "gain of the constants"),
        ("PRAGMA user_version = -3", None, "version -3"),
        (
            "INSERT INTO reading (run, number, note, value, taken) VALUES ('03-as-found', 999, ?, 1.0, 'x')",
            1e12,
            "no reading can",
        ),
        (
            "INSERT INTO reading (run, number, note, value, taken) VALUES ('03-as-found', 999, 36, ?, 'x')",
            1e308,
            "no reading can",
        ),
        (
            "INSERT INTO reading (run, number, note, value, taken) VALUES ('03-as-found', 999, 36, ?, 'x')",
            "abc",
            "no reading can",
        ),
    ],
)
def test_contents_that_could_fail_later_are_met_at_once_and_salvaged_around(tmp_path, statement, value, word):
    path = tmp_path / "b.dynamis"
    write_demo(path)
    made = sqlite3.connect(path, isolation_level=None)
    if isinstance(value, bytes):
        statement = statement.replace("?", "CAST(? AS TEXT)")
    made.execute(statement, () if value is None else (value,))
    made.close()
    before = path.read_bytes()
    with pytest.raises(DamagedFileError, match=word):
        BenchFile.open(path)
    found = salvage(path)
    assert path.read_bytes() == before
    with found.into(tmp_path / "s.dynamis") as opened:
        assert len(everything(opened).readings) == len(found.readings)
        written_as(whole_report(everything(opened), Style()), Path("r.html")).decode()


@pytest.mark.parametrize(
    ("kind", "content", "word"),
    [
        ("scale", b"x\n 2\n " + b"9" * 5000 + b"/7\n 2/1\n", "5002 characters"),
        ("scale", b"x\n" + b"9" * 5000 + b"\n", "whole number"),
        ("scale", b"x\n 1\n " + b"9" * 500 + b".\n", "no degree of a scale"),
        ("keymap", b"9" * 5000 + b"\n", "whole number"),
        ("linearity", b"code,volts\n0,-1e308\n1,1\n2,1e308\n", "no LSB|no linearity"),
        ("linearity", b"code,inl_lsb\n0,0\n1,1e308\n2,0\n", "no linearity"),
        ("template", b"{{gear}}" * 80_000 + b"{{x}}", "more than 20000 placeholders"),
        ("template", b"{{rows}}" + b"{{note}}" * 19_000 + b"x" * 400_000 + b"{{/rows}}", "characters would come of it"),
        ("tuning dump", None, "no file that can be read"),
        ("readings csv", None, "no file that can be read"),
    ],
)
def test_files_that_froze_or_hung_a_reader_are_refused_at_once(tmp_path, kind, content, word):
    target = targets()[kind]
    if content is None:
        os.mkfifo(tmp_path / "f")
    read = {"tuning dump": read_tuning_dump, "readings csv": read_text}.get(kind)
    with at_once(3.0), pytest.raises(InputError, match=word):
        read(tmp_path / "f") if content is None else target.feed(content, tmp_path)


@pytest.mark.parametrize("parse", [parse_meter_words, parse_frequency_words])
@pytest.mark.parametrize("text", ["9" * 20_000 + "x", "1e" * 20_000, "." * 20_000])
def test_words_of_a_data_sheet_are_read_at_once(parse, text):
    with at_once(0.2), pytest.raises(InputError, match="accuracy"):
        parse(text, 1.0)


def test_an_old_export_with_what_no_old_version_wrote_is_refused(tmp_path):
    raw = json.loads((OLD / "version-1.json").read_text())
    for key, value in (("law", 3), ("head", {"codes": ["a", "b"]}), ("converter", [])):
        broken = json.loads(json.dumps(raw))
        for one in (*broken["runs"], *broken["adoptions"]):
            if key in one:
                one[key] = value
        (tmp_path / "o.json").write_text(json.dumps(broken))
        with pytest.raises(InputError, match=r"no exported bench|holds what|cannot"):
            import_json(tmp_path / "o.json", tmp_path / f"{key}.dynamis")
        assert not (tmp_path / f"{key}.dynamis").exists()
