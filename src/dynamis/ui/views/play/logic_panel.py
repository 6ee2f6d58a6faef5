"""The signals that are made of those that are played: a list, and what is done with it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Signal, SignalInstance
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.playing.logic import KINDS
from dynamis.control.logic import LogicLine, in_words
from dynamis.ui.widgets.panel import label
from dynamis.ui.widgets.table import Column, Row, Table

_LIST_PIXELS = 136
_COLUMNS = (
    Column("signal", left=True, stretch=1.0, fits=False),
    Column("made of", left=True, stretch=2.0, fits=False),
)


class LogicPanel(QWidget):
    """made : a kind is wanted.  changed, removed : a line, by its name."""

    made = Signal(type)
    changed = Signal(str)
    removed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        column.addWidget(label("Made of them", "heading"))
        hint = "Divided clocks, rows of steps, ratchets, sample and hold, made of these signals."
        self.empty = label(hint, "small", wrap=True)
        self.table = Table("Signals that are made", _COLUMNS)
        self.table.setFixedHeight(_LIST_PIXELS)
        self.table.on_activate = lambda key: self.changed.emit(key)
        self.make = QPushButton("Make a signal…")
        self.change, self.remove = QPushButton("Change…"), QPushButton("Take out")
        column.addWidget(self.empty)
        column.addWidget(self.table)
        column.addWidget(self.make)
        row = QHBoxLayout()
        for button in (self.change, self.remove):
            row.addWidget(button, 1)
        column.addLayout(row)
        self.menu = QMenu(self)
        for kind, words in KINDS.items():
            action = self.menu.addAction(words[0].upper() + words[1:])
            action.triggered.connect(lambda _=False, kind=kind: self.made.emit(kind))
        self.make.clicked.connect(lambda _=False: self.menu.popup(self.make.mapToGlobal(QPoint(0, 0))))
        self.change.clicked.connect(lambda _=False: self._emit(self.changed))
        self.remove.clicked.connect(lambda _=False: self._emit(self.removed))
        self.show_lines(())

    def show_lines(self, lines: tuple[LogicLine, ...]) -> None:
        self.table.set_rows([Row((one.name, in_words(one)), one.name) for one in lines])
        for widget in (self.table, self.change, self.remove):
            widget.setVisible(bool(lines))
        self.empty.setVisible(not lines)

    def _emit(self, signal: SignalInstance) -> None:
        """The line that is chosen; the last one where none is."""
        keys = self.table.selected_keys() or [row.key for row in self.table.rows_model.rows][-1:]
        for key in keys[:1]:
            signal.emit(key)
