"""What a converter of the law leaves over the notes: with nominal parts, at their limits, and warmer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from dynamis.plotting.axis import Axis
from dynamis.plotting.ticks import Tick
from dynamis.ui.widgets.axes import draw_across, draw_line, places
from dynamis.ui.widgets.picture import Plot, apart

_LEFT, _RIGHT, _TOP, _BOTTOM = 46, 116, 24, 40
_LINE = 16.0
_THREE_TICKS = 170


@dataclass(frozen=True, eq=False)
class LeftOver:
    """Cents over the notes, all of one shape: nominal, the worst that parts add, and lines by their words.

    ends : what the lowest, the middle and the highest are called.
    """

    nominal: NDArray[np.float64]
    worst: NDArray[np.float64]
    lines: tuple[tuple[str, NDArray[np.float64]], ...]
    tolerance: float
    ends: tuple[str, str, str]


class LeftPlot(Plot[LeftOver]):
    """Nominal in ink inside a band of what parts may add, the tolerance in blue, warmer in amber and dashed."""

    NAME = "What is left over the notes"

    def draw_shown(self, p: QPainter, shown: LeftOver) -> None:
        c, style = self.colours, self.number_style
        first = shown.lines[0][1] if shown.lines else shown.nominal
        most = 1.15 * max(1.1 * shown.tolerance, float(shown.worst.max()), float(np.abs(first).max()))
        box = QRectF(_LEFT, _TOP, max(10, self.width() - _LEFT - _RIGHT), max(10, self.height() - _TOP - _BOTTOM))

        across, up = Axis(0.0, 1.0, box.left(), box.right()), Axis(-most, most, box.bottom(), box.top())

        def at(share: float, cents: float) -> QPointF:
            return QPointF(across.at(share), up.at(cents))

        allowed = shown.tolerance
        p.fillRect(QRectF(at(0.0, allowed), at(1.0, -allowed)), QColor(c.blue_wash))
        p.save()
        p.setClipRect(box)
        self._curves(p, shown, across, up)
        p.restore()
        p.setPen(QPen(QColor(c.rule), 1.0))
        p.drawRect(box)
        p.drawLine(at(0.0, 0.0), at(1.0, 0.0))
        p.setPen(QColor(c.muted))
        # Far from the law the tolerance is a line, and the picture's own ends are told in its place.
        mark = allowed if box.height() * allowed / 2 / most > _LINE else most
        digits = 0 if mark >= 2 else 1
        for cents in (-mark, 0.0, mark):
            words = QRectF(0, at(0.0, cents).y() - 8, _LEFT - 5, _LINE)
            text = style.number(cents, digits, sign=bool(cents))
            p.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        ticks = [Tick(share, text) for share, text in zip((0.0, 0.5, 1.0), shown.ends, strict=True)]
        draw_across(p, box, across, ticks if box.width() > _THREE_TICKS else ticks[::2], c)
        p.drawText(QRectF(0, 3, _LEFT + 40, _LINE), Qt.AlignmentFlag.AlignLeft, "cents off")

    def _curves(self, p: QPainter, left_over: LeftOver, across: Axis, up: Axis) -> None:
        c, x = self.colours, across.at(np.linspace(0.0, 1.0, left_over.worst.size))
        over, under = places(x, up.at(left_over.worst)), places(x, up.at(-left_over.worst))[::-1]
        band = QColor(c.grey)
        band.setAlpha(70)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(band)
        p.drawPolygon(QPolygonF([*over, *under]))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for k, (_, cents) in enumerate(left_over.lines):
            pen = QPen(QColor(c.amber), 1.6, Qt.PenStyle.SolidLine if k == 0 else Qt.PenStyle.DashLine)
            draw_line(p, x, up.at(cents), pen)
        draw_line(p, x, up.at(left_over.nominal), QPen(QColor(c.ink), 1.8))
        p.setClipping(False)
        right = across.end
        sentences = [
            ("as trimmed", c.ink, left_over.nominal),
            *((words, c.amber, cents) for words, cents in left_over.lines),
        ]
        high = [
            float(np.clip(up.at(float(cents[-1])), _TOP + 6, self.height() - _BOTTOM - 6)) for _, _, cents in sentences
        ]
        for (words, colour, _), y in zip(sentences, apart(high, _LINE), strict=True):
            p.setPen(QColor(colour))
            place = QRectF(right + 6, y - 8, _RIGHT - 6, _LINE)
            p.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
