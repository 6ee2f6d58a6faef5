"""Lanes against one time axis: the keys that are held, pitch, gate, trigger and whatever else a converter puts out."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QWheelEvent

from dynamis.bench.playing.lanes import ARRIVES, Lane, Played
from dynamis.converter.playing.computer_keys import HIGHEST, LOWEST, OCTAVE, USUAL, semitones_of
from dynamis.notation.style import Style
from dynamis.pitch.key_tuning import KEYS
from dynamis.pitch.notes import note_name
from dynamis.plotting.axis import Axis
from dynamis.plotting.columns import filled
from dynamis.plotting.ticks import number_ticks
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.axes import LINE_HEIGHT, draw_across
from dynamis.ui.widgets.picture import Picture

_LEFT, _RIGHT, _TOP, _BOTTOM = 92.0, 14.0, 6.0, 22.0
_GAP: Final = 5.0
# So much room a lane has at least; where there are more than fit, the picture scrolls.
_LEAST_LANE: Final = 20.0
# Shares of the height that is left: the keys, a pitch, and the others.
_SHARES: Final = {"keys": 2.2, "tall": 2.6, "low": 1.0}
_ZOOM, _PAN, _NUDGE = 0.8, 0.15, 0.01
_LEAST_SECONDS: Final = 1e-5
# How the names of lanes begin that show what arrives, and what stands beside them.
_ARRIVES, _AT_INPUT = ARRIVES, "arrives"


class LanesPicture(Picture):
    """cursor_moved : one of the cursors stands elsewhere.  lane_picked : the name of a lane, and when.
    key_played : while keys play: a note, and whether its key went down."""

    cursor_moved = Signal()
    lane_picked = Signal(str, float)
    key_played = Signal(int, bool)
    KEYS = (
        ("← →", "look earlier, later"),
        ("+ −", "look closer, further"),
        ("Home", "all of it"),
        ("[ ]", "the first cursor earlier, later; with Shift the second"),
        ("N P", "the first cursor to the next, the previous edge of the lane"),
    )

    def __init__(self, colours: Colours, style: Style) -> None:
        super().__init__("What is played, against time", colours, style)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.setMouseTracking(False)
        self.played: Played | None = None
        self.lane = "gate"
        self.cursors = [0.0, 0.0]
        self._view = Axis(0.0, 1.0)
        self._moves: int | None = None
        self._head: float | None = None
        self._lowest: int | None = None  # the note of the first key, while keys play
        self._down: dict[int, int] = {}  # by key, the note that it holds

    # -- what is shown -------------------------------------------------------------------------------

    def show_played(self, played: Played | None, *, keep: bool = False) -> None:
        """keep : whether the view stays where it is."""
        self.played = played
        if played is not None and not keep:
            self.show_everything()
            self.cursors = [0.0, played.rendered.seconds]
        if played is not None:
            names = ", ".join(lane.name for lane in played.lanes)
            self.setAccessibleDescription(f"{names}; {self.number_style.number(played.rendered.seconds, 2)} s")
            self.setMinimumHeight(int(_LEAST_LANE * (len(played.lanes) + 3)))
            if self.lane not in [lane.name for lane in played.lanes]:
                self.lane = played.lanes[0].name
        self.update()

    @property
    def view(self) -> tuple[float, float]:
        """From and to, seconds."""
        return self._view.low, self._view.high

    def look(self, axis: Axis) -> None:
        """Show a part of time; not narrower than can be told apart, nor far beyond the song."""
        if self.played is None:
            return
        length = max(self.played.rendered.seconds, _LEAST_SECONDS)
        room = self.played.room_seconds
        if axis.span < _LEAST_SECONDS:
            return
        if axis.span > length + 2 * room:
            axis = Axis(-room, length + room)
        elif axis.low < -room:
            axis = axis.panned(-room - axis.low)
        elif axis.high > length + room:
            axis = axis.panned(length + room - axis.high)
        self._view = axis
        self.update()

    def show_everything(self) -> None:
        if self.played is not None:
            room = self.played.room_seconds
            self._view = Axis(-room, self.played.rendered.seconds + room)
        self.update()

    def show_around(self, seconds: float) -> None:
        """Put an instant into view, where it is not."""
        if not self._view.low <= seconds <= self._view.high:
            self.look(self._view.panned(seconds - (self._view.low + self._view.high) / 2.0))

    def set_cursor(self, which: int, seconds: float) -> None:
        if self.played is None:
            return
        self.cursors[which] = min(max(seconds, 0.0), self.played.rendered.seconds)
        self.cursor_moved.emit()
        self.update()

    # -- painting ------------------------------------------------------------------------------------

    def _box(self) -> QRectF:
        return QRectF(_LEFT, _TOP, max(10.0, self.width() - _LEFT - _RIGHT), max(10.0, self.height() - _TOP - _BOTTOM))

    def _placed(self) -> list[tuple[Lane | None, QRectF]]:
        """Each lane with its room, the keys (None) first."""
        assert self.played is not None
        box, lanes = self._box(), self.played.lanes
        kinds = ["keys", *(lane.height for lane in lanes)]
        shares = [_SHARES[one] for one in kinds]
        each = (box.height() - _GAP * (len(kinds) - 1)) / sum(shares)
        placed, top = [], box.top()
        for lane, share in zip((None, *lanes), shares, strict=True):
            bottom = top + max(4.0, each * share)  # whole pixels, so that lines are evenly thin
            placed.append((lane, QRectF(box.left(), round(top), box.width(), round(bottom) - round(top))))
            top += each * share + _GAP
        return placed

    def draw(self, painter: QPainter) -> None:
        p, c, style = painter, self.colours, self.number_style
        if self.played is None:
            return
        p.setFont(self.font())
        box = self._box()
        across = self._view.placed(box.left(), box.right())
        ticks = number_ticks(across.low, across.high, max(2, int(across.pixels // 90)), style)
        draw_across(p, box, across, ticks, c)
        ratio = p.device().devicePixelRatioF()
        for lane, room in self._placed():
            p.fillRect(room, QColor(c.field))
            p.setPen(QPen(QColor(c.grid), 1.0))
            for tick in ticks:
                x = across.at(tick.place)
                p.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
            if lane is None:
                self._draw_keys(p, room, ratio)
            else:
                self._draw_lane(p, lane, room, ratio)
            self._label(p, lane, room)
        self._draw_cursors(p, across, box)
        if self.hasFocus():
            p.setPen(QPen(QColor(c.blue), 1.0))
            p.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))

    def _label(self, p: QPainter, lane: Lane | None, room: QRectF) -> None:
        c, style = self.colours, self.number_style
        chosen = lane is not None and lane.name == self.lane
        p.setPen(QColor(c.blue if chosen else c.ink))
        arrives = lane is not None and lane.name.startswith(_ARRIVES)
        name = "keys" if lane is None else _AT_INPUT if arrives else lane.name
        if lane is not None and arrives:
            p.setPen(QColor(c.muted))
            p.drawText(
                room.adjusted(5.0, 0.0, 0.0, 0.0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, lane.name
            )
        right = Qt.AlignmentFlag.AlignRight
        middle = QRectF(0.0, room.center().y() - LINE_HEIGHT / 2.0, _LEFT - 8.0, LINE_HEIGHT)
        p.drawText(middle, right | Qt.AlignmentFlag.AlignVCenter, name)
        if room.height() < 3.0 * LINE_HEIGHT or self.played is None:
            return
        p.setPen(QColor(c.muted))
        if lane is None:
            low, high = (note_name(float(one), style) or "" for one in self.played.key_rows)
        else:
            low, high = (style.volts(one, 1) for one in (lane.lowest, lane.highest))
            low = "" if low == high else low
        top, bottom = Qt.AlignmentFlag.AlignTop, Qt.AlignmentFlag.AlignBottom
        p.drawText(QRectF(0.0, room.top(), _LEFT - 8.0, LINE_HEIGHT), right | top, high)
        p.drawText(QRectF(0.0, room.bottom() - LINE_HEIGHT, _LEFT - 8.0, LINE_HEIGHT), right | bottom, low)

    def _draw_lane(self, p: QPainter, lane: Lane, room: QRectF, ratio: float) -> None:
        columns, rows = max(1, int(room.width() * ratio)), max(2, int(room.height() * ratio))
        low, high = lane.series.columns(self._view.low, self._view.high, columns)
        colour = self.colours.thread if lane.signal.kind == "pitch" else self.colours.ink
        _draw_mask(p, filled(low, high, lane.least, lane.most, rows), room, colour)

    def _draw_keys(self, p: QPainter, room: QRectF, ratio: float) -> None:
        assert self.played is not None
        columns = max(1, int(room.width() * ratio))
        mask = self.played.keys.raster(self._view.low, self._view.high, columns)
        _draw_mask(p, mask[::-1], room, self.colours.blue)

    def show_head(self, seconds: float | None) -> None:
        """Where it is played just now, None where it is not."""
        if seconds != self._head:
            self._head = seconds
            self.update()

    def _draw_cursors(self, p: QPainter, across: Axis, box: QRectF) -> None:
        if self._head is not None and across.low <= self._head <= across.high:
            x = across.at(self._head)
            p.setPen(QPen(QColor(self.colours.blue), 2.0))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        for which, seconds in enumerate(self.cursors):
            x = across.at(seconds)
            if box.left() <= x <= box.right():
                solid = Qt.PenStyle.SolidLine if which == 0 else Qt.PenStyle.DashLine
                p.setPen(QPen(QColor(self.colours.amber), 1.4, solid))
                p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    # -- keys that play ------------------------------------------------------------------------------

    def let_keys_play(self, play: bool) -> None:
        """Whether the computer's keys play notes here instead of leading about."""
        self._let_go()
        self._lowest = USUAL if play else None

    def follow(self, now: float, span: float) -> None:
        """Show the time up to now."""
        self._view = Axis(now - span, now)
        self.update()

    def _let_go(self) -> None:
        for note in self._down.values():
            self.key_played.emit(note, False)
        self._down.clear()

    def _plays(self, event: QKeyEvent) -> bool:
        """Whether a key was one that plays, and did."""
        if self._lowest is None:
            return False
        if event.key() in (Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
            self._let_go()
            moved = self._lowest + (OCTAVE if event.key() == Qt.Key.Key_PageUp else -OCTAVE)
            self._lowest = min(HIGHEST, max(LOWEST, moved))
            return True
        above = semitones_of(event.nativeScanCode(), event.text())
        if above is None or not 0 <= self._lowest + above < KEYS:
            return False
        if not event.isAutoRepeat() and event.key() not in self._down:
            self._down[event.key()] = self._lowest + above
            self.key_played.emit(self._lowest + above, True)
        return True

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat() and event.key() in self._down:
            self.key_played.emit(self._down.pop(event.key()), False)
        else:
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self._let_go()  # a key that goes up elsewhere is not seen here
        super().focusOutEvent(event)

    # -- looking -------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, view, shift = event.key(), self._view, event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            super().keyPressEvent(event)
        elif self._plays(event):
            event.accept()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.look(view.panned(view.span * (_PAN if key == Qt.Key.Key_Right else -_PAN)))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.look(view.zoomed(_ZOOM, self.cursors[0] if view.low <= self.cursors[0] <= view.high else None))
        elif key in (Qt.Key.Key_Minus, Qt.Key.Key_Underscore):
            self.look(view.zoomed(1.0 / _ZOOM))
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_0):
            self.show_everything()
        elif key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight, Qt.Key.Key_BraceLeft, Qt.Key.Key_BraceRight):
            which = 1 if shift or key in (Qt.Key.Key_BraceLeft, Qt.Key.Key_BraceRight) else 0
            back = key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BraceLeft)
            self.set_cursor(which, self.cursors[which] + view.span * (-_NUDGE if back else _NUDGE))
        elif key in (Qt.Key.Key_N, Qt.Key.Key_P):
            self._to_edge(forward=key == Qt.Key.Key_N)
        else:
            event.ignore()

    def _to_edge(self, *, forward: bool) -> None:
        """The first cursor to the next or previous change of the lane that is chosen."""
        if self.played is None:
            return
        lane = next(one for one in self.played.lanes if one.name == self.lane)
        found = lane.edge_beside(self.cursors[0], forward=forward)
        if found is not None:
            self.set_cursor(0, found)
            self.show_around(found)
            self.lane_picked.emit(self.lane, found)

    def wheelEvent(self, event: QWheelEvent) -> None:
        box = self._box()
        across, turned = self._view.placed(box.left(), box.right()), event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turned.y() == 0:
            steps = (turned.y() or turned.x()) / 120.0
            self.look(self._view.panned(-steps * _PAN * self._view.span))
        else:
            self.look(self._view.zoomed(_ZOOM ** (turned.y() / 120.0), across.value(event.position().x())))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        box, at = self._box(), event.position()
        if self.played is None:
            return
        across = self._view.placed(box.left(), box.right())
        lane = next(
            (one for one, room in self._placed() if one is not None and room.top() <= at.y() <= room.bottom()), None
        )
        if lane is not None:
            self.lane = lane.name
        if at.x() >= box.left():
            shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self._moves = 1 if shift or event.button() == Qt.MouseButton.RightButton else 0
            self.set_cursor(self._moves, across.value(at.x()))
            if lane is not None and self._moves == 0:
                self.lane_picked.emit(lane.name, self.cursors[0])
        self.update()
        event.accept()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        box = self._box()
        if self._moves is not None:
            self.set_cursor(self._moves, self._view.placed(box.left(), box.right()).value(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._moves == 0 and self.played is not None:
            self.lane_picked.emit(self.lane, self.cursors[0])
        self._moves = None


def _draw_mask(p: QPainter, mask: NDArray[np.bool_], room: QRectF, colour: str) -> None:
    """Pixels in one colour, stretched over a room; rows of one another's height stay sharp."""
    pixels = np.ascontiguousarray(mask).view(np.uint8)
    image = QImage(pixels.data, pixels.shape[1], pixels.shape[0], pixels.shape[1], QImage.Format.Format_Indexed8)
    image.setColorTable([0, QColor(colour).rgb()])
    p.drawImage(room, image)
