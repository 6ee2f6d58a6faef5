"""What people expect of any good desktop program, and the Codes station's fields."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from drive import action, click, press, settle, table_texts, type_into, until, with_dialog
from msgspec.structs import replace
from PySide6.QtCore import QLocale, QMimeData, QObject, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QColor, QDropEvent, QGuiApplication, QTextLayout
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QProgressDialog,
    QTableView,
)

from dynamis import __version__
from dynamis.bench.chains.codes import channel_codes, codes_sentences
from dynamis.bench.document.bench import Bench
from dynamis.files.store import BenchFile
from dynamis.ui.report_actions import paper_of
from dynamis.ui.session.preferences import Preferences, load_preferences, preferences_path
from dynamis.ui.theme.palette import DARK, LIGHT
from dynamis.ui.theme.style import text_font
from dynamis.ui.theme.verdict import shape_pixmap

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def codes(window):
    press(window, Qt.Key.Key_5, CONTROL)
    return window.station


def test_the_codes_station_says_what_the_core_says(window, codes):
    session = window.session
    made = channel_codes(session.bench, session.selection.channel[0], session.runs.head())
    assert [text.replace("\u00a0", " ") for text in codes.said.shown] == codes_sentences(made, session.style)
    cells = table_texts(codes.codes)
    assert [int(row[3]) for row in cells] == made.table.codes.tolist()
    assert cells[24][6] == session.style.number(made.table.error_cents[24], 2, sign=True)


@pytest.mark.parametrize(
    ("field", "typed", "shown", "stored"),
    [
        ("bits", "14", "14 bit", ("bits", 14)),
        ("high_volts", "4096 mV", "4.096 V", None),
        ("high_volts", "5", "5 V", ("high_volts", 5.0)),
        ("floor_volts", "", "", ("floor_volts", None)),
        ("reference_limit", "0.2 %", "0.2 %", ("reference_limit", 0.002)),
        ("inl_limit_lsb", "1", "1 LSB", ("inl_limit_lsb", 1.0)),
    ],
)
def test_a_value_is_edited_in_place_and_undone(window, codes, field, typed, shown, stored):
    before = window.session.bench
    type_into(codes.fields[field], typed, enter=True)
    assert codes.fields[field].text() == shown
    values = window.session.bench.port(window.session.selection.channel[0]).transfers[0].values
    if stored is None:
        assert window.session.bench == before
        return
    assert values.get(stored[0]) == stored[1]
    assert (
        action(window, "Undo").text()
        == f"&Undo: Workshop board · pitch A: {field.replace('_', ' ')} to {_shown(stored[1])}"
    )
    press(window, Qt.Key.Key_Z, CONTROL)
    assert window.session.bench == before
    press(window, Qt.Key.Key_Z, CONTROL, SHIFT)
    assert window.session.bench != before


def _shown(value) -> str:
    return "not known" if value is None else f"{value:g}"


@pytest.mark.parametrize(
    ("field", "typed", "word"),
    [
        ("bits", "99", "1 to 24"),
        ("bits", "12.5", "whole number"),
        ("high_volts", "-1", "not above"),
        ("high_volts", "5 Hz", "in Hz"),
        ("gain", "0", "gain"),
        ("low_note", "H2", "neither"),
        ("low_note", "120", "above the highest"),
        ("tolerance", "36:40", "36:47=10"),
        ("ohms", "-5", "below 0"),
    ],
)
def test_a_wrong_value_is_refused_at_its_field_and_esc_puts_the_old_one_back(window, codes, field, typed, word):
    before, old = window.session.bench, codes.fields[field].text()
    type_into(codes.fields[field], typed, enter=True)
    assert word in codes.refusal.text()
    assert codes.fields[field].property("wrong") is True
    assert window.session.bench == before
    codes.fields[field].setFocus()
    QTest.keyClick(codes.fields[field], Qt.Key.Key_Escape)
    assert codes.fields[field].text() == old
    assert codes.refusal.text() == ""


def test_the_law_of_a_channel_is_changed_in_a_dialog(window, codes):
    with_dialog(lambda: click(codes.law), lambda dialog: (type_into(dialog.edit.scale, "1.2"), dialog.try_accept()))
    assert window.session.bench.port(window.session.selection.channel[0]).law == "voct:scale=1.2,note=36,volts=0.2"
    assert "1.2 V/oct" in codes.law_label.text()
    with_dialog(lambda: click(codes.law), lambda dialog: (type_into(dialog.edit.scale, "0"), dialog.try_accept()))
    assert "1.2 V/oct" in codes.law_label.text()


def test_rows_and_tables_are_copied_as_tab_separated_text(window, codes):
    codes.codes.setFocus()
    codes.codes.selectRow(0)
    press(window, Qt.Key.Key_C, CONTROL)
    lines = QGuiApplication.clipboard().text().splitlines()
    assert lines[1].split("\t")[:4] == ["C2", "36", "0.2000", "148"]
    press(window, Qt.Key.Key_C, CONTROL, SHIFT)
    assert len(QGuiApplication.clipboard().text().splitlines()) == 62


def test_the_thread_moves_by_keys_in_every_station(window):
    window.session.selection.set_note(60)
    for station in ("Measure", "Codes"):
        window.show_station(station)
        press(window, Qt.Key.Key_Up, CONTROL)
        press(window, Qt.Key.Key_Up, CONTROL, SHIFT)
        press(window, Qt.Key.Key_Down, CONTROL)
    assert window.session.selection.note == 84
    assert window.station.plot.marked_note == 84
    with_dialog(
        lambda: press(window, Qt.Key.Key_G, CONTROL), lambda dialog: (dialog.setTextValue("C2"), dialog.accept())
    )
    assert window.session.selection.note == 36


def test_actions_are_found_by_name(window):
    def choose(dialog) -> None:
        type_into(dialog.search, "octave up")
        assert dialog.list.count() == 1
        QTest.keyClick(dialog.search, Qt.Key.Key_Return)

    window.session.selection.set_note(60)
    with_dialog(lambda: press(window, Qt.Key.Key_K, CONTROL), choose)
    assert window.session.selection.note == 72


def test_the_bench_is_tuned_and_named_with_undo(window):
    with_dialog(lambda: action(window, "Tune").trigger(), lambda dialog: (dialog.setTextValue("442"), dialog.accept()))
    with_dialog(
        lambda: action(window, "Rename").trigger(), lambda dialog: (dialog.setTextValue("Attic"), dialog.accept())
    )
    assert (window.session.bench.a4_hertz, window.bench_name.text()) == (442.0, "Attic")
    with_dialog(lambda: action(window, "Tune").trigger(), lambda dialog: (dialog.setTextValue("-1"), dialog.accept()))
    assert "above 0" in window.sentence.text()
    for _ in range(2):
        action(window, "Undo").trigger()
    assert (window.session.bench.a4_hertz, window.bench_name.text()) == (440.0, "The Lantern House")


def test_preferences_are_kept_and_taken_at_once(window):
    def choose(dialog) -> None:
        for box, value in (
            (dialog.middle_c, 3),
            (dialog.flats, True),
            (dialog.comma, True),
            (dialog.theme, "dark"),
            (dialog.text, "large"),
        ):
            box.setCurrentIndex(box.findData(value))
        dialog.try_accept()

    with_dialog(lambda: action(window, "Preferences").trigger(), choose)
    assert window.colours == DARK
    cells = table_texts(window.station.readings.readings)[1]
    assert (cells[0], cells[2]) == ("E♭1", "0,4500 V")
    kept, complaint = load_preferences()
    assert (kept.middle_c, kept.theme, complaint) == (3, "dark", None)
    preferences_path().write_text("{broken")
    kept, complaint = load_preferences()
    assert kept == Preferences()
    assert "could not be read" in complaint


def test_benches_are_kept_copied_exported_and_imported(window, file_names, tmp_path):
    first = window.session.document.file.path
    file_names += [
        str(tmp_path / "kept"),
        str(tmp_path / "copy.dynamis"),
        str(tmp_path / "b.json"),
        str(tmp_path / "b.json"),
    ]
    action(window, "Keep as").trigger()
    assert window.session.document.file.path == tmp_path / "kept.dynamis"
    action(window, "Save a copy").trigger()
    action(window, "Export").trigger()
    action(window, "Import").trigger()
    assert window.session.document.file.path not in (first, tmp_path / "kept.dynamis")
    assert [run.title for run in window.session.runs.all] == ["As found", "After constants", "By the pocket meter"]
    assert Path(window.session.settings.preferences.recent[0]).name == "kept.dynamis"
    assert json.loads((tmp_path / "b.json").read_text())["format"] == "dynamis-bench"
    with BenchFile.open(tmp_path / "copy.dynamis") as copied:
        assert copied.bench() == window.session.bench


@pytest.mark.parametrize("name", ["table.csv", "plot.svg", "plot.png", "way.csv"])
def test_what_is_seen_can_be_taken_along(window, file_names, tmp_path, name):
    text = {"table.csv": "Save the table", "way.csv": "Save the chosen way"}.get(name, "Save the picture")
    file_names.append(str(tmp_path / name))
    action(window, text).trigger()
    data = (tmp_path / name).read_bytes()
    start = {
        "table.csv": b"name,note",
        "plot.svg": b"<?xml",
        "plot.png": b"\x89PNG",
        "way.csv": b"offset_volts,gain",
    }
    assert data.startswith(start[name])
    file_names.append(str(tmp_path / "none" / name))
    action(window, text).trigger()
    assert "cannot be written" in window.sentence.text()


@pytest.mark.parametrize(
    ("text", "name", "start"),
    [
        ("Save the report", "report.html", b"<!DOCTYPE html>"),
        ("Save the report", "report.csv", b"unit,channel"),
        ("Save the unit's certificate", "unit.pdf", b"%PDF"),
        ("Save the bench sheet", "sheet.csv", b"note,code,expect"),
        ("Save the batch of the gear", "batch.html", b"<!DOCTYPE html>"),
    ],
)
def test_reports_are_written_beside_the_window(window, file_names, tmp_path, text, name, start):
    for folder, words in ((tmp_path, f"Saved {name}."), (tmp_path / "none", "cannot be written")):
        file_names.append(str(folder / name))
        action(window, text).trigger()
        until(lambda words=words: words in window.sentence.text())
    assert (tmp_path / name).read_bytes().startswith(start)
    file_names.append(str(tmp_path / "r.txt"))
    action(window, text).trigger()
    until(lambda: "another ending was given" in window.sentence.text())
    assert not (tmp_path / "r.txt").exists()


def test_a_report_may_be_given_up(window, file_names, tmp_path):
    file_names.append(str(tmp_path / "left.pdf"))
    QTimer.singleShot(0, lambda: window.findChild(QProgressDialog).cancel())
    action(window, "Save the unit's certificate").trigger()
    assert "given up" in window.sentence.text()
    assert not (tmp_path / "left.pdf").exists()
    assert [paper_of(QLocale(one)) for one in ("en_US", "de_DE", "en_GB")] == ["letter", "a4", "a4"]


def drop(window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    window.dropEvent(
        QDropEvent(
            QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )
    settle()


def test_files_are_dropped_where_they_make_sense(window, tmp_path):
    readings = tmp_path / "more.csv"
    readings.write_text("Note;Reading mV\nC2;201,2\nC3;1200,5\n")
    with_dialog(lambda: drop(window, readings), lambda dialog: dialog.try_accept())
    assert [row.value for row in window.session.runs.analysis().rows[-2:]] == [
        pytest.approx(0.2012),
        pytest.approx(1.2005),
    ]
    drop(window, tmp_path / "song.xyz")
    assert "can be dropped here" in window.sentence.text()
    drop(window, tmp_path / "gone.dynamis")
    assert "no such file" in window.sentence.text()
    other = BenchFile.create(tmp_path / "other.dynamis", Bench("Other"))
    other.close()
    drop(window, tmp_path / "other.dynamis")
    assert window.session.bench.name == "Other"
    click(window.station.start.buttons[1])
    assert window.session.bench.name == "The Lantern House"


def test_a_pasted_table_is_looked_at_before_it_is_taken(window):
    QGuiApplication.clipboard().setText("36\t0.2012\n48\t1.2005\nx\t2\n")

    def look(dialog) -> None:
        assert "line 3" in dialog.sentence.text()
        assert not dialog.ok.isEnabled()
        dialog.unit.setCurrentIndex(dialog.unit.findText("Hz"))
        assert "said to be in hertz" in dialog.sentence.text()

    with_dialog(lambda: press(window, Qt.Key.Key_V, CONTROL, SHIFT), look)
    assert len(window.session.runs.analysis().rows) == 21
    QGuiApplication.clipboard().setText("  ")
    action(window, "Paste readings").trigger()
    assert "holds no text" in window.sentence.text()


@pytest.mark.parametrize(
    ("fill", "word"),
    [
        (lambda d: d.title.setText(" "), "needs a title"),
        (lambda d: d.plan.setText("96:36"), "runs down"),
        (lambda d: d.tolerance.setText("1:2=5"), "judges none"),
        (lambda d: d.law.scale.setText("0"), "above 0"),
        (lambda d: d.celsius.setText("warm"), "no number"),
        (lambda d: d.plan.setText("36,99999"), "no frequency"),
    ],
)
def test_a_run_that_cannot_be_is_refused_in_its_dialog(window, fill, word):
    def try_it(dialog) -> None:
        fill(dialog)
        dialog.try_accept()
        assert word in dialog.sentence.text()
        assert dialog.isVisible()

    with_dialog(lambda: action(window, "New run").trigger(), try_it)
    assert len(window.session.runs.all) == 3


@pytest.mark.parametrize(
    ("fill", "word"),
    [
        (lambda d: d.name.setText(""), "needs a name"),
        (lambda d: d.serial.setText(""), "serial number"),
        (lambda d: d.channels.setText("A,A"), "each its own"),
        (lambda d: d.bits.setText("12.5"), "1 to 24"),
        (lambda d: d.high.setText("0 V"), "not above"),
        (lambda d: d.ohms.setText("x"), "no number"),
        (lambda d: (d.sink.setText("Voice"), d.inputs.setText("0")), "1 to 16"),
        (lambda d: d.law.note.setText("H"), "neither"),
    ],
)
def test_a_board_that_cannot_be_is_refused_in_its_dialog(qapp, fill, word):
    from dynamis.notation.style import Style
    from dynamis.ui.dialogs.board import BoardDialog

    dialog = BoardDialog(None, Style(), set())
    dialog.name.setText("Board")
    fill(dialog)
    dialog.try_accept()
    assert word in dialog.sentence.text()
    assert dialog.result() == QDialog.DialogCode.Rejected
    dialog.deleteLater()


def test_keys_and_about_are_told(window):
    told: list[str] = []

    def read(dialog: QDialog) -> None:
        told.append(" ".join(one.text() for one in dialog.findChildren(QLabel)))

    with_dialog(lambda: press(window, Qt.Key.Key_F1), read)
    with_dialog(lambda: action(window, "About").trigger(), read)
    assert "Ctrl+6" in told[0]
    assert f"Dynamis {__version__}" in told[1]


def test_every_widget_that_takes_the_focus_has_a_name(window):
    for station in ("Measure", "Codes"):
        window.show_station(station)
        for kind in (QAbstractButton, QLineEdit, QComboBox, QTableView, QPlainTextEdit):
            for widget in window.station.findChildren(kind):
                if widget.focusPolicy() != Qt.FocusPolicy.NoFocus and not widget.objectName().startswith("qt_"):
                    assert widget.accessibleName() or getattr(widget, "text", str)(), widget
    assert window.station.plot.accessibleName()
    assert "off by" in window.thread_strip.accessibleDescription()


@pytest.mark.parametrize("size", [(1024, 720), (1280, 800)])
@pytest.mark.parametrize("text", ["normal", "large"])
def test_nothing_leaves_the_window(demo_file, make_window, size, text):
    window = make_window(demo_file, text=text)
    window.resize(*size)
    settle()
    for station in ("Measure", "Codes"):
        window.show_station(station)
        settle()
        assert (window.width(), window.height()) == size
        for name in ("entry", "words", "plot"):
            part = getattr(window.station, name, None)
            if part is not None:
                assert part.mapTo(window, part.rect().topRight()).x() < window.width()


def contrast(first: str, second: str) -> float:
    """Contrast ratio of WCAG 2.1, 1.4.3."""

    def luminance(colour: str) -> float:
        parts = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    high, low = sorted((luminance(first), luminance(second)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("colours", [LIGHT, DARK], ids=["light", "dark"])
def test_every_colour_that_words_are_written_in_can_be_read(colours):
    for name in ("ink", "muted", "blue", "amber", "vermilion", "violet", "thread"):
        assert contrast(getattr(colours, name), colours.panel) >= 4.5, name


def test_a_theme_reaches_every_table_and_sentence_that_is_on_the_screen(window):
    """Seen in pixels: a dark table is dark, a light one light, whatever was shown before."""
    window.say("Something was said.", False)
    for name in ("Measure", "Bench", "Levels", "Circuit", "Codes"):
        window.show_station(name)
        settle()
        for theme, least, most in (("dark", 0, 90), ("light", 190, 255)):
            window.session.settings.change(replace(window.session.settings.preferences, theme=theme))
            settle()
            for table in window.station.findChildren(QTableView):
                if table.isVisible():
                    shown = (
                        table.viewport().grab().toImage().scaled(1, 1, mode=Qt.TransformationMode.SmoothTransformation)
                    )
                    assert least <= shown.pixelColor(0, 0).lightness() <= most, (name, table.accessibleName(), theme)
    colours = [window.sentence.palette().windowText().color().name(), QColor(window.colours.ink).name()]
    assert colours[0] == colours[1]


def test_verdicts_differ_in_shape_also_without_colour(qapp):
    pictures = [shape_pixmap(shape, "#000000", 14).toImage() for shape in ("disc", "half", "triangle", "cross", "ring")]
    assert all(a != b for k, a in enumerate(pictures) for b in pictures[:k])


def test_no_sign_of_ours_is_missing_from_the_shipped_fonts(window):
    for sign in "♯♭♮±−×÷·–→›Ωµ°≤↑↓●○◇…“”":
        layout = QTextLayout(sign, text_font(10))
        layout.beginLayout()
        layout.createLine()
        layout.endLayout()
        glyphs = [glyph for run in layout.glyphRuns() for glyph in run.glyphIndexes()]
        assert glyphs, sign
        assert 0 not in glyphs, sign


def test_calls_that_return_none_lose_no_reference():
    # Some releases of the Qt binding lose a reference to None in each such call and abort after some thousands.
    before = sys.getrefcount(None)
    for _ in range(1000):
        QObject().parent()
    assert abs(sys.getrefcount(None) - before) < 100


def test_before_the_first_paint_only_what_the_first_station_needs_is_imported(tmp_path):
    script = """
import sys
from dynamis.ui.benches import fresh_demo
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.session.session import Session
from dynamis.ui.start import make_app
from dynamis.ui.window import MainWindow
app = make_app()
window = MainWindow(app, Session(fresh_demo(), Preferences(), keep_preferences=False))
window.show()
app.processEvents()
print([name for name in ("scipy", "pyvisa", "mido", "soundfile", "sounddevice", "rtmidi", "serial") if name in sys.modules])
"""
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
    assert done.stdout.strip() == "[]", done.stderr


def test_an_unexpected_error_is_reported_and_the_window_goes_on(window, monkeypatch):
    from dynamis.errors import InputError
    from dynamis.ui.start import report_errors

    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    report_errors(window)
    with_dialog(
        lambda: sys.excepthook(ZeroDivisionError, ZeroDivisionError("gone"), None),
        lambda d: d.report.toPlainText().index("gone"),
    )
    sys.excepthook(InputError, InputError("Not so."), None)
    assert window.sentence.text() == "Not so."
    assert window.isVisible()
    assert QApplication.activeModalWidget() is None


@pytest.mark.xdist_group("real time")
def test_the_tour_leaves_pictures_and_a_report(tmp_path, qapp):
    from dynamis.ui.tour import tour

    written = tour(tmp_path / "out", (36.0, 40.0, 44.0))
    assert sorted(path.suffix for path in written) == [".html"] + [".png"] * 19
    assert all(path.stat().st_size > 5000 for path in written)
