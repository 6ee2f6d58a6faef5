"""Frames, headings, rules and labels in the window's one hand."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPalette
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

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


class Words(QLabel):
    """A label of wrapped words that remembers how high it is for a width: layouts ask for that dozens of times,
    and shaping the text anew each time is what a window of sentences spends most of its time on."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._heights: dict[tuple[str, int], int] = {}

    def heightForWidth(self, width: int) -> int:
        key = (self.text(), width)
        height = self._heights.get(key)
        if height is None:
            if len(self._heights) > 32:
                self._heights.clear()
            height = self._heights[key] = super().heightForWidth(width)
        return height

    def changeEvent(self, event: QEvent) -> None:
        self._heights.clear()  # another font, style or size of text
        super().changeEvent(event)


class WrappedColumn(QWidget):
    """What scrolls and holds wrapped words: as high as they are at its width, and not as at their narrowest."""

    def minimumSizeHint(self) -> QSize:
        return QSize(super().minimumSizeHint().width(), 0)


class Elided(QLabel):
    """A label of one line that is cut where there is no room for it: a name at its end, a file in its middle."""

    def __init__(self, role: str = "", *, right: bool = False) -> None:
        super().__init__()
        self._mode = Qt.TextElideMode.ElideMiddle if right else Qt.TextElideMode.ElideRight
        self.setAlignment(
            Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft)
        )
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.setTextFormat(Qt.TextFormat.PlainText)
        if role:
            self.setProperty("role", role)

    def minimumSizeHint(self) -> QSize:
        return QSize(30, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        shown = self.fontMetrics().elidedText(self.text(), self._mode, self.width())
        painter.drawText(self.rect(), self.alignment(), shown)


def label(text: str = "", role: str = "", *, wrap: bool = False, selectable: bool = False) -> QLabel:
    """A label in one of the roles of the style sheet."""
    words = Words(tied(text)) if wrap else QLabel(text)
    words.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        words.setProperty("role", role)
    if wrap:
        words.setWordWrap(True)
        words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    if selectable:
        words.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
    return words


def rule() -> QFrame:
    """A thin line across."""
    frame = QFrame()
    frame.setProperty("rule", True)
    frame.setFixedHeight(1)
    return frame


def scrolling(inner: QWidget, *, across: bool = False) -> QScrollArea:
    """A column that scrolls when it does not fit; across : a picture that scrolls sideways instead."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    if across:
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    else:
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    see_through(area, inner)
    return area


def holding(layout: QLayout) -> QWidget:
    """A column in a widget of its own, at the top of what room there is."""
    inner = QWidget()
    column = QVBoxLayout(inner)
    column.setContentsMargins(0, 0, 6, 0)
    column.addLayout(layout)
    column.addStretch(1)
    return inner


def own_viewport(area: QAbstractScrollArea) -> QWidget:
    """A viewport of ours in an area that is empty still: asked for Qt's own one, PySide would make a class of every
    kind of widget that there is, 15 ms of the start."""
    viewport = QWidget()
    viewport.setBackgroundRole(QPalette.ColorRole.Base)
    viewport.setAutoFillBackground(True)
    area.setViewport(viewport)
    return viewport


def see_through(area: QScrollArea, inner: QWidget) -> None:
    """Put a widget into a scrolling area that shows what is behind it (a style sheet's child rule would cost
    every repaint of the window a third of its time)."""
    viewport = own_viewport(area)
    area.setWidget(inner)
    for part in (viewport, inner):
        part.setAutoFillBackground(False)


def clear(layout: QLayout) -> None:
    """Take everything out of a layout and delete it."""
    while layout.count():
        item = layout.takeAt(0)
        widget, inner = (None, None) if item is None else (item.widget(), item.layout())
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            clear(inner)


def set_text(shown: QLabel | QPushButton, text: str) -> None:
    """Show a text; one that is shown already costs no new layout."""
    if shown.text() != text:
        shown.setText(text)


def set_refusal(shown: QLabel, text: str) -> None:
    """Show why something was refused; an empty sentence takes no room."""
    set_text(shown, text)
    shown.setVisible(bool(text))


def set_css(widget: QWidget, css: str) -> None:
    """Give a widget a style of its own, once."""
    if widget.styleSheet() != css:
        widget.setStyleSheet(css)


class Sentences(QVBoxLayout):
    """A column of sentences; its labels are kept from one showing to the next."""

    def __init__(self, role: str = "", spacing: int = 5) -> None:
        super().__init__()
        self._role = role
        self._labels: list[QLabel] = []
        self.setSpacing(spacing)

    def show_sentences(self, sentences: list[str], quiet: Collection[str] = ()) -> None:
        """Show these and no others.  quiet : those of them that are not yet settled, in a look of their own."""
        for text in sentences[len(self._labels) :]:
            words = label(text, self._role, wrap=True, selectable=True)
            self._labels.append(words)
            self.insertWidget(len(self._labels) - 1, words)
        for k, shown in enumerate(self._labels):
            if k < len(sentences):
                set_text(shown, tied(sentences[k]))
                restyle(shown, "role", "quiet" if sentences[k] in quiet else self._role)
            shown.setVisible(k < len(sentences))

    @property
    def shown(self) -> list[str]:
        """The sentences as they are shown now."""
        return [one.text() for one in self._labels if not one.isHidden()]


def restyle(widget: QWidget, name: str, value: object) -> None:
    """Set a property that the style sheet looks at, and let it look again."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        if not widget.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):
            return  # it has not been looked at yet; the first time is when it is shown
        widget.style().unpolish(widget)
        widget.style().polish(widget)
