"""Fields for a pitch law in the trade's words."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QWidget

from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw
from dynamis.pitch.notes import Naming, note_name, parse_note


class LawEdit(QWidget):
    """V/oct or Hz/V, with its reference; `law()` raises `InputError` with the sentence to show."""

    def __init__(self, style: Style) -> None:
        super().__init__()
        self._style = style
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        self.kind = QComboBox()
        self.kind.addItems(["V/oct (exponential)", "Hz/V (linear)"])
        self.kind.setAccessibleName("Law")
        self.scale, self.note, self.volts, self.offset = QLineEdit("1"), QLineEdit("36"), QLineEdit("0"), QLineEdit("0")
        form.addRow("Law", self.kind)
        self._form = form
        for text, field in (
            ("Volts per octave", self.scale),
            ("Reference note", self.note),
            ("Volts there", self.volts),
            ("Offset", self.offset),
        ):
            field.setAccessibleName(text)
            form.addRow(text, field)
        self.kind.currentIndexChanged.connect(self._kind_changed)
        self._kind_changed()

    def _kind_changed(self) -> None:
        linear = self.kind.currentIndex() == 1
        self._form.setRowVisible(self.scale, not linear)
        self._form.setRowVisible(self.offset, linear)
        if linear and self.volts.text().strip() == "0":
            self.volts.setText("1")

    def show_law(self, law: Law) -> None:
        self.kind.setCurrentIndex(0 if isinstance(law, ExponentialLaw) else 1)
        reference = law.reference_note
        self.note.setText(note_name(reference, self._style) or plain(reference))
        self.volts.setText(self._style.typed(law.reference_volts))
        if isinstance(law, ExponentialLaw):
            self.scale.setText(self._style.typed(law.volts_per_octave))
        else:
            self.offset.setText(self._style.typed(law.offset_volts))

    def law(self) -> Law:
        comma = self._style.decimal_comma
        note = parse_note(self.note.text(), Naming(self._style.middle_c))
        volts = parse_quantity(self.volts.text(), "V", "The volts at the reference note", decimal_comma=comma)
        if self.kind.currentIndex() == 0:
            scale = parse_quantity(self.scale.text(), "V", "The volts per octave", decimal_comma=comma)
            return ExponentialLaw(scale, note, volts)
        return LinearLaw(note, volts, parse_quantity(self.offset.text(), "V", "The offset", decimal_comma=comma))
