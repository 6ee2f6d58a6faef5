"""The pulse in time: its length against what the input takes, and the envelope that it starts."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from dynamis.bench.judging.levels import Levels, envelope_of, pulse_of
from dynamis.notation.style import Style
from dynamis.transfer.breakpoints import Breakpoints
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.picture import Picture, apart

_LEFT, _RIGHT, _TOP = 56, 14, 16
_HELD_SECONDS = 0.2


class PulsePlot(Picture):
    """A pulse from a quarter of its length on; where a key holds it, 0.2 s are drawn."""

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("The pulse in time", colours, style)
        self.levels: Levels | None = None

    def show_levels(self, levels: Levels | None, words: str) -> None:
        self.levels = levels
        self.setAccessibleDescription(words)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(560, 190)

    def draw(self, p: QPainter) -> None:
        if self.levels is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        levels, c, style = self.levels, self.colours, self.number_style
        pulse = pulse_of(levels, _HELD_SECONDS)
        starts, ends = float(pulse.seconds[1]), float(pulse.seconds[2])
        envelope = levels.envelope
        length = levels.seconds or _HELD_SECONDS
        longest = max(
            [ends + 0.35 * length, *(starts + 1.15 * one for one in (levels.min_seconds, levels.max_seconds) if one)]
        )
        if envelope is not None:
            longest = max(longest, ends + 1.1 * envelope.release_seconds, starts + 1.2 * envelope.attack_seconds)
        wide, rows = self.width() - _LEFT - _RIGHT, 2 if envelope is not None else 1
        foot = 44  # for the dimensions of what the input takes
        tall = (self.height() - _TOP - foot) / rows - 14

        def x(seconds: float) -> float:
            return _LEFT + wide * seconds / longest

        at = np.unique(np.concatenate([np.linspace(0.0, longest, 400), pulse.seconds, pulse.seconds - 1e-12]))
        at = at[at >= 0]
        volts = pulse.at(at)
        low, high = min(0.0, float(volts.min())), max(float(volts.max()), levels.on_volts, 0.1)

        def y(value: float) -> float:
            return _TOP + tall * (high - value) / (high - low)

        p.setPen(QPen(QColor(c.blue), 1.0, Qt.PenStyle.DashLine))
        thresholds = [y(levels.on_volts), y(levels.off_volts)]
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for line, place, words in zip(thresholds, apart(thresholds, 14.0), ("on", "off"), strict=True):
            p.drawLine(QPointF(_LEFT, line), QPointF(_LEFT + wide, line))
            p.drawText(QRectF(0, place - 9, _LEFT - 8, 18), right, words)
        p.setPen(QPen(QColor(c.ink), 2.0))
        p.drawPolyline(QPolygonF([QPointF(x(t), y(v)) for t, v in zip(at, volts, strict=True)]))
        below = _TOP + tall + 12
        if envelope is not None:
            below = self._envelope(p, envelope_of(envelope, starts, ends), at, x, tall)
        sentence = style.engineering(levels.seconds, "s") if levels.seconds else "as long as a key is held"
        self._dimension(p, x(starts), x(ends), below + 4, c.ink, sentence)
        sent = levels.seconds
        for seconds, words, wrong in (
            (levels.min_seconds, "at least", sent is not None and sent < (levels.min_seconds or 0.0)),
            (levels.max_seconds, "fires once up to", sent is not None and sent > (levels.max_seconds or sent)),
        ):
            if seconds is not None:
                colour = c.vermilion if wrong else c.muted
                sentence = f"{words} {style.engineering(seconds, 's')}"
                self._dimension(p, x(starts), x(starts + seconds), below + 24, colour, sentence)

    def _envelope(
        self, p: QPainter, envelope: Breakpoints, at: NDArray[np.float64], x: Callable[[float], float], tall: float
    ) -> float:
        c, top = self.colours, _TOP + tall + 20
        share = envelope.at(at)
        share = np.where(np.isnan(share), 0.0, share)
        p.setPen(QColor(c.muted))
        p.drawText(QRectF(0, top - 4, _LEFT - 8, 18), Qt.AlignmentFlag.AlignRight, "starts")
        p.setPen(QPen(QColor(c.grid), 1.0))
        p.drawLine(QPointF(_LEFT, top), QPointF(self.width() - _RIGHT, top))
        p.setPen(QPen(QColor(c.ink), 1.4))
        p.drawPolyline(QPolygonF([QPointF(x(t), top + tall * (1.0 - s)) for t, s in zip(at, share, strict=True)]))
        peak = float(share.max())
        p.drawText(
            QPointF(x(float(at[int(share.argmax())])) + 6, top + tall * (1.0 - peak) + 14),
            f"peak {self.number_style.share(peak, 0)}",
        )
        return top + tall + 8

    def _dimension(self, p: QPainter, first: float, last: float, y: float, colour: str, words: str) -> None:
        p.setPen(QPen(QColor(colour), 1.2))
        p.drawLine(QPointF(first, y), QPointF(last, y))
        for end in (first, last):
            p.drawLine(QPointF(end, y - 4), QPointF(end, y + 4))
        p.drawText(QPointF(last + 8, y + 5), words)
