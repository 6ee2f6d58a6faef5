"""What goes wrong between two scales against the note, magnified, with the tolerance to the same scale."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours

FloatArray = NDArray[np.float64]
_ROOM, _LEAST_CENTS = 1.15, 0.1


def lens_half(worst_cents: float, allowed: FloatArray) -> float:
    """Cents from the middle of a lens to its edge."""
    judged = allowed[np.isfinite(allowed)]
    return _ROOM * max(worst_cents, float(judged.min()) if judged.size else 1.0, _LEAST_CENTS)


def draw_lens(
    p: QPainter,
    box: QRectF,
    y: FloatArray,
    cents: FloatArray,
    allowed: FloatArray,
    half: float,
    colours: Colours,
    style: Style,
) -> None:
    """y, cents, allowed : (N,) of each note: where it stands, how far off, what it may be.  half : see `lens_half`."""
    p.fillRect(box, QColor(colours.field))
    middle, unit = box.center().x(), box.width() / 2 / half
    edge = np.minimum(np.where(np.isfinite(allowed), allowed, 0.0) * unit, box.width() / 2)
    band = QPainterPath(QPointF(middle - edge[0], y[0]))
    for x, at in [*zip(middle - edge[1:], y[1:], strict=True), *zip(middle + edge[::-1], y[::-1], strict=True)]:
        band.lineTo(QPointF(float(x), float(at)))
    p.fillPath(band, QColor(colours.blue_wash))
    p.setPen(QPen(QColor(colours.rule), 1.0))
    p.drawLine(QPointF(middle, box.top()), QPointF(middle, box.bottom()))
    p.drawRect(box)
    p.save()
    p.setClipRect(box)
    fine = np.isfinite(cents)
    points = [QPointF(float(middle + one * unit), float(at)) for one, at in zip(cents[fine], y[fine], strict=True)]
    p.setPen(QPen(QColor(colours.ink), 1.6))
    p.drawPolyline(points)
    p.restore()
    p.setPen(QColor(colours.muted))
    left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
    for x, side, edge_cents in ((box.left() + 4, left, -half), (box.right() - 84, right, half)):
        words = f"{style.number(edge_cents, 0 if half >= 10 else 1, sign=True)} ct"
        p.drawText(QRectF(x, box.top() + 2, 80, 18), side, words)
