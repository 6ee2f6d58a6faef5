"""The notes of a plan as a row of dashes."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from dynamis.ui.theme.palette import Colours


class Dashes(QWidget):
    """One dash for each note of the plan: read, still to read, and the one that plays."""

    def __init__(self) -> None:
        super().__init__()
        self._notes: list[tuple[bool, bool]] = []
        self._colours: Colours | None = None

    def show_notes(self, notes: list[tuple[bool, bool]], colours: Colours) -> None:
        self._notes, self._colours = notes, colours
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(100, 9)

    def minimumSizeHint(self) -> QSize:
        return QSize(40, 9)

    def paintEvent(self, event: QPaintEvent) -> None:
        if not self._notes or self._colours is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        step = self.width() / len(self._notes)
        for k, (read, plays) in enumerate(self._notes):
            colour = self._colours.thread if plays else self._colours.ink if read else self._colours.rule
            painter.setBrush(QColor(colour))
            painter.drawRoundedRect(QRectF(k * step, 1, max(1.5, step - min(4.0, step / 4)), 6), 2, 2)
        painter.end()
