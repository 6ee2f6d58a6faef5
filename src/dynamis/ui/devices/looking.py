"""Looking for ports beside the window, since a system may take its time."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Final

from PySide6.QtCore import QObject, Signal

_MOST_SECONDS: Final = 5.0


class Looking(QObject):
    """look : finds what is there, in a thread of its own.  found : is emitted in the window's thread."""

    found = Signal(object)

    def __init__(self, look: Callable[[], object]) -> None:
        super().__init__()
        self._look, self._ended = look, threading.Event()
        self._thread: threading.Thread | None = None

    def begin(self) -> None:
        """Look, where nobody looks already."""
        if self._thread is None or not self._thread.is_alive():
            # No daemon: a library of ports that is cut off at the end takes the whole process with it.
            self._thread = threading.Thread(target=self._run, name="ports")
            self._thread.start()

    def _run(self) -> None:
        found = self._look()
        if not self._ended.is_set():
            self.found.emit(found)

    def end(self) -> None:
        """Tell nothing any more, and wait for who looks."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join(_MOST_SECONDS)
