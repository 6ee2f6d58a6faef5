"""The readings of the run looked at, and the runs of the bench, in two tabs."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import Qt, Signal, SignalInstance
from PySide6.QtGui import QAction, QKeySequence

from dynamis.bench.document.records import ReadingRecord
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.words import VERDICT_WORDS
from dynamis.notation.style import plain
from dynamis.pitch.notes import note_name
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.panel import Panel, label, set_text
from dynamis.ui.widgets.table import Column, LazyRows, Row, Table
from dynamis.ui.widgets.tabs import Tabs

_READINGS = (
    Column("", "name", left=True, stretch=0.65),
    Column("note", stretch=0.65),
    Column("wanted", stretch=1.15),
    Column("read", stretch=1.15),
    Column("off by ct", "error in cents", stretch=1.05, hint="found minus wanted; sharp is positive"),
    Column("left after ct", "left after in cents", stretch=1.3, hint="predicted after the way chosen at the right"),
    Column("worth ± ct", "expanded uncertainty in cents", stretch=1.2, hint="U of the reading, k = 2"),
    Column("", "state", left=True, stretch=1.25, fits=False),
)
_RUNS = (
    Column("run", left=True, stretch=2.4, fits=False),
    Column("channel of unit", left=True, stretch=1.3),
    Column("date", left=True, stretch=1.3),
    Column("notes", "readings", stretch=0.7),
    Column("read by", left=True, stretch=1.6, fits=False),
    Column("worst ct", "worst error in cents", stretch=1.1),
    Column("verdict", left=True, stretch=1.3),
)


class ReadingsPanel(Panel):
    """Signals ask for what the reader wants done with the selected rows."""

    void_asked = Signal(list)
    unvoid_asked = Signal(list)
    retake_asked = Signal(int, float)
    run_picked = Signal(str)
    overlay_picked = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__("Readings and runs")
        self._session = session
        self.readings = Table("Readings", _READINGS)
        self.runs = Table("Runs", _RUNS)
        self.stack = Tabs(("Readings", "Runs"), self.head)
        self.tab_buttons = self.stack.buttons
        for table in (self.readings, self.runs):
            self.stack.addWidget(table)
        self.head.addStretch(1)
        self.head.addWidget(label("sharp is positive; ± is expanded, k = 2", "small"))
        self.body.addLayout(self.head)
        self.body.addWidget(self.stack, 1)
        self.body.setContentsMargins(17, 9, 12, 8)
        self._reading_actions()
        self._run_actions()

    def _action(self, table: Table, text: str, key: str, slot: Callable[[], object]) -> None:
        action = QAction(text, table)
        action.setShortcut(QKeySequence(key))
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(slot)
        table.addAction(action)

    def _reading_actions(self) -> None:
        table = self.readings
        self._action(table, "Void…", "Del", lambda: self._with_ids(self.void_asked))
        self._action(table, "Take the void back", "Ins", lambda: self._with_ids(self.unvoid_asked))
        self._action(table, "Take this reading again", "R", self._retake)
        self._action(table, "Copy", "Ctrl+C", table.copy)
        table.on_activate = lambda _: self._retake()

    def _run_actions(self) -> None:
        table = self.runs
        self._action(table, "Look at this run", "L", lambda: self._with_run(self.run_picked))
        self._action(table, "Lay it over the plot", "Space", lambda: self._with_run(self.overlay_picked))
        self._action(table, "Copy", "Ctrl+C", table.copy)
        table.on_activate = lambda key: self.run_picked.emit(str(key))

    @property
    def shown_table(self) -> Table:
        """The readings, or the runs."""
        return self.readings if self.stack.currentWidget() is self.readings else self.runs

    def _selected(self) -> list[ReadingRecord]:
        return [key for key in self.readings.selected_keys() if isinstance(key, ReadingRecord)]

    def _with_ids(self, signal: SignalInstance) -> None:
        ids = [row.id for row in self._selected()]
        if ids:
            signal.emit(ids)

    def _retake(self) -> None:
        keys = self._selected()
        if keys:
            self.retake_asked.emit(keys[0].id, keys[0].note)

    def _with_run(self, signal: SignalInstance) -> None:
        keys = self.runs.selected_keys()
        if keys:
            signal.emit(str(keys[0]))

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        before = self.readings.rows_model.rowCount()
        rows = self._reading_rows(self._session.runs.analysis())
        self.readings.set_rows(rows)
        if len(rows) == before + 1:
            self.readings.show_row(before)  # one more was taken

    def refresh_runs(self) -> None:
        runs = self._session.runs.all
        rows = LazyRows(len(runs), lambda k: self._run_row(runs[k].id))
        self.runs.set_rows(rows)
        set_text(self.tab_buttons[1], f"Runs  {len(rows)}" if runs else "Runs")

    def mark_note(self) -> None:
        """Mark the rows of the thread's note."""
        self.readings.set_rows(self._reading_rows(self._session.runs.analysis()))
        judged = self._session.runs.analysis()
        if judged is not None:
            at = next((k for k, one in enumerate(judged.rows) if one.note == self._session.selection.note), None)
            if at is not None:
                self.readings.show_row(at)

    def _reading_rows(self, judged: RunAnalysis | None) -> Sequence[Row]:
        if judged is None:
            return ()
        correction, note = self._session.runs.correction, self._session.selection.note
        left = np.full(judged.notes.shape, np.nan)
        if correction is not None:
            left[correction.kept] = correction.left_cents
        index = {row.id: k for k, row in enumerate(judged.valid)}
        wanted = judged.model.expected_shown([row.note for row in judged.rows])

        def make(at: int) -> Row:
            row = judged.rows[at]
            k = index.get(row.id)
            after = math.nan if k is None else float(left[k])
            return self._reading_row(judged, row, k, float(wanted[at]), after, note)

        return LazyRows(len(judged.rows), make)

    def _reading_row(
        self, judged: RunAnalysis, row: ReadingRecord, k: int | None, wanted: float, after: float, note: float
    ) -> Row:
        style = self._session.style
        volts = judged.model.quantity == "volts"
        decimals = judged.meter.decimals if isinstance(judged.meter, MeterRange) else 4
        wanted_text = style.volts(wanted, 4) if volts else style.hertz(wanted)
        unit = {"volts": "V", "hertz": "Hz", "cents": "ct"}[judged.run.quantity]
        read = f"{style.number(row.value, decimals if volts else 2)} {unit}"
        state = f"voided: {row.void_reason}" if row.voided else ""
        error = worth = math.nan
        if k is not None:
            error, worth = float(judged.error_cents[k]), float(judged.expanded_cents[k])
            if judged.fit is not None and judged.fit.outliers[k]:
                state = "off the line"
            elif judged.shape is not None and judged.shape.left_out[k]:
                state = "flat end"
        mark = "off" if row.voided else "current" if row.note == note else ""
        cells = (
            note_name(row.note, style) or "",
            style.typed(row.note) if not judged.run.codes or row.code is None else f"code {row.code}",
            wanted_text,
            read,
            style.cents(error, sign=True),
            style.cents(after, sign=True),
            style.cents(worth) if judged.meter or worth > 0 else "–",
            state,
        )
        raw = (cells[0], plain(row.note), repr(wanted), repr(row.value), repr(error), repr(after), repr(worth), state)
        code = "" if row.code is None else f", code {row.code}"
        span = "" if row.range_volts is None else f", {style.typed(row.range_volts)} V range"
        span += "" if row.celsius is None else f", {style.typed(row.celsius)} °C"
        return Row(cells, row, mark, raw, f"taken {row.taken}{code}{span}")

    def _run_row(self, run_id: str) -> Row:
        session, style = self._session, self._session.style
        judged = session.runs.analysis(run_id)
        assert judged is not None
        run = judged.run
        k = judged.worst_index
        worst = "–" if k is None else style.cents(float(judged.error_cents[k]), sign=True)
        adopted = session.runs.in_force((run.channel, run.serial))
        title = run.title + (", in force" if adopted is not None and adopted.run == run.id else "")
        if run.id == session.selection.overlay_id:
            title += ", laid over"
        meter = "not specified" if run.meter is None else run.meter.name
        cells = (
            title,
            f"{run.serial} {session.bench.port(run.channel).name}",
            run.created[:10],
            str(len(judged.valid)),
            meter if run.meter is not None or run.quantity == "volts" else run.quantity,
            worst,
            VERDICT_WORDS[judged.verdict].removesuffix(" tolerance") if judged.verdict else "no reading",
        )
        return Row(cells, run.id, "current" if run.id == session.selection.run_id else "", tip=", ".join(cells))
