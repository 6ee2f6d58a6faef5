"""Rows of a form: a muted name and its field."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtWidgets import QComboBox, QGridLayout, QSpinBox, QWidget

from dynamis.ui.widgets.panel import label


def form_grid() -> QGridLayout:
    """Names at the left, fields that take the rest of the room."""
    grid = QGridLayout()
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setVerticalSpacing(2)
    grid.setHorizontalSpacing(6)
    grid.setColumnStretch(1, 1)
    return grid


def add_row(grid: QGridLayout, row: int, words: str, edit: QWidget) -> None:
    name = label(words, "muted")
    name.setBuddy(edit)
    grid.addWidget(name, row, 0)
    grid.addWidget(edit, row, 1)


def choice(words: str, choices: Iterable[tuple[object, str]]) -> QComboBox:
    """A box of values with what is shown for each, as narrow as its form."""
    box = QComboBox()
    box.setAccessibleName(words)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(4)
    for value, shown in choices:
        box.addItem(shown, value)
    return box


def whole_box(words: str, value: int, least: int, most: int) -> QSpinBox:
    """A field for a whole number; arrows and the wheel count.

    Without its arrows a styled box shows no text at all.
    """
    box = QSpinBox()
    box.setAccessibleName(words)
    box.setRange(least, most)
    box.setValue(value)
    return box
