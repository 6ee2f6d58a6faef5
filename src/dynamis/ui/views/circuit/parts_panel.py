"""The parts of the chosen circuit: a field for each slot that steps through preferred values, with a lock."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dynamis.electrics.circuits.circuit import Fitted
from dynamis.electrics.design.preferred import stock
from dynamis.electrics.design.proposal import Proposal
from dynamis.notation.style import Style
from dynamis.ui.widgets.panel import clear, label
from dynamis.ui.widgets.quantity_edit import QuantityEdit


class ValueEdit(QuantityEdit):
    """A resistance that Up and Down move along the preferred values.  stepped : +1 or −1."""

    stepped = Signal(int)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and not event.modifiers():
            self.stepped.emit(1 if event.key() == Qt.Key.Key_Up else -1)
        else:
            super().keyPressEvent(event)


class PartsPanel(QWidget):
    """changed : (slot, what is fitted) typed or stepped.  anew : the rest is to be worked out round what is locked."""

    changed = Signal(str, object)
    anew = Signal()
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.style_of_numbers = Style()
        self.edits: dict[str, ValueEdit] = {}
        self.locks: dict[str, QCheckBox] = {}
        self._proposal: Proposal | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        self._grid = QGridLayout()
        self._grid.setColumnStretch(1, 1)
        self._grid.setVerticalSpacing(3)
        column.addLayout(self._grid)
        row = QHBoxLayout()
        self.again = QPushButton("Work out the others anew")
        self.again.setToolTip("What is locked stays; the others are chosen to fit.")
        self.again.clicked.connect(self.anew)
        row.addWidget(self.again)
        row.addStretch(1)
        column.addLayout(row)
        self._rest = QVBoxLayout()
        column.addLayout(self._rest)
        column.addStretch(1)

    def locked(self) -> dict[str, Fitted]:
        """What stands in the slots that are locked."""
        if self._proposal is None:
            return {}
        held = self._proposal.circuit.by_slot
        return {slot: held[slot] for slot, box in self.locks.items() if box.isChecked() and slot in held}

    def show_proposal(self, proposal: Proposal | None, others: list[str], style: Style) -> None:
        """others : the parts that are no resistors, in words."""
        self.style_of_numbers = style
        slots = [] if proposal is None else [name for name, _ in proposal.circuit.slots]
        if slots != list(self.edits) or (self._proposal is None) != (proposal is None):
            self._build(proposal, slots)
        self._proposal = proposal
        if proposal is None:
            clear(self._rest)
            return
        for slot, fitted in proposal.circuit.slots:
            self.edits[slot].show_text(fitted_text(fitted, style))
        clear(self._rest)
        for text in others:
            self._rest.addWidget(label(text, "small", wrap=True, selectable=True))

    def _build(self, proposal: Proposal | None, slots: list[str]) -> None:
        clear(self._grid)
        self.edits, self.locks = {}, {}
        if proposal is None:
            return
        for k, slot in enumerate(slots):
            role = proposal.circuit.topology.slot(slot).role
            name = label(slot, "heading")
            edit = ValueEdit(
                f"{slot}, {role}",
                partial(self._read, slot),
                partial(self.changed.emit, slot),
            )
            edit.set_hint("10k, 10k + 470, or 22k || 47k; Up and Down step through the series")
            edit.refused.connect(self.refused)
            edit.stepped.connect(partial(self.step, slot))
            name.setBuddy(edit)
            edit.setMinimumWidth(64)
            lock = QCheckBox("keep")
            lock.setAccessibleName(f"Keep {slot}")
            self._grid.addWidget(name, 2 * k, 0)
            self._grid.addWidget(edit, 2 * k, 1)
            for text, direction in (("▲", 1), ("▼", -1)):
                self._grid.addWidget(self._stepper(text, slot, direction), 2 * k, 2 if direction > 0 else 3)
            self._grid.addWidget(lock, 2 * k, 4)
            self._grid.addWidget(label(role, "small", wrap=True), 2 * k + 1, 1, 1, 4)
            self.edits[slot], self.locks[slot] = edit, lock
        self.again.setVisible(bool(slots))

    def _stepper(self, text: str, slot: str, direction: int) -> QPushButton:
        button = QPushButton(text)
        button.setFixedWidth(27)
        button.setProperty("narrow", True)
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.setAccessibleName(f"{slot} {'up' if direction > 0 else 'down'} the series")
        button.clicked.connect(lambda _=False: self.step(slot, direction))
        return button

    def step(self, slot: str, direction: int) -> None:
        """The next preferred value up or down, of the resistor alone or the larger of two."""
        assert self._proposal is not None  # the fields are there with a proposal only
        requirement, fitted = self._proposal.requirement, self._proposal.circuit.by_slot[slot]
        following = fitted.stepped(stock(requirement.series, requirement.drawer).tolist(), up=direction > 0)
        if following is None:
            self.refused.emit(f"{slot} stands at the end of its series.")
            return
        self.locks[slot].setChecked(True)
        self.changed.emit(slot, following)

    def _read(self, slot: str, text: str) -> Fitted:
        assert self._proposal is not None
        kept = self._proposal.circuit.by_slot[slot]
        comma = self.style_of_numbers.decimal_comma
        fitted = Fitted.parse(text, slot, trimmer_ohms=kept.trimmer_ohms, decimal_comma=comma)
        self.locks[slot].setChecked(True)
        return fitted

    def focus(self, slot: str) -> None:
        if slot in self.edits:
            self.edits[slot].setFocus()
            self.edits[slot].selectAll()

    def first(self) -> QLineEdit | None:
        return next(iter(self.edits.values()), None)


def fitted_text(fitted: Fitted, style: Style) -> str:
    """`10 kΩ + 470 Ω` or `22 kΩ ∥ 47 kΩ`."""
    sign = " + " if fitted.joined == "series" else " ∥ "
    return sign.join(style.engineering(one, "Ω") for one in fitted.ohms)
