"""The Log station: everything that was done on the bench, found again by words, and how a channel drifts."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QPushButton, QSplitter, QVBoxLayout

from dynamis.bench.runs.history import Entry, Part, carried, entries, searched, wants_logs
from dynamis.bench.runs.trend import trend, trend_words
from dynamis.errors import InputError
from dynamis.files.merging import Merged, merge_runs
from dynamis.files.store import BenchFile
from dynamis.ui.course import CourseRunner
from dynamis.ui.dialogs.working import in_background
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station, guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.log.drift_plot import DriftPlot
from dynamis.ui.widgets.panel import Panel, Sentences, label, set_text
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.table import Column, LazyRows, Row, Table
from dynamis.ui.widgets.tabs import Tabs

_COLUMNS: Final = (
    Column("when", left=True, stretch=0.2),
    Column("", "what", left=True, stretch=0.2),
    Column("channel", left=True, stretch=1, fits=False),
    Column("unit", left=True, stretch=0.2),
    Column("title", left=True, stretch=2, fits=False),
    Column("readings", stretch=0.2),
    Column("scale, ct/oct", "scale in cents per octave", stretch=0.4),
    Column("offset, ct", "offset in cents at note 66", stretch=0.4),
    Column("conditions", left=True, stretch=2, fits=False),
)
_PARTS: Final[tuple[Part, ...]] = ("scale", "offset")


class LogStation(Station):
    """What was done, the newest first."""

    title = "Log"
    TAKES = (".dynamis",)
    KEYS = (
        ("Ctrl+F", "search the log"),
        ("Enter, in the log", "look at the run on Measure"),
        ("Esc, in the search", "show everything again"),
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self._all: list[Entry] = []
        self._found: list[Entry] = []
        outer = QVBoxLayout(self)
        outer.setContentsMargins(18, 14, 18, 13)
        parts = QSplitter(Qt.Orientation.Vertical)
        parts.setHandleWidth(13)
        parts.setChildrenCollapsible(False)
        parts.addWidget(self._make_log())
        parts.addWidget(self._make_drift(colours))
        parts.setSizes([380, 260])
        parts.setStretchFactor(0, 3)
        parts.setStretchFactor(1, 2)
        outer.addWidget(parts)
        session.runs_changed.connect(self.refresh)
        session.bench_changed.connect(self.refresh)

    def _make_log(self) -> Panel:
        panel = Panel("Log", "Log")
        self.count = label("", "muted")
        panel.head.addWidget(self.count)
        self.search = QLineEdit()
        self.search.setAccessibleName("Search the log")
        self.search.setPlaceholderText("Words of a channel, unit, title, date, instrument …")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._show_found)
        QShortcut(QKeySequence("Ctrl+F"), self, self.focus_first)
        QShortcut(QKeySequence("Esc"), self.search, self.search.clear, context=Qt.ShortcutContext.WidgetShortcut)
        self.merge = QPushButton("Take runs of another bench…")
        self.merge.setToolTip("Runs with their readings; what is in force here stays as it is.")
        self.merge.clicked.connect(self.ask_for_bench)
        row = QHBoxLayout()
        row.addWidget(self.search, 1)
        row.addWidget(self.merge)
        panel.body.addLayout(row)
        self.log = Table("Log", _COLUMNS)
        self.log.on_activate = self._look_at
        self.log.selectionModel().selectionChanged.connect(lambda *_: self._show_drift())
        panel.body.addWidget(self.log, 1)
        return panel

    def _make_drift(self, colours: Colours) -> Panel:
        panel = Panel("Drift", "Drift")
        self.channel = label("", "muted")
        panel.head.insertWidget(1, self.channel)
        self.parts = Tabs([part.capitalize() for part in _PARTS], panel.head)
        self.plots = {part: DriftPlot(colours, self._session.style) for part in _PARTS}
        for plot in self.plots.values():
            self.parts.addWidget(plot)
        self.parts.currentChanged.connect(lambda _: self._show_drift())
        panel.body.addWidget(self.parts, 1)
        self.said = Sentences()
        panel.body.addLayout(self.said)
        return panel

    # -- showing -----------------------------------------------------------------------------------

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        for plot in self.plots.values():
            plot.colours, plot.number_style = colours, self._session.style
        self.log.rows_model.off_colour = QColor(colours.muted)
        self.refresh()

    def focus_first(self) -> None:
        self.search.setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Read the log anew; a page that nobody sees waits for it."""
        if not self.isVisible():
            return
        session, runs = self._session, self._session.runs
        tuned = [run for run in runs.all if run.tuning is not None]
        sums = session.document.file.sums(logs=wants_logs(runs.all), tuned=tuned)
        self._all = entries(session.bench, runs.all, sums, runs.adoptions, runs.sends, session.style)
        self._show_found()

    def _show_found(self) -> None:
        self._found = searched(self._all, self._session.bench, self.search.text())
        shown, every = len(self._found), len(self._all)
        set_text(
            self.count, f"{shown} of {every}" if shown != every else f"{every} entries" if every != 1 else "1 entry"
        )
        self.log.clearSelection()
        self.log.set_rows(LazyRows(shown, self._row))
        self._show_drift()

    def _row(self, index: int) -> Row:
        entry, bench, style = self._found[index], self._session.bench, self._session.style
        label_of = bench.label(entry.channel) if bench.has(entry.channel) else entry.channel.gear
        cells, raw = entry.cells(style), entry.raw()
        front = (entry.when[:16].replace("T", " "), entry.kind, label_of, entry.serial, entry.title)
        return Row(
            (*front, *cells, entry.detail),
            index,
            "muted" if entry.kind == "withdrawn" else "",
            (entry.when, *front[1:], *raw, entry.detail),
            tip=entry.detail,
        )

    def _entry(self) -> Entry | None:
        """The one that is chosen, else the newest that is shown."""
        chosen = [key for key in self.log.selected_keys() if isinstance(key, int) and key < len(self._found)]
        if chosen:
            return self._found[chosen[0]]
        return self._found[0] if self._found else None

    def _show_drift(self) -> None:
        entry, style, runs = self._entry(), self._session.style, self._session.runs
        part = _PARTS[self.parts.currentIndex()]
        plot = self.plots[part]
        if entry is None:
            set_text(self.channel, "")
            plot.show_one(None, "")
            nothing = "Nothing here yet: runs, corrections and what boards were sent come by themselves."
            self.said.show_sentences(["No entry has all of these words." if self._all else nothing])
            return
        bench = self._session.bench
        name = bench.label(entry.channel) if bench.has(entry.channel) else entry.channel.gear
        set_text(self.channel, f"{name}, unit {entry.serial}")
        found = trend(self._all, entry.channel, entry.serial, part)
        said = [*trend_words(found, style), carried(runs.adoptions, runs.sends, entry.channel, entry.serial, style)]
        plot.show_one(found, " ".join(said))
        self.said.show_sentences(said)

    def shown_picture(self) -> Picture:
        return self.plots[_PARTS[self.parts.currentIndex()]]

    def table(self) -> Table:
        return self.log

    # -- doing -------------------------------------------------------------------------------------

    def _look_at(self, key: object) -> None:
        entry = self._found[key] if isinstance(key, int) else None
        if entry is None or entry.run is None:
            self._session.said.emit("This entry is no run; choose one to look at its readings.", False)
            return
        if (entry.channel, entry.serial) not in self._session.bench.channels:
            self._session.said.emit(f"Unit {entry.serial} of this run is no channel of the bench now.", True)
            return
        self._session.selection.look_at(entry.run.id)
        self.station_wanted.emit("Measure")

    def take_file(self, path: Path) -> None:
        """Runs of another bench, dropped here."""
        if path.suffix.lower() != ".dynamis":
            raise InputError(f"{path.name} is no bench; only the runs of another bench can be taken into the log.")
        self._merge(path)

    def ask_for_bench(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Take the runs of a bench", "", "Benches (*.dynamis)")
        if name:
            guarded(self._session, self._merge, Path(name))

    def _merge(self, path: Path) -> None:
        file, cancelled, ended = self._session.document.file, threading.Event(), threading.Event()

        def work() -> Merged:
            try:
                with BenchFile.open(path, write=False) as other:
                    return merge_runs(file, other, cancelled.is_set)
            finally:
                ended.set()

        try:
            merged = in_background(self, f"Taking the runs of {path.name}…", work, cancelled)
        finally:
            ended.wait()  # a run that is under way is finished first
            self._session.runs.came()
        given_up = (
            f"Taking the runs of {path.name} was given up; what had come stays, and a second time brings the rest."
        )
        self._session.said.emit(given_up if merged is None else merged.words(path.name), False)
