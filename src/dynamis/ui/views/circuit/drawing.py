"""Paints a schematic: resistors as boxes or as zig-zags, op-amps, rails and grounds."""

from __future__ import annotations

import math
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QMouseEvent, QPainter, QPen, QPolygonF

from dynamis.electrics.sketch import Schematic, Symbol
from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.picture import Picture

_BODY = 1.9
_HALF = 0.42
_WORDS_WIDE = 160.0
_LINE = 16.0
# A terminal's words stand in so many units above and below it, and have at least so many across.
_LABEL_UNITS, _LEAST_LABEL = 2.4, 6.2
# A part on its line has its own words so far to either side of its middle.
_BODY_UNITS = 1.6
# Below so many pixels a square words shrink with the drawing, down to this share.
_FULL_UNIT, _SMALLEST = 14.0, 0.7
# Squares are at least so wide, pixels: smaller, words would cover one another.
_LEAST_UNIT = 6.4


class SchematicView(Picture):
    """slot_chosen : the slot whose symbol was pressed."""

    slot_chosen = Signal(str)

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("Schematic", colours, style)
        self.drawing: Schematic | None = None
        self.zigzag = False
        self.chosen = ""
        self._unit, self._shift, self._line = 10.0, QPointF(), _LINE

    def sizeHint(self) -> QSize:
        return QSize(560, 290)

    def show_drawing(self, drawing: Schematic | None, words: str) -> None:
        self.drawing = drawing
        self.setMinimumWidth(0 if drawing is None else int(drawing.width * _LEAST_UNIT))
        self.setAccessibleDescription(words)
        self.update()

    def choose(self, slot: str) -> None:
        self.chosen = slot
        self.update()

    def draw(self, p: QPainter) -> None:
        if self.drawing is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        drawing, c = self.drawing, self.colours
        words, wrap = "\n".join(drawing.notes), Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignLeft
        wide = self.fontMetrics().boundingRect(0, 0, max(1, self.width() - 16), 400, int(wrap), words)
        notes = float(wide.height()) if words else 0.0
        self._unit = max(4.0, min(self.width() / drawing.width, (self.height() - notes) / drawing.height, 22.0))
        share = max(_SMALLEST, min(1.0, self._unit / _FULL_UNIT))
        self._line, font = _LINE * share, QFont(self.font())
        font.setPointSizeF(font.pointSizeF() * share)
        p.setFont(font)
        left = (self.width() - drawing.width * self._unit) / 2
        self._shift = QPointF(left, (self.height() - notes - drawing.height * self._unit) / 2)
        p.setPen(QPen(QColor(c.ink), 1.3))
        for wire in drawing.wires:
            p.drawPolyline([self._at(point) for point in wire])
        p.setBrush(QColor(c.ink))
        for dot in drawing.dots:
            p.drawEllipse(self._at(dot), 2.4, 2.4)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for symbol in drawing.symbols:
            self._symbol(p, symbol)
        p.setPen(QColor(c.muted))
        p.setFont(self.font())
        p.drawText(QRectF(8, self.height() - notes - 2, self.width() - 16, notes), int(wrap), words)

    def _at(self, point: tuple[float, float]) -> QPointF:
        return QPointF(point[0] * self._unit, point[1] * self._unit) + self._shift

    def _symbol(self, p: QPainter, symbol: Symbol) -> None:
        c, u = self.colours, self._unit
        chosen = bool(symbol.slot) and symbol.slot == self.chosen
        p.setPen(QPen(QColor(c.thread if chosen else c.ink), 2.0 if chosen else 1.3))
        at = self._at(symbol.at)
        if symbol.kind in ("resistor", "trimmer"):
            self._resistor(p, symbol)
        elif symbol.kind in ("op-amp", "buffer"):
            half = 2.0 * u
            body = QPolygonF(
                [
                    QPointF(at.x() - half, at.y() - 1.9 * u),
                    QPointF(at.x() - half, at.y() + 1.9 * u),
                    QPointF(at.x() + half, at.y()),
                ]
            )
            p.drawPolygon(body)
            signs = (
                ()
                if symbol.kind == "buffer"
                else ((-1.5, "+" if symbol.turned else "−"), (0.5, "−" if symbol.turned else "+"))
            )
            for y, sign in signs:
                box = QRectF(at.x() - half + 3, at.y() + y * u, 14, u)
                p.drawText(box, Qt.AlignmentFlag.AlignVCenter, sign)
            p.drawText(QRectF(at.x() - u, at.y() - 9, 2 * u, 18), Qt.AlignmentFlag.AlignCenter, symbol.words[0])
        elif symbol.kind in ("diode", "capacitor"):
            (self._diode if symbol.kind == "diode" else self._capacitor)(p, symbol)
        elif symbol.kind == "switch":
            self._switch(p, symbol)
        elif symbol.kind in ("npn", "mosfet"):
            self._transistor(p, symbol)
        elif symbol.kind == "ground":
            for k, wide in enumerate((0.8, 0.5, 0.2)):
                y = at.y() + 3.0 * k
                p.drawLine(QPointF(at.x() - wide * u, y), QPointF(at.x() + wide * u, y))
        elif symbol.kind == "rail":
            p.drawLine(QPointF(at.x() - 0.7 * u, at.y()), QPointF(at.x() + 0.7 * u, at.y()))
            box = QRectF(at.x() - 60, at.y() - 1.2 * self._line if self._above(symbol) else at.y() + 3, 120, self._line)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, symbol.words[0])
        else:
            self._terminal(p, symbol)

    def _above(self, rail: Symbol) -> bool:
        """Whether a rail stands above what hangs on it."""
        assert self.drawing is not None
        hangs = [
            one.to if one.at == rail.at else one.at
            for one in self.drawing.symbols
            if rail.at in (one.at, one.to) and one.at != one.to
        ]
        return all(y >= rail.at[1] for _, y in hangs)

    def _terminal(self, p: QPainter, symbol: Symbol) -> None:
        at, to = self._at(symbol.at), self._at(symbol.to)
        p.drawEllipse(at, 3.6, 3.6)
        if to != at:
            p.drawLine(QPointF(at.x() + 3.6, at.y()), to)
        right = to == at
        wide = self.width() - at.x() if right else self._clear_from(symbol)
        length = p.fontMetrics().horizontalAdvance
        texts = [[words] for words in symbol.words]
        if length(symbol.words[0]) > wide:
            texts[0] = symbol.words[0].split(" · ", 1)  # the gear over its port
        x = at.x()
        if not right:  # words that are too long begin further left, as far as there is room
            x -= 6 + min(max(0.0, max(length(line) for lines in texts for line in lines) + 2 - wide), x - 6)
            wide += at.x() - 6 - x
        for k, lines in enumerate(texts):
            p.setPen(QColor(self.colours.ink if k == 0 else self.colours.muted))
            above = at.y() - (len(lines) + 0.3) * self._line if k == 0 else at.y() + 6
            for row, line in enumerate(lines):
                shown = p.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, int(wide))
                box = QRectF(x, above + row * self._line, wide, self._line)
                p.drawText(box, Qt.AlignmentFlag.AlignLeft, shown)

    def _clear_from(self, symbol: Symbol) -> float:
        """Pixels from a terminal at the left to what stands next beside it, above or below its own line."""
        assert self.drawing is not None
        x, y = symbol.at
        places = []
        for one in self.drawing.symbols:
            if one is not symbol:
                level = one.at[1] == one.to[1] == y and one.at != one.to
                middle = (one.at[0] + one.to[0]) / 2
                places += [(middle - _BODY_UNITS, y)] if level else [one.at, one.to]  # its lead stands in nobody's way
        for wire in self.drawing.wires:
            for (x1, y1), (x2, y2) in pairwise(wire):
                if x1 == x2 and min(y1, y2) < y + _LABEL_UNITS and max(y1, y2) > y - _LABEL_UNITS:
                    places.append((x1, y))
        beside = [px - x for px, py in places if px > x and abs(py - y) < _LABEL_UNITS]
        return max(_LEAST_LABEL, min(beside, default=_LEAST_LABEL) - 1.0) * self._unit

    def _diode(self, p: QPainter, symbol: Symbol) -> None:
        """Its triangle towards the cathode."""
        a, b, along, across = self._course(symbol)
        base, tip = (a + b) / 2 - along * 0.7, (a + b) / 2 + along * 0.7
        wide = across * 0.75
        p.drawLine(a, base)
        p.drawLine(tip, b)
        p.drawPolygon(QPolygonF([base - wide, base + wide, tip]))
        p.drawLine(tip - wide, tip + wide)
        self._words(p, symbol, (a + b) / 2, abs(along.x()) > abs(along.y()))

    def _capacitor(self, p: QPainter, symbol: Symbol) -> None:
        a, b, along, across = self._course(symbol)
        for end, direction in ((a, -1.0), (b, 1.0)):
            plate = (a + b) / 2 + along * (0.22 * direction)
            p.drawLine(end, plate)
            p.drawLine(plate - across, plate + across)
        self._words(p, symbol, (a + b) / 2, abs(along.x()) > abs(along.y()))

    def _switch(self, p: QPainter, symbol: Symbol) -> None:
        """An open one, level."""
        a, b, along, across = self._course(symbol)
        first, last = (a + b) / 2 - along * 0.9, (a + b) / 2 + along * 0.9
        p.drawLine(a, first)
        p.drawLine(last, b)
        p.drawLine(first, last - across * 0.9)
        for one in (first, last):
            p.drawEllipse(one, 2.2, 2.2)
        self._words(p, symbol, (a + b) / 2, abs(along.x()) > abs(along.y()))

    def _transistor(self, p: QPainter, symbol: Symbol) -> None:
        """One that pulls down: its base or gate at the left, the arrow of its emitter, or into its channel."""
        at, drain, u = self._at(symbol.at), self._at(symbol.to), self._unit
        source = QPointF(drain.x(), 2 * at.y() - drain.y())
        bipolar = symbol.kind == "npn"
        bar, reach, leg = at.x() + 0.8 * u, 1.2 * u, (0.5 if bipolar else 0.9) * u
        if not bipolar:
            p.drawLine(QPointF(bar - 0.4 * u, at.y() - leg), QPointF(bar - 0.4 * u, at.y() + leg))
        p.drawLine(at, QPointF(bar - (0.0 if bipolar else 0.4 * u), at.y()))
        p.drawLine(QPointF(bar, at.y() - reach), QPointF(bar, at.y() + reach))
        ends = []
        for end, sense in ((drain, -1.0), (source, 1.0)):
            bend = QPointF(end.x(), at.y() + sense * (1.5 * u if bipolar else leg))
            first = QPointF(bar, at.y() + sense * leg)
            p.drawPolyline([first, bend, end])
            ends.append((first, bend))
        first, bend = ends[1] if bipolar else (QPointF(drain.x(), at.y()), QPointF(bar, at.y()))
        if not bipolar:
            p.drawPolyline([QPointF(bar, at.y()), QPointF(drain.x(), at.y()), QPointF(drain.x(), at.y() + leg)])
        direction = (bend - first) / max(1e-9, math.hypot(bend.x() - first.x(), bend.y() - first.y()))
        tip, side = (first + bend) / 2 + direction * 0.35 * u, QPointF(-direction.y(), direction.x()) * (0.3 * u)
        back = tip - direction * (0.7 * u)
        p.setBrush(p.pen().color())
        p.drawPolygon(QPolygonF([tip, back + side, back - side]))
        p.setBrush(Qt.BrushStyle.NoBrush)
        box = QRectF(drain.x() + 0.5 * u, at.y() - self._line / 2, 4 * u, self._line)
        p.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, symbol.words[0])

    def _course(self, symbol: Symbol) -> tuple[QPointF, QPointF, QPointF, QPointF]:
        """The ends of a part, and a square along it and across it."""
        a, b = self._at(symbol.at), self._at(symbol.to)
        length = math.hypot(b.x() - a.x(), b.y() - a.y())
        along = (b - a) * (self._unit / length)
        return a, b, along, QPointF(-along.y(), along.x())

    def _resistor(self, p: QPainter, symbol: Symbol) -> None:
        a, b, square, across = self._course(symbol)
        u = self._unit
        length = math.hypot(b.x() - a.x(), b.y() - a.y())
        along, across = square / u, across / u
        middle = (a + b) / 2
        half = min(_BODY * u / 2, length * 0.42)
        first, last = middle - along * half, middle + along * half
        p.drawLine(a, first)
        p.drawLine(last, b)
        wide = across * (_HALF * u)
        if self.zigzag:
            points = [first]
            for k in range(6):
                points.append(first + along * (2 * half * (k + 0.5) / 6) + wide * (1 if k % 2 == 0 else -1))
            p.drawPolyline([*points, last])
        else:
            p.drawPolygon(QPolygonF([first + wide, last + wide, last - wide, first - wide]))
        if symbol.kind == "trimmer":
            end = middle + along * (0.6 * half) + across * (1.0 * u)
            start = middle - along * (0.6 * half) - across * (1.0 * u)
            p.drawLine(start, end)
            p.drawLine(end - QPointF(0.3 * u, 0), end + QPointF(0.3 * u, 0))
        self._words(p, symbol, middle, abs(along.x()) > 0.5)

    def _words(self, p: QPainter, symbol: Symbol, middle: QPointF, level: bool) -> None:
        """Name and value beside a part."""
        c, u, line = self.colours, self._unit, self._line
        if level:
            wide = max(3.4 * u, 60.0)
            # A trimmer's words stand below, its resistor's above, so that neither covers the other.
            top = (
                middle.y() + 1.1 * u
                if symbol.kind == "trimmer"
                else middle.y()
                - (1.1 if symbol.kind in ("capacitor", "switch") else 0.5) * u
                - (len(symbol.words) + 0.1) * line
            )
            boxes = [QRectF(middle.x() - wide, top + line * k, 2 * wide, line) for k in (0, 1)]
            side = Qt.AlignmentFlag.AlignHCenter
        else:
            off = (1.3 if symbol.kind in ("trimmer", "capacitor") else 0.75) * u
            start = middle.x() - off - _WORDS_WIDE if symbol.left else middle.x() + off
            boxes = [QRectF(start, middle.y() + line * (k - 1), _WORDS_WIDE, line) for k in (0, 1)]
            side = Qt.AlignmentFlag.AlignRight if symbol.left else Qt.AlignmentFlag.AlignLeft
        for k, (box, words) in enumerate(zip(boxes, symbol.words, strict=False)):
            p.setPen(QColor(c.thread if symbol.slot and symbol.slot == self.chosen else c.ink if k == 0 else c.muted))
            p.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.drawing is None:
            return
        place, reach = event.position(), 1.6 * self._unit
        for symbol in self.drawing.symbols:
            middle = (self._at(symbol.at) + self._at(symbol.to)) / 2
            if symbol.slot and math.hypot(place.x() - middle.x(), place.y() - middle.y()) < reach:
                self.slot_chosen.emit(symbol.slot)
                return
