"""Asking before something is done, and work that takes its time without stopping the window."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEventLoop, Qt, QTimer
from PySide6.QtWidgets import QMessageBox, QProgressDialog, QWidget

_SHOW_MILLISECONDS = 500
_LOOK_MILLISECONDS = 20


def ask(parent: QWidget, title: str, sentence: str, yes: str) -> bool:
    """Whether the button with the word `yes` was pressed."""
    box = QMessageBox(QMessageBox.Icon.Question, title, sentence, parent=parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    chosen = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
    box.addButton(QMessageBox.StandardButton.Cancel)
    box.exec()
    return box.clickedButton() is chosen


def in_background(parent: QWidget, words: str, work: Callable[[], Any], cancelled: threading.Event) -> Any:
    """What some work gives, done in a thread; after half a second it shows that it is under way.

    cancelled : set when it is; the work looks at it, and ends.  None is given then, and what comes later is dropped.
    What the work raises is raised here.
    """
    result: list[Any] = []
    trouble: list[BaseException] = []

    def run() -> None:
        try:
            result.append(work())
        except Exception as error:  # noqa: BLE001  # raised again below, in the window's thread
            trouble.append(error)

    thread = threading.Thread(target=run, name="background", daemon=True)
    shown = QProgressDialog(words, "Cancel", 0, 0, parent)
    shown.setWindowModality(Qt.WindowModality.WindowModal)
    shown.setMinimumDuration(_SHOW_MILLISECONDS)
    shown.setValue(0)
    loop, look = QEventLoop(), QTimer()
    look.timeout.connect(lambda: loop.quit() if not thread.is_alive() or shown.wasCanceled() else None)
    thread.start()
    look.start(_LOOK_MILLISECONDS)
    loop.exec()
    look.stop()
    if shown.wasCanceled():
        cancelled.set()
    shown.close()
    shown.deleteLater()
    if cancelled.is_set():
        return None
    if trouble:
        raise trouble[0]
    return result[0] if result else None
