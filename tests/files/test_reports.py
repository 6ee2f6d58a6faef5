"""Certificates and batches: what they say is what the runs were judged as, whatever they are written as."""

from __future__ import annotations

import csv
import io
import math
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from msgspec.structs import replace as with_
from pypdf import PdfReader

from dynamis.bench.document.bench import Bench, Gear, Unit
from dynamis.bench.document.ports import Port
from dynamis.bench.document.records import AdoptionRecord, HeadRecord, InstrumentRecord, ReadingRecord, RunRecord
from dynamis.bench.reports.blocks import Cells, Sentences
from dynamis.bench.reports.sheet import run_sheet, walk_sheet
from dynamis.bench.runs.trimming import trims_of
from dynamis.demo.lantern import write_demo
from dynamis.errors import InputError
from dynamis.files.contents import Contents
from dynamis.files.reports.making import batch_report, judged_runs, unit_report, written_as
from dynamis.notation.style import Style

LAW = "voct:scale=1,note=36,volts=0"
METER = InstrumentRecord("m", "Bench <meter>", "10 V", 0.0, 1, 0.0001, 10.0)
CONSTANTS = HeadRecord("constants", "volts", 0.0, 1.01)


def run(serial: str, title: str, when: str, *, port: str = "a", head: HeadRecord = HeadRecord()) -> RunRecord:
    return RunRecord(
        f"{serial}-{port}-{title}",
        title,
        "board",
        serial,
        port,
        f"2026-11-{when}T10:00:00+00:00",
        LAW,
        "5",
        meter=METER,
        head=head,
        plan=(36.0, 48.0, 60.0),
    )


def read(one: RunRecord, cents: float) -> list[ReadingRecord]:
    """Every note off by the same, so that the verdict is known beforehand."""
    volts = [(note - 36.0) / 12.0 + cents / 1200.0 for note in one.plan]
    return [
        ReadingRecord(0, one.id, k, note, value, one.created)
        for k, (note, value) in enumerate(zip(one.plan, volts, strict=True))
    ]


def contents(*runs: tuple[RunRecord, float], adopted: tuple[AdoptionRecord, ...] = (), channels: str = "a") -> Contents:
    """Units of a board with runs whose errors are given; readings numbered through."""
    ports = tuple(Port(one, f"pitch {one.upper()}", "output", law=LAW, ohms=100.0) for one in channels)
    units = tuple(Unit(serial) for serial in sorted({one.serial for one, _ in runs} | {"99"}))
    rows = [row for one, cents in runs for row in read(one, cents)]
    numbered = [with_(row, id=k + 1) for k, row in enumerate(rows)]
    bench = Bench("The shed", (Gear("board", "Board & <b>", ports, units),))
    return Contents(bench, [one for one, _ in runs], numbered, adopted)


@pytest.fixture
def demo_path(tmp_path):
    path = tmp_path / "demo.dynamis"
    write_demo(path)
    return path


def adopted(one: RunRecord, when: str) -> AdoptionRecord:
    stamp = f"2026-11-{when}T12:00:00+00:00"
    return AdoptionRecord(1, "board", one.serial, one.port, one.id, "constants", CONSTANTS, 1.0, 0.5, stamp)


def told(report: object, kind: type) -> list:
    return [one for one in report.blocks if isinstance(one, kind)]


FOUND = run("01", "found", "10")


@pytest.mark.parametrize(
    ("runs", "has", "words"),
    [
        (((FOUND, 2.0),), (), "within"),
        (((FOUND, 9.0),), (), "not within"),
        (((FOUND, 4.95),), (), "cannot tell"),
        # Adopted, and not read since: what it leaves is expected, not proved.
        (((FOUND, 2.0),), (adopted(FOUND, "11"),), "not read since"),
        (((FOUND, 9.0), (run("01", "after", "12", head=CONSTANTS), 1.0)), (adopted(FOUND, "11"),), "within"),
        # Read with the old constants after other ones were adopted: no proof.
        (((FOUND, 9.0), (run("01", "after", "12"), 1.0)), (adopted(FOUND, "11"),), "not read since"),
        # The newest run with what is in force decides, not the best.
        (((FOUND, 1.0), (run("01", "later", "12"), 9.0)), (), "not within"),
    ],
)
def test_a_channel_is_what_was_read_with_what_is_in_force(runs, has, words):
    report = unit_report(contents(*runs, adopted=has), "board", "01", Style())
    state = told(report, Cells)[0].rows[0]
    assert state[0] == "pitch A"
    assert words in state[3]
    assert ("not within" in state[3]) == (words == "not within")


def test_the_yield_counts_units_that_were_read_on_all_channels_and_is_rounded_down():
    """Three of seven within: 42.857 %, rounded down to a tenth."""
    offs = {"01": (1.0, 2.0), "02": (0.0, 0.0), "03": (3.0, -3.0), "04": (1.0, 9.0), "05": (8.0, 8.0)}
    offs |= {"06": (1.0, 4.95), "07": (-7.0, 0.0)}
    runs = [
        (run(serial, "x", "10", port=port), off)
        for serial, pair in offs.items()
        for port, off in zip("ab", pair, strict=True)
    ]
    one = contents(*runs, (run("08", "x", "10"), 0.0), channels="ab")
    report = batch_report(one, "board", Style())
    words = [text.replace("\u00a0", " ") for text in told(report, Sentences)[0].texts]
    assert words == [
        "Of 18 channels 10 within, 4 not within, 1 cannot be told, 3 not read.",
        "3 of 7 units read are within on all channels: 42.8 %.",
        "Not within: 04, 05, 07.",
        "Cannot be told: 06.",
        "Not read, or not since: 08, 99.",
    ]
    rows = {(row[0], row[1]): row for row in report.rows}
    assert float(rows["04", "pitch B"][7]) == pytest.approx(9.0)
    assert rows["99", "pitch A"][4:] == ("",) * 7


@pytest.mark.parametrize(("paper", "size"), [("a4", (210.0, 297.0)), ("letter", (215.9, 279.4))])
def test_each_form_has_the_verdict_and_the_readings(paper, size, tmp_path):
    held = contents((FOUND, 9.0), (run("01", "after", "12", head=CONSTANTS), 1.0), adopted=(adopted(FOUND, "11"),))
    report = unit_report(held, "board", "01", Style())
    page = written_as(report, tmp_path / "r.html", paper).decode()
    assert "Board &amp; &lt;b&gt;" in page
    assert "<b>, unit" not in page
    assert f"size: {'A4' if paper == 'a4' else 'letter'}" in page
    reader = PdfReader(io.BytesIO(written_as(report, tmp_path / "r.pdf", paper)))
    box = reader.pages[0].mediabox
    assert (float(box.width) * 25.4 / 72, float(box.height) * 25.4 / 72) == pytest.approx(size, abs=0.5)
    text = " ".join(one.extract_text() for one in reader.pages).replace("\u00a0", " ")
    for words in ("Board & <b>, unit 01", "Within tolerance", "Not within tolerance", "Bench <meter>", "JCGM 100:2008"):
        assert words in text
    assert text.count("Measured by") == 1
    rows = list(csv.DictReader(io.StringIO(written_as(report, tmp_path / "r.csv").decode())))
    assert len(rows) == 6
    for row in rows:
        off = 1200.0 * (float(row["read"]) - float(row["wanted"]))
        assert float(row["error_cents"]) == pytest.approx(off, abs=1e-6)
        # One count of 0.1 mV as a limit, and half a count of rounding: GUM, at 1200 ct a volt.
        expanded = 2.0 * 1200.0 * math.hypot(1e-4 / math.sqrt(3.0), 1e-4 / math.sqrt(12.0))
        assert float(row["expanded_cents"]) == pytest.approx(expanded, rel=1e-6)
    assert {row["verdict"] for row in rows} == {"within", "not-within"}


def test_what_cannot_be_certified_is_refused():
    held = contents((FOUND, 1.0))
    with pytest.raises(InputError, match="Unit 99 of Board & <b> has no run"):
        unit_report(held, "board", "99", Style())
    empty = Contents(with_(held.bench, gear=(with_(held.bench.gear[0], units=()),)))
    with pytest.raises(InputError, match="has no units"):
        batch_report(empty, "board", Style())


def test_the_command_writes_them_and_names_the_choices(dynamis, demo_path, tmp_path):
    for ending, start in ((".pdf", b"%PDF"), (".html", b"<!DOCTYPE"), (".csv", b"unit,channel")):
        for what in (("--unit", "03"), ("--what", "batch", "--paper", "letter")):
            path = tmp_path / f"r{ending}"
            answer = dynamis("report", demo_path, *what, "-o", path)
            assert (answer.status, answer.err) == (0, "")
            assert path.read_bytes().startswith(start)
    assert dynamis("report", demo_path, "--unit", "03", "-o", tmp_path / "j.csv", "--json").json["title"]
    for more, words in (
        (("-o", "r.txt"), ".pdf, .html or .csv"),
        (("-o", "r.pdf"), "'02', '03'"),
        (("--unit", "07", "-o", "r.pdf"), "'02', '03'"),
        (("--gear", "Nothing", "-o", "r.pdf"), "'Workshop board'"),
        (("--what", "batch", "--unit", "03", "-o", "r.pdf"), "leave it out"),
        (("--paper", "a3", "-o", "r.pdf"), "paper"),
        (("--unit", "03", "-o", tmp_path), "pdf"),
    ):
        answer = dynamis("report", demo_path, *more)
        assert (answer.status, answer.err.count("\n"), answer.out) == (2, 1, "")
        assert words in answer.err
    assert not (tmp_path / "r.txt").exists()


def test_a_report_needs_no_window(dynamis, demo_path, tmp_path):
    script = (
        f"import sys; from dynamis.app import main; "
        f"main(['report', {str(demo_path)!r}, '--unit', '03', '-o', {str(tmp_path / 'r.pdf')!r}]); "
        "print([one for one in ('PySide6', 'scipy', 'soundfile') if one in sys.modules], file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
    assert done.stderr.strip() == "[]"


# Quantity, head of a row (expected, lowest and highest allowed): 5 ct of 1 V/oct are 4.1667 mV; of 261.63 Hz, 0.7567 Hz.
SHEETS = [
    ("volts", 60.0, 2.0, 2.0 - 5.0 / 1200.0, 2.0 + 5.0 / 1200.0),
    ("hertz", 60.0, 261.6256, 261.6256 * 2 ** (-5 / 1200), 261.6256 * 2 ** (5 / 1200)),
    ("cents", 60.0, 0.0, -5.0, 5.0),
]


@pytest.mark.parametrize(("quantity", "note", "expect", "low", "high"), SHEETS)
def test_a_bench_sheet_says_what_to_expect_and_within_what(quantity, note, expect, low, high):
    held = contents((with_(run("01", "As found", "10"), quantity=quantity, meter=None), 3.0))
    sheet = run_sheet(held.bench, judged_runs(replace(held, readings=()))[0], Style())
    row = next(dict(zip(sheet.headings, one, strict=True)) for one in sheet.rows if float(one[0]) == note)
    assert [float(row[key]) for key in ("expect", "from", "to")] == pytest.approx([expect, low, high], abs=1e-4)
    assert row["meter_expanded_cents"] == ""


def test_a_bench_sheet_is_ticked_where_something_was_read_and_fits_one_page():
    held = contents((run("01", "As found", "10"), 3.0))
    half = replace(held, readings=held.readings[:2])
    sheet = run_sheet(half.bench, judged_runs(half)[0], Style())
    table = next(one for one in sheet.blocks if isinstance(one, Cells))
    assert [row[0] for row in table.rows] == ["☑", "☑", "☐"]
    assert [row[-1] for row in table.rows] == ["+3.0", "+3.0", ""]
    said = " ".join(text for one in sheet.blocks if isinstance(one, Sentences) for text in one.texts)
    assert "agree within 0.1" in said
    pages = PdfReader(io.BytesIO(written_as(sheet, Path("sheet.pdf")))).pages
    assert (len(pages), "Bench sheet" in pages[0].extract_text()) == (1, True)


def test_a_walk_wants_hertz_and_a_plan_and_its_sheet_has_the_turns():
    held = contents((with_(run("01", "As found", "10"), quantity="hertz", meter=None, plan=(36.0, 60.0, 84.0)), 3.0))
    judged = judged_runs(replace(held, readings=()))[0]
    trims = trims_of(judged, pivot_volts=-1.0, high=True)
    sheet = walk_sheet(held.bench, judged, trims, Style())
    assert [row[1] for row in sheet.rows] == ["tune", "read", "scale", "tune", "read", "high", "read"]
    turns = [one for one in sheet.blocks if isinstance(one, Cells)][1].rows
    # E (V_pivot - V_low) / (V_high - V_low): half of the error, to the other side.
    assert [row[:2] for row in turns][-1] == ("+50.0", "−25.0")
    for values, words in (({"plan": ()}, "no plan of notes"), ({"quantity": "volts"}, "read in hertz or cents")):
        with pytest.raises(InputError, match=words):
            trims_of(replace(judged, run=with_(judged.run, **values)))


def test_the_sheet_of_an_input_says_what_to_feed_it():
    fed = with_(run("01", "Tracking", "10"), quantity="hertz", meter=None, side="input", converter=None)
    held = replace(contents((fed, 3.0)), readings=())
    sheet = run_sheet(held.bench, judged_runs(held)[0], Style())
    table = next(one for one in sheet.blocks if isinstance(one, Cells))
    assert (table.headings[2], [row[2] for row in table.rows]) == ("feed", ["0.0000 V", "1.0000 V", "2.0000 V"])
    said = " ".join(text for one in sheet.blocks if isinstance(one, Sentences) for text in one.texts)
    assert "Feed the volts of each note" in said
    assert "agree to the last digit" in said
    assert "Nothing is plugged in" not in said
