"""The panel of a computer's DC-coupled outputs: the caution first, then levels, one channel at a time."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QPushButton

from dynamis.converter.playing.generators import GENERATOR_WORDS
from dynamis.devices.sound.outflow import MOST_CHANNELS
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.devices.device_panel import DevicePanel
from dynamis.ui.widgets.form import choice, whole_box
from dynamis.ui.widgets.panel import label


class OutputsPanel(DevicePanel):
    """volts_pressed : with the channel, from 1, and what was typed.  confirmed : whether no speaker hangs there.
    hold_pressed : whether the channel holds is asked; take_pressed : into its port.  levels_pressed : its
    gain and offset are asked.  follow_pressed, stop_pressed :
    let the channel follow a generator, or no more."""

    volts_pressed = Signal(int, str)
    confirmed = Signal(bool)
    hold_pressed = Signal()
    take_pressed = Signal()
    levels_pressed = Signal()
    follow_pressed = Signal()
    stop_pressed = Signal()

    def __init__(self, channels: int, full_scale: str, limit: str, colours: Colours) -> None:
        super().__init__("Computer's outputs", "Output", "an audio output, or host:port", "All to 0 V", colours)
        self.channels = whole_box("Channels", channels, 1, MOST_CHANNELS)
        self.form.addRow("Channels", self.channels)
        self.full_scale, self.limit = QLineEdit(full_scale), QLineEdit(limit)
        for words, edit in (("Peak at full scale", self.full_scale), ("Never beyond, ±", self.limit)):
            edit.setAccessibleName(words)
            self.form.addRow(words, edit)
        self.caution = label(
            "These outputs carry DC, and are far louder than music: loudspeakers and hearing are at risk. Turn the "
            "monitors off and take the headphones' plug out first. They stay at 0 V until you say so.",
            "question",
            wrap=True,
        )
        self.body.addWidget(self.caution)
        self.quiet = QCheckBox("No loudspeaker and no headphones hang on these outputs")
        self.quiet.toggled.connect(self.confirmed)
        self.body.addWidget(self.quiet)
        row = QHBoxLayout()
        self.channel = whole_box("Channel to try", 1, 1, MOST_CHANNELS)
        self.volts, self.set_button = QLineEdit(), QPushButton("Put out")
        self.volts.setPlaceholderText("1 V")
        self.volts.setAccessibleName("Volts to put out")
        self.volts.returnPressed.connect(self._press)
        self.set_button.clicked.connect(self._press)
        row.addWidget(label("Try channel", "muted"))
        for part in (self.channel, self.volts, self.set_button):
            row.addWidget(part)
        row.addStretch(1)
        self.body.addLayout(row)
        follows = QHBoxLayout()
        self.kind = choice("What it follows", GENERATOR_WORDS.items())
        self.low, self.high, self.rate = QLineEdit("-1 V"), QLineEdit("1 V"), QLineEdit("2 Hz")
        for words, edit in (("From, volts", self.low), ("To, volts", self.high), ("How often", self.rate)):
            edit.setAccessibleName(words)
            edit.setToolTip(words)
        self.follow_button, self.stop_button = QPushButton("Let it follow"), QPushButton("Stop")
        self.follow_button.clicked.connect(self.follow_pressed)
        self.stop_button.clicked.connect(self.stop_pressed)
        for field in (self.kind, self.low, self.high, self.rate, self.follow_button, self.stop_button):
            follows.addWidget(field)
        self.body.addLayout(follows)
        held = QHBoxLayout()
        self.hold_button, self.take_button = QPushButton("Does it hold?"), QPushButton("Take it into the port")
        self.hold_button.setToolTip("Step to these volts and read the meter at the jack for a few seconds")
        self.hold_button.clicked.connect(self.hold_pressed)
        self.take_button.clicked.connect(self.take_pressed)
        self.levels_button = QPushButton("Gain and offset…")
        self.levels_button.setToolTip("Two levels, and a voltmeter at the jack")
        self.levels_button.clicked.connect(self.levels_pressed)
        for button in (self.hold_button, self.take_button, self.levels_button):
            held.addWidget(button)
        held.addStretch(1)
        self.body.addLayout(held)
        self.held_words = label("", wrap=True, selectable=True)
        self.body.addWidget(self.held_words)
        self.take_button.setEnabled(False)
        self.missing = label("", "muted", wrap=True)
        self.body.addWidget(self.missing)
        self.body.addStretch(1)
        self.body.addWidget(
            label(
                "Outputs that hold a voltage play the part of a converter. Programs number channels their own way: try "
                "one at a time with 1 V and a meter at the jack. Nothing beyond the limit ever leaves.",
                "small",
                wrap=True,
            )
        )

    def _press(self) -> None:
        self.volts_pressed.emit(self.channel.value(), self.volts.text())

    def show_state(self, connected: bool, trouble: bool, words: str, *, busy: bool) -> None:
        super().show_state(connected, trouble, words, busy=busy)
        if not connected and self.quiet.isChecked():
            self.quiet.setChecked(False)  # whoever connects anew looks anew
        self.quiet.setEnabled(connected)
        buttons = (self.set_button, self.follow_button, self.stop_button, self.hold_button, self.levels_button)
        for part in (self.channel, self.volts, *buttons):
            part.setEnabled(connected and self.quiet.isChecked() and not busy)
