"""The Measure station: entry at the left, errors and readings in the middle, words and ways at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QInputDialog, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.drift import drift_sentence, find_drift
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.words import correction_title
from dynamis.errors import InputError
from dynamis.files.correction_csv import correction_text
from dynamis.files.writing import write_whole
from dynamis.notation.style import plain
from dynamis.pitch.notes import note_label
from dynamis.transfer.distinct import distinct
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.measure.course_panel import CoursePanel
from dynamis.ui.views.measure.entry_panel import UNITS, EntryPanel
from dynamis.ui.views.measure.from_files import FromFiles
from dynamis.ui.views.measure.readings_panel import ReadingsPanel
from dynamis.ui.views.measure.words_panel import WordsPanel
from dynamis.ui.widgets.note_plot import NotePlot, PlotPoints
from dynamis.ui.widgets.panel import Panel, label, set_text
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.start_panel import StartPanel
from dynamis.ui.widgets.table import Table
from dynamis.ui.widgets.thread_strip import ThreadField

_REASONS = ("reading mistake", "not settled", "wrong note played", "wrong range", "bad contact", "still warming up")


class MeasureStation(Station):
    """A guided run."""

    title = "Measure"
    KEYS = (
        ("Enter", "take the reading that is typed"),
        ("Ctrl+Shift+Backspace", "void the last reading"),
        ("Ctrl+N", "begin a new run"),
        ("F5", "take the rest by itself"),
        ("F6", "pause, go on"),
        ("F8", "do what comes next to correct and prove"),
        ("Del / Ins, in the readings", "void, take the void back"),
        ("R, in the readings", "take this reading again"),
        ("L / Space, in the runs", "look at a run, lay it over the plot"),
        *NotePlot.KEYS,
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.entry = EntryPanel(session, course, colours)
        self.files = FromFiles(self, session, self.new_run)
        self.course = CoursePanel(course, colours)
        # While a run is taken by itself, one part is shown at a turn, so that no turn is long.
        self._turns: list[Callable[[], None]] = []
        self._turn = QTimer(self)
        self._turn.timeout.connect(self._next_turn)
        self.words = WordsPanel(session, colours)
        self.readings = ReadingsPanel(session)
        self.plot = NotePlot("Errors in cents against note", colours, session.style, points)
        plot_panel = Panel("Error against note", "Error against note")
        self._legend = label("")
        self._legend.setTextFormat(Qt.TextFormat.RichText)
        plot_panel.head.addWidget(self._legend)
        plot_panel.body.addWidget(self.plot, 1)
        plot_panel.body.setContentsMargins(17, 11, 14, 6)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setHandleWidth(13)
        middle.addWidget(plot_panel)
        middle.addWidget(self.readings)
        middle.setSizes([390, 250])
        middle.setChildrenCollapsible(False)
        self.start = StartPanel()
        work = QWidget()
        self._stack = QStackedWidget()
        self._stack.addWidget(work)
        self._stack.addWidget(self.start)
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self._stack)
        row = QHBoxLayout(work)
        row.setContentsMargins(18, 14, 18, 13)
        row.setSpacing(13)
        row.addWidget(self.entry)
        column = QVBoxLayout()
        column.setSpacing(10)
        column.addWidget(self.course)
        column.addWidget(middle, 1)
        row.addLayout(column, 1)
        row.addWidget(self.words)
        self._connect()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_width()

    def _share_width(self) -> None:
        """Side columns follow the window and the text size; the middle keeps the larger part."""
        wide, text = self.width(), max(0.95, self.points / 9.75)
        self.entry.setFixedWidth(int(min(0.27 * wide, max(244, 0.227 * wide) * min(text, 1.2))))
        self.words.setFixedWidth(int(min(0.33 * wide, max(296, 0.29 * wide) * min(text, 1.2))))

    def _connect(self) -> None:
        session = self._session
        session.run_changed.connect(self.run_changed)
        session.runs_changed.connect(self.readings.refresh_runs)
        session.bench_changed.connect(self.refresh)
        session.note_changed.connect(self.note_changed)
        self._course.changed.connect(self.course.refresh)
        self._course.devices.changed.connect(self.entry.refresh)
        self._course.devices.ended.connect(self.taking_ended)
        self.course.go_pressed.connect(self.do_next)
        self.entry.asked_for_run.connect(self.new_run)
        self.entry.asked_for_csv.connect(self.files.open)
        self.start.open_demo.connect(self.demo_wanted)
        self.start.open_bench.connect(self.bench_wanted)
        self.start.begin_run.connect(self.new_run)
        self.words.way_chosen.connect(session.selection.choose_correction)
        self.words.adopt_pressed.connect(self.adopt)
        self.words.withdraw_pressed.connect(self.withdraw)
        self.words.save_pressed.connect(self.save_correction)
        self.readings.void_asked.connect(self.void)
        self.readings.unvoid_asked.connect(session.runs.unvoid)
        self.readings.retake_asked.connect(self.entry.retake)
        self.readings.run_picked.connect(session.selection.look_at)
        self.readings.overlay_picked.connect(session.selection.overlay)
        self.plot.note_picked.connect(session.selection.set_note)

    def dress(self, colours: Colours, points: float) -> None:
        """Take a theme, a text size and the style of numbers."""
        super().dress(colours, points)
        self.entry.colours = self.words.colours = self.course.colours = colours
        self.plot.dress(colours, self._session.style, points)
        self._share_width()
        model = self.readings.readings.rows_model
        for rows in (model, self.readings.runs.rows_model):
            rows.off_colour, rows.current_colour = QColor(colours.muted), QColor(colours.thread_wash)
        self.refresh()
        self.readings.refresh_runs()

    def focus_first(self) -> None:
        if self._stack.currentWidget() is self.start:
            self.start.buttons[0].setFocus()
            return
        (self.entry.entry if self.entry.entry.isEnabled() else self.entry.new_run).setFocus()

    # -- showing -----------------------------------------------------------------------------------

    def run_changed(self) -> None:
        """Show the run, all at once; or part by part while it is taken by itself."""
        if self._course.devices.progress is None:
            self.refresh()
            self.readings.refresh_runs()
            return
        self._in_turns(*self._parts())

    def _parts(self) -> tuple[Callable[[], None], ...]:
        return self.entry.refresh, self.draw, self.readings.refresh, self.words.refresh, self.course.refresh

    def _in_turns(self, *parts: Callable[[], None]) -> None:
        self._turns += [part for part in parts if part not in self._turns]
        if not self._turn.isActive():
            self._turn.start(0)

    def _next_turn(self) -> None:
        if self._turns:
            self._turns.pop(0)()
        if not self._turns:
            self._turn.stop()

    def taking_ended(self, state: str) -> None:
        """All of the run, and what its first note says when it was read again."""
        self._in_turns(*self._parts(), self.readings.refresh_runs, *([self._say_drift] if state == "done" else []))

    def _say_drift(self) -> None:
        judged = self._session.runs.analysis()
        drift = None if judged is None else find_drift(judged)
        if drift is not None:
            self._session.said.emit(drift_sentence(drift, self._session.style), drift.too_much)

    def refresh(self) -> None:
        empty = not self._session.bench.gear and not self._session.runs.all
        self._stack.setCurrentIndex(1 if empty else 0)
        for part in self._parts():
            part()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.note_changed()

    def note_changed(self) -> None:
        if self.isHidden():
            return  # another station is shown; this one follows when it is shown again
        if self.plot.marked_note == self._session.selection.note:
            return  # a reading just taken has shown it already
        if self._course.devices.progress is not None:
            self._in_turns(self.entry.refresh, self.draw, self.readings.refresh)
            return
        self.entry.refresh()
        self.readings.mark_note()
        self.plot.mark_note(self._session.selection.note)

    def draw(self) -> None:
        """Draw the run looked at, what the chosen way would leave, and the run laid over."""
        session, c, plot = self._session, self.colours, self.plot
        judged = session.runs.analysis()
        plot.begin()
        legend = []
        shown = [np.zeros(0)]
        low, high = 36.0, 96.0
        if judged is not None:
            every = [*judged.run.plan, *judged.notes.tolist()] or [36.0, 96.0]
            low, high = min(every), max(every)
            plot.tolerance(judged.tolerance, low, high)
            self._draw_line(judged)
            overlay = session.runs.analysis(session.selection.overlay_id) if session.selection.overlay_id else None
            correction = session.runs.correction
            if overlay is not None:
                plot.points(
                    PlotPoints(overlay.notes, overlay.error_cents, "ring", c.blue, overlay.independent_expanded_cents)
                )
                shown.append(overlay.error_cents)
                legend.append(f'<span style="color:{c.blue}">○ {_html(overlay.run.title)}</span>')
            elif correction is not None:
                plot.points(PlotPoints(correction.notes, correction.left_cents, "diamond", c.blue))
                shown.append(correction.left_cents)
                words = f"predicted: {correction_title(correction).lower()}"
                legend.append(f'<span style="color:{c.blue}">◇ {_html(words)}</span>')
            plot.points(PlotPoints(judged.notes, judged.error_cents, "disc", c.ink, judged.independent_expanded_cents))
            shown.append(judged.error_cents)
            legend.append(f'<span style="color:{c.ink}">● {_html(judged.run.title)}</span>')
        set_text(self._legend, " &nbsp; ".join(legend))
        plot.finish(low, high, np.concatenate(shown), session.selection.note)

    def _draw_line(self, judged: RunAnalysis) -> None:
        fit = judged.fit
        if fit is None:
            return
        notes, first, _, _ = distinct(judged.notes)
        centre = fit.model.cents(fit.line.at(fit.expected), fit.expected)[first]
        self.plot.band(notes, centre, judged.common_expanded_cents[first])
        ends = slice(None) if fit.model.is_ratio else [0, -1]
        self.plot.line(notes[ends], centre[ends])

    def thread_fields(self) -> tuple[list[ThreadField], ThreadField | None] | None:
        """The thread on this station: the note's last reading, where there is one."""
        session, style = self._session, self._session.style
        judged = session.runs.analysis()
        if judged is None:
            return None
        read = [k for k, row in enumerate(judged.valid) if row.note == session.selection.note]
        if not read:
            return None
        k = read[-1]
        row = judged.valid[k]
        fields = [ThreadField("note", note_label(row.note, style))]
        if row.code is not None:
            fields.append(ThreadField("code", plain(row.code)))
        volts = judged.model.quantity == "volts"
        wanted = float(judged.wanted[k])
        fields.append(ThreadField("wanted", style.volts(wanted) if volts else style.hertz(wanted)))
        unit = UNITS[judged.run.quantity]
        fields.append(ThreadField("last reading", f"{style.number(row.value, 4 if volts else 2)} {unit}"))
        expanded = float(judged.expanded_cents[k])
        if isinstance(judged.meter, MeterRange):
            fields.append(ThreadField("worth", f"± {style.millivolts(judged.meter.expanded_volts(row.value))}"))
        worth = f" ± {style.cents(expanded)}" if expanded > 0 else ""
        return fields, ThreadField("off by", f"{style.cents(float(judged.error_cents[k]), sign=True)} ct{worth}")

    # -- doing -------------------------------------------------------------------------------------

    def do_next(self) -> None:
        """What comes next on the course of correcting and proving."""
        try:
            self._course.do_next()
        except InputError as error:
            self._course.by_itself = False
            self.course.refresh()
            self._session.said.emit(str(error), True)

    def new_run(self) -> None:
        from dynamis.ui.views.measure.run_dialog import RunDialog

        dialog = RunDialog(self, self._session)
        if dialog.exec():
            self._session.runs.begin(self._course.with_devices(dialog.value))
            self.entry.entry.setFocus()

    def converter_run(self) -> None:
        """Begin a run of a converter's codes."""
        from dynamis.ui.dialogs.converter_run import ConverterRunDialog

        dialog = ConverterRunDialog(self, self._session)
        if dialog.exec():
            self._session.runs.begin(self._course.with_devices(dialog.value))

    def take_file(self, path: Path) -> None:
        """Readings from a table or a recording, after a look at what is in it."""
        self.files.take(path)

    def void_last(self) -> None:
        judged = self._session.runs.analysis()
        if judged is None or not judged.valid:
            self._session.said.emit("There is no reading to void.", True)
            return
        self.void([judged.valid[-1].id])

    def void(self, ids: list[int]) -> None:
        what = "this reading" if len(ids) == 1 else f"these {len(ids)} readings"
        reason, taken = QInputDialog.getItem(self, "Void", f"Why is {what} voided?", _REASONS, 0, True)
        if taken:
            self._session.runs.void(ids, " ".join(reason.split()) or _REASONS[0])

    def adopt(self) -> None:
        correction = self._session.runs.correction
        if correction is None:
            return
        adopted = self._session.runs.adopt(correction)
        words = {"trimmer": "The trimming", "constants": "The constants", "table": "The table"}[adopted.kind]
        self._session.said.emit(
            f"{words} of this run are in force for unit {adopted.serial}; measure again to see what is left."
            if adopted.kind == "constants"
            else f"{words} of this run is noted for unit {adopted.serial}; measure again to see what is left.",
            False,
        )

    def take_the_rest(self) -> None:
        self.entry.taking.take_the_rest()

    def pause_or_go_on(self) -> None:
        self.entry.taking.pause_or_go_on()

    def withdraw(self) -> None:
        try:
            self._session.runs.withdraw()
        except InputError as error:
            self._session.said.emit(str(error), True)

    def save_correction(self) -> None:
        judged, correction = self._session.runs.analysis(), self._session.runs.correction
        if judged is None or correction is None:
            return
        start = f"{judged.run.serial}-{judged.run.port}-{correction.kind}.csv"
        name, _ = QFileDialog.getSaveFileName(self, "Save the correction", start, "CSV (*.csv)")
        if name:
            self.save_way_to(Path(name))

    def save_way_to(self, path: Path) -> None:
        judged, correction = self._session.runs.analysis(), self._session.runs.correction
        if judged is None or correction is None:
            return
        try:
            write_whole(path, correction_text(correction, judged))
            self._session.said.emit(f"Saved {path.name}.", False)
        except InputError as error:
            self._session.said.emit(str(error), True)

    def shown_picture(self) -> Picture:
        return self.plot

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.readings.shown_table


def _html(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")
