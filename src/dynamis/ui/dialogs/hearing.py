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

KEPT_SECONDS: Final = 4.0
_PIECE_SECONDS: Final = 0.1
_MOST_ENDING_SECONDS: Final = 4.0
Look = Callable[[FloatArray, float, float], object]


class Hearing(QObject):
    """look : is given the last seconds (N,), samples a second, and when the first one was; in a thread of its own.

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
        self._thread = threading.Thread(target=self._listen, args=(self._stop,), name="tuner", daemon=True)
        self._thread.start()

    def _listen(self, stop: threading.Event) -> None:
        kept, first = np.zeros(0), 0.0
        try:
            self._sound.recover()
            while not stop.is_set():
                piece, rate = self._sound.listen(_PIECE_SECONDS)
                kept = np.concatenate([kept, piece])
                beyond = max(0, kept.size - round(KEPT_SECONDS * rate))
                kept, first = kept[beyond:], first + beyond / rate
                found = self._look(kept, rate, first)
                if not stop.is_set():
                    self.came.emit(found)
        except InputError as error:
            if not stop.is_set():
                self.ended.emit(str(error))

    def end(self) -> None:
        """Stop listening, and wait until nobody does."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(_MOST_ENDING_SECONDS)
