"""Volts against time as they were recorded, with the two levels that were found."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from dynamis.plotting.axis import Axis
from dynamis.plotting.series import thinned
from dynamis.plotting.ticks import Tick, number_ticks
from dynamis.ui.widgets.axes import draw_across, draw_line, draw_up
from dynamis.ui.widgets.picture import Plot
from dynamis.waveform.words import Seen

_LEFT, _RIGHT, _TOP, _BOTTOM = 52.0, 14.0, 10.0, 24.0
_TICKS = (5, 5)


class TracePlot(Plot[Seen]):
    """The trace in ink, its levels dashed."""

    NAME = "Volts against time"
    SIZE = (560, 200)

    def draw_shown(self, p: QPainter, shown: Seen) -> None:
        c, style, trace, found = self.colours, self.number_style, shown.trace, shown.found
        box = QRectF(_LEFT, _TOP, max(1.0, self.width() - _LEFT - _RIGHT), max(1.0, self.height() - _TOP - _BOTTOM))
        first, last = float(trace.seconds[0]), float(trace.seconds[-1])
        across, up = Axis(first, last, box.left(), box.right()), Axis(*found.view_volts, box.bottom(), box.top())
        draw_up(p, box, up, number_ticks(up.low, up.high, _TICKS[1], style), c)
        seconds = [
            Tick(one.place, style.engineering(one.place, "s")) for one in number_ticks(first, last, _TICKS[0], style)
        ]
        draw_across(p, box, across, seconds, c)
        if found.states is not None:
            p.setPen(QPen(QColor(c.thread), 1.2, Qt.PenStyle.DashLine))
            for level in (found.states.low_volts, found.states.high_volts):
                p.drawLine(QPointF(box.left(), up.at(level)), QPointF(box.right(), up.at(level)))
        x, y = thinned(trace.seconds, np.asarray(trace.volts), first, last, int(box.width()))
        draw_line(p, across.at(x), up.at(y), QPen(QColor(c.ink), 1.2))
