"""The thread: one note followed along the current link, each value at its place."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from dynamis.ui.widgets.panel import clear, label, see_through, set_css, set_text


@dataclass(frozen=True)
class ThreadField:
    """One scale: what it is, and the note's value there."""

    name: str
    value: str


class ThreadStrip(QFrame):
    """Fields from left to right; the error stands apart, always in sight."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("bar", True)
        self.setAccessibleName("The thread")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 20, 0)
        self._row.setSpacing(14)
        self._edge = QFrame()
        self._edge.setFixedWidth(5)
        self._row.addWidget(self._edge)
        inner = QWidget()
        self._fields = QHBoxLayout(inner)
        self._fields.setContentsMargins(8, 0, 0, 0)
        self._fields.setSpacing(9)
        self._shown: list[tuple[QLabel, QLabel]] = []
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        see_through(self._scroll, inner)
        self._row.addWidget(self._scroll, 1)
        self._error_name, self._error_value = label("", "small"), label("", "thread")
        self._row.addLayout(_stack(self._error_name, self._error_value))
        self._keys = label("Ctrl ↑ ↓ semitone   with Shift: octave", "small")
        self._row.addWidget(self._keys)

    def show_fields(self, fields: list[ThreadField], error: ThreadField | None, colour: str) -> None:
        """Show the values; `error` is pinned at the right, in the thread's colour."""
        if len(fields) != len(self._shown):
            clear(self._fields)
            self._shown = []
            for k in range(len(fields)):
                if k:
                    self._fields.addWidget(label("›", "muted"))
                self._shown.append((label("", "small"), label("", "thread", selectable=True)))
                self._fields.addLayout(_stack(*self._shown[-1]))
            self._fields.addStretch(1)
        for field, (name, value) in zip(fields, self._shown, strict=True):
            set_text(name, field.name)
            set_text(value, field.value)
            value.setAccessibleName(f"{field.name}: {field.value}")
        set_text(self._error_name, error.name if error else "")
        set_text(self._error_value, error.value if error else "")
        set_css(self._error_value, f"color: {colour}; font-weight: 600;")
        set_css(self._edge, f"background: {colour};")
        spoken = ", ".join(f"{field.name} {field.value}" for field in [*fields, *([error] if error else [])])
        self.setAccessibleDescription(spoken)
        self._keys.setVisible(self.width() > 1150)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._keys.setVisible(self.width() > 1150)


def _stack(name: QLabel, value: QLabel) -> QVBoxLayout:
    column = QVBoxLayout()
    column.setSpacing(0)
    column.setContentsMargins(0, 4, 0, 5)
    column.addWidget(name)
    column.addWidget(value)
    return column
