"""Levels on one volt scale: what arrives as bands, what the input wants as thresholds, margins as dimensions."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QPolygonF

from dynamis.bench.judging.levels import Levels
from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.plotting.ticks import number_ticks
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.axes import draw_up
from dynamis.ui.widgets.picture import Picture, apart

_TOP, _BOTTOM, _LEFT = 30, 12, 56
_NEAR = 8.0
_STEP_VOLTS, _BIG_STEP_VOLTS = 0.05, 0.5


@dataclass(frozen=True)
class Handle:
    """Something that can be dragged: whose value, its words, and the volts at which it stands."""

    side: str
    key: str
    words: str
    volts: float


class LevelScale(Picture):
    """dragged : (side, key, volts) while a level or threshold is moved.  dropped : the same at its end, or
    with None where the drag was given up."""

    dragged = Signal(str, str, float)
    dropped = Signal(str, str, object)
    KEYS = (
        ("Left / Right, in the picture", "another level or threshold"),
        ("Up / Down, in the picture", "move it by 0.05 V, with Shift by 0.5 V"),
        ("Esc, while dragging", "put it back"),
    )

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("Levels against thresholds", colours, style)
        self.levels: Levels | None = None
        self._handles: list[Handle] = []
        self._held: Handle | None = None
        self._chosen = 0
        self._span = (0.0, 5.0)
        self._moved: float | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def show_levels(self, levels: Levels | None, handles: list[Handle], words: str) -> None:
        """Show a pair; the scale stays while something is dragged."""
        self.levels, self._handles = levels, handles
        if levels is not None and self._held is None:
            volts = [
                levels.low.low,
                levels.low.high,
                levels.high.low,
                levels.high.high,
                levels.on_volts,
                levels.off_volts,
                0.0,
            ]
            volts += [one for span in (levels.works,) for one in (span.low, span.high) if one is not None]
            low, high = min(volts), max(volts)
            volts += [
                one
                for span in (levels.bears, levels.sender_bears)
                for one in (span.low, span.high)
                if one is not None and low - 0.6 * (high - low) <= one <= high + 0.6 * (high - low)
            ]
            pad = 0.08 * max(1.0, max(volts) - min(volts))
            self._span = min(volts) - pad, max(volts) + pad
        self.setAccessibleDescription(words)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(560, 330)

    # -- volts and pixels --------------------------------------------------------------------------

    @property
    def _up(self) -> Axis:
        return Axis(*self._span, self.height() - _BOTTOM, _TOP)

    def _y(self, volts: float) -> float:
        return self._up.at(volts)

    def _volts(self, y: float) -> float:
        return self._up.value(y)

    # -- painting ----------------------------------------------------------------------------------

    def draw(self, p: QPainter) -> None:
        if self.levels is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        levels, c = self.levels, self.colours
        wide = self.width() - _LEFT - 12
        sends, takes = _LEFT + 0.06 * wide, _LEFT + 0.56 * wide
        band = 0.17 * wide
        self._axis(p)
        p.setPen(QColor(c.ink))
        p.drawText(QPointF(sends, 18), "what arrives")
        p.drawText(QPointF(takes, 18), "what the input wants")
        self._labels: list[tuple[float, str, str]] = []
        self._limits(p, takes, band)
        for one, words in ((levels.high, "high"), (levels.low, "low")):
            top, bottom = self._y(one.high), self._y(one.low)
            box = QRectF(sends, min(top, bottom - 2.0), band, max(2.0, bottom - top))
            p.fillRect(box, QColor(c.ink))
            p.setPen(QColor(c.ink))
            text = f"{words} {self.number_style.volts(one.high, 2)}"
            if one.high - one.low > 0.005:
                text = f"{words} {self.number_style.number(one.low, 2)} to {self.number_style.volts(one.high, 2)}"
            p.drawText(QPointF(sends, box.top() - 5), text)
        for volts, words in ((levels.on_volts, "on"), (levels.off_volts, "off")):
            y = self._y(volts)
            p.setPen(QPen(QColor(c.blue), 2.0))
            p.drawLine(QPointF(takes, y), QPointF(takes + band, y))
            above = (words == "on") != levels.shorting
            sentence = f"{words} {'above' if above else 'below'} {self.number_style.volts(volts, 2)}"
            self._labels.append((y, sentence, c.blue))
        between = sorted((self._y(levels.on_volts), self._y(levels.off_volts)))
        p.fillRect(
            QRectF(takes, between[0], band, between[1] - between[0]), QBrush(QColor(c.grey), Qt.BrushStyle.BDiagPattern)
        )
        gap = sends + band
        self._margin(
            p,
            gap + 0.40 * (takes - gap),
            levels.on_from,
            levels.on_volts,
            levels.fit.on_margin_volts,
            (sends, takes + band),
        )
        self._margin(
            p,
            gap + 0.78 * (takes - gap),
            levels.off_from,
            levels.off_volts,
            levels.fit.off_margin_volts,
            (sends, takes + band),
        )
        for y, (_, text, colour) in zip(apart([one for one, _, _ in self._labels], 15.0), self._labels, strict=True):
            p.setPen(QColor(colour))
            p.drawText(QPointF(takes + band + 8, y + 5), text)
        self._show_chosen(p, sends, takes, band)

    def _axis(self, p: QPainter) -> None:
        c, (low, high) = self.colours, self._span
        box = QRectF(_LEFT, _TOP, self.width() - 8.0 - _LEFT, self.height() - _TOP - _BOTTOM)
        draw_up(p, box, self._up, number_ticks(low, high, 9, self.number_style), c)
        p.setPen(QColor(c.muted))
        p.drawText(QRectF(0, 4, _LEFT - 8, 18), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "V")

    def _limits(self, p: QPainter, takes: float, band: float) -> None:
        """The working range as a bracket, and what lies beyond the limits, hatched."""
        levels, c, (low, high) = self.levels, self.colours, self._span
        assert levels is not None
        works = levels.works
        if works.low is not None or works.high is not None:
            top, bottom = (
                self._y(high if works.high is None else works.high),
                self._y(low if works.low is None else works.low),
            )
            p.setPen(QPen(QColor(c.muted), 1.2))
            x = takes - 7
            p.drawLine(QPointF(x, top), QPointF(x, bottom))
            for y, known in ((top, works.high), (bottom, works.low)):
                if known is not None:
                    p.drawLine(QPointF(x, y), QPointF(x + 5, y))
                    self._labels.append(
                        (y, f"works {'to' if y == top else 'from'} {self.number_style.volts(known, 2)}", c.muted)
                    )
        for volts, up, words in ((levels.bears.high, True, "bears"), (levels.bears.low, False, "bears")):
            if volts is None or not low <= volts <= high:
                continue
            y = self._y(volts)
            edge = QRectF(takes, _TOP, band, y - _TOP) if up else QRectF(takes, y, band, self.height() - _BOTTOM - y)
            p.fillRect(edge, QBrush(QColor(c.violet), Qt.BrushStyle.FDiagPattern))
            p.setPen(QPen(QColor(c.violet), 2.0))
            p.drawLine(QPointF(takes, y), QPointF(takes + band, y))
            self._labels.append((y, f"{words} {self.number_style.volts(volts, 2)}", c.violet))

    def _margin(
        self, p: QPainter, x: float, level: float, threshold: float, margin: float, ends: tuple[float, float]
    ) -> None:
        """A dimension from the threshold to the level, as on a drawing."""
        c = self.colours
        colour = QColor(c.vermilion if margin < 0 else c.ink)
        first, second = self._y(level), self._y(threshold)
        p.setPen(QPen(QColor(c.muted), 0.8))
        p.drawLine(QPointF(ends[0], first), QPointF(x + 6, first))
        p.drawLine(QPointF(x - 6, second), QPointF(ends[1], second))
        p.setPen(QPen(colour, 1.3))
        p.drawLine(QPointF(x, first), QPointF(x, second))
        if abs(second - first) > 12:
            for y, direction in ((first, 1.0 if second > first else -1.0), (second, 1.0 if first > second else -1.0)):
                p.setBrush(colour)
                p.drawPolygon(
                    QPolygonF([QPointF(x, y), QPointF(x - 3, y + 8 * direction), QPointF(x + 3, y + 8 * direction)])
                )
        text = (
            self.number_style.volts(margin, 2, sign=True)
            if margin >= 0
            else (f"{self.number_style.volts(-margin, 2)} short")
        )
        box = QRectF(x - 46, (first + second) / 2 - 10, 92, 20)
        p.fillRect(p.boundingRect(box, Qt.AlignmentFlag.AlignCenter, text).adjusted(-3, 0, 3, 0), QColor(c.panel))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _show_chosen(self, p: QPainter, sends: float, takes: float, band: float) -> None:
        """The handle that keys move, or that is held."""
        handle = self._held or (
            self._handles[self._chosen % len(self._handles)] if self.hasFocus() and self._handles else None
        )
        if handle is None:
            return
        left = sends if handle.side == "output" else takes
        y = self._y(self._moved if self._held is not None and self._moved is not None else handle.volts)
        p.setPen(QPen(QColor(self.colours.thread), 2.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(QRectF(left - 4, y - 6, band + 8, 12), 3, 3)

    # -- dragging ----------------------------------------------------------------------------------

    def _near(self, place: QPointF) -> Handle | None:
        wide = self.width() - _LEFT - 12
        side = "output" if place.x() < _LEFT + 0.42 * wide else "input"
        mine = [one for one in self._handles if one.side == side]
        nearest = min(mine, key=lambda one: abs(self._y(one.volts) - place.y()), default=None)
        return nearest if nearest is not None and abs(self._y(nearest.volts) - place.y()) <= _NEAR else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._held = self._near(event.position())
            self._moved = None
            if self._held is not None:
                self._chosen = self._handles.index(self._held)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            self.setCursor(Qt.CursorShape.SizeVerCursor if self._near(event.position()) else Qt.CursorShape.ArrowCursor)
            return
        self._moved = round(self._volts(event.position().y()), 2)
        self.dragged.emit(self._held.side, self._held.key, self._moved)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drop(self._moved)

    def _drop(self, volts: float | None) -> None:
        held, self._held, self._moved = self._held, None, None
        if held is not None:
            self.dropped.emit(held.side, held.key, volts)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps: dict[int, float] = {Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0}
        if event.key() == Qt.Key.Key_Escape and self._held is not None:
            self._drop(None)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self._handles:
            self._chosen = (self._chosen + (1 if event.key() == Qt.Key.Key_Right else -1)) % len(self._handles)
            self.setAccessibleDescription(self._handles[self._chosen].words)
            self.update()
        elif event.key() in steps and self._handles and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if self._held is None:
                self._held = self._handles[self._chosen % len(self._handles)]
                self._moved = self._held.volts
            big = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            step = _BIG_STEP_VOLTS if big else _STEP_VOLTS
            self._moved = round((self._moved or 0.0) + steps[event.key()] * step, 3)
            self.dragged.emit(self._held.side, self._held.key, self._moved)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and not event.isAutoRepeat() and self._held is not None:
            self._drop(self._moved)
        else:
            super().keyReleaseEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._drop(None)

    def show_everything(self) -> None:
        self.show_levels(self.levels, self._handles, self.accessibleDescription())

    show_tolerance = show_everything
