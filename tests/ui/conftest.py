"""The demo bench in a window, for the tests that want it as it is."""

from __future__ import annotations

import pytest
from drive import answered, press
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from dynamis.bench.document.ports import PortRef


@pytest.fixture
def window(demo_file, make_window):
    return make_window(demo_file)


@pytest.fixture
def circuit(window):
    """Circuit with a wish of gain and offset, answered."""
    window.session.selection.look_at_pair(PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone"))
    press(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    answered(window.station)
    return window.station


@pytest.fixture
def file_names(monkeypatch):
    """Answers of the file dialogs, which are the system's own."""
    answers: list[str] = []
    for name in ("getSaveFileName", "getOpenFileName"):
        monkeypatch.setattr(QFileDialog, name, staticmethod(lambda *_, **__: (answers.pop(0), "")))
    return answers
