"""A board (or any sender of pitch) put on the bench: its converter, outputs, first unit, and what hangs on it."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QWidget

from dynamis.bench.gear.boards import NewBoard, joined, new_board, new_voice
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.law_edit import LawEdit
from dynamis.ui.widgets.panel import label

_TRIMMERS = (("none", "none"), ("scale", "a scale trimmer"), ("scale-and-offset", "scale and offset trimmers"))


class BoardDialog(FormDialog[NewBoard]):
    """Gives a `NewBoard`: gear with its pitch outputs, what the first of them plays, and the link between."""

    def __init__(self, parent: QWidget | None, style: Style, taken: set[str]) -> None:
        super().__init__(parent, "Put a board on the bench", "Put it on the bench", width=500)
        self._style, self._taken = style, taken
        self.name = self.line("Board", "", "what it is called on this bench")
        self.serial = self.line("First unit", "01", "its serial number, or a sticker's")
        self.channels = self.line("Pitch outputs", "pitch A", "names, separated by commas")
        self.has_dac = QCheckBox("Its DAC codes are known")
        self.has_dac.setChecked(True)
        self.row("Converter", self.has_dac)
        self.bits = self.line("Bits", "12")
        self.low, self.high = self.line("Lowest volts", "0 V"), self.line("Full-scale volts", "5 V")
        self.gain = self.line("Gain after it", "1")
        self.floor = self.line("Buffer's lowest output", "", "such as 5 mV; empty: not known")
        self.ceiling = self.line("Buffer's highest output", "", "empty: not known")
        self.inl = self.line("Linearity, ± LSB", "", "from the data sheet; empty: not known")
        self.law = LawEdit(style)
        self.form.addRow(label("It should follow"), self.law)
        self.ohms = self.line("Output resistance", "1 kΩ", "empty: not known")
        self.trimmers = QComboBox()
        for key, text in _TRIMMERS:
            self.trimmers.addItem(text, key)
        self.row("Trimmers", self.trimmers)
        self.sink = self.line("Plays into", "", "a voice's name; empty: nothing on this bench yet")
        self.inputs = self.line("Inputs joined", "1")
        self.input_ohms = self.line("Resistance of each", "100 kΩ", "empty: not known")
        self.has_dac.toggled.connect(self._dac_toggled)

    def _dac_toggled(self, known: bool) -> None:
        for field in (self.bits, self.low, self.high, self.gain, self.floor, self.ceiling, self.inl):
            self.form.setRowVisible(field, known)
        self.adjustSize()

    def _number(self, field: QLineEdit, unit: str, what: str) -> float:
        return parse_quantity(field.text(), unit, what, decimal_comma=self._style.decimal_comma)

    def _optional(self, field: QLineEdit, unit: str, what: str) -> float | None:
        return self._number(field, unit, what) if field.text().strip() else None

    def read(self) -> NewBoard:
        law = self.law.law()
        board = new_board(
            self._taken,
            self.name.text(),
            self.serial.text(),
            self.channels.text().split(","),
            law,
            ohms=self._optional(self.ohms, "Ω", "The output resistance"),
            dac=self._dac() if self.has_dac.isChecked() else None,
            trimmers=self.trimmers.currentData(),
        )
        voice, name = None, " ".join(self.sink.text().split())
        if name:
            count = self._number(self.inputs, "", "The number of inputs")
            ohms = self._optional(self.input_ohms, "Ω", "The input resistance")
            voice = new_voice(self._taken | {board.id}, name, count, law, ohms=ohms)
        return joined(board, voice)

    def _dac(self) -> DacTransfer:
        bits = self._number(self.bits, "bit", "The number of bits")
        dac = Dac(
            int(bits) if bits == int(bits) else 0,
            self._number(self.low, "V", "The lowest volts"),
            self._number(self.high, "V", "The full-scale volts"),
            self._number(self.gain, "", "The gain"),
            floor_volts=self._optional(self.floor, "V", "The buffer's lowest output"),
            ceiling_volts=self._optional(self.ceiling, "V", "The buffer's highest output"),
        )
        return DacTransfer("dac", dac, inl_limit_lsb=self._optional(self.inl, "LSB", "The linearity") or 0.0)
