"""The panel of one device: its address, whether it answers, and what it says."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QPushButton

from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import SignShape, shape_pixmap
from dynamis.ui.widgets.panel import Panel, label, rule, set_text


def state_sign(colours: Colours, *, connected: bool, trouble: bool) -> tuple[SignShape, str]:
    """Shape and colour of how a device stands."""
    if trouble:
        return "triangle", colours.vermilion
    return ("disc", colours.blue) if connected else ("ring", colours.grey)


class DevicePanel(Panel):
    """One device: its address, whether it answers, and what it says.

    connect_pressed : with the address.  disconnect_pressed, test_pressed : buttons.
    """

    connect_pressed = Signal(str)
    disconnect_pressed = Signal()
    test_pressed = Signal()

    def __init__(self, title: str, what: str, hint: str, test: str, colours: Colours) -> None:
        super().__init__(title, title)
        self.title = title
        self.colours = colours
        form = self.form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.address = QComboBox()
        self.address.setEditable(True)
        self.address.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.address.setCompleter(None)  # type: ignore[arg-type]  # it would write into the line while the found ports come in
        self.address.setAccessibleName(what)
        self.line.setPlaceholderText(hint)
        self.line.returnPressed.connect(self._connect_to)
        form.addRow(what, self.address)
        self.body.addLayout(form)
        row = QHBoxLayout()
        self.connect_button, self.disconnect_button = QPushButton("Connect"), QPushButton("Disconnect")
        self.test_button = QPushButton(test)
        self.connect_button.setProperty("primary", True)
        self.connect_button.clicked.connect(self._connect_to)
        self.disconnect_button.clicked.connect(self.disconnect_pressed)
        self.test_button.clicked.connect(self.test_pressed)
        for button in (self.connect_button, self.test_button, self.disconnect_button):
            row.addWidget(button)
        row.addStretch(1)
        self.body.addLayout(row)
        state = QHBoxLayout()
        self.sign, self.words = label(), label("", wrap=True, selectable=True)
        state.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        state.addWidget(self.words, 1)
        self.body.addLayout(state)
        self.body.addWidget(rule())

    @property
    def line(self) -> QLineEdit:
        line = self.address.lineEdit()
        assert line is not None  # it can be edited
        return line

    def _connect_to(self) -> None:
        self.connect_pressed.emit(self.line.text())

    def show_state(self, connected: bool, trouble: bool, words: str, *, busy: bool) -> None:
        shape, colour = state_sign(self.colours, connected=connected, trouble=trouble)
        self.sign.setPixmap(shape_pixmap(shape, colour, 13, self.devicePixelRatioF()))
        set_text(self.words, words or "Not connected.")
        self.connect_button.setEnabled(not busy)
        self.connect_button.setText("Connect again" if connected else "Connect")
        self.disconnect_button.setVisible(connected)
        self.test_button.setVisible(connected)
        self.test_button.setEnabled(not busy)

    def offer(self, addresses: list[str]) -> None:
        """Addresses that were found, below the field; what is typed stays."""
        typed, cursor = self.line.text(), self.line.cursorPosition()
        with QSignalBlocker(self.address):
            self.address.clear()
            self.address.addItems(addresses)
        self.line.setText(typed)
        self.line.setCursorPosition(cursor)
