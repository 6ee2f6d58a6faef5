"""The converter of a channel, editable in place: its scaling, its limits, its coding, the law and the notes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Unpack

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QFormLayout, QHBoxLayout, QPushButton, QWidget

from dynamis.bench.chains.port_transfers import converter_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import Change, LinkValues, set_link, set_port, set_transfer
from dynamis.bench.document.ports import PortRef
from dynamis.bench.runs.measured_linearity import measured_linearity
from dynamis.converter.coding import CODINGS
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity, parse_share
from dynamis.notation.style import Style, plain
from dynamis.pitch.laws import law_text, parse_law
from dynamis.pitch.notes import Naming, note_name, parse_note
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.ui.dialogs.law import LawDialog
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.panel import Panel, label, rule, scrolling, set_refusal
from dynamis.ui.widgets.quantity_edit import QuantityEdit

# key, label, unit; an empty text takes the value away where it may be unknown
_FIELDS = (
    ("bits", "Bits", "bit", False),
    ("low_volts", "Lowest volts", "V", False),
    ("high_volts", "Full-scale volts", "V", False),
    ("gain", "Gain after it", "", False),
    ("offset_volts", "Offset after it", "V", False),
    ("floor_volts", "Buffer's lowest", "V", True),
    ("ceiling_volts", "Buffer's highest", "V", True),
    ("reference_limit", "Reference, ±", "%", False),
    ("inl_limit_lsb", "Linearity, ±", "LSB", False),
)


_DEFAULTS = {"gain": 1.0, "offset_volts": 0.0, "reference_limit": 0.0, "inl_limit_lsb": 0.0, "low_volts": 0.0}

# What reads the text of a field, and what its value does to the bench.
Read = Callable[[str], Any]
Changes = Callable[[Bench, PortRef, Any], Change]


class ConverterFields(Panel):
    """applied : called after every change that was taken."""

    def __init__(self, session: Session, applied: Callable[[], None]) -> None:
        super().__init__("Converter")
        self._session, self._applied = session, applied
        self.setFixedWidth(290)
        self.channel = QComboBox()
        self.channel.setAccessibleName("Channel and unit")
        self.channel.activated.connect(lambda _: session.selection.set_channel(self.channel.currentData()))
        self.body.addWidget(self.channel)
        self.law_label = label("", "muted", wrap=True)
        self.body.addWidget(self.law_label)
        inner = QWidget()
        form = QFormLayout(inner)
        form.setContentsMargins(0, 0, 6, 0)
        form.setVerticalSpacing(4)
        self.fields: dict[str, QuantityEdit] = {}
        for key, text, unit, optional in _FIELDS:
            self._field(form, key, text, self._reader(unit, optional, text), self._of_dac(key))
        self.coding = QComboBox()
        self.coding.setAccessibleName("Coding")
        self.coding.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.coding.setMinimumContentsLength(6)
        for key, words in CODINGS.items():
            self.coding.addItem(words, key)
        self.coding.activated.connect(lambda _: self._apply(self.coding.currentData(), self._of_dac("coding")))
        form.addRow("Coding", self.coding)
        self.supply = QCheckBox("its supply is its reference")
        self.supply.clicked.connect(lambda on: self._apply(on, self._of_dac("reference_is_supply")))
        form.addRow(self.supply)
        row = QHBoxLayout()
        self.take_inl, self.drop_inl = QPushButton("Linearity…"), QPushButton("Forget")
        self.take_inl.setToolTip("A table of code,volts as measured, or of code,inl_lsb from a data sheet")
        self.take_inl.clicked.connect(self.open_linearity)
        self.drop_inl.clicked.connect(lambda: self._apply(None, self._of_dac("inl_lsb")))
        self.from_run = QPushButton("From the run")
        self.from_run.setToolTip("What the readings of the run looked at leave of their line, by code")
        self.from_run.clicked.connect(self.take_from_run)
        row.addWidget(self.take_inl)
        row.addWidget(self.from_run)
        row.addWidget(self.drop_inl)
        form.addRow(row)
        form.addRow(rule())
        self._field(
            form,
            "ohms",
            "Output resistance",
            self._reader("Ω", True, "The output resistance"),
            lambda b, ref, ohms: set_port(b, ref, ohms=ohms),
        )
        self.law = QPushButton("Change…")
        self.law.setAccessibleName("Change the law")
        self.law.clicked.connect(self.change_law)
        form.addRow("Law", self.law)
        change = self._link_change
        self._field(
            form, "low_note", "Lowest note", self._read_note, lambda b, ref, note: change(b, ref, low_note=note)
        )
        self._field(
            form, "high_note", "Highest note", self._read_note, lambda b, ref, note: change(b, ref, high_note=note)
        )
        self._field(
            form,
            "tolerance",
            "Tolerance, ct",
            self._read_tolerance,
            lambda b, ref, text: change(b, ref, tolerance=text),
        )
        self.body.addWidget(scrolling(inner), 1)
        self.refusal = label("", "question", wrap=True)
        set_refusal(self.refusal, "")
        self.body.addWidget(self.refusal)

    def _field(self, form: QFormLayout, key: str, text: str, read: Read, change: Changes) -> None:
        field = QuantityEdit(text, read, lambda value: self._apply(value, change))
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.refused.connect(lambda sentence: set_refusal(self.refusal, sentence))
        form.addRow(text, field)
        self.fields[key] = field

    def _reader(self, unit: str, optional: bool, what: str) -> Callable[[str], float | None]:
        def read(text: str) -> float | None:
            if optional and not text.strip():
                return None
            comma = self._session.style.decimal_comma
            if unit == "%":
                return parse_share(text, what, decimal_comma=comma)
            value = parse_quantity(text, unit, what, decimal_comma=comma)
            if unit == "bit":
                if value != int(value):
                    raise InputError(f"{what} is {self._session.style.typed(value)}; a whole number was expected.")
                return int(value)
            return value

        return read

    def _read_note(self, text: str) -> float:
        return parse_note(text, Naming(self._session.style.middle_c))

    def _read_tolerance(self, text: str) -> str:
        parse_tolerance(text, Naming(self._session.style.middle_c))
        return text.strip()

    # -- changing ----------------------------------------------------------------------------------

    @staticmethod
    def _of_dac(key: str) -> Changes:
        return lambda bench, ref, value: set_transfer(bench, ref, "dac", **{key: value})

    def _link_change(self, bench: Bench, ref: PortRef, **values: Unpack[LinkValues]) -> Change:
        link = bench.link_from(ref)
        if link is None:
            raise InputError(f"{bench.label(ref)} has no link that says which notes are used.")
        return set_link(bench, link.id, **values)

    def _apply(self, value: Any, change: Changes) -> None:
        channel = self._session.selection.channel
        if channel is None:
            return
        self._session.document.apply(change(self._session.bench, channel[0], value))
        self._applied()  # also where nothing changed: 4096 mV is shown as 4.096 V

    def change_law(self) -> None:
        """Ask for the law that the channel should follow."""
        channel = self._session.selection.channel
        if channel is None:
            return
        text = self._session.bench.port(channel[0]).law
        dialog = LawDialog(self, self._session.style, None if text is None else parse_law(text))
        if dialog.exec():
            self._apply(law_text(dialog.value), lambda b, ref, law: set_port(b, ref, law=law))

    def open_linearity(self) -> None:
        """Take a linearity by code from a table."""
        name, _ = QFileDialog.getOpenFileName(self, "Linearity by code", "", "Tables (*.csv)")
        if name:
            self.take_linearity(Path(name))

    def take_linearity(self, path: Path) -> None:
        """Take a linearity from a file; its sentence is shown where it is none."""
        from dynamis.files.linearity_csv import read_linearity

        channel = self._session.selection.channel
        try:
            if channel is None:
                raise InputError("There is no channel with a converter to take a linearity for.")
            stored = converter_of(self._session.bench.port(channel[0]))
            values = read_linearity(path, 0 if stored is None else stored.values["bits"])
            self._apply([round(one, 6) for one in values], self._of_dac("inl_lsb"))
            set_refusal(self.refusal, "")
        except InputError as error:
            set_refusal(self.refusal, str(error))

    def take_from_run(self) -> None:
        """Take the linearity that the run looked at shows; its sentence is shown where it shows none."""
        channel = self._session.selection.channel
        linearity = measured_linearity(self._session.runs.analysis())
        try:
            if channel is None or isinstance(linearity, str):
                raise InputError(linearity if isinstance(linearity, str) else "There is no channel with a converter.")
            stored = converter_of(self._session.bench.port(channel[0]))
            bits = 0 if stored is None else int(stored.values["bits"])
            self._apply(linearity.by_code(bits), self._of_dac("inl_lsb"))
            set_refusal(self.refusal, "")
            every = f"The linearity of unit {channel[1]} is counted on for every unit now."
            self._session.said.emit(every, False)
        except InputError as error:
            set_refusal(self.refusal, str(error))

    # -- showing -----------------------------------------------------------------------------------

    def show_channels(self) -> None:
        """Every channel of every unit, the one looked at chosen."""
        session = self._session
        known = [self.channel.itemData(k) for k in range(self.channel.count())]
        channels = session.bench.outputs_of_units
        texts = [f"{session.bench.label(one)} · unit {serial}" for one, serial in channels]
        shown = [self.channel.itemText(k) for k in range(self.channel.count())]
        if known != channels or shown != texts:
            self.channel.clear()
            for one, text in zip(channels, texts, strict=True):
                self.channel.addItem(text, one)
        if session.selection.channel in channels:
            self.channel.setCurrentIndex(channels.index(session.selection.channel))

    def enable(self, on: bool) -> None:
        for one in (
            *self.fields.values(),
            self.law,
            self.coding,
            self.supply,
            self.take_inl,
            self.from_run,
            self.drop_inl,
        ):
            one.setEnabled(on)
        if not on:
            for field in self.fields.values():
                field.show_text("")

    def show_channel(self, ref: PortRef) -> None:
        """The values of a channel."""
        session, style = self._session, self._session.style
        port, link = session.bench.port(ref), session.bench.link_from(ref)
        stored = converter_of(port)
        values = stored.values if stored else {}
        for key, _, unit, _ in _FIELDS:
            value = values.get(key, _DEFAULTS.get(key))
            text = "" if value is None else f"{style.typed(value)} {unit}".strip()
            if unit == "%" and value is not None:
                text = style.typed_share(value)
            self.fields[key].show_text(text)
        self.coding.setCurrentIndex(max(0, self.coding.findData(values.get("coding", "straight"))))
        self.supply.setChecked(bool(values.get("reference_is_supply")))
        self.drop_inl.setEnabled(bool(values.get("inl_lsb")))
        self.fields["ohms"].show_text("" if port.ohms is None else style.engineering(port.ohms, "Ω"))
        for key in ("low_note", "high_note", "tolerance"):
            self.fields[key].setEnabled(link is not None)
        if link is not None:
            self.fields["low_note"].show_text(_note_text(link.low_note, style))
            self.fields["high_note"].show_text(_note_text(link.high_note, style))
            self.fields["tolerance"].show_text(link.tolerance)


def _note_text(note: float, style: Style) -> str:
    return note_name(note, style) or plain(note)  # as notes are read, whatever the decimals
