"""A meter's range, entered once in its data sheet's words."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from dynamis.bench.analysis import meter_range
from dynamis.bench.commands import new_id
from dynamis.bench.records import MeterRecord
from dynamis.calibration.meter import parse_meter_words, parse_resolution
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label


class MeterDialog(FormDialog):
    """Gives a `MeterRecord`."""

    def __init__(self, parent: QWidget | None, style: Style, taken: set[str], old: MeterRecord | None = None) -> None:
        super().__init__(parent, "A meter's range", "Keep this range")
        self._style, self._taken, self._old = style, taken, old
        self.name = self.line("Meter", old.name if old else "", "what it is called on this bench")
        self.range_name = self.line("Range", old.range_name if old else "", "10 V")
        self.accuracy = self.line("Accuracy", self._words(old), "0.05 % + 3 counts")
        self.resolution = self.line(
            "One count", style.engineering(old.resolution_volts, "V") if old else "", "the last digit, such as 1 mV"
        )
        self.input = self.line("Input resistance", style.engineering(old.input_ohms, "Ω") if old else "10 MΩ")
        self.preview = label("", "small", wrap=True)
        self.column.insertWidget(1, self.preview)
        self.column.insertWidget(
            1, label("Copy the accuracy from the data sheet: % or ppm of reading, of range, and counts or digits.",
                     "small", wrap=True)
        )  # fmt: skip
        for field in (self.accuracy, self.resolution, self.range_name):
            field.textChanged.connect(self._preview)
        self._preview()

    @staticmethod
    def _words(old: MeterRecord | None) -> str:
        made = meter_range(old)
        return "" if made is None else made.words().rsplit(" of ", 1)[0]

    def read(self) -> MeterRecord:
        comma = self._style.decimal_comma
        name = self.name.text().strip()
        if not name:
            raise InputError("The meter needs a name.")
        range_name = self.range_name.text().strip()
        full = parse_quantity(range_name, "V", "The range", decimal_comma=comma) if range_name else None
        if full is not None and full <= 0:
            raise InputError(f"The range is {range_name!r}; it has to be above 0 V.")
        resolution = parse_resolution(self.resolution.text(), decimal_comma=comma)
        spec = parse_meter_words(self.accuracy.text(), resolution, full)
        ohms = parse_quantity(self.input.text(), "Ω", "The input resistance", decimal_comma=comma)
        if ohms <= 0:
            raise InputError("The meter's input resistance has to be above 0 Ω.")
        key = self._old.id if self._old else new_id(f"{name} {range_name}", self._taken)
        return MeterRecord(key, name, range_name or "one range", spec.percent, spec.counts, spec.resolution_volts,
                           spec.full_scale_volts, spec.percent_of_range, ohms)  # fmt: skip

    def _preview(self) -> None:
        try:
            record = self.read()
        except InputError:
            self.preview.setText("")
            return
        spec = meter_range(record)
        at = min(5.0, spec.full_scale_volts or 5.0)
        worth = spec.expanded_volts(at)
        self.preview.setText(
            f"Read as {spec.words(self._style)}: ± {self._style.millivolts(worth)} at {self._style.volts(at, 1)} "
            f"(k = 2), ± {self._style.cents(1200 * worth)} ct at 1 V/oct."
        )
