"""A whole run through the window: once by keyboard alone, once by mouse; from an empty bench, with numbers of our own."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile
from drive import action, click, focused, keys, press, settle, table_texts, type_into, with_dialog
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from tests.tuner.sounds import SAW, tone

from dynamis.bench.runs.analysis import analyse
from dynamis.calibration.causes.words import shape_sentences
from dynamis.calibration.words import correction_detail, correction_leaves, verdict_sentence
from dynamis.files.store import BenchFile

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NOTES = np.arange(24.0, 85.0, 12)


def attic_volts(note: float) -> float:
    """An invented board of our own: 14 bits over 10 V, 1.2 V/oct from note 24, scale +0.31 %, offset -2.2 mV."""
    code = round((note - 24) / 12 * 1.2 * 2**14 / 10)
    return round(code * 10 / 2**14 * 1.0031 - 0.0022, 4)


@pytest.fixture
def window(empty_file, make_window):
    opened = make_window(empty_file)
    return opened


def add_board(dialog) -> None:
    type_into(dialog.name, "Attic board")
    type_into(dialog.bits, "14")
    type_into(dialog.high, "10 V")
    type_into(dialog.inl, "1")
    type_into(dialog.law.scale, "1.2")
    type_into(dialog.law.note, "C1")
    dialog.trimmers.setCurrentIndex(1)
    type_into(dialog.sink, "Attic voice")
    type_into(dialog.inputs, "2")
    QTest.keyClick(dialog.name, Qt.Key.Key_Return)


def add_meter(dialog) -> None:
    type_into(dialog.name, "Shelf meter")
    type_into(dialog.range_name, "10 V")
    type_into(dialog.accuracy, "0.02 % + 2 digits")
    type_into(dialog.resolution, "100 uV")
    assert "± 1.2 mV at 5.0 V" in dialog.preview.text()
    QTest.keyClick(dialog.name, Qt.Key.Key_Return)


def begin(dialog) -> None:
    assert not dialog.ok.isEnabled()
    with_dialog(dialog._add_board, add_board)
    with_dialog(dialog._add_meter, add_meter)
    assert [box.text() for box, _ in dialog.plugs] == ["Attic voice · pitch 1", "Attic voice · pitch 2"]
    dialog.plugs[0][0].setChecked(True)
    type_into(dialog.celsius, "22.5")
    type_into(dialog.plan, "24:84:12")
    type_into(dialog.tolerance, "5")
    QTest.keyClick(dialog.title, Qt.Key.Key_Return)


def test_a_run_by_keyboard_alone_from_an_empty_bench(window, empty_file):
    measure = window.station
    assert measure._stack.currentWidget() is measure.start
    with_dialog(lambda: press(window, Qt.Key.Key_N, CONTROL), begin)
    session = window.session
    assert session.selection.run.title == "As found"
    assert session.selection.run.plugged_ohms == (100e3,)
    assert focused() is measure.entry.entry
    for note in NOTES:
        assert session.selection.note == note
        keys(f"{attic_volts(note) * 1000:.1f} mV", enter=True)
    judged = session.runs.analysis()
    assert judged.values == pytest.approx([attic_volts(note) for note in NOTES], abs=6e-5)
    assert judged.verdict == "not-within"
    assert judged.correction("constants").gain == pytest.approx(1.0031, abs=1e-4)
    # choose the table, then the constants again, and adopt: Tab order and Ctrl+Return
    measure.words.cards["table"].setFocus()
    press(window, Qt.Key.Key_Space)
    assert session.runs.correction.kind == "table"
    measure.words.cards["constants"].setFocus()
    press(window, Qt.Key.Key_Space)
    press(window, Qt.Key.Key_Return, CONTROL)
    assert session.runs.in_force().kind == "constants"
    assert "measure again" in window.sentence.text()
    # void the last, say why, and close
    with_dialog(
        lambda: press(window, Qt.Key.Key_Backspace, CONTROL, SHIFT),
        lambda dialog: QTest.keyClick(dialog, Qt.Key.Key_Return),
    )
    assert [row.voided for row in session.runs.analysis().rows] == [False] * 5 + [True]
    window.close()
    with BenchFile.open(empty_file.path) as again:
        run = again.runs()[0]
        assert [row.void_reason for row in again.readings(run.id)] == [""] * 5 + ["reading mistake"]
        assert again.in_force(run.channel, "01").head.gain == pytest.approx(1.0031, abs=1e-4)
        assert again.bench().meters[0].name == "Shelf meter"


def test_the_reopened_bench_shows_the_run_and_a_second_one_proves_the_constants(window, empty_file, make_window):
    with_dialog(lambda: press(window, Qt.Key.Key_N, CONTROL), begin)
    for note in NOTES:
        type_into(window.station.entry.entry, str(attic_volts(note)), enter=True)
    click(window.station.words.adopt)
    window.close()
    again = make_window(BenchFile.open(empty_file.path))
    session = again.session
    assert session.selection.run.title == "As found"
    assert "In force since" in again.station.words.in_force.text()

    def second(dialog) -> None:
        type_into(dialog.title, "After constants")
        click(dialog.ok)

    with_dialog(lambda: action(again, "New run").trigger(), second)
    assert session.selection.run.head.kind == "constants"
    for note in session.selection.run.plan:
        code = round(
            ((note - 24) / 12 * 1.2 - session.selection.run.head.offset) / session.selection.run.head.gain * 2**14 / 10
        )
        type_into(again.station.entry.entry, f"{code * 10 / 2**14 * 1.0031 - 0.0022:.4f}", enter=True)
    assert session.runs.analysis().verdict == "within"
    session.selection.overlay(session.runs.all[0].id)
    settle()
    assert "As found" in again.station._legend.text()


def test_a_run_by_mouse(demo_file, make_window):
    window = make_window(demo_file)
    measure, session = window.station, window.session
    click(measure.readings.tab_buttons[1])
    table = measure.readings.runs
    assert [cells[0] for cells in table_texts(table)] == [
        "As found, in force",
        "After constants, laid over",
        "By the pocket meter",
    ]
    place = table.visualRect(table.model().index(2, 0)).center()
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=place)
    QTest.mouseDClick(table.viewport(), Qt.MouseButton.LeftButton, pos=place)
    settle()
    assert session.selection.run.title == "By the pocket meter"
    assert "cannot prove" in measure.entry.proof.text()
    click(measure.words.cards["trimmer"])
    assert session.runs.correction.kind == "trimmer"
    click(measure.words.copy)
    assert QGuiApplication.clipboard().text().splitlines()[0] == "trimmer\tnote\treads_volts\tturn_until_volts"
    click(measure.words.adopt)
    assert session.runs.in_force().kind == "trimmer"
    click(measure.words.withdraw)
    assert session.runs.in_force() is None
    click(window.station_buttons["Codes"])
    assert window.station.title == "Codes"
    # a click on the plot picks the note
    click(window.station_buttons["Measure"])
    plot = measure.plot
    QTest.mouseClick(plot, Qt.MouseButton.LeftButton, pos=plot.place(61.2, 0.0).toPoint())
    settle()
    assert session.selection.note == 61.0


@pytest.mark.parametrize(
    ("typed", "question", "button", "stored"),
    [
        ("220.0 V", "220.0 V: did you mean 2.200 V?", "meant", 2.2),
        ("2.2", None, None, 2.2),
        ("3.2", "it is what note 72 C5 should read", "meant", 3.2),
        ("9.9", "Is it right?", "typed", 9.9),
        ("2,2", "with a comma", None, None),
        ("440 Hz", "in Hz", None, None),
        ("", "empty", None, None),
    ],
)
def test_slips_are_asked_about_and_bad_entries_stay(demo_file, make_window, typed, question, button, stored):
    window = make_window(demo_file)
    entry, session = window.station.entry, window.session
    session.selection.set_note(60)
    before = len(session.runs.analysis().rows)
    type_into(entry.entry, typed, enter=True)
    if question:
        assert question in entry.question.text()
        assert len(session.runs.analysis().rows) == before
        assert entry.entry.text() == typed
    if button:
        click(getattr(entry, button))
    rows = session.runs.analysis().rows
    assert len(rows) == before + (stored is not None)
    if stored is not None:
        assert rows[-1].value == pytest.approx(stored)
        assert rows[-1].note == (72 if typed == "3.2" else 60)


def test_readings_keep_the_temperature_that_was_typed(demo_file, make_window):
    window = make_window(demo_file)
    measure, runs = window.station, window.session.runs
    at = measure.entry.taking.celsius
    for typed, kept, shown in (
        ("23,5x", None, ""),
        ("23.5", 23.5, "23.5 °C"),
        ("900", 23.5, "23.5 °C"),
        ("", None, ""),
    ):
        type_into(at, typed)
        QTest.keyClick(at, Qt.Key.Key_Return)
        type_into(measure.entry.entry, "2.1927")
        QTest.keyClick(measure.entry.entry, Qt.Key.Key_Return)
        assert (runs.analysis().rows[-1].celsius, at.text()) == (kept, shown)


def test_any_row_is_voided_unvoided_and_taken_again(demo_file, make_window):
    window = make_window(demo_file)
    measure, session = window.station, window.session
    table = measure.readings.readings
    table.setFocus()
    table.selectRow(4)
    with_dialog(
        lambda: press(window, Qt.Key.Key_Delete), lambda dialog: (dialog.setTextValue("loose lead"), dialog.accept())
    )
    assert table_texts(table)[4][-1] == "voided: loose lead"
    table.setFocus()
    table.selectRow(4)
    press(window, Qt.Key.Key_Insert)
    assert table_texts(table)[4][-1] == ""
    table.setFocus()
    table.selectRow(4)
    press(window, Qt.Key.Key_R)
    assert "the old one is voided" in measure.entry.what.text()
    keys("1.1968", enter=True)
    rows = session.runs.analysis().rows
    assert (rows[4].voided, rows[4].void_reason) == (True, "taken again")
    assert (rows[-1].note, rows[-1].value) == (48.0, 1.1968)


@pytest.mark.parametrize("state", ["no run", "no reading", "one reading", "all voided"])
def test_the_station_is_right_with_little_to_show(demo_file, make_window, state):
    from dynamis.demo.lantern import CHANNEL_A

    window = make_window(demo_file)
    session, measure = window.session, window.station
    if state == "no run":
        session.selection.set_channel(session.bench.channels[1])
        settle()
        assert session.selection.run is None
        assert measure.words.verdict.text() == "No run yet."
        assert not measure.entry.entry.isEnabled()
        return
    with_dialog(lambda: action(window, "New run").trigger(), lambda dialog: dialog.try_accept())
    assert session.selection.run.channel == CHANNEL_A
    if state != "no reading":
        type_into(measure.entry.entry, "0.2004", enter=True)
    if state == "all voided":
        session.runs.void([row.id for row in session.runs.analysis().rows], "wrong range")
    settle()
    assert measure.words.adopt.isHidden()
    if state == "one reading":
        assert measure.words.verdict.text().startswith("So far within tolerance: +0.5")
    else:
        assert measure.words.verdict.text() == "No reading yet."


def test_no_sentence_or_number_in_the_window_is_a_literal(window):
    """What the window shows of a bench of our own is what the core says of it."""
    with_dialog(lambda: press(window, Qt.Key.Key_N, CONTROL), begin)
    for note in NOTES:
        type_into(window.station.entry.entry, str(attic_volts(note)), enter=True)
    session, words = window.session, window.station.words
    judged = analyse(session.selection.run, session.document.file.readings(session.selection.run.id))
    style, fit = session.style, judged.fit
    assert [text.replace("\u00a0", " ") for text in words.said.shown] == shape_sentences(
        judged.shape, style, judged.loading_factor
    )
    for kind, card in words.cards.items():
        correction = judged.correction(kind)
        assert card.leaves.text() == correction_leaves(correction, style)
        assert card.detail.text().replace("\u00a0", " ") == correction_detail(correction, fit, style)
    k = judged.deciding_index
    told = verdict_sentence(
        judged.verdict, judged.error_cents[k], judged.notes[k], judged.expanded_cents[k], judged.allowed_cents[k], style
    )
    assert words.verdict.text().replace("\u00a0", " ") == told[0].upper() + told[1:] + "."
    for cells, error, worth in zip(
        table_texts(window.station.readings.readings), judged.error_cents, judged.expanded_cents, strict=True
    ):
        assert cells[4] == style.cents(error, sign=True)
        assert cells[6] == style.cents(worth)
    session.selection.set_note(84.0)
    assert f"off by {style.cents(judged.error_cents[-1], sign=True)} ct" in window.thread_strip.accessibleDescription()


def test_as_few_readings_as_will_do_are_asked_for_with_their_reason(window):
    """Typed by hand from an empty bench: both ends, then what tells most, the first again, and enough."""

    def few(dialog) -> None:
        assert not dialog.enough.isVisible()
        dialog.which.setCurrentIndex(dialog.which.findData("few"))
        begin_with(dialog)

    def begin_with(dialog) -> None:
        with_dialog(dialog._add_board, add_board)
        with_dialog(dialog._add_meter, add_meter)
        type_into(dialog.plan, "24:84")
        assert dialog.enough.isVisible()
        type_into(dialog.enough, "0.8")
        dialog.try_accept()

    with_dialog(lambda: press(window, Qt.Key.Key_N, CONTROL), few)
    session, panel = window.session, window.station.entry
    assert (session.selection.run.enough_cents, len(session.selection.run.plan)) == (0.8, 61)
    told, read = [], []
    while session.runs.analysis().next_note is not None and len(read) < 30:
        settle()
        told.append(panel.expect.text().replace("\u00a0", " "))
        read.append(session.selection.note)
        type_into(panel.entry, str(attic_volts(read[-1])), enter=True)
    assert read[:2] == [24.0, 84.0]
    assert read[-1] == 24.0
    assert 6 <= len(read) <= 15
    assert "a line wants both of its ends first. About" in told[0]
    assert "It tells most: the correction may be off by" in told[3]
    assert "The first note once more" in told[-1]
    settle()
    assert panel.progress.text() == f"{len(read)} readings: enough is read"
    assert "Enough is read" in panel.expect.text().replace("\u00a0", " ")
    # 0.31 % and -2.2 mV are what was put in.
    constants = session.runs.analysis().correction("constants")
    assert constants.gain == pytest.approx(1.0031, abs=2e-4)


def test_a_recorded_sweep_becomes_the_readings_of_a_run(window, tmp_path):
    """Dropped on the window: listened to, shown tone by tone, one tone left out, taken as readings of the run."""
    chance, path = np.random.default_rng(1), tmp_path / "sweep.wav"
    parts = [tone(440.0 * 2.0 ** ((note - 69.0) / 12.0) * 1.002, 0.6, SAW, chance) for note in (36, 48, 60, 72)]
    soundfile.write(path, np.concatenate([one for part in parts for one in (part, np.zeros(6000))]), 48000)

    def begin_in_hertz(dialog) -> None:
        with_dialog(dialog._add_board, add_board)
        dialog.quantity.setCurrentIndex(1)
        type_into(dialog.plan, "36,48,60,72,84")
        dialog.try_accept()

    with_dialog(lambda: press(window, Qt.Key.Key_N, CONTROL), begin_in_hertz)
    told = []

    def look(dialog) -> None:
        told.extend(text.replace("\u00a0", " ") for text in dialog.said.shown)
        dialog.ticks[1].setCheckState(Qt.CheckState.Unchecked)
        dialog.try_accept()

    with_dialog(lambda: window.take_file(path), look)
    assert told == ["4 steady tones are heard, 4 of them notes to read.", "Not heard: 84 C6."]
    rows = window.session.runs.analysis().valid
    assert [row.note for row in rows] == [36.0, 60.0, 72.0]
    assert window.session.runs.analysis().error_cents == pytest.approx([1200.0 * np.log2(1.002)] * 3, abs=0.05)
    assert all(0.0 < row.own < 0.01 for row in rows)
    assert "3 readings taken from the recording" in window.sentence.text()
    soundfile.write(path, np.zeros(48000), 48000)
    window.take_file(path)
    assert "No steady tone" in window.sentence.text()
    path.write_text("no sound")
    window.take_file(path)
    assert "a WAV file was expected" in window.sentence.text()


def test_trimmers_are_walked_through_on_a_voice_to_practise_on(window, file_names, tmp_path):
    """Turned by the sliders until each target is met, Return after each; the walk ends with all notes within."""
    action(window, "Trim walk").trigger()
    assert "Begin a run of the oscillator in hertz first" in window.sentence.text()

    def begin_in_hertz(dialog) -> None:
        with_dialog(dialog._add_board, add_board)
        dialog.quantity.setCurrentIndex(1)
        type_into(dialog.plan, "36:84:12")
        dialog.try_accept()

    with_dialog(lambda: press(window, Qt.Key.Key_N, CONTROL), begin_in_hertz)
    said = []

    def practise(dialog) -> None:
        dialog.high.click()
        dialog.practise.click()
        for _ in range(40):
            step = dialog.walked.step
            if step is None:
                break
            if step.turn != "read":
                slider = dialog.knobs[step.turn]
                low, high = slider.minimum(), slider.maximum()
                ends = []
                for value in (low, high):
                    slider.setValue(value)
                    ends.append(dialog.voice.cents(step.note))
                while high - low > 1:
                    middle = (low + high) // 2
                    slider.setValue(middle)
                    above = dialog.voice.cents(step.note) > step.target_cents
                    low, high = (low, middle) if above == (ends[1] > ends[0]) else (middle, high)
            said.append(dialog.large[2].text().replace("\u00a0", " "))
            QTest.keyClick(dialog.entry, Qt.Key.Key_Return)
        assert (dialog.walked.reached, dialog.large[0].text()) == (True, "Done")
        assert max(abs(dialog.voice.cents(float(note))) for note in range(36, 85, 6)) < 6.0
        assert dialog.large[0].font().pointSizeF() >= 40.0
        for folder in (tmp_path, tmp_path / "none"):
            file_names.append(str(folder / "walk.html"))
            click(dialog.sheet)
        assert "cannot be written" in dialog.refusal.text()
        assert "The scale&#x27;s turn" in (tmp_path / "walk.html").read_text()  # its pivot was learnt on the way
        count = dialog.history.count()
        click(dialog.back)
        assert dialog.history.count() == count - 1
        type_into(dialog.entry, "x", enter=True)
        assert dialog.refusal.text()
        type_into(dialog.notes["low_note"], "84", enter=True)
        dialog.notes["low_note"].editingFinished.emit()
        assert "The notes of a walk rise" in dialog.refusal.text()
        dialog.accept()

    with_dialog(lambda: action(window, "Trim walk").trigger(), practise)
    assert said[0].startswith("until it reads 65.406 Hz, 0.0 ct")
    assert "Read it" in said
