"""The Codes station: the board's converter, editable in place, and what each note gets."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QColor, QKeySequence
from PySide6.QtWidgets import QFormLayout, QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from dynamis.bench.chains import converter_of
from dynamis.bench.codes import ChannelCodes, channel_codes, codes_sentences
from dynamis.bench.commands import Change, set_link, set_port, set_transfer
from dynamis.bench.document import Bench
from dynamis.bench.ports import PortRef
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import plain
from dynamis.pitch.laws import law_text, law_words, parse_law
from dynamis.pitch.notes import Naming, note_label, note_name, parse_note
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.ui.course import CourseRunner
from dynamis.ui.dialogs.law import LawDialog
from dynamis.ui.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.note_plot import NotePlot, PlotPoints
from dynamis.ui.widgets.panel import Panel, Sentences, label, rule, scrolling
from dynamis.ui.widgets.quantity_edit import QuantityEdit
from dynamis.ui.widgets.table import Column, Row, Table
from dynamis.ui.widgets.thread_strip import Field

_COLUMNS = (
    Column("", "name", left=True, stretch=0.8),
    Column("note", stretch=0.7),
    Column("wanted V", "wanted volts", stretch=1.2),
    Column("code", stretch=0.9),
    Column("at the jack V", "volts at the jack", stretch=1.3),
    Column("off by ct", "error in cents", stretch=1.1),
    Column("", "mark", left=True, stretch=1.6),
)
# key, label, unit, factor from shown to stored; an empty text takes the value away where it may be unknown
_FIELDS = (
    ("bits", "Bits", "bit", 1.0, False),
    ("low_volts", "Lowest volts", "V", 1.0, False),
    ("high_volts", "Full-scale volts", "V", 1.0, False),
    ("gain", "Gain after it", "", 1.0, False),
    ("offset_volts", "Offset after it", "V", 1.0, False),
    ("floor_volts", "Buffer's lowest", "V", 1.0, True),
    ("ceiling_volts", "Buffer's highest", "V", 1.0, True),
    ("reference_limit", "Reference, ±", "%", 0.01, False),
    ("inl_limit_lsb", "Linearity, ±", "LSB", 1.0, False),
)


class CodesStation(QWidget):
    """The board's DAC scaling."""

    title = "Codes"
    KEYS = (
        ("Enter, in a field", "take the value"),
        ("Esc, in a field", "put the old value back"),
        ("Ctrl+C, in the table", "copy the selected rows"),
        *NotePlot.KEYS,
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__()
        self._session, self._course, self.colours = session, course, colours
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 14, 18, 13)
        row.setSpacing(13)
        row.addWidget(self._make_fields())
        self.plot = NotePlot("Rounding error in cents against note", colours, session.style, points)
        plot_panel = Panel("Error of each note's code", "Error of each note's code")
        plot_panel.body.addWidget(self.plot, 1)
        plot_panel.body.setContentsMargins(17, 11, 14, 6)
        table_panel = Panel("Codes", "Codes")
        self.codes = Table("Codes", _COLUMNS)
        copy_row = QPushButton("Copy table")
        copy_row.clicked.connect(lambda: self.codes.copy(whole=True))
        table_panel.head.addWidget(copy_row)
        table_panel.body.addWidget(self.codes, 1)
        action = QAction("Copy", self.codes)
        action.setShortcut(QKeySequence.StandardKey.Copy)
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(lambda: self.codes.copy())
        self.codes.addAction(action)
        self.codes.on_activate = lambda key: session.set_note(float(key))
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setHandleWidth(13)
        middle.addWidget(plot_panel)
        middle.addWidget(table_panel)
        middle.setSizes([280, 360])
        row.addWidget(middle, 1)
        words = Panel("What the converter gives", "What the converter gives")
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        self.said = Sentences()
        column.addLayout(self.said)
        column.addStretch(1)
        words.body.addWidget(scrolling(inner), 1)
        words.setFixedWidth(312)
        row.addWidget(words)
        self._connect()

    def _make_fields(self) -> Panel:
        panel = Panel("Converter")
        panel.setFixedWidth(290)
        self.title_label, self.law_label = label("", "heading", wrap=True), label("", "muted", wrap=True)
        panel.body.addWidget(self.title_label)
        panel.body.addWidget(self.law_label)
        panel.body.addWidget(rule())
        form = QFormLayout()
        form.setVerticalSpacing(5)
        panel.body.addLayout(form)
        self.fields: dict[str, QuantityEdit] = {}
        for key, text, unit, factor, optional in _FIELDS:
            self._field(form, key, text, self._reader(unit, factor, optional, text), self._transfer_change)
        panel.body.addWidget(rule())
        more = QFormLayout()
        more.setVerticalSpacing(5)
        panel.body.addLayout(more)
        self._field(more, "ohms", "Output resistance", self._reader("Ω", 1.0, True, "The output resistance"),
                    self._port_change)  # fmt: skip
        self.law = QPushButton("Change…")
        self.law.setAccessibleName("Change the law")
        self.law.clicked.connect(self.change_law)
        more.addRow("Law", self.law)
        for key, text in (("low_note", "Lowest note"), ("high_note", "Highest note")):
            self._field(more, key, text, lambda typed: parse_note(typed, Naming(self._session.style.middle_c)),
                        self._link_change)  # fmt: skip
        self._field(more, "tolerance", "Tolerance, ct", self._read_tolerance, self._link_change)
        self.refusal = label("", "question", wrap=True)
        panel.body.addWidget(self.refusal)
        panel.body.addStretch(1)
        return panel

    def _field(self, form: QFormLayout, key: str, text: str, read: Callable, change: Callable) -> None:
        field = QuantityEdit(text, read, lambda value: self._apply(key, value, change))
        field.setAlignment(Qt.AlignmentFlag.AlignRight)
        field.refused.connect(self._refused)
        form.addRow(text, field)
        self.fields[key] = field

    def _reader(self, unit: str, factor: float, optional: bool, what: str) -> Callable[[str], float | None]:
        def read(text: str) -> float | None:
            if optional and not text.strip():
                return None
            value = parse_quantity(text, unit, what, decimal_comma=self._session.style.decimal_comma) * factor
            if unit == "bit":
                if value != int(value):
                    raise InputError(f"{what} is {plain(value)}; a whole number was expected.")
                return int(value)
            return value

        return read

    def _read_tolerance(self, text: str) -> str:
        parse_tolerance(text, Naming(self._session.style.middle_c))
        return text.strip()

    def _connect(self) -> None:
        session = self._session
        session.bench_changed.connect(self.refresh)
        self._course.changed.connect(self._board_changed)
        session.note_changed.connect(self.note_changed)
        self.plot.note_picked.connect(session.set_note)

    def dress(self, colours: Colours, points: float) -> None:
        self.colours = colours
        self.plot.dress(colours, self._session.style, points)
        model = self.codes.rows_model
        model.off_colour, model.current_colour = QColor(colours.vermilion), QColor(colours.thread_wash)
        self.refresh()

    def focus_first(self) -> None:
        self.fields["bits"].setFocus()

    # -- changing ----------------------------------------------------------------------------------

    def _transfer_change(self, bench: Bench, ref: PortRef, key: str, value: object) -> Change:
        return set_transfer(bench, ref, "dac", **{key: value})

    def _port_change(self, bench: Bench, ref: PortRef, key: str, value: object) -> Change:
        return set_port(bench, ref, **{key: value})

    def _link_change(self, bench: Bench, ref: PortRef, key: str, value: object) -> Change:
        link = bench.link_from(ref)
        if link is None:
            raise InputError(f"{bench.label(ref)} has no link that says which notes are used.")
        return set_link(bench, link.id, **{key: value})

    def _apply(self, key: str, value: object, change: Callable) -> None:
        channel = self._session.channel
        if channel is None:
            return
        self._session.apply(change(self._session.bench, channel[0], key, value))
        self.refresh()  # also where nothing changed: 4096 mV is shown as 4.096 V

    def change_law(self) -> None:
        """Ask for the law that the channel should follow."""
        channel = self._session.channel
        if channel is None:
            return
        text = self._session.bench.port(channel[0]).law
        dialog = LawDialog(self, self._session.style, None if text is None else parse_law(text))
        if dialog.exec():
            self._apply("law", law_text(dialog.value), self._port_change)

    def _refused(self, sentence: str) -> None:
        self.refusal.setText(sentence)

    # -- showing -----------------------------------------------------------------------------------

    def codes_now(self) -> ChannelCodes | None:
        """The codes of the channel looked at; None where it has no converter."""
        channel = self._session.channel
        if channel is None:
            return None
        try:
            return channel_codes(self._session.bench, channel[0], self._session.head())
        except InputError:
            return None

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.refresh()

    def _board_changed(self) -> None:
        if self._course.devices.progress is None:  # the codes do not change while a run is taken
            self.refresh()

    def refresh(self) -> None:
        """Show the channel looked at; a station out of sight waits until it is shown."""
        if not self.isVisible():
            return
        session, style = self._session, self._session.style
        channel, codes = session.channel, self.codes_now()
        for field in (*self.fields.values(), self.law):
            field.setEnabled(codes is not None)
        self.plot.begin()
        if channel is None or codes is None:
            self.title_label.setText("No converter" if channel is None else session.bench.label(channel[0]))
            self.law_label.setText("Begin a run on Measure: it asks for the board and its converter.")
            for field in self.fields.values():
                field.show_text("")
            self.codes.set_rows([])
            self.said.show_sentences([])
            return
        self.title_label.setText(f"{session.bench.label(channel[0])} · unit {channel[1]}")
        law = codes.model.law
        self.law_label.setText(law_words(law, note_label(law.reference_note, style)))
        self._show_fields(channel[0])
        difference = self._course.difference()
        self.said.show_sentences([*codes_sentences(codes, style), *([difference] if difference else [])])
        self.codes.set_rows(self._rows(codes))
        self._draw(codes, channel[0])

    def _show_fields(self, ref: PortRef) -> None:
        session, style = self._session, self._session.style
        port, link = session.bench.port(ref), session.bench.link_from(ref)
        stored = converter_of(port)
        defaults = {"gain": 1.0, "offset_volts": 0.0, "reference_limit": 0.0, "inl_limit_lsb": 0.0, "low_volts": 0.0}
        for key, _, unit, factor, _ in _FIELDS:
            value = (stored.values if stored else {}).get(key, defaults.get(key))
            text = "" if value is None else f"{_typed(value / factor, style.decimal_comma)} {unit}".strip()
            self.fields[key].show_text(text)
        self.fields["ohms"].show_text("" if port.ohms is None else style.engineering(port.ohms, "Ω"))
        for key in ("low_note", "high_note", "tolerance"):
            self.fields[key].setEnabled(link is not None)
        if link is not None:
            self.fields["low_note"].show_text(_note_text(link.low_note, style))
            self.fields["high_note"].show_text(_note_text(link.high_note, style))
            self.fields["tolerance"].show_text(link.tolerance)

    def _rows(self, codes: ChannelCodes) -> list[Row]:
        style, table, rows = self._session.style, codes.table, []
        decimals = 4 if codes.converter.dac.lsb_volts > 2e-4 else 5
        for k, note in enumerate(table.notes):
            mark = "clipped" if table.clipped[k] else "dead band" if table.dead[k] else ""
            cells = (
                note_name(float(note), style) or "", plain(float(note)), style.number(table.wanted_volts[k], decimals),
                plain(float(table.codes[k])), style.number(table.volts[k], decimals),
                style.number(table.error_cents[k], 2, sign=True), mark,
            )  # fmt: skip
            raw = (cells[0], cells[1], repr(float(table.wanted_volts[k])), cells[3], repr(float(table.volts[k])),
                   repr(float(table.error_cents[k])), mark)  # fmt: skip
            current = "current" if note == self._session.note else ""
            rows.append(Row(cells, float(note), current, raw))
        return rows

    def _draw(self, codes: ChannelCodes, ref: PortRef) -> None:
        table, link, c = codes.table, self._session.bench.link_from(ref), self.colours
        low, high = float(table.notes[0]), float(table.notes[-1])
        self.plot.tolerance(parse_tolerance(link.tolerance if link else "5"), low, high)
        lost = table.clipped | table.dead
        self.plot.points(PlotPoints(table.notes[~lost], table.error_cents[~lost], "disc", c.ink, size=5.5))
        if np.any(lost):
            self.plot.points(PlotPoints(table.notes[lost], table.error_cents[lost], "diamond", c.vermilion))
        self.plot.finish(low, high, table.error_cents, self._session.note)

    def note_changed(self) -> None:
        if not self.isVisible():
            return
        codes = self.codes_now()
        if codes is not None:
            self.codes.set_rows(self._rows(codes))
            near = np.flatnonzero(codes.table.notes == self._session.note)
            if near.size:
                self.codes.show_row(int(near[0]))
        self.plot.mark_note(self._session.note)

    def thread_fields(self) -> tuple[list[Field], Field | None] | None:
        return None

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.codes


def _note_text(note: float, style) -> str:
    return note_name(note, style) or plain(note)


def _typed(value: float, decimal_comma: bool) -> str:
    text = plain(round(value, 12))
    return text.replace(".", ",") if decimal_comma else text
