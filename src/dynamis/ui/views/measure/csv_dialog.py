"""Readings from a pasted text or a file: how it is laid out, with a preview of what will be taken."""

from __future__ import annotations

import csv

from PySide6.QtWidgets import QCheckBox, QComboBox, QTableWidget, QTableWidgetItem, QWidget

from dynamis.bench.document.records import ReadQuantity
from dynamis.errors import InputError
from dynamis.files.readings_csv import CsvReading, Layout, guess_layout, read_rows
from dynamis.notation.style import Style
from dynamis.pitch.notes import Naming, note_label
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label

_SEPARATORS = ((",", "comma"), (";", "semicolon"), ("\t", "tab"), ("|", "bar"), (" ", "space"))
_UNITS = (
    ("V", "volts", 1.0),
    ("mV", "volts", 1e-3),
    ("Hz", "hertz", 1.0),
    ("kHz", "hertz", 1e3),
    ("ct", "cents", 1.0),
)


class CsvDialog(FormDialog[list[CsvReading]]):
    """Gives a list of `CsvReading` in V, Hz or ct, as the run's quantity is."""

    def __init__(self, parent: QWidget | None, text: str, where: str, quantity: ReadQuantity, style: Style) -> None:
        super().__init__(parent, f"Readings from {where}", "Take these readings", width=640)
        self._text, self._where, self._quantity, self._style = text, where, quantity, style
        guess = guess_layout(text, quantity)
        self.separator = QComboBox()
        for mark, name in _SEPARATORS:
            self.separator.addItem(name, mark)
        self.separator.setCurrentIndex(self.separator.findData(guess.separator))
        self.row("Separator", self.separator)
        self.comma = QCheckBox("2,5 means 2.5")
        self.comma.setChecked(guess.decimal_comma)
        self.row("Decimal comma", self.comma)
        self.header = QCheckBox("the first line names the columns")
        self.header.setChecked(guess.header)
        self.row("Header", self.header)
        self.note, self.reading, self.own = QComboBox(), QComboBox(), QComboBox()
        self.row("Note", self.note)
        self.row("Reading", self.reading)
        self.unit = QComboBox()
        for text_, read, factor in _UNITS:
            self.unit.addItem(text_, (read, factor))
        self.unit.setCurrentIndex(
            next(
                (k for k, (_, read, factor) in enumerate(_UNITS) if (read, factor) == (guess.quantity, guess.factor)), 0
            )
        )
        self.row("in", self.unit)
        self.row("Its own standard uncertainty", self.own)
        self.preview = QTableWidget()
        self.preview.setAccessibleName("The first lines of the text")
        self.preview.setMinimumHeight(150)
        self.column.insertWidget(1, self.preview)
        self.count = label("", "muted", wrap=True)
        self.column.insertWidget(2, self.count)
        self._fill_columns(guess)
        for box in (self.note, self.reading, self.own, self.unit):
            box.currentIndexChanged.connect(self.look)
        self.separator.currentIndexChanged.connect(lambda: self._fill_columns(None))
        self.comma.toggled.connect(self.look)
        self.header.toggled.connect(lambda: self._fill_columns(None))
        self.look()

    def _cells(self) -> list[list[str]]:
        lines = [line for line in self._text.splitlines()[:30] if line.strip()]
        return list(csv.reader(lines, delimiter=self.separator.currentData()))

    def _fill_columns(self, guess: Layout | None) -> None:
        cells = self._cells()
        width = max((len(row) for row in cells), default=0)
        first = cells[0] if cells else []
        names = [
            first[k].strip() if self.header.isChecked() and k < len(first) and first[k].strip() else f"column {k + 1}"
            for k in range(width)
        ]
        for box, chosen in ((self.note, guess.note if guess else 0), (self.reading, guess.value if guess else 1)):
            box.blockSignals(True)
            box.clear()
            box.addItems(names)
            box.setCurrentIndex(min(chosen, width - 1))
            box.blockSignals(False)
        self.own.blockSignals(True)
        self.own.clear()
        self.own.addItem("none", None)
        for k, name in enumerate(names):
            self.own.addItem(name, k)
        self.own.setCurrentIndex(0 if guess is None or guess.own is None else guess.own + 1)
        self.own.blockSignals(False)
        self.look()

    def layout_chosen(self) -> Layout:
        read, factor = self.unit.currentData()
        return Layout(
            self.separator.currentData(),
            self.comma.isChecked(),
            self.header.isChecked(),
            max(0, self.note.currentIndex()),
            max(0, self.reading.currentIndex()),
            self.own.currentData(),
            read,
            factor,
        )

    def read(self) -> list[CsvReading]:
        layout = self.layout_chosen()
        if layout.quantity != self._quantity:
            raise InputError(f"The run reads {self._quantity}, but the column is said to be in {layout.quantity}.")
        return read_rows(self._text, layout, self._where, Naming(self._style.middle_c))

    def look(self) -> None:
        """Show the first lines, and what would be taken or why nothing can be."""
        cells = self._cells()[:6]
        width = max((len(row) for row in cells), default=0)
        self.preview.setRowCount(len(cells))
        self.preview.setColumnCount(width)
        for r, row in enumerate(cells):
            for c in range(width):
                self.preview.setItem(r, c, QTableWidgetItem(row[c] if c < len(row) else ""))
        try:
            rows = self.read()
        except InputError as error:
            self.count.setText("")
            self.say(str(error))
            self.ok.setEnabled(False)
            return
        self.say("")
        self.ok.setEnabled(True)
        unit = {"volts": "V", "hertz": "Hz", "cents": "ct"}[self._quantity]
        ends = " … ".join(
            f"{note_label(row.note, self._style)}: {self._style.number(row.value, 4)} {unit}"
            for row in (rows[0], rows[-1])
        )
        self.count.setText(f"{len(rows)} readings: {ends}")
