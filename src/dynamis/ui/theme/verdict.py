"""Verdicts by shape and colour: painted, not taken from a font."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from dynamis.electrics.finding import FitVerdict
from dynamis.pitch.tolerance import Verdict
from dynamis.ui.theme.palette import Colours

SignShape = Literal["disc", "half", "triangle", "cross", "ring"]
_SHAPES: dict[Verdict | FitVerdict, tuple[SignShape, str]] = {
    "within": ("disc", "blue"),
    "not-within": ("triangle", "vermilion"),
    "fits": ("disc", "blue"),
    "marginal": ("half", "amber"),
    "needs-circuit": ("triangle", "vermilion"),
    "unsafe": ("cross", "violet"),
    "cannot-tell": ("ring", "grey"),
}


def verdict_colour(verdict: Verdict | FitVerdict | None, colours: Colours) -> str:
    return getattr(colours, _SHAPES[verdict][1]) if verdict else colours.muted


def verdict_pixmap(verdict: Verdict | FitVerdict, colours: Colours, size: int, ratio: float = 1.0) -> QPixmap:
    shape, colour = _SHAPES[verdict]
    return shape_pixmap(shape, getattr(colours, colour), size, ratio)


def shape_pixmap(shape: SignShape, colour: str, size: int, ratio: float = 1.0) -> QPixmap:
    """One sign, `size` logical pixels wide, sharp at a device pixel ratio."""
    pixmap = QPixmap(round(size * ratio), round(size * ratio))
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    pen = QPen(QColor(colour), 1.6)
    box = QRectF(1.2, 1.2, size - 2.4, size - 2.4)
    painter.setPen(pen)
    if shape == "disc":
        painter.setBrush(QColor(colour))
        painter.drawEllipse(box)
    elif shape == "half":
        painter.drawEllipse(box)
        painter.setBrush(QColor(colour))
        painter.drawPie(box, 90 * 16, 180 * 16)
    elif shape == "triangle":
        painter.setBrush(QColor(colour))
        painter.drawPolygon(
            QPolygonF([QPointF(size / 2, 1.5), QPointF(size - 1.2, size - 1.8), QPointF(1.2, size - 1.8)])
        )
    elif shape == "cross":
        painter.drawLine(box.topLeft(), box.bottomRight())
        painter.drawLine(box.topRight(), box.bottomLeft())
    else:
        pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.drawEllipse(box)
    painter.end()
    return pixmap
