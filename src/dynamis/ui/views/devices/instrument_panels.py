"""The panels of what plays and what reads besides a board: a source, a MIDI port, a meter, sound."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QFontDatabase, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPlainTextEdit, QPushButton

from dynamis.devices.command_words import MeterWords, SourceWords, Words
from dynamis.devices.dialogue import Dialogue
from dynamis.errors import InputError
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.devices.device_panel import DevicePanel
from dynamis.ui.views.devices.words_dialog import WordsDialog
from dynamis.ui.widgets.form import whole_box
from dynamis.ui.widgets.panel import label, rule

Kept = TypeVar("Kept", bound=Words)
_LOOK_MS = 400


class SpokenPanel(DevicePanel):
    """A device that is spoken to in words, with what was said last.

    words_changed : other words, by what they are for, where they are not the usual.
    """

    words_changed = Signal(object)

    def __init__(
        self,
        title: str,
        hint: str,
        test: str,
        usual: Words,
        kept: Mapping[str, str],
        dialogue: Dialogue,
        colours: Colours,
    ) -> None:
        super().__init__(title, "Address", hint, test, colours)
        self._usual, self._dialogue = usual, dialogue
        self.spoken = _kept(usual, kept)
        self.log = QPlainTextEdit()
        self.log.setReadOnly(True)
        self.log.setAccessibleName(f"What was said to and by the {title.lower()}")
        self.log.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.log.setPlaceholderText("What is said to it and what it answers stands here, the last line at the bottom.")
        head = QHBoxLayout()
        head.addWidget(label("What is said", "heading"))
        head.addStretch(1)
        self.edit_words = QPushButton("Command words…")
        self.edit_words.clicked.connect(self._edit)
        head.addWidget(self.edit_words)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._after = head

    def finish(self) -> None:
        """The log comes last, with all the room that is left."""
        self.body.addLayout(self._after)
        self.body.addWidget(self.log, 1)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.look()
        self._timer.start()

    def look(self) -> None:
        """Show what was said since; kept where it is scrolled to unless that is the end."""
        if not self.isVisible():
            self._timer.stop()
            return
        text = "\n".join(self._dialogue.words())
        if text == self.log.toPlainText():
            return
        bar = self.log.verticalScrollBar()
        at, at_end = bar.value(), bar.value() >= bar.maximum() - 2
        self.log.setPlainText(text)
        bar.setValue(bar.maximum() if at_end else at)

    def _edit(self) -> None:
        dialog = WordsDialog(self, self._usual, self.spoken)
        if dialog.exec():
            self.spoken = dialog.value
            self.words_changed.emit(self.spoken.differences(self._usual))


def _kept(usual: Kept, kept: Mapping[str, str]) -> Kept:
    """The words that were kept; the usual ones where those cannot be said."""
    try:
        return usual.with_words(**kept)
    except InputError:
        return usual


class MeterPanel(SpokenPanel):
    """A meter or a counter."""

    def __init__(self, kept: Mapping[str, str], dialogue: Dialogue, colours: Colours) -> None:
        super().__init__("Meter", "192.168.1.20:5025", "Read once", MeterWords(), kept, dialogue, colours)
        self.reading, self.range_words = label("", "bigmuted"), label("", "muted", wrap=True)
        self.body.addWidget(self.reading)
        self.body.addWidget(self.range_words)
        self.body.addWidget(
            label(
                "A meter or counter: host:port on the network, a serial port with its speed (/dev/ttyUSB0@9600), "
                "or a VISA resource name. It is held on the range of the run; readings of two ranges do not share "
                "their errors.",
                "small",
                wrap=True,
            )
        )
        self.finish()


class SourcePanel(SpokenPanel):
    """A voltage source.  volts_pressed : with what was typed."""

    volts_pressed = Signal(str)

    def __init__(self, kept: Mapping[str, str], dialogue: Dialogue, colours: Colours) -> None:
        super().__init__("Voltage source", "192.168.1.21:5025", "Let go", SourceWords(), kept, dialogue, colours)
        row = QHBoxLayout()
        self.volts, self.set_button = QLineEdit(), QPushButton("Set")
        self.volts.setPlaceholderText("2.5 V")
        self.volts.setAccessibleName("Volts to set")
        self.volts.returnPressed.connect(self._press)
        self.set_button.clicked.connect(self._press)
        for part in (self.volts, self.set_button):
            row.addWidget(part)
        row.addStretch(1)
        self.body.addLayout(row)
        self.body.addWidget(
            label(
                "It feeds an input with the volts of each note, and nothing beyond what that input is known to bear. "
                "Check its current limit and the polarity before you connect it.",
                "small",
                wrap=True,
            )
        )
        self.finish()

    def _press(self) -> None:
        self.volts_pressed.emit(self.volts.text())

    def show_state(self, connected: bool, trouble: bool, words: str, *, busy: bool) -> None:
        super().show_state(connected, trouble, words, busy=busy)
        for part in (self.volts, self.set_button):
            part.setEnabled(connected and not busy)


class MidiPanel(DevicePanel):
    """A converter at a MIDI output.  note_pressed : with what was typed."""

    note_pressed = Signal(str)

    def __init__(self, channel: int, colours: Colours) -> None:
        super().__init__("MIDI converter", "MIDI port", "alsa:… , jack:… or /dev/snd/midiC1D0", "Silence", colours)
        self.channel = whole_box("MIDI channel", channel, 1, 16)
        self.form.addRow("MIDI channel", self.channel)
        row = QHBoxLayout()
        self.note, self.play_button = QLineEdit(), QPushButton("Hold the note")
        self.note.setPlaceholderText("C4, or 60")
        self.note.setAccessibleName("Note to hold")
        self.note.returnPressed.connect(self._press)
        self.play_button.clicked.connect(self._press)
        for part in (self.note, self.play_button):
            row.addWidget(part)
        row.addStretch(1)
        self.body.addLayout(row)
        self.missing = label("", "muted", wrap=True)
        self.body.addWidget(self.missing)
        self.body.addStretch(1)
        self.body.addWidget(
            label(
                "Any converter that plays what a MIDI port sends: a port of the ALSA sequencer, one of JACK, or a "
                "raw MIDI device by its path. Nobody can ask it which unit it is or what it holds.",
                "small",
                wrap=True,
            )
        )

    def _press(self) -> None:
        self.note_pressed.emit(self.note.text())

    def show_state(self, connected: bool, trouble: bool, words: str, *, busy: bool) -> None:
        super().show_state(connected, trouble, words, busy=busy)
        for part in (self.note, self.play_button):
            part.setEnabled(connected and not busy)


class SoundPanel(DevicePanel):
    """An input that is listened to.  tuner_pressed : button."""

    tuner_pressed = Signal()

    def __init__(self, channel: int, clock_ppm: float, colours: Colours) -> None:
        super().__init__("Sound", "Input", "an audio input, host:port or a pipe", "Read once", colours)
        self.channel = whole_box("Channel, from 0", channel, 0, 63)
        self.form.addRow("Channel, from 0", self.channel)
        self.clock = QLineEdit(f"{clock_ppm:g}")
        self.clock.setAccessibleName("Its clock is fast by, ppm")
        self.form.addRow("Its clock is fast by, ppm", self.clock)
        row = QHBoxLayout()
        self.tuner_button = QPushButton("Tuner…")
        self.tuner_button.clicked.connect(self.tuner_pressed)
        row.addWidget(self.tuner_button)
        row.addStretch(1)
        self.body.addLayout(row)
        self.reading = label("", "bigmuted")
        self.body.addWidget(self.reading)
        self.body.addWidget(rule())
        self.missing = label("", "muted", wrap=True)
        self.body.addWidget(self.missing)
        self.body.addStretch(1)
        self.body.addWidget(
            label(
                "The oscillator itself, through an audio input: good to hundredths of a cent and without a step. "
                "Or a WAV that never ends, from a pipe or from host:port. Turn the input's level so that it never "
                "clips; turn loudspeakers down first.",
                "small",
                wrap=True,
            )
        )

    def show_state(self, connected: bool, trouble: bool, words: str, *, busy: bool) -> None:
        super().show_state(connected, trouble, words, busy=busy)
        self.tuner_button.setEnabled(connected and not busy)
