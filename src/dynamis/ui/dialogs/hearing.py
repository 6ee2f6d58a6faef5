"""Listening beside a dialog: the last seconds of sound, looked at ten times a second."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Final

import numpy as np
from PySide6.QtCore import QObject, Signal

from dynamis.devices.sound.meter import SoundMeter
from dynamis.errors import InputError
from dynamis.tuner.live import FloatArray
from dynamis.ui.to_window import ToWindow

KEPT_SECONDS: Final = 4.0
_PIECE_SECONDS: Final = 0.1
_MOST_ENDING_SECONDS: Final = 4.0
Look = Callable[[FloatArray, float, float], object]


class Hearing(QObject):
    """look : is given the last seconds (N,), samples a second, and when the first one was; in a thread of its own, and
    holds nothing of Qt.

    came : what `look` found.  ended : why nothing is heard any more.
    """

    came = Signal(object)
    ended = Signal(str)

    def __init__(self, sound: SoundMeter, look: Look) -> None:
        super().__init__()
        self._sound, self._look = sound, look
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def begin(self) -> None:
        """Begin to listen, or begin again."""
        self._stop = threading.Event()
        asked = (self._sound, self._look, self._stop, ToWindow(self._came), ToWindow(self._ended))
        self._thread = threading.Thread(target=_listen, args=asked, name="tuner", daemon=True)
        self._thread.start()

    def _came(self, stop: threading.Event, found: object) -> None:
        if not stop.is_set():
            self.came.emit(found)

    def _ended(self, stop: threading.Event, why: str) -> None:
        if not stop.is_set():
            self.ended.emit(why)

    def end(self) -> None:
        """Stop listening, and wait until nobody does."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(_MOST_ENDING_SECONDS)


def _listen(sound: SoundMeter, look: Look, stop: threading.Event, came: ToWindow, ended: ToWindow) -> None:
    kept, first = np.zeros(0), 0.0
    try:
        sound.recover()
        while not stop.is_set():
            piece, rate = sound.listen(_PIECE_SECONDS)
            kept = np.concatenate([kept, piece])
            beyond = max(0, kept.size - round(KEPT_SECONDS * rate))
            kept, first = kept[beyond:], first + beyond / rate
            came(stop, look(kept, rate, first))
    except InputError as error:
        ended(stop, str(error))
