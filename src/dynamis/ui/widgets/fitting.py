"""What a dialog holds, on whatever screen: as high as it wants while there is room, and it scrolls beyond that."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from dynamis.ui.place import room_of
from dynamis.ui.widgets.panel import see_through

# Title bar, buttons, a sentence, and the edges of a dialog.
_AROUND_PIXELS = 190
_LEAST_PIXELS = 120


class Fitting(QScrollArea):
    """A column of its own, `inner`, that scrolls where the screen is too low for it."""

    def __init__(self, inner: QWidget) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._inner = inner
        see_through(self, inner)
        inner.setMinimumWidth(1)  # it is as wide as the dialog makes it, and not wider than what is seen of it
        inner.installEventFilter(self)

    def room(self) -> int:
        """Pixels that the screen has for it."""
        return max(_LEAST_PIXELS, room_of(self).height() - _AROUND_PIXELS)

    def _wanted(self) -> int:
        inner = self._inner
        if inner.hasHeightForWidth() and self.width() > 0:
            return max(inner.heightForWidth(self.width()), inner.minimumSizeHint().height())
        return inner.sizeHint().height()

    def sizeHint(self) -> QSize:
        bar = self.verticalScrollBar().sizeHint().width() if self._wanted() > self.room() else 0
        return QSize(self._inner.sizeHint().width() + bar, min(self._wanted(), self.room()))

    def minimumSizeHint(self) -> QSize:
        return QSize(self._inner.minimumSizeHint().width(), min(self._wanted(), self.room()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.oldSize().width() != event.size().width():
            self.updateGeometry()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(watched, event)
