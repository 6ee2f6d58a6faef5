"""Axes as every picture here has them: numbers beside it, a light line for each, notes or numbers below."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QByteArray, QDataStream, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from dynamis.plotting.axis import Axis
from dynamis.plotting.ticks import Tick
from dynamis.ui.theme.palette import Colours

LINE_HEIGHT = 16.0
_GAP = 6.0
# Beyond this a painter is not asked to go; what lies there is not on the screen.
_FAR_PIXELS = 1e5


def draw_up(p: QPainter, box: QRectF, up: Axis, ticks: Sequence[Tick], colours: Colours) -> None:
    """Numbers left of the box and a light line across it for each."""
    words = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
    for tick in ticks:
        y = up.at(tick.place)
        p.setPen(QPen(QColor(colours.grid), 1.0))
        p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        p.setPen(QColor(colours.muted))
        p.drawText(QRectF(0.0, y - LINE_HEIGHT / 2, box.left() - _GAP, LINE_HEIGHT), words, tick.text)


def draw_across(p: QPainter, box: QRectF, across: Axis, ticks: Sequence[Tick], colours: Colours) -> None:
    """Words below the box, each under its place, kept within the picture's ends."""
    p.setPen(QColor(colours.muted))
    for tick in ticks:
        x = across.at(tick.place)
        p.drawText(QRectF(x - 60.0, box.bottom() + 3.0, 120.0, LINE_HEIGHT), Qt.AlignmentFlag.AlignCenter, tick.text)


def polygon(x: NDArray[np.float64], y: NDArray[np.float64]) -> QPolygonF:
    """Pixels as a polygon, made at once: point by point a thousand take longer than their painting."""
    pairs = np.clip(np.column_stack([x, y]), -_FAR_PIXELS, _FAR_PIXELS).astype(">f8")
    polygon_f = QPolygonF()
    stream = QDataStream(QByteArray(len(pairs).to_bytes(4, "big") + pairs.tobytes()))
    stream >> polygon_f
    return polygon_f


def places(x: NDArray[np.float64], y: NDArray[np.float64]) -> list[QPointF]:
    """Pixels as points, what is far off the screen brought near."""
    across, up = (np.clip(one, -_FAR_PIXELS, _FAR_PIXELS).tolist() for one in (x, y))
    return [QPointF(*at) for at in zip(across, up, strict=True)]


def draw_line(p: QPainter, x: NDArray[np.float64], y: NDArray[np.float64], pen: QPen) -> None:
    """A line through pixels; NaN breaks it."""
    p.setPen(pen)
    p.setBrush(Qt.BrushStyle.NoBrush)
    fine = np.isfinite(y)
    breaks = np.flatnonzero(np.diff(fine.astype(np.int8))) + 1
    for part in np.split(np.arange(y.size), breaks):
        if part.size > 1 and fine[part[0]]:
            p.drawPolyline(polygon(x[part], y[part]))
