"""A plot of cents against note: tolerance, points, lines, bands, and the thread's note."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent
from PySide6.QtWidgets import QSizePolicy

from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label, note_name
from dynamis.pitch.tolerance import ToleranceProfile
from dynamis.plotting.axis import Axis
from dynamis.plotting.series import marker_size, thinned
from dynamis.plotting.ticks import note_ticks, number_ticks
from dynamis.transfer.distinct import distinct
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.style import text_font
from dynamis.ui.widgets.axes import LINE_HEIGHT, draw_across, draw_line, draw_up, places, polygon
from dynamis.ui.widgets.picture import Picture

FloatArray = NDArray[np.float64]
Layer = Callable[[QPainter, Axis, Axis], None]
_LEFT, _RIGHT, _TOP, _BOTTOM = 46.0, 6.0, 4.0, 24.0
_LEAST_TICK_PIXELS = 34.0
_PEN, _FIT_PEN = 1.6, 1.4
_ZOOM, _PAN = 0.8, 0.1
# How far in and out one may look: notes across, cents up.
_LEAST_SPANS, _MOST_SPANS = (0.5, 1e-3), (2000.0, 1e7)
_DRAG_PIXELS = 3.0


@dataclass(frozen=True)
class PlotPoints:
    """Points of one kind: `sign` is disc (filled), ring or diamond; whiskers are half lengths in cents."""

    notes: FloatArray
    cents: FloatArray
    sign: str
    colour: str
    whiskers: FloatArray | None = None
    size: float = 8.0


class NotePlot(Picture):
    """Cents against note.  Mouse: drag pans, wheel zooms, a click picks the note.  Keys: see `KEYS`."""

    note_picked = Signal(float)
    KEYS = (
        ("Arrow keys", "pan the plot"),
        ("+ / −", "zoom the plot in and out"),
        ("Home", "show everything"),
        ("T", "zoom to the tolerance"),
    )

    def __init__(self, name: str, colours: Colours, style: Style, points: float) -> None:
        super().__init__(name, colours, style)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._across, self._up = Axis(36.0, 96.0), Axis(-10.0, 10.0)
        self._everything = self._across, self._up
        # Drawn from the first to the last; what lies behind the rest stands apart.
        self._behind: list[Layer] = []
        self._layers: list[Layer] = []
        self._tolerance_cents = 5.0
        self._shown_points = 0
        self.marked_note, self._word = 60.0, ""
        self.readout = ""
        self._pressed: QPointF | None = None
        self._dragged = False
        self.dress(colours, style, points)

    def sizeHint(self) -> QSize:
        return QSize(420, 240)

    def dress(self, colours: Colours, style: Style, points: float) -> None:
        """Take a theme, a style of numbers and a text size."""
        self.colours, self.number_style = colours, style
        self.setFont(text_font(points * 0.9))
        self.update()

    # -- what is drawn -----------------------------------------------------------------------------

    def begin(self) -> None:
        """What follows is shown instead of what was."""
        self._behind, self._layers, self._shown_points = [], [], 0

    def tolerance(self, profile: ToleranceProfile, low: float, high: float) -> None:
        """The allowed band, to scale."""
        spans = [
            (max(first - 0.5, low - 12.0), min(last + 0.5, high + 12.0), cents) for first, last, cents in profile.spans
        ]
        spans = [one for one in spans if one[1] > one[0]]
        self._tolerance_cents = max((cents for _, _, cents in spans), default=0.0) or 5.0

        def layer(p: QPainter, across: Axis, up: Axis) -> None:
            for left, right, cents in spans:
                corners = places(np.round(across.at(np.array([left, right]))), up.at(np.array([cents, -cents])))
                p.fillRect(QRectF(*corners), QColor(self.colours.blue_wash))
            p.setPen(QPen(QColor(self.colours.rule), 1.0))
            p.drawLine(QPointF(across.start, up.at(0.0)), QPointF(across.end, up.at(0.0)))

        self._behind.append(layer)

    def band(self, notes: FloatArray, centre: FloatArray, half: FloatArray) -> None:
        """A grey band about a line: what all readings share."""

        def layer(p: QPainter, across: Axis, up: Axis) -> None:
            around = np.concatenate([notes, notes[::-1]]), np.concatenate([centre + half, (centre - half)[::-1]])
            colour = QColor(self.colours.grey)
            colour.setAlpha(70)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(colour)
            p.drawPolygon(polygon(across.at(around[0]), up.at(around[1])))

        self._behind.append(layer)

    def line(self, notes: FloatArray, cents: FloatArray) -> None:
        """A dashed line: the fit."""
        self._line(notes, cents, lambda: QPen(QColor(self.colours.ink), _FIT_PEN, Qt.PenStyle.DashLine))

    def curve(self, notes: FloatArray, cents: FloatArray, colour: str) -> None:
        """A plain line through all notes, rising; NaN breaks it.  Of many on one pixel the extremes are drawn."""
        self._line(notes, cents, lambda: QPen(QColor(colour), _PEN))

    def _line(self, notes: FloatArray, cents: FloatArray, pen: Callable[[], QPen]) -> None:
        def layer(p: QPainter, across: Axis, up: Axis) -> None:
            x, y = thinned(notes, cents, across.low, across.high, int(across.pixels))
            drawn = pen()
            if x.size < notes.size and x.size > across.pixels:
                drawn.setWidthF(1.0)  # a wider pen takes twenty times as long, and shows nothing more of so many
            draw_line(p, across.at(x), up.at(y), drawn)

        self._layers.append(layer)

    def points(self, points: PlotPoints) -> None:
        """Points with their whiskers; NaN is left out.  Where many lie close they become smaller."""
        fine = np.isfinite(points.cents)
        order = np.argsort(points.notes[fine], kind="stable")
        notes, cents = points.notes[fine][order], points.cents[fine][order]
        whiskers = None if points.whiskers is None else points.whiskers[fine][order]
        self._shown_points += notes.size

        def layer(p: QPainter, across: Axis, up: Axis) -> None:
            if notes.size > 4 * across.pixels:
                seen = thinned(notes, cents, across.low, across.high, int(across.pixels))
            else:
                seen = notes, cents
            x, y = across.at(seen[0]), up.at(seen[1])
            if whiskers is not None and seen[0] is notes:
                self._whiskers(p, x, up.at(cents - whiskers), up.at(cents + whiskers), points.colour)
            self._signs(p, places(x, y), points, marker_size(across.at(distinct(seen[0]).values), points.size))

        self._layers.append(layer)

    @staticmethod
    def _whiskers(p: QPainter, x: FloatArray, low: FloatArray, high: FloatArray, colour: str) -> None:
        p.setPen(QPen(QColor(colour), _PEN))
        for bottom, top in zip(places(x, low), places(x, high), strict=True):
            if bottom != top:
                p.drawLine(bottom, top)

    def _signs(self, p: QPainter, at: list[QPointF], points: PlotPoints, size: float) -> None:
        colour = QColor(points.colour)
        if points.sign == "disc":
            p.setPen(QPen(colour, size, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            p.drawPoints(at)
            return
        p.setPen(QPen(colour, _PEN))
        p.setBrush(QColor(self.colours.panel))
        half = size / 2.0
        for one in at:
            if points.sign == "ring":
                p.drawEllipse(one, half, half)
            else:
                p.drawPolygon(
                    [one + QPointF(0, -half), one + QPointF(half, 0), one + QPointF(0, half), one + QPointF(-half, 0)]
                )

    def finish(self, low: float, high: float, cents: FloatArray, note: float) -> None:
        """Set what "everything" is, and mark the thread's note."""
        fine = cents[np.isfinite(cents)]
        top = max(float(fine.max(initial=0.0)), self._tolerance_cents)
        bottom = min(float(fine.min(initial=0.0)), -self._tolerance_cents)
        room = 0.07 * (top - bottom)
        before, self._everything = self._everything, (Axis(low - 2.5, high + 3.0), Axis(bottom - room, top + room))
        self.mark_note(note)
        if fine.size:
            style = self.number_style
            self.setAccessibleDescription(
                f"{self._shown_points} points, {style.cents(float(fine.min()), sign=True)} to "
                f"{style.cents(float(fine.max()), sign=True)}"
            )
        if self._everything != before:
            self.show_everything()

    def mark_note(self, note: float, word: str = "") -> None:
        self.marked_note, self._word = note, word
        self.update()

    # -- painting ----------------------------------------------------------------------------------

    def _axes(self) -> tuple[QRectF, Axis, Axis]:
        """The box between the axes, and both axes on it."""
        box = QRectF(_LEFT, _TOP, max(10.0, self.width() - _LEFT - _RIGHT), max(10.0, self.height() - _TOP - _BOTTOM))
        return box, self._across.placed(box.left(), box.right()), self._up.placed(box.bottom(), box.top())

    def draw(self, painter: QPainter) -> None:
        p, style, c = painter, self.number_style, self.colours
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(self.font())
        box, across, up = self._axes()
        draw_up(p, box, up, number_ticks(up.low, up.high, int(up.pixels / _LEAST_TICK_PIXELS), style), c)
        draw_across(p, box, across, note_ticks(across.low, across.high, across.pixels, style), c)
        p.save()
        p.setClipRect(box)
        for layer in (*self._behind, *self._layers):
            layer(p, across, up)
        x = across.at(self.marked_note)
        p.setPen(QPen(QColor(c.thread), 2.0))
        p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        left = x > box.left() + 0.9 * box.width()
        word = QRectF(x - 124.0 if left else x + 4.0, box.top(), 120.0, LINE_HEIGHT)
        side = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
        p.drawText(word, side, self._word or note_name(self.marked_note, style) or "")
        p.setPen(QColor(c.muted))
        p.drawText(box.adjusted(0, 0, -4, -2), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, self.readout)
        p.restore()
        if self.hasFocus():
            p.setPen(QPen(QColor(c.blue), 1.0))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusInEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()
        super().focusOutEvent(event)

    # -- looking -----------------------------------------------------------------------------------

    @property
    def view(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """What is seen: notes from and to, cents from and to."""
        return (self._across.low, self._across.high), (self._up.low, self._up.high)

    def place(self, note: float, cents: float) -> QPointF:
        """Where a value stands in the widget."""
        _, across, up = self._axes()
        return QPointF(across.at(note), up.at(cents))

    def look(self, across: Axis, up: Axis) -> None:
        """Show this part; refused silently where it would be narrower or wider than can be looked at."""
        spans = across.span, up.span
        if all(least <= one <= most for one, least, most in zip(spans, _LEAST_SPANS, _MOST_SPANS, strict=True)):
            self._across, self._up = across, up
            self.update()

    def show_everything(self) -> None:
        self._across, self._up = self._everything
        self.update()

    def show_tolerance(self) -> None:
        self.look(self._across, Axis(-1.4 * self._tolerance_cents, 1.4 * self._tolerance_cents))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        across, up, key = self._across, self._up, event.key()
        pans: dict[int, tuple[float, float]] = {
            Qt.Key.Key_Left: (-_PAN, 0.0),
            Qt.Key.Key_Right: (_PAN, 0.0),
            Qt.Key.Key_Up: (0.0, _PAN),
            Qt.Key.Key_Down: (0.0, -_PAN),
        }
        zooms: dict[int, float] = {
            Qt.Key.Key_Plus: _ZOOM,
            Qt.Key.Key_Equal: _ZOOM,
            Qt.Key.Key_Minus: 1.0 / _ZOOM,
            Qt.Key.Key_Underscore: 1.0 / _ZOOM,
        }
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(event)
        elif key in pans:
            self.look(across.panned(pans[key][0] * across.span), up.panned(pans[key][1] * up.span))
        elif key in zooms:
            self.look(across.zoomed(zooms[key]), up.zoomed(zooms[key]))
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_0):
            self.show_everything()
        elif key == Qt.Key.Key_T:
            self.show_tolerance()
        else:
            event.ignore()

    def wheelEvent(self, event: QWheelEvent) -> None:
        _, across, up = self._axes()
        factor, at = _ZOOM ** (event.angleDelta().y() / 120.0), event.position()
        self.look(across.zoomed(factor, across.value(at.x())), up.zoomed(factor, up.value(at.y())))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._dragged = event.position(), False
        event.accept()  # else the release would be the parent's

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        box, across, up = self._axes()
        at = event.position()
        if self._pressed is not None:
            moved = at - self._pressed
            if self._dragged or moved.manhattanLength() > _DRAG_PIXELS:
                self._dragged, self._pressed = True, at
                self.look(
                    across.panned(-moved.x() * across.span / across.pixels), up.panned(moved.y() * up.span / up.pixels)
                )
        note, style = round(across.value(at.x())), self.number_style
        inside = box.contains(at)
        self.readout = f"{note_label(note, style)}, {style.cents(up.value(at.y()), sign=True)} ct" if inside else ""
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        box, across, _ = self._axes()
        if self._pressed is not None and not self._dragged and box.contains(event.position()):
            self.note_picked.emit(float(round(across.value(event.position().x()))))
        self._pressed = None

    def leaveEvent(self, event: QEvent) -> None:
        self.readout = ""
        self.update()
        super().leaveEvent(event)
