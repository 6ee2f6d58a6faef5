"""How a pair is painted: its sign close by its number, in ink where it is joined."""

from __future__ import annotations

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.bench.pairs_model import Cell, PairsModel
from dynamis.ui.widgets.table import Index

_SIGN = 12
_NUMBER_CHARACTERS = 8
_MARGIN = 6
_MOST_KEPT = 4000
_ALONG_ALPHA = 90


class PairCell(QStyledItemDelegate):
    """Each content is drawn once and kept as a picture: a table of 60 by 60 has to scroll within a frame.

    row, column : of the chosen pair, which are followed by a wash; -1 for none.
    """

    def __init__(self, model: PairsModel, colours: Colours) -> None:
        super().__init__()
        self._model = model
        self.row = self.column = -1
        self._kept: dict[tuple[Cell, int, float], QPixmap] = {}
        self.dress(colours)

    def dress(self, colours: Colours) -> None:
        self._kept.clear()
        self._ink, self._muted = QColor(colours.ink), QColor(colours.muted)
        self._wash, self._edge = QColor(colours.thread_wash), QPen(QColor(colours.thread), 1.5)
        self._along = QColor(colours.thread_wash)
        self._along.setAlpha(_ALONG_ALPHA)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        box = option.rect
        state = option.state
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, self._wash)
            if state & QStyle.StateFlag.State_HasFocus:
                painter.setPen(self._edge)
                painter.drawRect(box.adjusted(1, 1, -1, -1))
        elif index.row() == self.row or index.column() == self.column:
            painter.fillRect(box, self._along)
        cell = self._model.cell(index.row(), index.column())
        if cell is None:
            return
        key = cell, box.height(), painter.device().devicePixelRatioF()
        picture = self._kept.get(key)
        if picture is None:
            picture = self._draw(cell, option, key[2])
            if len(self._kept) >= _MOST_KEPT:
                self._kept.clear()
            self._kept[key] = picture
        painter.drawPixmap(box.right() - _width(option) + 1, box.top(), picture)

    def _draw(self, cell: Cell, option: QStyleOptionViewItem, ratio: float) -> QPixmap:
        text, verdict, joined = cell
        wide, tall = _width(option), option.rect.height()
        picture = QPixmap(round(wide * ratio), round(tall * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        font = option.font
        font.setBold(joined)
        painter.setFont(font)
        painter.setPen(self._ink if joined else self._muted)
        place = QRect(0, 0, wide - _MARGIN, tall)
        painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        if verdict:
            painter.drawPixmap(QRect(1, (tall - _SIGN) // 2 + 1, _SIGN, _SIGN), self._model.sign(verdict))
        painter.end()
        return picture


def _width(option: QStyleOptionViewItem) -> int:
    """How wide a sign and a number are; a column is never narrower."""
    return _SIGN + 4 + _NUMBER_CHARACTERS * option.fontMetrics.averageCharWidth() + 2 * _MARGIN
