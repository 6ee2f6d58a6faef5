"""The spread of a circuit as a histogram of cents, with the tolerance; a second circuit may be laid over."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from dynamis.electrics.design.spread import Laid
from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.plotting.ticks import number_ticks
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.axes import draw_across
from dynamis.ui.widgets.picture import Picture

_LEFT, _BOTTOM, _TOP = 10, 40, 26
_BINS = 48


class Histogram(Picture):
    """Before trimming in grey, after it in ink; what is compared as an outline."""

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("Spread", colours, style)
        self.shown: Laid | None = None
        self.compared: Laid | None = None
        self._after = True

    def sizeHint(self) -> QSize:
        return QSize(320, 200)

    def show_spread(self, shown: Laid | None, compared: Laid | None = None) -> None:
        self.shown, self.compared = shown, compared
        if shown is not None:
            style, side = self.number_style, shown.spread.after
            self.setAccessibleDescription(
                f"{shown.spread.before.within_words(style)} within before trimming, "
                f"{side.within_words(style)} after, 95 % within {style.size_of_cents(side.p95_cents)} cents"
            )
        self.update()

    def draw(self, p: QPainter) -> None:
        if self.shown is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c, style, spread = self.colours, self.number_style, self.shown.spread
        tolerance = spread.before.tolerance_cents
        every = [spread.before.cents] + ([] if self.compared is None else [self.compared.spread.before.cents])
        most = max(1.25 * tolerance, *(float(np.percentile(one, 99.5)) for one in every))
        wide, high = self.width() - 2 * _LEFT, self.height() - _TOP - _BOTTOM
        base = self.height() - _BOTTOM

        across = Axis(0.0, most, _LEFT, _LEFT + wide)
        p.fillRect(QRectF(_LEFT, _TOP, across.at(tolerance) - _LEFT, high), QColor(c.blue_wash))
        trimmed = spread.after is not spread.before
        self._bars(p, spread.before.cents, most, QColor(c.grey), None, wide, high, base)
        if trimmed:
            self._bars(p, spread.after.cents, most, QColor(c.ink), None, wide, high, base)
        if self.compared is not None:
            self._bars(p, self.compared.spread.after.cents, most, None, QColor(c.thread), wide, high, base)
        p.setPen(QPen(QColor(c.muted), 1.0))
        p.drawLine(QPointF(_LEFT, base), QPointF(_LEFT + wide, base))
        box = QRectF(_LEFT, _TOP, wide, high)
        draw_across(p, box, across, number_ticks(0.0, most, 6, style), c)
        p.drawText(QRectF(_LEFT, base + 19, wide, 16), Qt.AlignmentFlag.AlignRight, "cents off, at the worse end")
        p.setPen(QColor(c.blue))
        p.drawText(
            QRectF(_LEFT + 3, 4, wide, 18), Qt.AlignmentFlag.AlignLeft, f"within ±{style.number(tolerance, 0)} ct"
        )

    def _bars(
        self,
        p: QPainter,
        cents: NDArray[np.float64],
        most: float,
        fill: QColor | None,
        line: QColor | None,
        wide: float,
        high: float,
        base: float,
    ) -> None:
        counts, _ = np.histogram(np.minimum(cents, most), bins=_BINS, range=(0.0, most))
        share = np.sqrt(counts / max(1, counts.max()))  # by the root, so that few samples still show
        path = QPainterPath(QPointF(_LEFT, base))
        for k, one in enumerate(share):
            for edge in (k, k + 1):
                path.lineTo(QPointF(_LEFT + wide * edge / _BINS, base - high * float(one)))
        path.lineTo(QPointF(_LEFT + wide, base))
        if fill is not None:
            fill.setAlpha(150)
            p.fillPath(path, fill)
        if line is not None:
            p.setPen(QPen(line, 1.8))
            p.drawPath(path)
