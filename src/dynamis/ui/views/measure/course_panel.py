"""The course of correcting and proving: five steps, where it stands, and the button for what comes next."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QBoxLayout, QCheckBox, QHBoxLayout, QPushButton, QWidget

from dynamis.bench.runs.proving import STEPS, Course
from dynamis.ui.course import CourseRunner
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import verdict_colour
from dynamis.ui.widgets.panel import Panel, label, set_css, set_text

_BUTTONS = {
    "begin": "Begin and take",
    "type": "Begin, to be typed",
    "take": "Take the rest",
    "adopt": "Adopt",
    "send": "Send to the board",
    "connect": "Connect…",
}


class CoursePanel(Panel):
    """go_pressed : do what comes next.  by_itself : whether to go on from there unasked."""

    go_pressed = Signal()

    def __init__(self, course: CourseRunner, colours: Colours) -> None:
        super().__init__("Correct and prove")
        self._course, self.colours = course, colours
        self.body.setContentsMargins(14, 7, 11, 8)
        self.body.setSpacing(4)
        self.steps = StepLine()
        self.body.addWidget(self.steps)
        self._row = row = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.words = label("", "muted", wrap=True, selectable=True)
        row.addWidget(self.words, 1)
        buttons = QHBoxLayout()
        self.by_itself = QCheckBox("all by itself")
        self.by_itself.setToolTip("Go on from step to step until there is a verdict, or something to be said")
        buttons.addWidget(self.by_itself)
        self.go = QPushButton()
        self.go.setProperty("primary", True)
        self.go.clicked.connect(self.go_pressed)
        buttons.addWidget(self.go)
        row.addLayout(buttons)
        self.body.addLayout(row)
        self.by_itself.toggled.connect(self._toggled)
        self._shown: tuple[object, ...] = ()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        across = self.width() > 46 * self.fontMetrics().averageCharWidth() + self.go.sizeHint().width()
        directions = QBoxLayout.Direction
        self._row.setDirection(directions.LeftToRight if across else directions.TopToBottom)

    def _toggled(self, checked: bool) -> None:
        self._course.by_itself = checked

    def refresh(self) -> None:
        """Show where the course stands; what is shown already costs nothing."""
        devices = self._course.devices
        course = self._course.course()
        now = (course, devices.busy, devices.sending, self._course.by_itself, self._course.difference(), self.colours)
        if now == self._shown:
            return
        self._shown = now
        self.setVisible(course is not None)
        if course is None:
            return
        self.steps.show_course(course, self.colours)
        self.by_itself.blockSignals(True)
        self.by_itself.setChecked(self._course.by_itself)
        self.by_itself.blockSignals(False)
        self.go.setVisible(course.action in _BUTTONS)
        self.by_itself.setVisible(course.action in _BUTTONS)
        self.go.setEnabled(not devices.busy)
        set_text(self.go, _BUTTONS.get(course.action, ""))
        sentence = course.halt or course.sentence
        if devices.sending is not None:
            sentence = f"Sending to the board … {self._course.style.share(devices.sending, 0)}"
        elif course.action in ("nothing", "adopt") and self._course.difference():
            sentence = f"{sentence} {self._course.difference()}"
        set_text(self.words, sentence)
        colour = verdict_colour(course.verdict, self.colours)
        set_css(self.words, f"color: {colour};" + (" font-weight: 600;" if course.verdict else ""))


class StepLine(QWidget):
    """The five steps on a line: done, next and later by shape."""

    def __init__(self) -> None:
        super().__init__()
        self._course: Course | None = None
        self._colours: Colours | None = None
        self.setMinimumHeight(24)

    def show_course(self, course: Course, colours: Colours) -> None:
        self._course, self._colours = course, colours
        change = ", ".join(f"{text}: {course.state(key)}" for key, text in STEPS)
        self.setAccessibleName(change)
        self.setToolTip(change)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(320, max(24, self.fontMetrics().height() + 8))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self._course is None or self._colours is None:
            return
        c, measure = self._colours, self.fontMetrics()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        sign = 11.0
        words = [text for _, text in STEPS]
        if sum(map(measure.horizontalAdvance, words)) + len(words) * (sign + 14) > self.width():
            words = [text if self._course.state(key) == "next" else "" for key, text in STEPS]
        widths = [sign + (6 + measure.horizontalAdvance(text) if text else 0) for text in words]
        gap = max(8.0, min(40.0, (self.width() - sum(widths)) / (len(STEPS) - 1)))
        x, middle = 0.0, self.height() / 2
        for (key, _), text, width in zip(STEPS, words, widths, strict=True):
            state = self._course.state(key)
            colour = QColor(c.ink if state == "done" else c.blue if state == "next" else c.muted)
            box = QRectF(x + 1, middle - sign / 2, sign - 2, sign - 2)
            painter.setPen(QPen(colour, 1.5, Qt.PenStyle.SolidLine if state != "later" else Qt.PenStyle.DotLine))
            painter.setBrush(colour if state == "done" else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(box)
            if state == "next":
                painter.setBrush(colour)
                painter.drawPie(box, 90 * 16, 180 * 16)
            font = painter.font()
            font.setBold(state == "next")
            painter.setFont(font)
            painter.drawText(QRectF(x + sign + 5, 0, width, self.height()), Qt.AlignmentFlag.AlignVCenter, text)
            if key != STEPS[-1][0]:
                painter.setPen(QPen(QColor(c.rule), 1))
                painter.drawLine(int(x + width + 3), int(middle), int(x + width + gap - 3), int(middle))
            x += width + gap
        painter.end()
