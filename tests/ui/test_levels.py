"""The Levels station in the window: what is drawn is what the core says, and dragging changes the bench."""

from __future__ import annotations

import numpy as np
import pytest
import soundfile
from drive import action, press, settle, table_texts, type_into, with_dialog
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog, QLabel

from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.levels import levels_of
from dynamis.errors import InputError
from dynamis.files.recording import recorded_traces

CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
GATE, SINK = PortRef("workshop-board", "gate"), PortRef("gallery-voice", "gate")


@pytest.fixture
def station(demo_file, make_window):
    window = make_window(demo_file)
    press(window, Qt.Key.Key_2, CONTROL)
    settle()
    return window.station


def place(station, side: str, volts: float) -> QPoint:
    scale = station.scale
    across = 0.15 if side == "output" else 0.7
    return QPointF(56 + across * (scale.width() - 68), scale._y(volts)).toPoint()


def test_the_first_gate_link_is_shown_as_the_core_judges_it(station):
    bench = station._session.bench
    assert station.names.text() == "Workshop board · gate → Gallery voice · gate"
    assert station.verdict.text() == "Fits: +0.90 V at the smaller margin."
    shown = levels_of(bench, bench.link_from(GATE), SINK)
    assert (station.scale.levels.low, station.scale.levels.high) == (shown.low, shown.high)
    assert "on at 2.00 V" in station.scale.accessibleDescription()
    assert "as long as a key is held" in station.pulse.accessibleDescription()
    assert table_texts(station.links)[0][0] == "Workshop board · gate → Gallery voice · gate"


def test_a_threshold_is_dragged_with_the_verdict_and_put_back_by_escape(station):
    scale, session = station.scale, station._session
    start, end = place(station, "input", 2.0), place(station, "input", 4.5)
    QTest.mousePress(scale, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    QTest.mouseMove(scale, end)
    settle()
    assert (
        station.verdict.text() == "Marginal: +0.45 V at the smaller margin."
        or station.scale.levels.on_volts == pytest.approx(4.5, abs=0.05)
    )
    assert session.bench.port(SINK).gate.on_volts == 2.0  # nothing is changed before it is let go
    QTest.keyClick(scale, Qt.Key.Key_Escape)
    settle()
    assert station.scale.levels.on_volts == 2.0
    QTest.mouseRelease(scale, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
    QTest.mousePress(scale, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    QTest.mouseMove(scale, end)
    QTest.mouseRelease(scale, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
    settle()
    assert session.bench.port(SINK).gate.on_volts == pytest.approx(4.5, abs=0.05)
    assert session.document.file.undo_label().startswith("Gallery voice · gate: goes on at to 4.")
    action(station.window(), "Undo").trigger()
    assert session.bench.port(SINK).gate.on_volts == 2.0


def test_a_level_is_dragged_at_the_input_and_entered_ahead_of_its_load(station):
    scale, session = station.scale, station._session
    start, end = place(station, "output", 5.0 / 1.01 + 0.1 / 101), place(station, "output", 3.0)
    QTest.mousePress(scale, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    QTest.mouseMove(scale, end)
    QTest.mouseRelease(scale, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
    settle()
    entered = session.bench.port(GATE).gate.high_volts
    assert entered == pytest.approx(3.0 * 1.01, abs=0.06)
    assert station.scale.levels.fit.high_volts == pytest.approx(entered / 1.01, abs=0.01)


def test_keys_move_a_level_and_a_crossed_one_is_refused(station):
    scale, session = station.scale, station._session
    scale.setFocus()
    press(station.window(), Qt.Key.Key_Right)
    press(station.window(), Qt.Key.Key_Right)  # high, low, on
    assert scale.accessibleDescription() == "on threshold"
    press(station.window(), Qt.Key.Key_Down, SHIFT)
    assert session.bench.port(SINK).gate.on_volts == 1.5
    press(station.window(), Qt.Key.Key_Down, SHIFT)
    press(station.window(), Qt.Key.Key_Down, SHIFT)
    assert session.bench.port(SINK).gate.on_volts == 1.0
    assert "above its on threshold" in station.refusal.text()
    type_into(station.forms[1].editor("gate.on_volts"), "2.2 V", enter=True)
    assert session.bench.port(SINK).gate.on_volts == 2.2
    assert station.refusal.text() == ""


def test_another_link_a_pitch_pair_and_an_unknown_one(station, tmp_path):
    selection = station._session.selection
    selection.look_at_pair(PortRef("bridge-clock", "clock"), PortRef("wardrobe-envelope", "gate"))
    assert "it gets to about 25 % of its peak" in station.said.shown[1].replace("\u00a0", " ")
    station.scale.save_picture(tmp_path / "levels.svg")
    assert "<svg" in (tmp_path / "levels.svg").read_text()
    selection.look_at_pair(GATE, PortRef("attic-filter", "gate"))
    assert station.scale.levels is None
    assert "until you measure" in station.said.shown[0]
    selection.look_at_pair(PortRef("workshop-board", "pitch-a"), PortRef("gallery-voice", "pitch-1"))
    assert station.names.text() == "Workshop board · gate → Gallery voice · gate"
    selection.look_at_pair(GATE, PortRef("pit-voice", "trigger"))
    assert station.verdict.text().startswith("Unsafe")
    station.grab()


def test_what_an_oscilloscope_saved_is_dropped_and_taken_into_the_port_that_is_looked_at(station, tmp_path, file_names):
    clock, window = PortRef("bridge-clock", "clock"), station.window()
    window.session.selection.look_at_pair(clock, PortRef("wardrobe-envelope", "gate"))
    path = tmp_path / "scope.csv"
    volts = [(4.9 if 10 <= k % 50 < 22 else 0.1) for k in range(200)]
    rows = [f"{1e-4 * k:.4f},{volt},{2 * volt}" for k, volt in enumerate(volts)]
    path.write_text("Time (s),CH1 (V),CH2 (V)\n" + "\n".join(rows))

    def take(dialog) -> None:
        assert dialog.port.currentData() == clock
        assert "Low 0.100" in dialog.said.text()
        dialog.other.setCurrentIndex(2)
        assert "CH2 (V) rises with CH1 (V)" in dialog.said.text().replace("\u00a0", " ")
        assert dialog.said.text() in dialog.plot.accessibleDescription()
        dialog.plot.grab()
        dialog.try_accept()

    with_dialog(lambda: window.take_file(path), take)
    gate = window.session.bench.port(clock).gate
    assert (gate.low_volts, gate.high_volts, gate.seconds) == (0.1, 4.9, pytest.approx(1.2e-3))
    assert "as it was seen against time" in window.session.document.file.undo_label()
    path.write_text("x,y\n1,2\n")
    file_names.append(str(path))
    action(window, "Open a trace against time").trigger()
    assert "scope.csv" in window.sentence.text()
    file_names.append("")
    action(window, "Open a trace against time").trigger()
    assert window.session.bench.port(clock).gate == gate


def test_a_recording_is_measured_by_the_volts_of_its_full_scale(station, tmp_path, monkeypatch):
    """A pulse of 20 ms at half of full scale, which is 10 V: 5 V, by hand; the second channel clips."""
    t = np.arange(4800) / 48000.0
    pulse = 0.5 * ((t >= 0.03) & (t < 0.05))
    soundfile.write(tmp_path / "gate.wav", pulse, 48000, subtype="FLOAT")
    soundfile.write(tmp_path / "clips.wav", np.stack([pulse, 2.0 * pulse], 1), 48000, subtype="PCM_16")
    window, answers = station.window(), ["10 V", "a lot", "10 V"]
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: (answers.pop(0), True))

    def look(dialog):
        told = " ".join(one.text() for one in dialog.findChildren(QLabel)).replace("\u00a0", " ")
        assert "5.000" in told
        assert "Up for 20 ms" in told
        dialog.reject()

    with_dialog(lambda: window.take_file(tmp_path / "gate.wav"), look)
    window.take_file(tmp_path / "gate.wav")
    assert "which is no number" in window.sentence.text()
    window.take_file(tmp_path / "clips.wav")
    assert "channel 1 clips, 20.0 %" in window.sentence.text()
    with pytest.raises(InputError, match="more than 0"):
        recorded_traces(tmp_path / "gate.wav", 0.0)
