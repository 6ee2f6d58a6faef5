"""Learning an unknown port: what to do, what is read, what it teaches, and the values taken into the port."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QLineEdit, QPlainTextEdit, QWidget

from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.ranges import meter_range
from dynamis.bench.document.records import InstrumentRecord
from dynamis.bench.runs.learning import (
    Lesson,
    What,
    coupling_sentences,
    law_sentences,
    lessons_for,
    ohms_words,
    take_coupling,
    take_input,
    take_law,
    take_output,
    take_rest,
    take_sent,
    take_shortest,
    take_thresholds,
    thresholds_sentences,
    time_words,
    with_u,
)
from dynamis.calibration.learning.coupling import Step, learn_coupling, of_rounding
from dynamis.calibration.learning.law import Pair, learn_law
from dynamis.calibration.learning.pulses import sent_length, shortest_taken
from dynamis.calibration.learning.readings import parse_lengths, parse_pairs, parse_steps, parse_walk
from dynamis.calibration.learning.resistance import Learned, input_ohms, of_tolerance, output_ohms, rest_volts
from dynamis.calibration.learning.thresholds import thresholds
from dynamis.calibration.meter import volts_deviation
from dynamis.errors import InputError
from dynamis.notation.numbers import last_digit, parse_quantity, parse_share
from dynamis.notation.style import Style, tied
from dynamis.pitch.laws import parse_law
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label, set_text

# A usual meter's resistance, and a resistor's tolerance, where nobody says; common practice, no source.
_METER_OHMS, _TOLERANCE = 10e6, "1 %"
_ROWS: dict[What, tuple[str, ...]] = {
    "law": ("pairs",),
    "output": ("first", "second", "resistor", "tolerance"),
    "input": ("first", "second", "resistor", "tolerance"),
    "rest": ("first",),
    "thresholds": ("walk",),
    "sent": ("first", "second", "lengths"),
    "taken": ("lengths",),
    "holds": ("pairs",),
}
_FIRST = {
    "output": "Open, volts",
    "input": "Ahead of the resistor, volts",
    "rest": "At the jack, volts",
    "sent": "Low, volts",
}
_SECOND = {"output": "With the resistor to ground, volts", "input": "At the input, volts", "sent": "High, volts"}


class LearnDialog(FormDialog[Change]):
    """Gives the change that takes what was learnt into the port."""

    def __init__(self, parent: QWidget | None, style: Style, bench: Bench, ref: PortRef | None) -> None:
        super().__init__(parent, "Learn a port", "Take it into the port", width=600)
        self._style, self._bench = style, bench
        self._change: Change | None = None
        self.port, self.what, self.meter = QComboBox(), QComboBox(), QComboBox()
        for gear in bench.gear:
            for port in () if gear.archived else gear.ports:
                one = PortRef(gear.id, port.id)
                if lessons_for(port):
                    self.port.addItem(f"{bench.label(one)}, {port.direction}", one)
        self.row("Port", self.port)
        self.row("What of it", self.what)
        self.does = label("", "small", wrap=True)
        self.form.addRow(self.does)
        self.meter.addItem("not specified, 10 MΩ", None)
        for meter in bench.meters:
            if meter.kind == "meter" and not meter.archived:
                self.meter.addItem(meter.label, meter.id)
        self.row("Volts are read with", self.meter)
        self.pairs, self.walk = QPlainTextEdit(), QPlainTextEdit()
        self.pairs.setPlaceholderText("0.500 V  130.9 Hz\n1.500 V  261.8 Hz\n2.500 V  523.5 Hz")
        self.walk.setPlaceholderText("0.5 1.0 1.5+ 2.0+ 1.5+ 1.0+ 0.5")
        self.row("Volts and hertz, a pair a line", self.pairs)
        self.row("Volts in turn, + where it was on", self.walk)
        self.first, self.second = self.line(_FIRST["output"]), self.line(_SECOND["output"])
        self.resistor = self.line("Resistor", hint="10k")
        self.tolerance = self.line("its tolerance, ±", _TOLERANCE)
        self.lengths = self.line("Lengths of pulses", hint="5.0 ms  5.1 ms")
        self.told = label("", wrap=True, selectable=True)
        self.form.addRow(self.told)
        self.port.currentIndexChanged.connect(lambda _: self._port_changed())
        self.what.currentIndexChanged.connect(lambda _: self._what_changed())
        self.meter.currentIndexChanged.connect(lambda _: self._tell())
        for field in (self.pairs, self.walk):
            field.textChanged.connect(self._tell)
            field.setTabChangesFocus(True)
            field.setFixedHeight(84)
        for line in (self.first, self.second, self.resistor, self.tolerance, self.lengths):
            line.textChanged.connect(lambda _: self._tell())
        self._port_changed()
        if ref is not None:
            self.look_at(ref)

    # -- what is asked -----------------------------------------------------------------------------

    def look_at(self, ref: PortRef) -> None:
        """Choose a port; one of which nothing can be learnt leaves what is chosen."""
        index = next((k for k in range(self.port.count()) if self.port.itemData(k) == ref), -1)
        if index >= 0:
            self.port.setCurrentIndex(index)

    def _port_changed(self) -> None:
        ref = self.port.currentData()
        self.what.blockSignals(True)
        self.what.clear()
        for one in () if ref is None else lessons_for(self._bench.port(ref)):
            self.what.addItem(one.title, one)
        self.what.blockSignals(False)
        self._what_changed()

    @property
    def lesson(self) -> Lesson | None:
        return self.what.currentData()

    def _what_changed(self) -> None:
        lesson = self.lesson
        shown = () if lesson is None else _ROWS[lesson.what]
        rows = {"pairs": self.pairs, "walk": self.walk, "first": self.first, "second": self.second}
        rows |= {"resistor": self.resistor, "tolerance": self.tolerance, "lengths": self.lengths}
        for key, field in rows.items():
            self.form.setRowVisible(field, key in shown)
        if lesson is not None:
            of_pairs = (
                "Seconds and volts, a pair a line" if lesson.what == "holds" else "Volts and hertz, a pair a line"
            )
            self.form.labelForField(self.pairs).setText(of_pairs)  # type: ignore[attr-defined]
            for field, words in ((self.first, _FIRST), (self.second, _SECOND)):
                if lesson.what in words:
                    self.form.labelForField(field).setText(words[lesson.what])  # type: ignore[attr-defined]
                    field.setAccessibleName(words[lesson.what])
        texts = [] if lesson is None else [lesson.teaches, lesson.does, lesson.caution]
        set_text(self.does, "\n".join(text for text in texts if text))
        self._tell()

    # -- what is read ------------------------------------------------------------------------------

    def _tell(self) -> None:
        """Show what the readings teach so far, or what is missing."""
        self._change = None
        ref, lesson = self.port.currentData(), self.lesson
        sentences: list[str] = []
        self.say("")
        if ref is not None and lesson is not None and self._begun(lesson.what):
            try:
                sentences = self._learn[lesson.what](self, ref)
            except InputError as error:
                self.say(str(error))
        set_text(self.told, "\n".join(tied(text) for text in sentences))
        self.ok.setEnabled(self._change is not None)

    def _begun(self, what: What) -> bool:
        """Whether all that a lesson asks for has something in it."""
        fields: dict[str, QLineEdit | QPlainTextEdit] = {"first": self.first, "second": self.second}
        fields |= {"resistor": self.resistor, "pairs": self.pairs, "walk": self.walk, "tolerance": self.tolerance}
        fields["lengths"] = self.lengths
        for key in _ROWS[what]:
            field = fields[key]
            text = field.text() if isinstance(field, QLineEdit) else field.toPlainText()
            if not text.strip():
                return False
        return True

    def _instrument(self) -> InstrumentRecord | None:
        chosen = self.meter.currentData()
        return None if chosen is None else self._bench.meter(chosen)

    @property
    def _meter_ohms(self) -> float:
        instrument = self._instrument()
        return _METER_OHMS if instrument is None else instrument.input_ohms

    def _deviation(self, volts: float, step: float) -> float:
        """The standard uncertainty of a reading: its last digit, and what the meter is worth."""
        instrument = self._instrument()
        return volts_deviation(volts, step, None if instrument is None else meter_range(instrument))

    def _volts(self, field: QLineEdit, what: str) -> tuple[float, float]:
        comma = self._style.decimal_comma
        value = parse_quantity(field.text(), "V", what, decimal_comma=comma)
        return value, self._deviation(value, last_digit(field.text(), "V", decimal_comma=comma))

    def _resistor(self) -> tuple[float, float]:
        comma = self._style.decimal_comma
        ohms = parse_quantity(self.resistor.text(), "Ω", "The resistor", decimal_comma=comma)
        share = parse_share(self.tolerance.text(), "Its tolerance", decimal_comma=comma)
        return of_tolerance(ohms, share)

    # -- what it teaches ---------------------------------------------------------------------------

    def _law(self, ref: PortRef) -> list[str]:
        rows = parse_pairs(self.pairs.toPlainText(), decimal_comma=self._style.decimal_comma)
        pairs = [
            Pair(one.volts, one.hertz, self._deviation(one.volts, one.volts_step), one.hertz_deviation) for one in rows
        ]
        known = self._bench.port(ref).law
        note = None if known is None else parse_law(known).reference_note
        found = learn_law(pairs, tuning_of(self._bench), note)
        if found.chosen is not None:
            self._change = take_law(self._bench, ref, found.chosen)
        return law_sentences(found, self._style)

    def _output(self, ref: PortRef) -> list[str]:
        first, second = self._volts(self.first, "The open reading"), self._volts(self.second, "The loaded reading")
        ohms, volts = output_ohms(first, second, self._resistor(), self._meter_ohms)
        self._change = take_output(self._bench, ref, ohms, volts)
        return [f"{with_u(volts, 'V', self._style)} of its own, behind {ohms_words(ohms, self._style)}."]

    def _input(self, ref: PortRef) -> list[str]:
        first, second = self._volts(self.first, "The first reading"), self._volts(self.second, "The second reading")
        rests = self._bench.port(ref).rest_volts
        ohms = input_ohms(first, second, self._resistor(), self._meter_ohms, (rests, 0.0))
        self._change = take_input(self._bench, ref, ohms)
        return [f"{ohms_words(ohms, self._style)}, standing at {self._style.volts(rests, 2)} by itself."]

    def _rest(self, ref: PortRef) -> list[str]:
        port, read = self._bench.port(ref), self._volts(self.first, "The reading")
        if port.ohms is None:
            raise InputError("Learn the resistance of the input first: the meter loads it, and it has to be known.")
        found = rest_volts(read, of_tolerance(port.ohms, port.ohms_limit), self._meter_ohms)
        self._change = take_rest(self._bench, ref, found)
        return [f"It stands at {with_u(found, 'V', self._style)} with nothing plugged in."]

    def _thresholds(self, ref: PortRef) -> list[str]:
        seen, step = parse_walk(self.walk.toPlainText(), decimal_comma=self._style.decimal_comma)
        most = max(abs(one.volts) for one in seen)
        found = thresholds(seen, self._deviation(most, step))
        self._change = take_thresholds(self._bench, ref, found)
        return thresholds_sentences(found, self._style)

    def _sent(self, ref: PortRef) -> list[str]:
        comma, style = self._style.decimal_comma, self._style
        low, high = (
            Learned.of(volts, deviation)
            for volts, deviation in (self._volts(self.first, "The low level"), self._volts(self.second, "The high one"))
        )
        length = sent_length(parse_lengths(self.lengths.text(), decimal_comma=comma))
        self._change = take_sent(self._bench, ref, low, high, length)
        return [f"{with_u(low, 'V', style)} and {with_u(high, 'V', style)}; up for {time_words(length, style)}."]

    def _holds(self, ref: PortRef) -> list[str]:
        rows = parse_steps(self.pairs.toPlainText(), decimal_comma=self._style.decimal_comma)
        found = learn_coupling(
            [Step(at, volts, self._deviation(volts, step), of_rounding(when)) for at, volts, when, step in rows]
        )
        if found.holds != "cannot-tell":
            self._change = take_coupling(self._bench, ref, found)
        return coupling_sentences(found, self._style)

    def _taken(self, ref: PortRef) -> list[str]:
        found = shortest_taken(parse_lengths(self.lengths.text(), decimal_comma=self._style.decimal_comma))
        self._change = take_shortest(self._bench, ref, found)
        return [f"It takes pulses from {time_words(found, self._style)} on; the longest of these is counted on."]

    _learn: dict[What, Callable[[LearnDialog, PortRef], list[str]]] = {  # noqa: RUF012  # never changed
        "law": _law,
        "output": _output,
        "input": _input,
        "rest": _rest,
        "thresholds": _thresholds,
        "sent": _sent,
        "taken": _taken,
        "holds": _holds,
    }

    def read(self) -> Change:
        if self._change is None:
            raise InputError("Nothing is learnt yet: fill in what was read.")
        return self._change
