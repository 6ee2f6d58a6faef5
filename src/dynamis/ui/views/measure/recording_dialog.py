"""What was heard in a recording, tone by tone, before it becomes readings."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QTableWidget, QTableWidgetItem, QWidget

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.sweep import Heard, Sweep, sweep_rows, sweep_sentences, with_clock
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import Sentences

_HEADINGS = ("take", "from s", "to s", "Hz", "± ct (k = 2)", "note", "off by ct")
_CHECKED = Qt.CheckState.Checked


class RecordingDialog(FormDialog[list[tuple[float, float, float]]]):
    """Gives (note, value, own standard uncertainty) of the tones that stay ticked."""

    def __init__(self, parent: QWidget | None, judged: RunAnalysis, sweep: Sweep, where: str, style: Style) -> None:
        super().__init__(parent, f"Readings from {where}", "Take these readings", width=680)
        self._judged, self._sweep, self._style = judged, sweep, style
        self.said = Sentences()
        self.column.insertLayout(0, self.said)
        self.clock = self.line("Recorder's clock, ppm", "", "how much too fast it runs, where that is known")
        self.table = QTableWidget(len(sweep.heard), len(_HEADINGS))
        self.table.setHorizontalHeaderLabels(_HEADINGS)
        self.table.verticalHeader().hide()
        self.table.setAccessibleName("Tones that were heard")
        self.table.setMinimumHeight(260)
        self.table.setShowGrid(False)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.column.insertWidget(1, self.table, 1)
        self.said.show_sentences(sweep_sentences(sweep, style))
        self.ticks: list[QTableWidgetItem] = []
        for k, one in enumerate(sweep.heard):
            self._show(k, one)
        self.table.resizeColumnsToContents()
        self.ok.setEnabled(bool(sweep.matched))

    def _show(self, row: int, one: Heard) -> None:
        style, tone = self._style, one.tone
        tick = QTableWidgetItem()
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable
        tick.setFlags(flags if one.note is not None else Qt.ItemFlag.NoItemFlags)
        tick.setCheckState(_CHECKED if one.note is not None else Qt.CheckState.Unchecked)
        self.table.setItem(row, 0, tick)
        self.ticks.append(tick)
        texts = (
            style.number(tone.start_seconds, 2),
            style.number(tone.end_seconds, 2),
            style.number(tone.hertz, 3),
            style.number(tone.expanded_cents, 3),
            "–" if one.note is None else note_label(one.note, style),
            "–" if one.note is None else style.cents(one.off_cents, sign=True),
        )
        for column, text in enumerate(texts, 1):
            item = QTableWidgetItem(text)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(row, column, item)

    def read(self) -> list[tuple[float, float, float]]:
        ppm = 0.0
        if self.clock.text().strip():
            comma = self._style.decimal_comma
            ppm = parse_quantity(self.clock.text(), "", "The recorder's clock", decimal_comma=comma)
        ticked = tuple(
            one for tick, one in zip(self.ticks, self._sweep.heard, strict=True) if tick.checkState() == _CHECKED
        )
        rows = sweep_rows(self._judged, with_clock(Sweep(ticked, ()), ppm))
        if not rows:
            raise InputError("Tick at least one tone that is a note of the run.")
        return rows
