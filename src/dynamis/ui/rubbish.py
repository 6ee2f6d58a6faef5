"""What goes round in cycles is collected in the window's thread alone.

Python collects in whatever thread comes by; a widget or a timer of Qt that dies in another thread than its own can end
the process.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

# Not before the window stands: what starting made is left out of it then.
_FIRST_MILLISECONDS, _LOOK_MILLISECONDS = 2000, 250


def collect() -> None:
    """Collect the oldest generation that Python would collect by itself."""
    for generation, (count, most) in reversed(tuple(enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)))):
        if count > most:
            gc.collect(generation)
            return


class RubbishRounds(QObject):
    """From when it is made on, nothing is collected but here, a few times a second."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._look)
        self._timer.start(_FIRST_MILLISECONDS)

    def _look(self) -> None:
        self._timer.setInterval(_LOOK_MILLISECONDS)
        collect()
