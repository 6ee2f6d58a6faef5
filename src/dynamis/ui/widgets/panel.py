"""Frames, headings, rules and labels in the window's one hand."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from dynamis.notation.style import tied


class Panel(QFrame):
    """A bordered area with its own column; `body` takes what it holds."""

    def __init__(self, name: str, title: str | None = None) -> None:
        super().__init__()
        self.setProperty("panel", True)
        self.setAccessibleName(name)
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(17, 11, 16, 12)
        self.body.setSpacing(7)
        self.head = QHBoxLayout()
        self.head.setSpacing(8)
        if title is not None:
            self.head.addWidget(label(title, "heading"))
            self.head.addStretch(1)
            self.body.addLayout(self.head)


def label(text: str = "", role: str = "", *, wrap: bool = False, selectable: bool = False) -> QLabel:
    """A label in one of the roles of the style sheet."""
    made = QLabel(tied(text) if wrap else text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    if wrap:
        made.setWordWrap(True)
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    if selectable:
        made.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
    return made


def rule() -> QFrame:
    """A thin line across."""
    made = QFrame()
    made.setProperty("rule", True)
    made.setFixedHeight(1)
    return made


def scrolling(inner: QWidget) -> QScrollArea:
    """A column that scrolls when it does not fit."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(inner)
    return area


def clear(layout: QLayout) -> None:
    """Take everything out of a layout and delete it."""
    while layout.count():
        item = layout.takeAt(0)
        if item.widget() is not None:
            item.widget().hide()
            item.widget().deleteLater()
        elif item.layout() is not None:
            clear(item.layout())


def restyle(widget: QWidget, name: str, value: object) -> None:
    """Set a property that the style sheet looks at, and let it look again."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        widget.style().unpolish(widget)
        widget.style().polish(widget)
