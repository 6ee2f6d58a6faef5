"""The plot of cents against note: keys, mouse, and where things are drawn."""

from __future__ import annotations

import numpy as np
import pytest
from drive import action, press, settle
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from dynamis.notation.style import Style
from dynamis.ui.theme.palette import LIGHT
from dynamis.ui.widgets.note_plot import NotePlot, PlotPoints


def test_the_plot_is_looked_at_by_keys(window):
    plot = window.station.plot
    plot.setFocus()
    everything = plot.view
    for key in (Qt.Key.Key_Plus, Qt.Key.Key_Right, Qt.Key.Key_Up):
        before = plot.view
        press(window, key)
        assert plot.view != before
    press(window, Qt.Key.Key_T)
    assert plot.view[1] == pytest.approx((-14, 14))
    press(window, Qt.Key.Key_Home)
    assert plot.view == everything
    QTest.mouseMove(plot, plot.place(60, -3).toPoint())
    settle()
    assert plot.readout.startswith("60 C4, −3.")
    action(window, "Copy the picture").trigger()
    assert not QGuiApplication.clipboard().pixmap().isNull()


def wheel(plot, at, notches):
    event = QWheelEvent(
        QPointF(at),
        QPointF(plot.mapToGlobal(at)),
        QPoint(),
        QPoint(0, 120 * notches),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(plot, event)


def test_the_plot_is_looked_at_by_mouse(window):
    plot, at = window.station.plot, window.station.plot.place(72.0, -5.0).toPoint()
    everything, before = plot.view, plot.place(72.0, -5.0)
    wheel(plot, at, 2)
    assert plot.view[0][1] - plot.view[0][0] == pytest.approx(0.64 * (everything[0][1] - everything[0][0]))
    after = plot.place(72.0, -5.0)
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()), abs=1.0)  # what is pointed at stays
    note = window.session.selection.note
    QTest.mousePress(plot, Qt.MouseButton.LeftButton, pos=at)
    for step in (10, 20, 40):
        QTest.mouseMove(plot, at + QPoint(step, -step))
    QTest.mouseRelease(plot, Qt.MouseButton.LeftButton, pos=at + QPoint(40, -40))
    moved = plot.place(72.0, -5.0)
    assert (moved.x() - after.x(), moved.y() - after.y()) == pytest.approx((40.0, -40.0), abs=0.5)
    assert window.session.selection.note == note  # a drag picks no note
    for _ in range(60):
        wheel(plot, at, 3)
    assert plot.view[0][1] - plot.view[0][0] >= 0.5
    assert plot.accessibleDescription().startswith("42 points, −21.8 to +1.8")


def test_points_stand_where_their_values_are_and_shrink_when_many(qapp):
    plot = NotePlot("x", LIGHT, Style(), 10.0)
    plot.resize(600, 300)
    for notes, size in ((np.arange(36.0, 97.0, 6.0), 8.0), (np.arange(36.0, 97.0, 0.25), 2.5)):
        plot.begin()
        plot.points(PlotPoints(notes, np.full(notes.size, 4.0), "disc", "#ff0000"))
        plot.finish(36.0, 96.0, np.full(notes.size, 4.0), 36.0)
        image = plot.grab().toImage()
        at = plot.place(60.0, 4.0)
        inked = [
            y
            for y in range(300)
            if image.pixelColor(round(at.x()), y).red() > image.pixelColor(round(at.x()), y).blue() + 60
        ]
        assert np.mean(inked) == pytest.approx(at.y(), abs=1.0)
        assert len(inked) == pytest.approx(size, abs=2.0)
