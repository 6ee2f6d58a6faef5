"""What the error is made of: a bar for each share at the followed note; a click goes where it is cured."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen

from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.picture import Picture

_ROW = 40
_MOST = 9
_SUMS = 58
# The scroll bar of the column stands there.
_BAR_ROOM = 13


@dataclass(frozen=True)
class ShareRow:
    """cents : at the followed note; known : an error as it is, not a limit to either side."""

    label: str
    cents: float
    known: bool
    cure: str
    station: str
    gap: int | None


class BudgetBars(Picture):
    """pointed : the gap of the share under the mouse or the keys, -1 for none.  chosen : the station that cures it."""

    pointed = Signal(int)
    chosen = Signal(str)
    KEYS = (("Up / Down, in the budget", "another share"), ("Return, in the budget", "go where it is cured"))

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("What the error is made of", colours, style)
        self.rows: list[ShareRow] = []
        self.sums = ""
        self._at: int | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return QSize(320, _ROW * max(1, len(self.rows)) + _SUMS)

    minimumSizeHint = sizeHint

    def show_shares(self, rows: list[ShareRow], sums: str) -> None:
        """rows : shares, the largest first.  sums : what they come to together."""
        changed = len(rows[:_MOST]) != len(self.rows)
        self.rows, self.sums = rows[:_MOST], sums
        words = ", ".join(f"{one.label} {self._number(one)}" for one in self.rows)
        self.setAccessibleDescription(f"{words}. {sums}")
        if changed:
            self.updateGeometry()
        self.update()

    def _number(self, row: ShareRow) -> str:
        style = self.number_style
        return f"{style.cents(row.cents, sign=True)} ct" if row.known else f"± {style.cents(abs(row.cents))} ct"

    def draw(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c, wide = self.colours, self.width() - _BAR_ROOM
        most = max((abs(one.cents) for one in self.rows), default=0.0) or 1.0
        for k, row in enumerate(self.rows):
            top = k * _ROW + _SUMS
            if k == self._at:
                p.fillRect(QRectF(0, top, wide, _ROW - 2), QColor(c.blue_wash))
            p.setFont(self.font())
            p.setPen(QColor(c.ink))
            number = self._number(row)
            room = p.fontMetrics().horizontalAdvance(number) + 12
            shown = p.fontMetrics().elidedText(row.label, Qt.TextElideMode.ElideRight, wide - room - 4)
            p.drawText(QRectF(2, top + 1, wide - room, 17), Qt.AlignmentFlag.AlignVCenter, shown)
            p.drawText(
                QRectF(wide - room, top + 1, room - 2, 17),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                number,
            )
            p.fillRect(QRectF(2, top + 19, wide - 4, 4), QColor(c.grid))
            share = abs(row.cents) / most
            colour = c.vermilion if row.known and share > 0.3 else c.amber if share > 0.3 else c.blue
            p.fillRect(QRectF(2, top + 19, (wide - 4) * share, 4), QColor(colour))
            p.setPen(QColor(c.muted))
            cure = p.fontMetrics().elidedText(f"{row.cure} · {row.station}", Qt.TextElideMode.ElideRight, wide - 4)
            p.drawText(QRectF(2, top + 24, wide - 4, 15), Qt.AlignmentFlag.AlignVCenter, cure)
        p.setPen(QColor(c.ink))
        above = QRectF(2, 0, wide - 4, _SUMS - 6)
        p.drawText(above, Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft, self.sums)
        if self.hasFocus():
            p.setPen(QPen(QColor(c.blue), 1.0))
            p.drawRect(QRectF(0.5, 0.5, wide - 1, self.height() - 1))

    def _point(self, at: int | None) -> None:
        if at != self._at:
            self._at = at
            gap = None if at is None else self.rows[at].gap
            self.pointed.emit(-1 if gap is None else gap)
            self.update()

    def _row_at(self, y: float) -> int | None:
        k = int((y - _SUMS) // _ROW)
        return k if 0 <= k < len(self.rows) else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._point(self._row_at(event.position().y()))
        self.setCursor(Qt.CursorShape.PointingHandCursor if self._at is not None else Qt.CursorShape.ArrowCursor)

    def leaveEvent(self, event: QEvent) -> None:
        self._point(None)
        super().leaveEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = self._row_at(event.position().y())
        if at is not None:
            self.chosen.emit(self.rows[at].station)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps: dict[int, int] = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.key() in steps and self.rows and not event.modifiers():
            start = -1 if self._at is None else self._at
            self._point((start + steps[event.key()]) % len(self.rows))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._at is not None:
            self.chosen.emit(self.rows[self._at].station)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._point(None)
        self.update()
