"""Work beside the window: each run has a number, and a late answer to an old question is dropped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from dynamis.errors import InputError


class Background(QObject):
    """answered : the result of the newest work.  refused : its sentence.  busy : whether something is under way."""

    answered = Signal(object)
    refused = Signal(str)
    busy = Signal(bool)
    _came = Signal(int, object, object)

    def __init__(self) -> None:
        super().__init__()
        self._number = 0
        self._came.connect(self._take)

    def ask(self, work: Callable[[Callable[[], bool]], Any]) -> None:
        """Begin some work in a thread; what was asked before is no longer wanted.

        work : is given a function that answers whether its result is still wanted.
        """
        self._number += 1
        number = self._number
        self.busy.emit(True)

        def run() -> None:
            try:
                result, trouble = work(lambda: self._number == number), None
            except Exception as error:  # noqa: BLE001  # raised again in the window's thread, or shown as its sentence
                result, trouble = None, error
            try:
                self._came.emit(number, result, trouble)
            except RuntimeError:
                return  # the window is gone, and with it whoever asked

        threading.Thread(target=run, name="design", daemon=True).start()

    def drop(self) -> None:
        """Want no answer any more."""
        self._number += 1
        self.busy.emit(False)

    def _take(self, number: int, result: object, trouble: Exception | None) -> None:
        if number != self._number:
            return
        self.busy.emit(False)
        if isinstance(trouble, InputError):
            self.refused.emit(str(trouble))
        elif trouble is not None:
            raise trouble
        else:
            self.answered.emit(result)
