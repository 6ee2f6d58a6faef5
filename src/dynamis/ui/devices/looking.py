"""Looking for ports beside the window, since a system may take its time."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Final

from PySide6.QtCore import QObject, Signal

from dynamis.ui.to_window import ToWindow

_MOST_SECONDS: Final = 5.0


class Looking(QObject):
    """found : what was found; is emitted in the window's thread."""

    found = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._ended = False
        self._thread: threading.Thread | None = None

    def begin(self, look: Callable[[], object]) -> None:
        """Look, where nobody looks already.

        look : finds what is there, in a thread of its own; it holds nothing of Qt.
        """
        if self._thread is None or not self._thread.is_alive():
            tell = ToWindow(self._tell)
            # No daemon: a library of ports that is cut off at the end takes the whole process with it.
            self._thread = threading.Thread(target=lambda: tell(look()), name="ports")
            self._thread.start()

    def _tell(self, found: object) -> None:
        if not self._ended:
            self.found.emit(found)

    def end(self) -> None:
        """Tell nothing any more, and wait for who looks."""
        self._ended = True
        if self._thread is not None:
            self._thread.join(_MOST_SECONDS)
