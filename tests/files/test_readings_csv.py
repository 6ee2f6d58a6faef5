"""Readings in CSV: the strict form, layouts guessed, and what is refused in which words."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.errors import InputError
from dynamis.files.contents import everything
from dynamis.files.readings_csv import Layout, guess_layout, read_rows, strict_layout
from dynamis.files.reports.making import whole_report, written_as
from dynamis.files.text import read_text
from dynamis.files.writing import write_whole
from dynamis.notation.style import Style
from text_files import csv_file


def strict(text, quantity=None):
    return read_rows(text, strict_layout(text, quantity, "r.csv"), "r.csv")


def test_the_strict_form_is_read():
    rows = strict("remark, note ,volts,u_volts\n a ,36, 0.2 ,\n\n,C4,2.2,0.001\n")
    assert [(row.line, row.note, row.value, row.own) for row in rows] == [(2, 36, 0.2, 0), (4, 60, 2.2, 0.001)]


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("", "header"),
        ("\n\n", "header"),
        ("key,level\n36,1\n", "note and volts"),
        ("note,volts\n", "no readings"),
        ("note,volts,volts\n", "twice"),
        ("note,note,volts\n", "twice"),
        ("note,volts\n36\n", "line 2 has no volts"),
        ("note,volts\n,1\n", "line 2 has no note"),
        ("note,volts\n36,1\nH,1\n", "line 3"),
        ("note,volts\n36,1V\n", "'1V'"),
        ("note,volts\n36,nan\n", "'nan'"),
        ("note,volts\n36,1e999\n", "larger"),
        ("note,volts\n36,0,2\n", "3 cells"),
        ("note,hertz\n36,0\n", "above 0"),
        ("note,volts,u_volts\n36,1,-1\n", "below 0"),
        ("note,volts\n" + "36,1\n" * 5001, "more than 5000"),
        ('note,volts\n36,"1\n', "line"),
        ("note,volts,hertz\n36,1,1\n", "--quantity"),
    ],
)
def test_a_broken_text_is_refused_with_its_place(text, word):
    with pytest.raises(InputError, match=word) as refusal:
        strict(text)
    assert "\n" not in str(refusal.value)


def test_a_quantity_that_is_not_there_is_refused():
    with pytest.raises(InputError, match="no column hertz"):
        strict("note,volts\n36,1\n", "hertz")
    assert strict("note,volts,hertz\n36,1,65.4\n", "hertz")[0].value == 65.4


@pytest.mark.parametrize(
    ("text", "layout"),
    [
        ("note,volts\n36,0.2\n48,1.2\n", Layout()),
        ("Note;Reading mV\nC2;201,2\nC3;1200,5\n", Layout(";", True, True, 0, 1, None, "volts", 1e-3)),
        ("36\t0.2\n48\t1.2\n", Layout("\t", False, False)),
        ("when\tkey\tfrequency Hz\n1\t36\t65.4\n", Layout("\t", False, True, 1, 2, None, "hertz")),
        ("note|cents|u_cents\n36|-3.5|0.1\n", Layout("|", False, True, 0, 1, 2, "cents")),
        ("36 0.2\n48 1.2\n", Layout(" ", False, False)),
        ("kHz,note\n0.44,69\n", Layout(",", False, True, 1, 0, None, "hertz", 1e3)),
        ("", Layout(header=True)),
    ],
)
def test_a_layout_is_guessed_for_a_person_to_confirm(text, layout):
    assert guess_layout(text) == layout


def test_a_confirmed_layout_is_read():
    rows = read_rows("C2;201,2;0,1\nC3;1200,5;\n", Layout(";", True, False, 0, 1, 2, "volts", 1e-3), "clipboard")
    assert [(row.note, row.value, row.own) for row in rows] == [
        (36, pytest.approx(0.2012), pytest.approx(1e-4)),
        (48, pytest.approx(1.2005), 0),
    ]


@given(st.text(max_size=200))
def test_no_text_breaks_the_guess_or_the_reader(text):
    layout = guess_layout(text)
    try:
        read_rows(text, layout, "x")
    except InputError as refusal:
        assert str(refusal)


def test_files_are_read_within_bounds(tmp_path):
    big = tmp_path / "big.csv"
    with open(big, "wb") as stream:
        stream.truncate(100_000_000)
    with pytest.raises(InputError, match="has 100 MB; at most 17 MB"):
        read_text(big)
    (tmp_path / "latin.csv").write_bytes(b"note,volts\n36,\xe9\n")
    with pytest.raises(InputError, match="line 2 is not UTF-8"):
        read_text(tmp_path / "latin.csv")
    with pytest.raises(InputError, match="no file"):
        read_text(tmp_path)
    with pytest.raises(InputError, match="cannot be read"):
        read_text(tmp_path / "none.csv")
    assert read_text(csv_file(tmp_path, "\ufeffnote,volts\n")) == "note,volts\n"


def test_a_file_is_written_whole_or_not_at_all(tmp_path):
    path = tmp_path / "a.txt"
    write_whole(path, "one")
    with pytest.raises(InputError, match="exists already"):
        write_whole(path, "two", replace=False)
    with pytest.raises(InputError, match="cannot be written"):
        write_whole(tmp_path / "none" / "a.txt", "one")
    assert path.read_text() == "one"
    assert [one.name for one in tmp_path.iterdir()] == ["a.txt"]


def test_the_report_holds_every_run_with_its_words(demo_file, empty_file):
    from dynamis.bench.runs.analysis import analyse
    from dynamis.calibration.causes.words import shape_sentences

    page = written_as(whole_report(everything(demo_file), Style()), Path("r.html")).decode()
    for run in demo_file.runs():
        judged = analyse(run, demo_file.readings(run.id))
        for sentence in shape_sentences(judged.shape, Style(), judged.loading_factor):
            assert sentence.replace("'", "&#x27;") in page
        assert page.count("<circle") >= judged.notes.size
    assert page.count("<svg") == 3
    assert np.all([tag in page for tag in ("</html>", "k = 2", "Change two constants")])
    assert "No run has been taken" in written_as(whole_report(everything(empty_file), Style()), Path("r.html")).decode()
