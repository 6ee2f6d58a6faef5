"""From any thread into the window's.

What Qt has made must not die in another thread than its own, least of all while something is on its way to it: that
ends the process.  A thread whose work is over may have been the last to hold what began it.  So threads hold this
instead.
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any
from weakref import WeakMethod

from PySide6.QtCore import QCoreApplication, QObject, Signal
from shiboken6 import isValid


class _Door(QObject):
    """One for all threads; it lives as long as the application."""

    came = Signal(object, object)

    def __init__(self) -> None:
        super().__init__(QCoreApplication.instance())
        self.came.connect(self._take)

    def _take(self, weakly: WeakMethod[Any], values: tuple[Any, ...]) -> None:
        method = weakly()
        if method is not None and isValid(method.__self__):
            method(*values)


_DOORS: list[_Door] = []


class ToWindow:
    """method : is called in the window's thread with what is told, where its object is still there.

    To be made in the window's thread, and called in any.
    """

    def __init__(self, method: Callable[..., object]) -> None:
        if not _DOORS or not isValid(_DOORS[0]):
            _DOORS[:] = [_Door()]
        self._method, self._door = WeakMethod(method), _DOORS[0]

    def __call__(self, *values: Any) -> None:
        with contextlib.suppress(RuntimeError):  # the application is over
            self._door.came.emit(self._method, values)
