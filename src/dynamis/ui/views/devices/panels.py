"""The panels of the Devices page: one for each kind of device, and one for the simulated bench."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QWidget

from dynamis.ui.simulated import SimulatedBench
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import SignShape, shape_pixmap
from dynamis.ui.widgets.panel import Panel, label, rule, set_text

# What can go wrong on the simulated bench: words, the hand that does it, and the one that puts it right.
_TROUBLES = (
    ("pull the meter's lead", ("meter lead pulled", True), ("meter lead pulled", False)),
    ("the meter falls silent", ("meter silent", True), ("meter silent", False)),
    ("the meter answers late", ("meter late", 6.0), None),
    ("the meter sends garbage", ("meter says", ["~?!"]), None),
    ("the meter overloads", ("meter says", ["+9.90000000E+37"]), None),
    ("somebody presses the meter's Hz key", ("meter function", "FREQ"), None),
    ("somebody turns the meter's range", ("meter range", 100.0), None),
    ("the board restarts", ("board restart", None), None),
    ("a line from the board is damaged", ("board damage", 1), None),
    ("the board falls silent", ("board mute", True), ("board mute", False)),
    ("power fails at the next storing", ("board tear", None), None),
    ("the board is cold", ("warm minutes", 0.0), ("warm minutes", 60.0)),
)


class DevicePanel(Panel):
    """One device: its address, whether it answers, and what it says.

    connect_pressed : with the address.  disconnect_pressed, test_pressed : buttons.
    """

    connect_pressed = Signal(str)
    disconnect_pressed = Signal()
    test_pressed = Signal()

    def __init__(self, title: str, what: str, hint: str, test: str, colours: Colours) -> None:
        super().__init__(title, title)
        self.colours = colours
        form = QFormLayout()
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
        shape: SignShape
        shape, colour = (
            ("triangle", self.colours.vermilion)
            if trouble
            else (("disc", self.colours.blue) if connected else ("ring", self.colours.grey))
        )
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


class SimulatedPanel(Panel):
    """The simulated bench: start it, and do with hands what one does at a real one."""

    def __init__(self, bench: SimulatedBench) -> None:
        super().__init__("Simulated bench", "Simulated bench")
        self._bench = bench
        self.body.addWidget(
            label(
                "A Workshop board and a bench meter that are not there: they answer at real ports, with hidden true "
                "values, noise and warming. For trying things out; the demo's channels are theirs.",
                "muted",
                wrap=True,
            )
        )
        self.start = QPushButton("Start and connect")
        self.start.clicked.connect(bench.start)
        self.stop = QPushButton("End it")
        self.stop.clicked.connect(bench.stop)
        buttons = QHBoxLayout()
        buttons.addWidget(self.start)
        buttons.addWidget(self.stop)
        buttons.addStretch(1)
        self.body.addLayout(buttons)
        self.hands = QWidget()
        form = QFormLayout(self.hands)
        form.setContentsMargins(0, 6, 0, 0)
        self.unit = self._choice(form, "Unit on the table", (("unit 02", "02"), ("unit 03", "03")), "unit")
        self.probe = self._choice(
            form,
            "Meter's probe on",
            (("jack of pitch A", "A"), ("jack of pitch B", "B"), ("the Gallery voice", "voice")),
            "probe",
        )
        self.plugged = QCheckBox("both Gallery inputs plugged into pitch A")
        self.plugged.clicked.connect(lambda checked: bench.do("plugged", checked))
        form.addRow("", self.plugged)
        self.trouble = QComboBox()
        self.trouble.setAccessibleName("What goes wrong")
        for k, (words, *_) in enumerate(_TROUBLES):
            self.trouble.addItem(words, k)
        form.addRow("What goes wrong", self.trouble)
        row = QHBoxLayout()
        self.happen, self.put_right = QPushButton("Let it happen"), QPushButton("Put it right")
        self.happen.clicked.connect(lambda: self._trouble(1))
        self.put_right.clicked.connect(lambda: self._trouble(2))
        row.addWidget(self.happen)
        row.addWidget(self.put_right)
        row.addStretch(1)
        form.addRow("", row)
        self.trouble.currentIndexChanged.connect(self.refresh)
        self.body.addWidget(self.hands)
        self.body.addStretch(1)
        bench.changed.connect(self.refresh)
        self.refresh()

    def _choice(self, form: QFormLayout, text: str, choices: tuple[tuple[str, str], ...], hand: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(text)
        for words, value in choices:
            box.addItem(words, value)
        box.activated.connect(lambda index: self._bench.do(hand, box.itemData(index)))
        form.addRow(text, box)
        return box

    def _trouble(self, which: int) -> None:
        hand = _TROUBLES[self.trouble.currentData()][which]
        if hand is not None:
            self._bench.do(*hand)

    def refresh(self, *_: object) -> None:
        state = self._bench.state
        self.start.setVisible(not state)
        self.stop.setVisible(bool(state))
        self.hands.setVisible(bool(state))
        self.put_right.setEnabled(_TROUBLES[self.trouble.currentData() or 0][2] is not None)
        if state:
            self.unit.setCurrentIndex(self.unit.findData(state["unit"]))
            self.probe.setCurrentIndex(self.probe.findData(state["probe"]))
            self.plugged.setChecked(state["plugged"])
