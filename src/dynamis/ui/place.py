"""Where a window opens: as large as it likes on the screen that is there, and where it was the last time."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QWidget

# A window manager's title bar and edges, which are not known before the window is shown.
_FRAME = QSize(16, 44)
WindowPlace = tuple[int, int, int, int]


def fitted(wanted: QRect, screens: list[QRect], least: QSize) -> QRect:
    """A window's inner rectangle moved and shrunk so that it lies, with its frame, on one of the screens.

    The screen is the one that most of it lies on, else the first.  Not smaller than `least` where the screen allows it.
    """

    def shared(screen: QRect) -> int:
        both = screen.intersected(wanted)
        return max(0, both.width()) * max(0, both.height())

    screen = max(screens, key=shared)
    room = screen.size() - _FRAME
    size = wanted.size().expandedTo(least).boundedTo(room)
    inner = QRect(screen.topLeft(), size)
    inner.translate(_FRAME.width() // 2, _FRAME.height() - _FRAME.width() // 2)
    if shared(screen):
        left = min(max(wanted.left(), inner.left()), inner.left() + room.width() - size.width())
        top = min(max(wanted.top(), inner.top()), inner.top() + room.height() - size.height())
        inner.moveTo(left, top)
    return inner


def open_at(window: QWidget, kept: WindowPlace | None) -> None:
    """Give a window its size, and its place where it has been shown before; the window manager places a new one."""
    screens = [one.availableGeometry() for one in QGuiApplication.screens()]
    if kept is None:
        first = QGuiApplication.primaryScreen().availableGeometry()
        window.resize(fitted(QRect(first.topLeft(), window.size()), [first], window.minimumSize()).size())
        return
    window.setGeometry(fitted(QRect(*kept), screens, window.minimumSize()))


def room_of(widget: QWidget) -> QRect:
    """What the screen that a widget lies on has room for.

    Never by `widget.screen()`: the binding takes the screen for a child of the widget, and deletes it with the widget.
    """
    there = QGuiApplication.screenAt(widget.mapToGlobal(widget.rect().center()))
    return (there or QGuiApplication.primaryScreen()).availableGeometry()


def place_of(window: QWidget) -> WindowPlace:
    """What `open_at` takes; of a maximised window, where it stands otherwise."""
    at = window.normalGeometry() if window.isMaximized() or window.isFullScreen() else window.geometry()
    return at.x(), at.y(), at.width(), at.height()
