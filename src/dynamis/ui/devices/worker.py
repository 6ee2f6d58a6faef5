"""The thread that talks to devices, and the way back into the window."""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, Signal

from dynamis.errors import InputError

ALIVE_SECONDS = 3.0
_MOST_ENDING_SECONDS = 8.0
# Whose thread did not end stays as long as the process: what Qt has made must not die in another thread.
_LEFT: list[Worker] = []


class Worker(QObject):
    """said : a sentence, and whether it is a refusal."""

    said = Signal(str, bool)
    _in_window = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._work: queue.SimpleQueue[Callable[[], None] | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._let_go_of = False
        self._in_window.connect(self._run_in_window)

    def do(self, work: Callable[[], None]) -> None:
        """Do something in the devices' thread, after what it has to do already; an `InputError` of it is said."""
        if self._thread is None:
            self._thread = threading.Thread(target=self._serve, name="devices", daemon=True)
            self._thread.start()
        self._work.put(work)

    def _serve(self) -> None:
        while True:
            try:
                work = self._work.get(timeout=ALIVE_SECONDS)
            except queue.Empty:
                work = self._stay_alive
            if work is None:
                return
            try:
                work()
            except InputError as error:
                self.said.emit(str(error), True)
            except Exception as error:  # noqa: BLE001  # raised again in the window, where reports are shown
                self.show(partial(_raise, error))

    def _stay_alive(self) -> None:
        """What is done from time to time while nothing else is."""

    def show(self, slot: Callable[[], None]) -> None:
        """Do something in the window's thread."""
        self._in_window.emit(slot)

    def _run_in_window(self, slot: Callable[[], None]) -> None:
        if not self._let_go_of:  # what still comes after that finds no window and no file
            slot()

    def _end(self, last: Callable[[], None]) -> None:
        """Do one last thing, and end the thread."""
        if self._thread is not None:
            self._work.put(last)
            self._work.put(None)
            self._thread.join(_MOST_ENDING_SECONDS)
            if self._thread.is_alive():
                _LEFT.append(self)
            self._thread = None
        self._let_go_of = True


def _raise(error: Exception) -> None:
    raise error
