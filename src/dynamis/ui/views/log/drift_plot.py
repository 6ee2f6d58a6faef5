"""Scale or offset of a channel's runs against time, with what is allowed and where the line leaves it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from dynamis.bench.runs.trend import Trend, view_of
from dynamis.plotting.axis import Axis
from dynamis.plotting.ticks import date_ticks, number_ticks
from dynamis.ui.widgets.axes import LINE_HEIGHT, draw_across, draw_line, draw_up, places
from dynamis.ui.widgets.picture import Plot

_LEFT, _RIGHT, _TOP, _BOTTOM = 52.0, 14.0, 22.0, 24.0
_DISC = 3.5
_TICK_PIXELS = (110.0, 34.0)


class DriftPlot(Plot[Trend]):
    """Runs as discs with their U = 2u, the trend dashed, what is allowed in blue; a ring where it leaves that."""

    NAME = "Drift"

    def draw_shown(self, p: QPainter, shown: Trend) -> None:
        c, style = self.colours, self.number_style
        box = QRectF(_LEFT, _TOP, max(1.0, self.width() - _LEFT - _RIGHT), max(1.0, self.height() - _TOP - _BOTTOM))
        days, values = view_of(shown)
        across = Axis(*days, box.left(), box.right())
        up = Axis(*values, box.bottom(), box.top())
        if shown.allowed:
            low, high = np.clip(up.at(np.array([-shown.allowed, shown.allowed])), box.top(), box.bottom()).tolist()
            p.fillRect(QRectF(QPointF(box.left(), high), QPointF(box.right(), low)), QColor(c.blue_wash))
        draw_up(p, box, up, number_ticks(*values, max(2, int(box.height() / _TICK_PIXELS[1])), style, sign=True), c)
        most = max(1, int(box.width() / _TICK_PIXELS[0]))
        draw_across(p, box, across, date_ticks(shown.first, *days, most), c)
        p.setPen(QColor(c.muted))
        p.drawText(
            QRectF(0.0, 0.0, self.width(), LINE_HEIGHT), Qt.AlignmentFlag.AlignLeft, f"{shown.part}, {shown.unit}"
        )
        ends = np.array(days)
        draw_line(p, across.at(ends), up.at(shown.line(ends)), QPen(QColor(c.thread), 1.4, Qt.PenStyle.DashLine))
        p.setPen(QPen(QColor(c.grey), 1.2))
        x = across.at(shown.days)
        for top, bottom in zip(
            places(x, up.at(shown.values + shown.expanded)),
            places(x, up.at(shown.values - shown.expanded)),
            strict=True,
        ):
            p.drawLine(top, bottom)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(c.ink))
        for at in places(x, up.at(shown.values)):
            p.drawEllipse(at, _DISC, _DISC)
        if shown.leaves_day is not None and days[0] <= shown.leaves_day <= days[1]:
            day = np.array([shown.leaves_day])
            p.setPen(QPen(QColor(c.vermilion), 1.8))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(places(across.at(day), up.at(shown.line(day)))[0], 1.6 * _DISC, 1.6 * _DISC)
