"""Work beside the window: each run has a number, and a late answer to an old question is dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from dynamis.errors import InputError
from dynamis.ui.to_window import ToWindow


class Background(QObject):
    """answered : the result of the newest work.  refused : its sentence.  busy : whether something is under way."""

    answered = Signal(object)
    refused = Signal(str)
    busy = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self._newest = [0]  # shared with threads, which may outlive this

    def ask(self, work: Callable[[Callable[[], bool]], Any]) -> None:
        """Begin some work in a thread; what was asked before is no longer wanted.

        work : is given a function that answers whether its result is still wanted; holds nothing of Qt.
        """
        self._newest[0] += 1
        self.busy.emit(True)
        asked = (work, self._newest, self._newest[0], ToWindow(self._take))
        threading.Thread(target=_run, args=asked, name="design", daemon=True).start()

    def drop(self) -> None:
        """Want no answer any more."""
        self._newest[0] += 1
        self.busy.emit(False)

    def _take(self, number: int, result: object, trouble: Exception | None) -> None:
        if number != self._newest[0]:
            return
        self.busy.emit(False)
        if isinstance(trouble, InputError):
            self.refused.emit(str(trouble))
        elif trouble is not None:
            raise trouble
        else:
            self.answered.emit(result)


def _run(work: Callable[[Callable[[], bool]], Any], newest: list[int], number: int, tell: ToWindow) -> None:
    try:
        result, trouble = work(lambda: newest[0] == number), None
    except Exception as error:  # noqa: BLE001  # raised again in the window's thread, or shown as its sentence
        result, trouble = None, error
    tell(number, result, trouble)
