"""A board (or any sender of pitch) put on the bench: its converter, outputs, first unit, and what hangs on it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QWidget

from dynamis.bench.document.bench import Gear, Link, Unit
from dynamis.bench.document.commands import new_id
from dynamis.bench.document.ports import Port, PortRef
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.pitch.laws import law_text, parse_law
from dynamis.transfer.law import Oscillator
from dynamis.transfer.registry import StoredTransfer
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.law_edit import LawEdit
from dynamis.ui.widgets.panel import label

_TRIMMERS = (("none", "none"), ("scale", "a scale trimmer"), ("scale-and-offset", "scale and offset trimmers"))


@dataclass(frozen=True)
class NewBoard:
    gear: tuple[Gear, ...]
    link: Link

    @property
    def board(self) -> Gear:
        return self.gear[0]


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
        name = " ".join(self.name.text().split())
        if not name:
            raise InputError("The board needs a name.")
        serial = self.serial.text().strip()
        if not serial:
            raise InputError("The unit needs a serial number; a sticker with 01 will do.")
        names = [part.strip() for part in self.channels.text().split(",") if part.strip()]
        if not names or len(set(names)) != len(names):
            raise InputError("The pitch outputs need names, each its own, separated by commas.")
        law = law_text(self.law.law())
        ohms = self._optional(self.ohms, "Ω", "The output resistance")
        transfers: tuple[StoredTransfer, ...] = ()
        if self.has_dac.isChecked():
            bits = self._number(self.bits, "bit", "The number of bits")
            dac = Dac(
                int(bits) if bits == int(bits) else 0,
                self._number(self.low, "V", "The lowest volts"),
                self._number(self.high, "V", "The full-scale volts"),
                self._number(self.gain, "", "The gain"),
                floor_volts=self._optional(self.floor, "V", "The buffer's lowest output"),
                ceiling_volts=self._optional(self.ceiling, "V", "The buffer's highest output"),
            )
            inl = self._optional(self.inl, "LSB", "The linearity") or 0.0
            transfers = (DacTransfer("dac", dac, inl_limit_lsb=inl).stored(),)
        key = new_id(name, self._taken)
        ids: list[str] = []
        for one in names:
            ids.append(new_id(one, set(ids)))
        ports = tuple(
            Port(port_id, text, "output", law=law, ohms=ohms, transfers=transfers, trimmers=self.trimmers.currentData())
            for port_id, text in zip(ids, names, strict=True)
        )
        board = Gear(key, name, ports, (Unit(serial),))
        voice = self._voice(law, self._taken | {key})
        inputs = () if voice is None else tuple(PortRef(voice.id, port.id) for port in voice.ports)
        gear = (board,) if voice is None else (board, voice)
        return NewBoard(gear, Link(f"{key}-{ids[0]}", PortRef(key, ids[0]), inputs))

    def _voice(self, law: str, taken: set[str]) -> Gear | None:
        """What the board plays into, None where nothing is named."""
        name = " ".join(self.sink.text().split())
        if not name:
            return None
        count = self._number(self.inputs, "", "The number of inputs")
        if count != int(count) or not 1 <= count <= 16:
            raise InputError(f"The number of inputs is {self.inputs.text().strip()!r}; 1 to 16 was expected.")
        ohms = self._optional(self.input_ohms, "Ω", "The input resistance")
        oscillator = Oscillator("o", parse_law(law)).stored()
        ports = tuple(
            Port(
                f"pitch-{k}",
                "pitch" if count == 1 else f"pitch {k}",
                "input",
                law=law,
                ohms=ohms,
                transfers=(oscillator,),
            )
            for k in range(1, int(count) + 1)
        )
        return Gear(new_id(name, taken), name, ports)
