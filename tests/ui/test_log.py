"""The Log station: found by words, led to Measure, drift drawn, runs of another bench dropped on it."""

from __future__ import annotations

import msgspec
import pytest
from drive import action, press, settle, type_into
from PySide6.QtCore import Qt

from dynamis.errors import InputError
from dynamis.files.store import BenchFile


@pytest.fixture
def log(window):
    press(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    settle()
    return window.station


def shown(log):
    return [row.cells for row in log.log.rows_model.rows]


def test_the_log_shows_all_and_finds_by_words(window, log):
    assert (log.title, log.count.text(), len(shown(log))) == ("Log", "4 entries", 4)
    assert [cells[1] for cells in shown(log)] == ["run", "adopted", "run", "run"]
    press(window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    type_into(log.search, "pocket 02")
    assert (log.count.text(), [cells[4] for cells in shown(log)]) == ("1 of 4", ["By the pocket meter"])
    assert "unit 02" in log.channel.text()
    type_into(log.search, "not there at all")
    assert (shown(log), log.channel.text(), log.shown_picture().shown) == ([], "", None)
    assert log.said.shown == ["No entry has all of these words."]
    press(window, Qt.Key.Key_Escape)
    assert len(shown(log)) == 4


def test_a_run_is_looked_at_on_measure_and_what_is_none_says_so(window, log):
    kinds = [cells[1] for cells in shown(log)]
    log.log.setFocus()
    log.log.selectRow(kinds.index("adopted"))
    log.log.on_activate(kinds.index("adopted"))
    assert (window.station.title, "is no run" in window.sentence.text()) == ("Log", True)
    log.log.setCurrentIndex(log.log.rows_model.index(3, 0))
    press(window, Qt.Key.Key_Return)
    settle()
    assert (window.station.title, window.session.selection.run.title) == ("Measure", "By the pocket meter")


def test_the_drift_of_scale_and_of_offset_are_pages_that_can_be_saved(window, log, tmp_path):
    for part, unit in (("scale", "ct/octave"), ("offset", "ct")):
        log.parts.buttons[("scale", "offset").index(part)].click()
        assert unit in log.said.shown[0]
        assert log.said.shown[0].replace("\xa0", " ") in log.shown_picture().accessibleDescription()
        log.shown_picture().save_picture(tmp_path / f"{part}.svg")
        assert f"{part}, {unit}" in (tmp_path / f"{part}.svg").read_text()
    assert log.table().as_csv().count("\n") == 5


def test_runs_of_another_bench_are_dropped_on_it(window, log, tmp_path):
    path = tmp_path / "attic.dynamis"
    window.session.document.file.copy_to(path)
    with BenchFile.open(path) as other:
        run = msgspec.structs.replace(other.runs()[0], id="far", uid="", serial="11", title="In the attic")
        other.add_run(run)
        other.add_readings(run.id, [(36.0, 0.0, None, 0.0), (60.0, 2.01, None, 0.0)])
    log.take_file(path)
    settle()
    assert "One run with 2 readings came from attic.dynamis; 3 were here already" in window.sentence.text()
    assert "In the attic" in [cells[4] for cells in shown(log)]
    assert "add the units of runs that came" in action(window, "Undo").text()
    log.log.on_activate(next(k for k, cells in enumerate(shown(log)) if cells[3] == "11"))
    assert (window.station.title, window.session.selection.channel[1]) == ("Measure", "11")
    window.show_station("Log")
    window.session.document.undo()
    log.log.on_activate(next(k for k, cells in enumerate(shown(log)) if cells[3] == "11"))
    assert (window.station.title, "Unit 11" in window.sentence.text()) == ("Log", True)


def test_what_is_no_bench_is_refused_and_nothing_changes(window, log, tmp_path):
    for name, words in (("a.csv", "is no bench"), ("no.dynamis", "no.dynamis")):
        if name.endswith("dynamis"):
            (tmp_path / name).write_bytes(b"nothing like it")
        with pytest.raises(InputError, match=words):
            log.take_file(tmp_path / name)
    with pytest.raises(InputError, match="into itself"):
        log.take_file(window.session.document.file.path)
    assert len(shown(log)) == 4


def test_an_empty_bench_says_what_will_come(make_window, empty_file):
    window = make_window(empty_file)
    window.show_station("Log")
    settle()
    assert (window.station.count.text(), "come by themselves" in window.station.said.shown[0]) == ("0 entries", True)
