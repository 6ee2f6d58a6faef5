"""An instrument, entered once in its data sheet's words: a meter's range, a counter, a tuner, sound, a known
voltage."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.bench.document.commands import new_id
from dynamis.bench.document.ranges import sheet_range
from dynamis.bench.document.records import KIND_WORDS, InstrumentRecord
from dynamis.bench.gear.instruments import (
    accuracy_words,
    new_frequency_instrument,
    new_known_voltage,
    new_meter,
    worth_sentence,
)
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label

# By kind: the unit of its last digit, what its accuracy looks like, and what is to be copied.
_KINDS = {
    "meter": ("V", "0.05 % + 3 counts", "% or ppm of reading, of range, and counts or digits", "such as 1 mV"),
    "counter": ("Hz", "1 ppm + 1 digit", "ppm or % of reading, and digits", "such as 0.01 Hz"),
    "tuner": ("ct", "0.5 ct", "cents", "such as 0.1 ct"),
    "sound": (
        "Hz",
        "50 ppm",
        "ppm of the clock of the interface that samples it",
        "0.0001 Hz: readings bring their own",
    ),
    "known-voltage": ("V", "0.02 % + 3 digits", "% or ppm of what it gives, and digits", "such as 0.1 mV"),
}


class InstrumentDialog(FormDialog[InstrumentRecord]):
    """Gives an `InstrumentRecord`.  old : is changed.  like : is another range of the same meter."""

    def __init__(
        self,
        parent: QWidget | None,
        style: Style,
        taken: set[str],
        *,
        kinds: tuple[str, ...] = tuple(_KINDS),
        old: InstrumentRecord | None = None,
        like: InstrumentRecord | None = None,
    ) -> None:
        super().__init__(parent, "An instrument", "Keep it")
        self._style, self._taken, self._old = style, taken, old
        shown = old or like
        self.kind = QComboBox()
        for kind in kinds:
            self.kind.addItem(KIND_WORDS[kind], kind)
        self.row("Kind", self.kind)
        self.name = self.line("Name", shown.name if shown else "", "what it is called on this bench")
        self.range_name = self.line("Range", old.range_name if old else "", "10 V")
        self.accuracy = self.line("Accuracy")
        self.resolution = self.line("Last digit")
        self.input = self.line("Input resistance", style.engineering(shown.input_ohms, "Ω") if shown else "10 MΩ")
        steps = "" if old is None else "; ".join(style.engineering(volts, "V") for volts in old.steps)
        self.steps = self.line("Can be switched to", steps, "0; 1; 2; 5 V, or nothing where it can be set to any")
        self.preview, self.hint = label("", "small", wrap=True), label("", "small", wrap=True)
        self.column.insertWidget(1, self.preview)
        self.column.insertWidget(1, self.hint)
        if old is not None:
            self.kind.setCurrentIndex(max(0, self.kind.findData(old.kind)))
            self._show(old)
        for field in (self.accuracy, self.resolution, self.range_name):
            field.textChanged.connect(self._preview)
        self.kind.currentIndexChanged.connect(self._kind_changed)
        self._kind_changed()

    def _show(self, old: InstrumentRecord) -> None:
        self.accuracy.setText(accuracy_words(old))
        by_unit = {"V": old.resolution_volts, "Hz": old.resolution_hertz, "ct": old.resolution_cents}
        digit = by_unit[_KINDS[old.kind][0]]
        self.resolution.setText(self._style.engineering(digit, _KINDS[old.kind][0]))

    def _kind_changed(self) -> None:
        _, accuracy, copied, digit = _KINDS[self.kind.currentData()]
        meter = self.kind.currentData() == "meter"
        for row in (self.range_name, self.input):
            self.form.setRowVisible(row, meter)
        self.form.setRowVisible(self.steps, self.kind.currentData() == "known-voltage")
        self.accuracy.setPlaceholderText(accuracy)
        self.resolution.setPlaceholderText(f"the last digit that it shows, {digit}")
        self.hint.setText(f"Copy the accuracy from the data sheet: {copied}.")
        self._preview()

    def read(self) -> InstrumentRecord:
        name = " ".join(self.name.text().split())
        if not name:
            raise InputError("The instrument needs a name.")
        kind = self.kind.currentData()
        key = self._old.id if self._old else new_id(f"{name} {self.range_name.text().strip()}".strip(), self._taken)
        comma = self._style.decimal_comma
        accuracy, digit = self.accuracy.text(), self.resolution.text()
        if kind == "meter":
            made = new_meter(
                key,
                name,
                range_text=self.range_name.text().strip(),
                accuracy=accuracy,
                last_digit=digit,
                input_text=self.input.text(),
                decimal_comma=comma,
            )
            same = self._old is not None and sheet_range(self._old) == sheet_range(made)
            return replace(made, check=self._old.check) if self._old is not None and same else made
        if kind == "known-voltage":
            return new_known_voltage(
                key, name, accuracy=accuracy, last_digit=digit, steps=self.steps.text(), decimal_comma=comma
            )
        return new_frequency_instrument(key, name, kind, accuracy=accuracy, last_digit=digit, decimal_comma=comma)

    def _preview(self) -> None:
        try:
            self.preview.setText(worth_sentence(self.read(), self._style))
        except InputError:
            self.preview.setText("")
