"""Where the window opens: on the screen, with its frame, and where it was."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from drive import settle
from PySide6.QtCore import QPoint, QRect, QSize
from PySide6.QtWidgets import QWidget

import dynamis.ui
from dynamis.notation.style import Style
from dynamis.ui.dialogs.board import BoardDialog
from dynamis.ui.dialogs.help import KeysDialog
from dynamis.ui.dialogs.preferences import PreferencesDialog
from dynamis.ui.place import fitted, open_at, place_of
from dynamis.ui.session.preferences import load_preferences
from dynamis.ui.views.measure.run_dialog import RunDialog
from dynamis.ui.widgets.fitting import Fitting

LEAST = QSize(900, 600)
LAPTOP, DESK, SECOND = QRect(0, 28, 1366, 740), QRect(0, 0, 1920, 1080), QRect(1920, 0, 1280, 1024)


@pytest.mark.parametrize(
    ("wanted", "screens"),
    [
        (QRect(0, 28, 1280, 800), [LAPTOP]),
        (QRect(300, 300, 1280, 800), [LAPTOP]),
        (QRect(40, 60, 1280, 800), [DESK]),
        (QRect(2100, 100, 1280, 800), [DESK, SECOND]),
        (QRect(5000, 4000, 1280, 800), [DESK]),
        (QRect(-900, -900, 1000, 700), [DESK]),
        (QRect(0, 0, 10, 10), [DESK]),
        (QRect(0, 0, 1280, 800), [QRect(0, 0, 800, 480)]),
    ],
)
def test_a_window_lies_on_a_screen_with_its_frame(wanted, screens):
    made = fitted(wanted, screens, LEAST)
    framed = made.adjusted(-8, -36, 8, 8)
    assert any(screen.contains(framed) for screen in screens)
    assert made.size() == wanted.size().expandedTo(LEAST).boundedTo(made.size())
    if all(screen.contains(wanted.adjusted(-8, -36, 8, 8)) for screen in screens):
        assert made == wanted  # where it was all right it stays


def test_size_and_place_are_kept_when_it_is_closed(window):
    open_at(window, (30, 50, 700, 610))
    stood = place_of(window)
    window.close()
    assert load_preferences()[0].window == stood
    assert (stood[2] >= 700, stood[3] >= 600) == (True, True)


@pytest.mark.parametrize(
    "make",
    [
        lambda window: BoardDialog(window, Style(), set()),
        lambda window: RunDialog(window, window.session),
        lambda window: KeysDialog(window, [("Here", [(f"F{k}", "does it") for k in range(60)])]),
        lambda window: PreferencesDialog(window, window.session.settings.preferences),
    ],
    ids=["board", "run", "keys", "preferences"],
)
def test_dialogs_fit_a_small_screen_and_scroll(window, monkeypatch, make):
    """1024 × 720, of which the dialog's frame takes some."""
    monkeypatch.setattr(Fitting, "room", lambda self: 720 - 190)
    dialog = make(window)
    dialog.show()
    settle()
    assert (dialog.width() <= 1024, dialog.height() <= 720 - 44) == (True, True)
    area = dialog.findChild(Fitting)
    last = [one for one in area.widget().findChildren(QWidget) if one.isVisibleTo(dialog)][-1]
    area.ensureWidgetVisible(last)
    settle()
    assert area.viewport().rect().contains(last.mapTo(area.viewport(), QPoint(2, last.height() // 2)))
    dialog.reject()
    dialog.deleteLater()


def test_no_widget_is_asked_for_its_screen():
    """The binding makes the screen a child of the widget, so that the screen goes with a dialog that is closed."""
    ui = Path(dynamis.ui.__file__).parent
    asking = [path.name for path in ui.rglob("*.py") if re.search(r"(?<!`widget)\.screen\(\)", path.read_text())]
    assert asking == []
