"""A plot of cents against note: tolerance, points, lines, bands, and the thread's note."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QGraphicsPathItem

from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label, note_name
from dynamis.pitch.tolerance import ToleranceProfile
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.style import text_font
from dynamis.ui.widgets.picture import Picture


@dataclass(frozen=True)
class PlotPoints:
    """Points of one kind: `sign` is disc (filled), ring or diamond; whiskers are half lengths in cents."""

    notes: np.ndarray
    cents: np.ndarray
    sign: str
    colour: str
    whiskers: np.ndarray | None = None
    size: float = 8.0


class NoteAxis(pg.AxisItem):
    """Ticks at octaves of the note numbers, labelled `36 C2`; finer when zoomed in."""

    def __init__(self) -> None:
        super().__init__("bottom")
        self.note_style = Style()

    def tickValues(self, low: float, high: float, size: float):
        span = high - low
        wide = max(60.0, size / 9.0)
        step = next((s for s in (1, 2, 3, 6, 12, 24, 48) if size / max(span, 1e-9) * s >= wide), 48)
        first = math.ceil(low / step) * step
        return [(step, [float(note) for note in np.arange(first, high + 1e-9, step)])]

    def tickStrings(self, values, scale, spacing):
        return [note_label(value, self.note_style) for value in values]


class CentAxis(pg.AxisItem):
    """Cents with a real minus, in the reader's decimals."""

    def __init__(self) -> None:
        super().__init__("left")
        self.number_style = Style()

    def tickStrings(self, values, scale, spacing):
        decimals = 0 if spacing >= 1 else min(4, math.ceil(-math.log10(spacing)))
        return [self.number_style.number(value, decimals) for value in values]


class NotePlot(Picture, pg.PlotWidget):
    """Cents against note.  Mouse: drag pans, wheel zooms, a click picks the note.  Keys: see `KEYS`."""

    note_picked = Signal(float)
    KEYS = (
        ("Arrow keys", "pan the plot"),
        ("+ / −", "zoom the plot in and out"),
        ("Home", "show everything"),
        ("T", "zoom to the tolerance"),
    )

    def __init__(self, name: str, colours: Colours, style: Style, points: float) -> None:
        self._axis = NoteAxis()
        self._cents = CentAxis()
        super().__init__(axisItems={"bottom": self._axis, "left": self._cents}, enableMenu=False)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAntialiasing(True)
        self.hideButtons()
        self._kept: dict[str, list] = {}
        self._used: dict[str, int] = {}
        self._extent = (36.0, 96.0, -10.0, 10.0)
        self._tolerance_cents = 5.0
        self._marker = pg.InfiniteLine(angle=90, movable=False)
        self._marker_label = pg.TextItem(anchor=(0, 0))
        self._readout = pg.TextItem(anchor=(1, 0))
        for item in (self._marker, self._marker_label, self._readout):
            item.setZValue(20)
            self.addItem(item, ignoreBounds=True)
        self.scene().sigMouseMoved.connect(self._hover)
        self.scene().sigMouseClicked.connect(self._clicked)
        self.getViewBox().sigRangeChanged.connect(self._place_labels)
        self.dress(colours, style, points)

    def dress(self, colours: Colours, style: Style, points: float) -> None:
        """Take a theme, a style of numbers and a text size."""
        self.colours, self.number_style = colours, style
        self._axis.note_style = self._cents.number_style = style
        self.setBackground(colours.panel)
        font = text_font(points * 0.9)
        for side in ("bottom", "left"):
            axis = self.getAxis(side)
            axis.setTickFont(font)
            axis.setTextPen(QColor(colours.muted))
            axis.setPen(QPen(QColor(colours.panel), 0))
            axis.setStyle(tickLength=0, tickTextOffset=7, hideOverlappingLabels=False, maxTickLevel=0)
            axis.setTickPen(pg.mkPen(colours.grid))
        self.getAxis("left").setGrid(255)
        self.getAxis("left").setZValue(-1000)  # the grid belongs behind the points
        self.getAxis("left").setWidth(46)
        self.getAxis("bottom").setHeight(24)
        self._marker.setPen(pg.mkPen(colours.thread, width=2))
        for text in (self._marker_label, self._readout):
            text.setFont(font)
        self._marker_label.setColor(colours.thread)
        self._readout.setColor(colours.muted)

    # -- what is drawn -----------------------------------------------------------------------------

    def begin(self) -> None:
        """What follows is shown instead of what was; items are kept and only given other data."""
        self._used = {}

    def _item(self, kind: str, make: Callable[[], object]):
        """The next item of a kind, made and added the first time."""
        index = self._used.get(kind, 0)
        self._used[kind] = index + 1
        kept = self._kept.setdefault(kind, [])
        if index == len(kept):
            kept.append(make())
            self.addItem(kept[-1], ignoreBounds=True)
        kept[index].setVisible(True)
        return kept[index]

    def tolerance(self, profile: ToleranceProfile, low: float, high: float) -> None:
        """The allowed band, to scale, with its word at the place."""
        path = QPainterPath()
        highest = 0.0
        label_at: tuple[float, float] | None = None
        for first, last, cents in profile.spans:
            left, right = max(first - 0.5, low - 12.0), min(last + 0.5, high + 12.0)
            if right <= left:
                continue
            path.addRect(QRectF(left, -cents, right - left, 2 * cents))
            highest = max(highest, cents)
            if label_at is None or right - left > label_at[0]:
                label_at = (right - left, cents)
        item = self._item("tolerance", QGraphicsPathItem)
        item.setPath(path)
        item.setBrush(QColor(self.colours.blue_wash))
        item.setPen(QPen(Qt.PenStyle.NoPen))
        item.setZValue(-20)
        self._tolerance_cents = highest or 5.0
        zero = self._item("zero", lambda: pg.InfiniteLine(0.0, angle=0))
        zero.setPen(pg.mkPen(self.colours.rule))
        zero.setZValue(-10)

    def band(self, notes: np.ndarray, centre: np.ndarray, half: np.ndarray) -> None:
        """A grey band about a line: what all readings share."""
        path = QPainterPath()
        around = np.concatenate([notes, notes[::-1]]), np.concatenate([centre + half, (centre - half)[::-1]])
        path.addPolygon(QPolygonF([QPointF(*at) for at in zip(*around, strict=True)]))
        colour = QColor(self.colours.grey)
        colour.setAlpha(70)
        item = self._item("band", QGraphicsPathItem)
        item.setPath(path)
        item.setBrush(colour)
        item.setPen(QPen(Qt.PenStyle.NoPen))
        item.setZValue(-5)

    def line(self, notes: np.ndarray, cents: np.ndarray) -> None:
        """A dashed line: the fit."""
        item = self._item("line", lambda: pg.PlotCurveItem(antialias=True))
        item.setPen(pg.mkPen(self.colours.ink, width=1.4, style=Qt.PenStyle.DashLine))
        item.setData(notes, cents)

    def curve(self, notes: np.ndarray, cents: np.ndarray, colour: str) -> None:
        """A plain line through all notes; NaN breaks it."""
        item = self._item("curve", lambda: pg.PlotCurveItem(antialias=True, connect="finite"))
        item.setPen(pg.mkPen(colour, width=1.6))
        item.setData(notes, cents)

    def points(self, points: PlotPoints) -> None:
        """Points with their whiskers; NaN is left out."""
        fine = np.isfinite(points.cents)
        notes, cents = points.notes[fine], points.cents[fine]
        if points.whiskers is not None and np.any(points.whiskers[fine] > 0):
            bars = self._item("whiskers", lambda: pg.ErrorBarItem(x=np.zeros(0), y=np.zeros(0), height=np.zeros(0)))
            bars.setData(x=notes, y=cents, height=2 * points.whiskers[fine], beam=0.0,
                         pen=pg.mkPen(points.colour, width=1.6))  # fmt: skip
        filled = points.sign == "disc"
        self._item("points", pg.ScatterPlotItem).setData(
            notes, cents, symbol="d" if points.sign == "diamond" else "o",
            size=points.size if filled else points.size + 0.5, pen=pg.mkPen(points.colour, width=1.6),
            brush=pg.mkBrush(points.colour if filled else self.colours.panel),
        )  # fmt: skip

    def finish(self, low: float, high: float, cents: np.ndarray, note: float, *, keep_view: bool = False) -> None:
        """Set what "everything" is, and mark the thread's note."""
        fine = cents[np.isfinite(cents)]
        top = max(float(fine.max(initial=0.0)), self._tolerance_cents)
        bottom = min(float(fine.min(initial=0.0)), -self._tolerance_cents)
        room = 0.07 * (top - bottom)
        extent = (low - 2.5, high + 3.0, bottom - room, top + room)
        changed = extent != self._extent
        self._extent = extent
        for kind, kept in self._kept.items():
            for item in kept[self._used.get(kind, 0) :]:
                item.setVisible(False)
        self.mark_note(note)
        if changed and not keep_view:
            self.show_everything()

    @property
    def marked_note(self) -> float:
        return float(self._marker.value())

    def mark_note(self, note: float, word: str = "") -> None:
        self._marker.setValue(note)
        self._marker_label.setText(word or (note_name(note, self.number_style) or ""))
        self._place_labels()

    def _place_labels(self, *_: object) -> None:
        (left, right), (bottom, top) = self.viewRange()
        note = self._marker.value()
        near_right = note > left + 0.9 * (right - left)
        self._marker_label.setAnchor((1 if near_right else 0, 0))
        self._marker_label.setPos(note, top)
        self._readout.setPos(right, bottom + 0.08 * (top - bottom))

    # -- looking -----------------------------------------------------------------------------------

    def show_everything(self) -> None:
        left, right, bottom, top = self._extent
        self.setRange(xRange=(left, right), yRange=(bottom, top), padding=0)

    def show_tolerance(self) -> None:
        self.setYRange(-1.4 * self._tolerance_cents, 1.4 * self._tolerance_cents, padding=0)

    def keyPressEvent(self, event) -> None:
        box = self.getViewBox()
        (left, right), (bottom, top) = self.viewRange()
        pans = {
            Qt.Key.Key_Left: (-0.1, 0),
            Qt.Key.Key_Right: (0.1, 0),
            Qt.Key.Key_Up: (0, 0.1),
            Qt.Key.Key_Down: (0, -0.1),
        }
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(event)
        elif event.key() in pans:
            across, up = pans[event.key()]
            box.translateBy(x=across * (right - left), y=up * (top - bottom))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            box.scaleBy((0.8, 0.8))
        elif event.key() in (Qt.Key.Key_Minus, Qt.Key.Key_Underscore):
            box.scaleBy((1.25, 1.25))
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_0):
            self.show_everything()
        elif event.key() == Qt.Key.Key_T:
            self.show_tolerance()
        else:
            event.ignore()

    def _hover(self, place) -> None:
        box = self.getViewBox()
        if not box.sceneBoundingRect().contains(place):
            self._readout.setText("")
            return
        at = box.mapSceneToView(place)
        style = self.number_style
        self._readout.setText(f"{note_label(round(at.x()), style)}, {style.cents(at.y(), sign=True)} ct")

    def leaveEvent(self, event) -> None:
        self._readout.setText("")
        super().leaveEvent(event)

    def _clicked(self, event) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.getViewBox().sceneBoundingRect().contains(
            event.scenePos()
        ):
            self.note_picked.emit(float(round(self.getViewBox().mapSceneToView(event.scenePos()).x())))

    def draw(self, painter: QPainter) -> None:
        self.render(painter, QRectF(self.rect()), self.rect())
