"""The nomogram: parallel scales, every note threaded across, the followed note in the thread's colour."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFocusEvent,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)

from dynamis.bench.chains.nomogram import Nomogram
from dynamis.bench.chains.nomogram_ticks import ticks_of
from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.chain.lens import draw_lens, lens_half
from dynamis.ui.widgets.picture import Picture, apart

_LEFT, _RIGHT, _TOP, _BOTTOM = 88, 156, 68, 26
_NEAR = 34.0
_ROOM_NOTES = 4.0
_LENS_ROOM, _LENS_WIDE, _TICK_ROOM = 24, 3.0, 56
_UNITS = {"note": "wanted", "code": "codes", "volts": "volts", "octaves": "hertz"}


class NomogramPicture(Picture):
    """dragged : a note while it is moved on a scale, or put back.  laid_out : the scales stand elsewhere."""

    dragged = Signal(float)
    laid_out = Signal()
    KEYS = (
        ("Up / Down, in the picture", "the followed note, by a semitone; with Shift by an octave"),
        ("Left / Right, in the picture", "another gap between two scales"),
        ("M, in the picture", "magnify what goes wrong in that gap, or no longer"),
        ("Esc, while dragging", "put the note back"),
    )

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("The chain of the link", colours, style)
        self.nomogram: Nomogram | None = None
        self.note = 60.0
        self.allowed = np.zeros(0)
        self.gap, self.lens = 0, False
        self.lit: int | None = None
        self._held: int | None = None
        self._before = 60.0
        self._still: QPixmap | None = None
        self._still_key: tuple[object, ...] = ()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(800, 430)

    def show_chain(self, nomogram: Nomogram | None, allowed: np.ndarray) -> None:
        """Show a chain; allowed : cents by note."""
        self.nomogram, self.allowed = nomogram, allowed
        self._still = None
        if nomogram is not None:
            self.gap = min(self.gap, len(nomogram.scales) - 2)
            if not self.lens:
                self.gap = int(np.argmax([self._worst(k) for k in range(len(nomogram.scales) - 1)]))
        self.update()

    def _worst(self, k: int) -> float:
        gap = self._drawn.gap_cents(k)
        return float(np.max(np.abs(gap[np.isfinite(gap)]), initial=0.0))

    def show_note(self, note: float) -> None:
        self.note = note
        self.update()

    def light(self, gap: int | None) -> None:
        """Show which gap a share of the error stands in."""
        if gap != self.lit:
            self.lit = gap
            self.update()

    def magnify(self, on: bool) -> None:
        self.lens = on
        self._still = None
        self.laid_out.emit()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.laid_out.emit()

    @property
    def _drawn(self) -> Nomogram:
        """The chain that is shown; nothing is drawn or dragged where there is none."""
        assert self.nomogram is not None
        return self.nomogram

    # -- places ------------------------------------------------------------------------------------

    def x_of(self, k: int) -> float:
        gaps = len(self._drawn.scales) - 1
        wide = self.width() - _LEFT - _RIGHT
        if not self.lens:
            return _LEFT + wide * k / max(1, gaps)
        # The gap that is looked into is as wide as three others.
        return _LEFT + wide * (k + (_LENS_WIDE - 1.0 if k > self.gap else 0.0)) / (gaps + _LENS_WIDE - 1.0)

    def _ends(self) -> tuple[float, float]:
        notes = self._drawn.notes
        return float(notes[0]) - _ROOM_NOTES, float(notes[-1]) + _ROOM_NOTES

    def _y(self, place: Any) -> Any:
        """Pixels down for notes, a number or an array of them."""
        low, high = self._ends()
        inside = self.height() - _TOP - _BOTTOM
        return self.height() - _BOTTOM - (np.clip(place, low - 200.0, high + 200.0) - low) / (high - low) * inside

    def _place(self, y: float) -> float:
        low, high = self._ends()
        return low + (self.height() - _BOTTOM - y) / (self.height() - _TOP - _BOTTOM) * (high - low)

    # -- drawing -----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self.nomogram is not None:
            ratio = self.devicePixelRatioF()
            key = (self.size(), ratio, self.colours, self.number_style, self.lens, self.gap, self.font().toString())
            if self._still is None or key != self._still_key:
                self._still = QPixmap(self.size() * ratio)
                self._still.setDevicePixelRatio(ratio)
                self._still.fill(Qt.GlobalColor.transparent)
                still = QPainter(self._still)
                self._draw_still(still)
                still.end()
                self._still_key = key
            painter.drawPixmap(0, 0, self._still)
            self._draw_moving(painter)
        painter.end()

    def draw(self, painter: QPainter) -> None:
        if self.nomogram is not None:
            self._draw_still(painter)
            self._draw_moving(painter)

    def _draw_still(self, p: QPainter) -> None:
        """All that does not move with the note."""
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(self.font())
        scales, c = self._drawn.scales, self.colours
        area = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)
        p.save()
        p.setClipRect(area.adjusted(-1, 0, 1, 0))
        self._threads(p)
        p.restore()
        if self.lens:
            self._lens(p)
        for k, scale in enumerate(scales):
            self._unreached(p, k)
            x = self.x_of(k)
            p.setPen(QPen(QColor(c.ink), 1.5))
            p.drawLine(QPointF(x, _TOP), QPointF(x, self.height() - _BOTTOM))
            self._ticks(p, k)
            bold = QFont(self.font())
            bold.setWeight(QFont.Weight.DemiBold)
            p.setFont(bold)
            p.setPen(QColor(c.ink))
            near = [abs(self.x_of(one) - x) for one in (k - 1, k + 1) if 0 <= one < len(scales)]
            wide = min(near, default=120.0)
            shown = p.fontMetrics().elidedText(
                scale.quantity.label, Qt.TextElideMode.ElideRight, int(max(70.0, wide - 8))
            )
            p.drawText(QRectF(x - wide / 2, 0, wide, 20), Qt.AlignmentFlag.AlignCenter, shown)
            p.setFont(self.font())
            p.setPen(QColor(c.muted))
            unit = _UNITS.get(scale.quantity.kind, scale.quantity.kind)
            p.drawText(QRectF(x - wide / 2, 18, wide, 18), Qt.AlignmentFlag.AlignCenter, unit)

    def _threads(self, p: QPainter) -> None:
        """A line for each note from scale to scale, octaves darker."""
        nomogram, c = self._drawn, self.colours
        every: tuple[list[QLineF], list[QLineF]] = ([], [])
        for k in range(len(nomogram.scales) - 1):
            if self.lens and k == self.gap:
                continue
            x, y = self.x_of(k), self.x_of(k + 1)
            first, second = self._y(nomogram.scales[k].at), self._y(nomogram.scales[k + 1].at)
            for note, a, b in zip(nomogram.notes, first, second, strict=True):
                if np.isfinite(a) and np.isfinite(b):
                    every[int(note % 12 == 0)].append(QLineF(x, float(a), y, float(b)))
        for lines, colour in zip(every, (c.grid, c.rule), strict=True):
            p.setPen(QPen(QColor(colour), 1.0))
            p.drawLines(lines)

    def _ticks(self, p: QPainter, k: int) -> None:
        low, high = self._ends()
        scale, c, x = self._drawn.scales[k], self.colours, self.x_of(k)
        last = k == len(self._drawn.scales) - 1
        pixels = (self.height() - _TOP - _BOTTOM) / (high - low)
        p.setFont(self.font())
        for tick in ticks_of(scale, low, high, pixels, self.number_style):
            y = float(self._y(tick.place))
            if not _TOP <= y <= self.height() - _BOTTOM:
                continue
            p.setPen(QPen(QColor(c.ink), 1.0))
            p.drawLine(QPointF(x - (0 if last else 6), y), QPointF(x + (6 if last else 0), y))
            p.setPen(QColor(c.ink if scale.quantity.kind in ("note", "octaves") else c.muted))
            box = QRectF(x + 10, y - 9, 90, 18) if last else QRectF(x - 100, y - 9, 90, 18)
            side = Qt.AlignmentFlag.AlignLeft if last else Qt.AlignmentFlag.AlignRight
            ground = p.boundingRect(box, side | Qt.AlignmentFlag.AlignVCenter, tick.text)
            p.fillRect(ground.adjusted(-2, 2, 2, -2), QColor(c.panel))
            p.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, tick.text)

    def _unreached(self, p: QPainter, k: int) -> None:
        c, x, scale = self.colours, self.x_of(k), self._drawn.scales[k]
        for part in scale.unreached:
            ends = [
                scale.place(one) if np.isfinite(one) else (-1e3 if one < 0 else 1e3) for one in (part.low, part.high)
            ]
            y = sorted(float(np.clip(self._y(one), _TOP, self.height() - _BOTTOM)) for one in ends)
            if y[1] - y[0] < 1.0:
                continue
            p.fillRect(QRectF(x, y[0], 13, y[1] - y[0]), QBrush(QColor(c.vermilion), Qt.BrushStyle.BDiagPattern))
            if y[1] - y[0] > 3.0:
                p.setPen(QColor(c.vermilion))
                top = y[0] < self.height() / 2
                room = (self.x_of(k + 1) - x - 17 - _TICK_ROOM) if k < len(self._drawn.scales) - 1 else 60.0
                box = QRectF(x + 17, y[0] if top else y[1] - 34, max(38.0, room), 34)
                side = Qt.AlignmentFlag.AlignTop if top else Qt.AlignmentFlag.AlignBottom
                p.drawText(box, side | Qt.TextFlag.TextWordWrap, part.words)

    def _lens(self, p: QPainter) -> None:
        """What goes wrong in a gap against the note, magnified, with the tolerance to the same scale."""
        k = self.gap
        left, right = self.x_of(k) + _LENS_ROOM, self.x_of(k + 1) - _TICK_ROOM
        box = QRectF(left, _TOP, right - left, self.height() - _TOP - _BOTTOM)
        y = self._y(self._drawn.notes)
        draw_lens(p, box, y, self._drawn.gap_cents(k), self.allowed, self._lens_half(), self.colours, self.number_style)

    def _lens_half(self) -> float:
        return lens_half(self._worst(self.gap), self.allowed)

    def _draw_moving(self, p: QPainter) -> None:
        """The followed note: its line, its points, the wish, and what goes wrong in each gap."""
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(self.font())
        nomogram, c = self._drawn, self.colours
        values, error = nomogram.traced(self.note)
        places = [float(point.place(value)) for point, value in zip(nomogram.scales, values, strict=True)]
        area = QRectF(0, _TOP - 6, self.width(), self.height() - _TOP - _BOTTOM + 12)
        if self.lit is not None and self.lit < len(places) - 1:
            wash = QColor(c.blue_wash)
            wash.setAlpha(120)
            p.fillRect(
                QRectF(self.x_of(self.lit), _TOP, self.x_of(self.lit + 1) - self.x_of(self.lit), area.height()), wash
            )
        points = [QPointF(self.x_of(k), float(self._y(place))) for k, place in enumerate(places) if np.isfinite(place)]
        p.save()
        p.setClipRect(area)
        p.setPen(QPen(QColor(c.thread), 2.4))
        for k in range(len(points) - 1):
            if not (self.lens and k == self.gap):
                p.drawLine(points[k], points[k + 1])
        p.setBrush(QColor(c.thread))
        for point in points:
            p.drawEllipse(point, 4.6, 4.6)
        p.setBrush(Qt.BrushStyle.NoBrush)
        self._requirement(p, error)
        p.restore()
        for k in range(len(places) - 1):
            self._gap_number(p, k, 100.0 * (places[k + 1] - places[k]))

    def _requirement(self, p: QPainter, error: float) -> None:
        """Where the note is wanted on the last scale, what is allowed to scale, and how far off it is."""
        c, style, x = self.colours, self.number_style, self.x_of(len(self._drawn.scales) - 1)
        y = float(self._y(self.note))
        k = int(np.argmin(np.abs(self._drawn.notes - self.note)))
        cents = float(self.allowed[k]) if self.allowed.size else np.nan
        if np.isfinite(cents):
            half = max(1.0, abs(float(self._y(self.note + cents / 100.0)) - y))
            p.fillRect(QRectF(x - 9, y - half, 18, 2 * half), QColor(c.blue_wash))
        p.setPen(QPen(QColor(c.blue), 1.6))
        p.drawLine(QPointF(x - 13, y), QPointF(x + 13, y))
        off = np.isfinite(error)
        found = float(self._y(self.note + error / 100.0)) if off else y
        at = apart([y, found], 17.0)
        p.drawText(QRectF(x + 68, at[0] - 9, 90, 18), Qt.AlignmentFlag.AlignVCenter, "wanted")
        p.setPen(QColor(c.thread))
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        p.setFont(bold)
        text = f"{style.cents(error, sign=True)} ct" if off else "nothing"
        p.drawText(QRectF(x + 68, at[1] - 9, 94, 18), Qt.AlignmentFlag.AlignVCenter, text)
        p.setFont(self.font())

    def _gap_number(self, p: QPainter, k: int, cents: float) -> None:
        c, style = self.colours, self.number_style
        left, right = self.x_of(k), self.x_of(k + 1)
        chosen = k == self.gap and (self.hasFocus() or self.lens)
        big = np.isfinite(cents) and abs(cents) > 0.05
        p.setPen(QColor(c.thread if chosen else c.ink if big else c.muted))
        text = "–" if not np.isfinite(cents) else f"{style.cents(cents, sign=True)} ct" if big else "0"
        p.drawText(QRectF(left, self.height() - _BOTTOM + 4, right - left, 20), Qt.AlignmentFlag.AlignCenter, text)
        if self.lens and k == self.gap and np.isfinite(cents):
            box_left, box_right = left + _LENS_ROOM, right - _TICK_ROOM
            x = (box_left + box_right) / 2 + cents * (box_right - box_left) / 2 / self._lens_half()
            p.setPen(QPen(QColor(c.panel), 1.0))
            p.setBrush(QColor(c.thread))
            p.drawEllipse(QPointF(min(max(x, box_left), box_right), float(self._y(self.note))), 4.6, 4.6)
            p.setBrush(Qt.BrushStyle.NoBrush)

    # -- dragging ----------------------------------------------------------------------------------

    def _near(self, x: float) -> int | None:
        if self.nomogram is None:
            return None
        k = min(range(len(self._drawn.scales)), key=lambda one: abs(self.x_of(one) - x))
        return k if abs(self.x_of(k) - x) <= _NEAR else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.nomogram is None:
            return
        self._held, self._before = self._near(event.position().x()), self.note
        if self._held is not None:
            self._drag_to(event.position().y())
            return
        for k in range(len(self._drawn.scales) - 1):
            if self.x_of(k) < event.position().x() < self.x_of(k + 1):
                self.lens = not (self.lens and self.gap == k)
                self.gap = k
                self.magnify(self.lens)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._drag_to(event.position().y())
            return
        near = self._near(event.position().x()) is not None
        self.setCursor(Qt.CursorShape.SizeVerCursor if near else Qt.CursorShape.ArrowCursor)

    def _drag_to(self, y: float) -> None:
        assert self._held is not None
        at = self._drawn.scales[self._held].at
        off = np.abs(at - self._place(y))
        if np.any(np.isfinite(off)):
            self.dragged.emit(float(self._drawn.notes[int(np.nanargmin(off))]))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps: dict[int, float] = {Qt.Key.Key_Up: 1.0, Qt.Key.Key_Down: -1.0}
        if self.nomogram is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Escape and self._held is not None:
            self._held = None
            self.dragged.emit(self._before)
        elif event.key() in steps:
            size = 12.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self.dragged.emit(self.note + size * steps[event.key()])
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            count = len(self._drawn.scales) - 1
            self.gap = (self.gap + (1 if event.key() == Qt.Key.Key_Right else -1)) % count
            self.magnify(self.lens)
        elif event.key() == Qt.Key.Key_M:
            self.magnify(not self.lens)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._held = None
        self.update()

    def show_everything(self) -> None:
        self.magnify(False)

    def show_tolerance(self) -> None:
        self.magnify(True)
