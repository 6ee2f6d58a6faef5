"""The curve that a loaded potentiometer makes over its travel, and what straightens it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from dynamis.electrics.potentiometer import straightened
from dynamis.electrics.potentiometer_words import NamedPot, pot_words
from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.plotting.ticks import Tick
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.axes import draw_across, draw_line
from dynamis.ui.widgets.picture import Picture, apart

_LEFT, _RIGHT, _TOP, _BOTTOM = 46, 78, 26, 40
_STEPS = 101
_LINE = 16.0


class PotCurve(Picture):
    """Volts at the wiper over its travel: as it is in ink, straight as dashes, straightened in blue and amber."""

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("Curve of the potentiometer", colours, style)
        self.pot: NamedPot | None = None

    def sizeHint(self) -> QSize:
        return QSize(320, 240)

    def show_pot(self, pot: NamedPot | None) -> None:
        self.pot = pot
        self.setAccessibleDescription("" if pot is None else " ".join(pot_words(pot, self.number_style)))
        self.update()

    def lines(self) -> list[tuple[str, str, np.ndarray]]:
        """Words, colour and volts of each curve over the travel."""
        if self.pot is None:
            return []
        x, pot, c = np.linspace(0.0, 1.0, _STEPS), self.pot.loaded, self.colours
        curves = [("as it is", c.ink, pot.volts(x))]
        for straightening, colour in zip(self.pot.straightenings, (c.blue, c.amber), strict=False):
            ohms = self.number_style.engineering(straightening.ohms, "Ω")
            curves.append(
                (ohms if straightening.kind == "lower" else f"+ {ohms}", colour, straightened(pot, straightening, x))
            )
        return curves

    def draw(self, p: QPainter) -> None:
        lines = self.lines()
        if not lines:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        c, style = self.colours, self.number_style
        every = np.concatenate([volts for _, _, volts in lines])
        low, high = min(0.0, float(every.min())), max(0.0, float(every.max()))
        box = QRectF(_LEFT, _TOP, max(10, self.width() - _LEFT - _RIGHT), max(10, self.height() - _TOP - _BOTTOM))

        across, up = Axis(0.0, 1.0, box.left(), box.right()), Axis(low, high, box.bottom(), box.top())

        def at(travel: float, volts: float) -> QPointF:
            return QPointF(across.at(travel), up.at(volts))

        p.setPen(QPen(QColor(c.rule), 1.0))
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            p.drawLine(at(share, low), at(share, high))
        p.drawLine(at(0.0, 0.0), at(1.0, 0.0))
        halves = [Tick(share, style.share(share, 0)) for share in (0.0, 0.5, 1.0)]
        draw_across(p, box, across, halves, c)
        p.drawText(
            QRectF(box.left(), box.bottom() + 20, box.width(), _LINE), Qt.AlignmentFlag.AlignRight, "of its travel"
        )
        for volts in (low, high):
            place = QRectF(0, at(0, volts).y() - 8, _LEFT - 5, _LINE)
            p.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, style.volts(volts, 1))
        first = lines[0][2]
        p.setPen(QPen(QColor(c.muted), 1.0, Qt.PenStyle.DashLine))
        p.drawLine(at(0.0, float(first[0])), at(1.0, float(first[-1])))
        ends = apart([at(1.0, float(volts[-1])).y() for _, _, volts in lines], _LINE)
        for (words, colour, each), end in zip(lines, ends, strict=True):
            draw_line(p, across.at(np.linspace(0.0, 1.0, _STEPS)), up.at(each), QPen(QColor(colour), 1.8))
            place = QRectF(box.right() + 6, end - 8, _RIGHT - 6, _LINE)
            p.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
