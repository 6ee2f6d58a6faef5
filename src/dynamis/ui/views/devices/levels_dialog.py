"""What a channel of the outputs makes of what it is asked for: two levels put out, and a voltmeter read at each."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from dynamis.bench.runs.outputs import levels_sentence
from dynamis.calibration.learning.coupling import of_rounding
from dynamis.calibration.learning.gain_offset import GainOffset, gain_offset
from dynamis.devices.interface import Shown
from dynamis.errors import InputError
from dynamis.notation.numbers import last_digit, parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label, set_text

Read = Callable[[Callable[[Shown], None]], None]


class LevelsDialog(FormDialog[GainOffset]):
    """Gives a `GainOffset`.

    put : lets the channel stand at volts.  read : reads a meter at its jack, None where none is connected; then what is
    read by eye is typed.
    """

    def __init__(
        self, parent: QWidget, style: Style, channel: int, asked: float, put: Callable[[float], None], read: Read | None
    ) -> None:
        super().__init__(parent, f"Gain and offset of channel {channel}", "Take it into the port", width=520)
        self._style, self._channel, self._put, self._read = style, channel, put, read
        self.asked: list[QLineEdit] = []
        self.readings: list[QLineEdit] = []
        # By row what a meter said of its own uncertainty, and of which text.
        self._deviations: list[tuple[str, float]] = [("", 0.0), ("", 0.0)]
        hint = label(
            "Put out one level, read a voltmeter at the jack, then the other.  The further apart they are, the "
            "surer is the gain.",
            "small",
            wrap=True,
        )
        self.form.addRow(hint)
        self.buttons_of: list[tuple[QPushButton, QPushButton]] = []
        for k, (words, volts) in enumerate((("First level", -asked), ("Second level", asked))):
            self._add_row(k, words, volts)
        self.told = label("", wrap=True, selectable=True)
        self.form.addRow(self.told)

    def _add_row(self, k: int, words: str, volts: float) -> None:
        asked, reading = QLineEdit(f"{self._style.typed(volts)} V"), QLineEdit()
        reading.setPlaceholderText("what the meter shows")
        reading.setAccessibleName(f"{words}, read")
        put, read = QPushButton("Put it out"), QPushButton("Read the meter")
        read.setEnabled(self._read is not None)
        put.clicked.connect(lambda _=False: self._put_out(k))
        read.clicked.connect(lambda _=False: self._ask_meter(k))
        for button in (put, read):
            button.setAutoDefault(False)
        reading.textChanged.connect(lambda _: self._tell())
        self.asked.append(asked)
        self.readings.append(reading)
        self.buttons_of.append((put, read))
        across = QHBoxLayout()
        for part in (asked, put, reading, read):
            across.addWidget(part)
        asked.setAccessibleName(words)
        self.form.addRow(words, across)

    def _volts(self, edit: QLineEdit, what: str) -> float:
        return parse_quantity(edit.text(), "V", what, decimal_comma=self._style.decimal_comma)

    def _put_out(self, k: int) -> None:
        try:
            self._put(self._volts(self.asked[k], "The level"))
            self.say("")
        except InputError as error:
            self.say(str(error))

    def _ask_meter(self, k: int) -> None:
        def show(shown: Shown) -> None:
            text = f"{self._style.volts(shown.value, 6)}"
            self._deviations[k] = (text, shown.deviation)
            self.readings[k].setText(text)

        assert self._read is not None  # the button is off
        self._read(show)

    def _found(self) -> GainOffset:
        asked = tuple(self._volts(one, "A level") for one in self.asked)
        read = []
        for edit, (text, deviation) in zip(self.readings, self._deviations, strict=True):
            value = self._volts(edit, "A reading")
            digit = of_rounding(last_digit(edit.text(), "V", decimal_comma=self._style.decimal_comma))
            read.append((value, max(digit, deviation if edit.text() == text else 0.0)))
        return gain_offset((asked[0], asked[1]), read[0], read[1])

    def _tell(self) -> None:
        """Say what the readings say as soon as both are there."""
        self.say("")
        if not all(one.text().strip() for one in self.readings):
            set_text(self.told, "")
            return
        try:
            set_text(self.told, levels_sentence(self._found(), self._channel, self._style))
        except InputError as error:
            set_text(self.told, str(error))

    def read(self) -> GainOffset:
        return self._found()
