"""A row of steps as bars, drawn with the mouse or set with the keys."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen

from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.picture import Picture

_LEFT, _BOTTOM, _TOP = 46.0, 18.0, 8.0
_STEP, _FINE = 0.1, 0.01
_USUAL_VOLTS: Final = 5.0


class RowPicture(Picture):
    """drawn : the volts of all steps, after one was changed."""

    drawn = Signal(tuple)

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("The row's steps", colours, style)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(300, 130)
        self.setToolTip("Draw with the mouse; ← → another step, ↑ ↓ by 0.1 V, with Shift by 0.01 V")
        self.volts: tuple[float, ...] = ()
        self.step = 0
        self._before: tuple[float, ...] | None = None

    def sizeHint(self) -> QSize:
        return QSize(420, 150)

    def show_volts(self, volts: tuple[float, ...]) -> None:
        self.volts, self.step = volts, min(self.step, max(0, len(volts) - 1))
        self._describe()
        self.update()

    def _describe(self) -> None:
        style = self.number_style
        told = [f"step {k} {style.volts(one, 2)}" for k, one in enumerate(self.volts, 1)]
        self.setAccessibleDescription(", ".join(told) + f"; at step {self.step + 1}")

    # -- places --------------------------------------------------------------------------------------

    def _axis(self) -> Axis:
        held = self._before or self.volts
        low, high = min(0.0, *held, 0.0), max(_USUAL_VOLTS, *held, 0.0)
        return Axis(low, high, self.height() - _BOTTOM, _TOP)

    def _across(self) -> Axis:
        return Axis(0.0, float(max(1, len(self.volts))), _LEFT, self.width() - _TOP)

    def draw(self, painter: QPainter) -> None:
        p, c = painter, self.colours
        if not self.volts:
            return
        up, across = self._axis(), self._across()
        p.setFont(self.font())
        box = QRectF(QPointF(_LEFT, up.at(up.high)), QPointF(across.at(across.high), up.at(up.low)))
        p.fillRect(box, QColor(c.field))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for volts in (up.low, 0.0, up.high) if up.low else (0.0, up.high):
            p.setPen(QColor(c.muted))
            p.drawText(
                QRectF(0.0, up.at(volts) - _TOP, _LEFT - 6.0, _TOP + _TOP), right, self.number_style.volts(volts, 1)
            )
            p.setPen(QPen(QColor(c.grid), 1.0))
            p.drawLine(QPointF(box.left(), up.at(volts)), QPointF(box.right(), up.at(volts)))
        for k, volts in enumerate(self.volts):
            left, end = across.at(float(k)) + 2.0, across.at(k + 1.0) - 2.0
            bar = QRectF(QPointF(left, up.at(max(volts, 0.0))), QPointF(end, up.at(min(volts, 0.0))))
            p.fillRect(bar, QColor(c.thread_wash if k == self.step else c.rule))
            p.setPen(QPen(QColor(c.thread if k == self.step else c.ink), 2.0))
            p.drawLine(QPointF(left, up.at(volts)), QPointF(end, up.at(volts)))
            if end - left > 14.0:
                p.setPen(QColor(c.muted))
                below = QRectF(left, self.height() - _BOTTOM + 2.0, end - left, _BOTTOM - 4.0)
                p.drawText(below, Qt.AlignmentFlag.AlignCenter, str(k + 1))
        if self.hasFocus():
            p.setPen(QPen(QColor(c.blue), 1.0))
            p.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    # -- drawing -------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.volts:
            self._before = self.volts
            self._put(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._before is not None:
            self._put(event.position())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._before = None

    def _put(self, at: QPointF) -> None:
        """A step as high as the mouse is; every one that it came past as well."""
        step = min(len(self.volts) - 1, max(0, int(self._across().value(at.x()))))
        axis = self._axis()
        volts = min(axis.high, max(axis.low, axis.value(at.y())))
        volts = round(volts, 2)
        self._set(step, volts)

    def _set(self, step: int, volts: float) -> None:
        self.step = step
        self.volts = (*self.volts[:step], volts, *self.volts[step + 1 :])
        self._describe()
        self.drawn.emit(self.volts)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, fine = event.key(), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if key == Qt.Key.Key_Escape and self._before is not None:
            before, self._before = self._before, None
            self.volts = before
            self.drawn.emit(before)
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.volts:
            moved = self.step + (1 if key == Qt.Key.Key_Right else -1)
            self.step = min(len(self.volts) - 1, max(0, moved))
            self._describe()
            self.update()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.volts:
            by = _FINE if fine else _STEP
            self._set(self.step, round(self.volts[self.step] + (by if key == Qt.Key.Key_Up else -by), 4))
        else:
            super().keyPressEvent(event)
