"""A record within a port asked for: a knob, how an output follows inputs of its gear, and unity proved by an octave."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import Knob, Port, PortRef, Through
from dynamis.bench.gear.fields import Field
from dynamis.bench.gear.inner_fields import (
    knob_fields,
    knob_words,
    through_fields,
    through_value,
    with_knob_value,
    with_through_value,
)
from dynamis.bench.runs.unity import Octave, Quantity, octave_through, octave_words, provable
from dynamis.errors import InputError
from dynamis.notation.numbers import last_digit, parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.field_form import FieldForm
from dynamis.ui.widgets.panel import label, set_text

_READINGS = (("volts", "volts at the output", "V"), ("hertz", "hertz of an oscillator behind it", "Hz"))


class KnobDialog(FormDialog[Knob]):
    """Gives a `Knob`."""

    def __init__(self, parent: QWidget | None, style: Style, knob: Knob, title: str) -> None:
        super().__init__(parent, title, "Take this knob", width=520)
        self.knob, self._style = knob, style
        self.fields = FieldForm(self._changed, self.say)
        self.form.addRow(self.fields)
        self.words = label("", "small", wrap=True)
        self.form.addRow(self.words)
        self._show()

    def _show(self) -> None:
        fields = knob_fields(self.knob)
        self.fields.show_values(fields, [getattr(self.knob, one.path) for one in fields], self._style, "knob")
        set_text(self.words, knob_words(self.knob, self._style))

    def _changed(self, field: Field, value: object) -> None:
        self.knob = with_knob_value(self.knob, field, value)
        self.say("")
        self._show()

    def read(self) -> Knob:
        if not self.knob.name.strip():
            raise InputError("The knob needs a name.")
        return self.knob


class ThroughDialog(FormDialog[Through]):
    """Gives a `Through`."""

    def __init__(self, parent: QWidget | None, style: Style, gear: Gear, port: Port) -> None:
        super().__init__(parent, f"What {port.name} of {gear.name} follows", "Take it so", width=520)
        self.through, self._style, self._gear, self._port = port.through, style, gear, port
        self.fields = FieldForm(self._changed, self.say)
        self.form.addRow(self.fields)
        self._show()

    def _show(self) -> None:
        fields = through_fields(self._gear)
        values = [through_value(self.through, one.path) for one in fields]
        self.fields.show_values(fields, values, self._style, self._port.name)

    def _changed(self, field: Field, value: object) -> None:
        self.through = with_through_value(self.through, field, value)
        self.say("")
        self._show()

    def read(self) -> Through:
        return self.through or Through()


class OctaveDialog(FormDialog[Change]):
    """Gives the change that keeps what two readings an octave apart said of a way, or of a depth knob."""

    def __init__(self, parent: QWidget | None, style: Style, bench: Bench, ref: PortRef) -> None:
        super().__init__(parent, f"Unity of {bench.label(ref)}, by an octave", "Keep what they say", width=560)
        self._style, self._bench = style, bench
        self._ways = provable(bench, ref)
        self.way, self.quantity = QComboBox(), QComboBox()
        for one in self._ways:
            self.way.addItem(one.words)
        for key, words, _ in _READINGS:
            self.quantity.addItem(words, key)
        self.row("What is proved", self.way)
        self.row("Read in", self.quantity)
        self.low = self.line("While a note is sent", hint="2.000 V")
        self.high = self.line("while the one an octave above it is", hint="3.000 V")
        self.told = label("", wrap=True)
        self.form.addRow(self.told)
        for edit in (self.low, self.high):
            edit.textChanged.connect(lambda _: self._tell())
        self.way.currentIndexChanged.connect(lambda _: self._tell())
        self.quantity.currentIndexChanged.connect(lambda _: self._tell())
        self.ok.setEnabled(bool(self._ways))

    def _octave(self) -> Octave:
        key, _, unit = _READINGS[self.quantity.currentIndex()]
        comma = self._style.decimal_comma
        texts: Sequence[str] = (self.low.text(), self.high.text())
        low, high = (parse_quantity(one, unit, "A reading", decimal_comma=comma) for one in texts)
        first, second = (last_digit(one, unit, decimal_comma=comma) for one in texts)
        quantity: Quantity = "hertz" if key == "hertz" else "volts"
        way = self._ways[self.way.currentIndex()]
        return octave_through(
            self._bench, way.entry, low, high, quantity, (first, second), beyond_knobs=way.beyond_knobs
        )

    def _tell(self) -> None:
        """Say what the readings say as soon as both are there."""
        self.say("")
        if not self.low.text().strip() or not self.high.text().strip():
            set_text(self.told, "")
            return
        try:
            way = self._ways[self.way.currentIndex()]
            set_text(self.told, octave_words(self._octave(), way.allowed_cents, self._style))
        except InputError as error:
            set_text(self.told, str(error))

    def read(self) -> Change:
        return self._ways[self.way.currentIndex()].keep(self._octave())
