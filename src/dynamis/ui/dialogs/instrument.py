"""An instrument, entered once in its data sheet's words: a meter's range, a counter, a tuner."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.bench.document.commands import new_id
from dynamis.bench.document.records import KIND_WORDS, InstrumentKind, InstrumentRecord
from dynamis.bench.runs.analysis import frequency_limits, meter_range
from dynamis.calibration.frequency import parse_frequency_words
from dynamis.calibration.meter import parse_meter_words, parse_resolution
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label

# By kind: the unit of its last digit, what its accuracy looks like, and what is to be copied.
_KINDS = {
    "meter": ("V", "0.05 % + 3 counts", "% or ppm of reading, of range, and counts or digits", "such as 1 mV"),
    "counter": ("Hz", "1 ppm + 1 digit", "ppm or % of reading, and digits", "such as 0.01 Hz"),
    "tuner": ("ct", "0.5 ct", "cents", "such as 0.1 ct"),
}
_SHOWN_HERTZ = 440.0


class InstrumentDialog(FormDialog[InstrumentRecord]):
    """Gives an `InstrumentRecord`."""

    def __init__(
        self,
        parent: QWidget | None,
        style: Style,
        taken: set[str],
        *,
        kinds: tuple[str, ...] = tuple(_KINDS),
        old: InstrumentRecord | None = None,
    ) -> None:
        super().__init__(parent, "An instrument", "Keep it")
        self._style, self._taken, self._old = style, taken, old
        self.kind = QComboBox()
        for kind in kinds:
            self.kind.addItem(KIND_WORDS[kind], kind)
        self.row("Kind", self.kind)
        self.name = self.line("Name", old.name if old else "", "what it is called on this bench")
        self.range_name = self.line("Range", old.range_name if old else "", "10 V")
        self.accuracy = self.line("Accuracy")
        self.resolution = self.line("Last digit")
        self.input = self.line("Input resistance", style.engineering(old.input_ohms, "Ω") if old else "10 MΩ")
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
        made = meter_range(old) if old.kind == "meter" else frequency_limits(old)
        self.accuracy.setText(made.words().rsplit(" of ", 1)[0])
        digit = {"meter": old.resolution_volts, "counter": old.resolution_hertz}.get(old.kind, old.resolution_cents)
        self.resolution.setText(self._style.engineering(digit, _KINDS[old.kind][0]))

    def _kind_changed(self) -> None:
        _, accuracy, copied, digit = _KINDS[self.kind.currentData()]
        meter = self.kind.currentData() == "meter"
        for row in (self.range_name, self.input):
            self.form.setRowVisible(row, meter)
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
        return self._meter(key, name) if kind == "meter" else self._frequency(key, name, kind)

    def _meter(self, key: str, name: str) -> InstrumentRecord:
        comma = self._style.decimal_comma
        range_name = self.range_name.text().strip()
        full = parse_quantity(range_name, "V", "The range", decimal_comma=comma) if range_name else None
        if full is not None and full <= 0:
            raise InputError(f"The range is {range_name!r}; it has to be above 0 V.")
        resolution = parse_resolution(self.resolution.text(), decimal_comma=comma)
        spec = parse_meter_words(self.accuracy.text(), resolution, full)
        ohms = parse_quantity(self.input.text(), "Ω", "The input resistance", decimal_comma=comma)
        if ohms <= 0:
            raise InputError("The meter's input resistance has to be above 0 Ω.")
        return InstrumentRecord(
            key,
            name,
            range_name or "one range",
            spec.percent,
            spec.counts,
            spec.resolution_volts,
            spec.full_scale_volts,
            spec.percent_of_range,
            ohms,
        )

    def _frequency(self, key: str, name: str, kind: InstrumentKind) -> InstrumentRecord:
        unit = _KINDS[kind][0]
        comma = self._style.decimal_comma
        digit = parse_quantity(self.resolution.text(), unit, "The last digit", decimal_comma=comma)
        if digit <= 0:
            raise InputError(f"The last digit is {self.resolution.text().strip()!r}; it has to be above 0.")
        spec = parse_frequency_words(
            self.accuracy.text(), **{"Hz": {"resolution_hertz": digit}}.get(unit, {"resolution_cents": digit})
        )
        if kind == "tuner" and not spec.cents and not spec.ppm:
            raise InputError("A tuner is good to so many cents; write its accuracy as 0.5 ct.")
        return InstrumentRecord(
            key,
            name,
            kind=kind,
            counts=spec.counts,
            ppm=spec.ppm,
            cents=spec.cents,
            resolution_hertz=spec.resolution_hertz,
            resolution_cents=spec.resolution_cents,
        )

    def _preview(self) -> None:
        try:
            record = self.read()
        except InputError:
            self.preview.setText("")
            return
        style = self._style
        if record.kind == "meter":
            spec = meter_range(record)
            at = min(5.0, spec.full_scale_volts or 5.0)
            worth = spec.expanded_volts(at)
            self.preview.setText(
                f"Read as {spec.words(style)}: ± {style.millivolts(worth)} at {style.volts(at, 1)} "
                f"(k = 2), ± {style.cents(1200 * worth)} ct at 1 V/oct."
            )
            return
        limits = frequency_limits(record)
        self.preview.setText(
            f"Read as {limits.words(style)}: ± {style.number(limits.expanded_cents(_SHOWN_HERTZ), 2)} ct at "
            f"{style.hertz(_SHOWN_HERTZ)} (k = 2)."
        )
