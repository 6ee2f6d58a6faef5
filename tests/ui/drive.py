"""How the tests drive the window: by its keys, its menu and its dialogs, as a person would."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QAction, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QMainWindow, QWidget


def settle() -> None:
    for _ in range(4):
        QApplication.processEvents()


def type_into(widget: QWidget, text: str, *, enter: bool = False) -> None:
    """Type into a field, over what it holds."""
    widget.setFocus()
    if hasattr(widget, "selectAll"):
        widget.selectAll()
    if text:
        QTest.keyClicks(widget, text)
    else:
        QTest.keyClick(widget, Qt.Key.Key_Delete)
    if enter:
        QTest.keyClick(widget, Qt.Key.Key_Return)
    settle()


def focused(seconds: float = 30.0) -> QWidget:
    """What has the focus; a real screen may take a while to give it."""
    until = time.monotonic() + seconds
    while (widget := QApplication.focusWidget()) is None:
        assert time.monotonic() < until, "nothing has the focus"
        QTest.qWait(10)
    return widget


def keys(text: str, *, enter: bool = False) -> None:
    """Type to whatever has the focus."""
    widget = focused()
    QTest.keyClicks(widget, text)
    if enter:
        QTest.keyClick(widget, Qt.Key.Key_Return)
    settle()


def press(window: QWidget, key: Qt.Key, *modifiers: Qt.KeyboardModifier) -> None:
    """A key with modifiers, to whatever has the focus in the window."""
    held = Qt.KeyboardModifier.NoModifier
    for modifier in modifiers:
        held |= modifier
    real = QGuiApplication.platformName() != "offscreen"
    QTest.keyClick(focused() if real else QApplication.focusWidget() or window, key, held)
    settle()


def click(widget: QWidget) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)
    settle()


def with_dialog(open_it: Callable[[], object], answer: Callable[[QDialog], None]) -> None:
    """Do what opens a dialog, and answer it; a dialog that does not open is an error."""
    seen: list[QDialog] = []
    failure: list[BaseException] = []

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if dialog is None:
            QTimer.singleShot(10, look)
            return
        seen.append(dialog)
        try:
            answer(dialog)
        except BaseException as error:  # noqa: BLE001  (handed on below, outside Qt's event loop)
            failure.append(error)
        finally:
            if dialog.isVisible() and QApplication.activeModalWidget() is dialog:
                dialog.reject()

    QTimer.singleShot(0, look)
    open_it()
    settle()
    # Without a window manager nobody gives the focus back to the window behind a closed dialog.
    parent = QApplication.activeModalWidget() or next(
        (one for one in QApplication.topLevelWidgets() if isinstance(one, QMainWindow) and one.isVisible()), None
    )
    if parent is not None:
        parent.activateWindow()
        settle()
    if failure:
        raise failure[0]
    assert seen, "no dialog opened"


def action(window, text: str) -> QAction:
    """The action of the menu whose text begins so."""
    return next(one for one in window.actions_made.all if one.text().replace("&", "").startswith(text))


def table_texts(table) -> list[tuple[str, ...]]:
    return [row.cells for row in table.rows_model.rows]


def until(comes: Callable[[], bool], seconds: float = 40.0) -> None:
    """Go on until something is so."""
    for _ in range(int(seconds * 100.0)):
        settle()
        if comes():
            return
        time.sleep(0.01)
    windows = [one for one in QApplication.topLevelWidgets() if isinstance(one, QMainWindow)]
    told = [one.sentence.text() for one in windows if hasattr(one, "sentence")]
    raise AssertionError(f"it did not come; the window says {told}")


def answered(station: QWidget) -> None:
    """Until the proposals and the spread of the chosen one have come."""
    until(lambda: station.state.text() != "working it out…" and station.side._spread is not None)


def answered_or_refused(station: QWidget) -> None:
    until(lambda: bool(station.refusal.text()))
