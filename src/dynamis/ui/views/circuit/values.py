"""A field for each resistor or capacitor of a circuit that steps through the preferred values."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QWidget

from dynamis.electrics.series import next_in_series, next_value
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.views.circuit.parts_panel import ValueEdit
from dynamis.ui.widgets.panel import clear, label

# Name, what it does, ohms; of a capacitor farads.
Resistor = tuple[str, str, float]


def _unit(name: str) -> str:
    return "F" if name.startswith("C") else "Ω"


class ValueGrid(QWidget):
    """changed : the name and the ohms that were typed or stepped to.  refused : a sentence, empty when it is over."""

    changed = Signal(str, float)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._style, self.series = Style(), "E24"
        self.sizes: dict[str, Sequence[float]] = {}  # of what does not come in a series, by name
        self._shown: dict[str, Resistor] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setColumnStretch(1, 1)
        self._grid.setVerticalSpacing(3)
        self.edits: dict[str, ValueEdit] = {}

    def show_values(self, resistors: Sequence[Resistor], style: Style) -> None:
        """Show what is fitted; the fields stay while the resistors are the same ones."""
        self._style = style
        if [one[:2] for one in resistors] != [one[:2] for one in self._shown.values()]:
            self._build(resistors)
        self._shown = {one[0]: one for one in resistors}
        for name, _, ohms in resistors:
            self.edits[name].show_text(style.engineering(ohms, _unit(name)))

    def _build(self, resistors: Sequence[Resistor]) -> None:
        clear(self._grid)
        self.edits = {}
        for k, (name, role, _) in enumerate(resistors):
            edit = ValueEdit(f"{name}, {role}", partial(self._read, name), self._take)
            edit.set_hint("Up and Down step through the series")
            edit.refused.connect(self.refused)
            edit.stepped.connect(partial(self.step, name))
            head = label(name, "heading")
            head.setBuddy(edit)
            self._grid.addWidget(head, 2 * k, 0)
            self._grid.addWidget(edit, 2 * k, 1)
            self._grid.addWidget(label(role, "small", wrap=True), 2 * k + 1, 1)
            self.edits[name] = edit

    def _read(self, name: str, text: str) -> tuple[str, float]:
        value = parse_quantity(text, _unit(name), name, decimal_comma=self._style.decimal_comma)
        if value <= 0:
            raise InputError(f"{name} is {text.strip()}; more than 0 {_unit(name)} was expected.")
        return name, value

    def _take(self, what: tuple[str, float]) -> None:
        self.refused.emit("")
        self.changed.emit(*what)

    def step(self, name: str, direction: int) -> None:
        """The next preferred value up or down."""
        ohms, up = self._shown[name][2], direction > 0
        sizes = self.sizes.get(name)
        following = next_in_series(ohms, self.series, up=up) if sizes is None else next_value(ohms, sizes, up=up)
        if following is None:
            self.refused.emit(f"{name} stands at the end of its sizes.")
            return
        self._take((name, following))

    def focus(self, name: str) -> None:
        if name in self.edits:
            self.edits[name].setFocus()
            self.edits[name].selectAll()
