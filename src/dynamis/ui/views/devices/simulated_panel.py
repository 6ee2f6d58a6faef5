"""The simulated bench: started here, and what one does to a real one with one's hands."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QPushButton, QWidget

from dynamis.demo.standins import KNOWN_VOLTS
from dynamis.ui.simulated import SimulatedBench
from dynamis.ui.widgets.panel import Panel, label

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
    ("the source's lead is pulled", ("source lead pulled", True), ("source lead pulled", False)),
    ("the MIDI lead is pulled", ("midi lead pulled", True), ("midi lead pulled", False)),
    ("the outputs' lead is pulled", ("interface lead pulled", True), ("interface lead pulled", False)),
    ("the laptop's jack holds no DC", ("interface coupled", 2.0), ("interface coupled", 0.0)),
    ("the laptop's jacks 3 and 4 are changed over", ("interface swapped", True), ("interface swapped", False)),
    ("the sound's lead is pulled", ("sound lead pulled", True), ("sound lead pulled", False)),
    ("the voice falls silent", ("sound silent", True), ("sound silent", False)),
    ("the sound clips", ("sound level", 2.0), ("sound level", 0.25)),
    ("the sound comes at another rate", ("sound rate", 44100.0), ("sound rate", 48000.0)),
    ("the board is cold", ("warm minutes", 0.0), ("warm minutes", 60.0)),
)


class SimulatedPanel(Panel):
    """The simulated bench: start it, and do with hands what one does at a real one."""

    def __init__(self, bench: SimulatedBench) -> None:
        super().__init__("Simulated bench", "Simulated bench")
        self._bench = bench
        self.body.addWidget(
            label(
                "A Workshop board, played over its own line or by MIDI, a meter, a counter, a source, a known "
                "voltage and the Gallery voice's sound: not there, but they answer at real ports, with hidden true "
                "values.",
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
            (
                ("jack of pitch A", "A"),
                ("jack of pitch B", "B"),
                ("the Gallery voice", "voice"),
                ("the known voltage", "known"),
                ("the voltage source", "source"),
                ("the laptop's jack 3", "interface"),
            ),
            "probe",
        )
        hears = (("pitch A", "A"), ("the voltage source", "source"), ("the laptop's jack 3", "interface"))
        self.hears = self._choice(form, "The voice hears", hears, "voice hears")
        known = tuple((f"{volts:g} V", volts) for volts in KNOWN_VOLTS)
        self.known = self._choice(form, "Known voltage at", known, "known volts")
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

    def _choice(self, form: QFormLayout, text: str, choices: Sequence[tuple[str, object]], hand: str) -> QComboBox:
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
            self.hears.setCurrentIndex(self.hears.findData(state["hears"]))
            self.known.setCurrentIndex(self.known.findData(state["known"]))
            self.plugged.setChecked(state["plugged"])
