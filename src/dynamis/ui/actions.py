"""Every action of the menu bar, with its shortcut; the palette finds them by name."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import rename
from dynamis.errors import InputError
from dynamis.files.bench_json import import_json
from dynamis.files.opening import DamagedFileError
from dynamis.files.salvage import Salvaged, salvage
from dynamis.files.store import BenchFile
from dynamis.files.writing import write_whole
from dynamis.ui.bench_actions import add_bench_actions
from dynamis.ui.benches import fresh_demo, fresh_path
from dynamis.ui.export_actions import add_export_actions
from dynamis.ui.report_actions import ReportActions
from dynamis.ui.stations import STATIONS
from dynamis.ui.tuning_actions import add_tuning_actions
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.tips import plain_tip

if TYPE_CHECKING:
    from dynamis.ui.views.measure.station import MeasureStation
    from dynamis.ui.window import MainWindow

_BENCHES = "Benches (*.dynamis)"


def _same_file(path: Path, other: Path) -> bool:
    """Whether two names lead to one file, also through a link."""
    return os.path.realpath(path) == os.path.realpath(other) or (path.exists() and path.samefile(other))


class Actions:
    """Makes the menus and does what they say."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.session = window, window.session
        self.all: list[QAction] = []
        bar = window.menuBar()
        self._file(bar.addMenu("&File"))
        self._edit(bar.addMenu("&Edit"))
        self._run(bar.addMenu("&Run"))
        self._plot(bar.addMenu("&Plot"))
        self._device(bar.addMenu("&Devices"))
        self._go(bar.addMenu("&Go"))
        add_bench_actions(self, bar.addMenu("&Bench"))
        self._help(bar.addMenu("&Help"))

    def add(self, menu: QMenu, text: str, key: str | QKeySequence.StandardKey, work: Callable[[], object]) -> QAction:
        action = QAction(text, self.window)
        if key:
            action.setShortcut(QKeySequence(key))
        action.triggered.connect(lambda _=False: self.window.guarded(work))
        menu.addAction(action)
        self.all.append(action)
        return action

    def _file(self, menu: QMenu) -> None:
        self.add(menu, "&New bench", "Ctrl+Shift+N", self.new)
        self.add(menu, "&Open…", "Ctrl+O", self.open)
        self.recent = menu.addMenu("Open &recent")
        self.add(menu, "Open the &demo", "", self.open_demo)
        menu.addSeparator()
        self.add(menu, "&Keep as…", "Ctrl+Shift+S", self.keep_as)
        self.add(menu, "&Save a copy…", "Ctrl+S", self.save_copy)
        self.add(menu, "Re&name the bench…", "", self.rename)
        self.add(menu, "Open for &writing again", "", self.write_here)
        menu.addSeparator()
        self.add(menu, "&Import a bench from JSON…", "", self.import_json)
        add_export_actions(self, menu)
        self.reports = ReportActions(self, menu)
        menu.addSeparator()
        self.add(menu, "Pre&ferences…", "Ctrl+,", self.preferences)
        self.add(menu, "&Quit", "Ctrl+Q", self.window.close)

    def _edit(self, menu: QMenu) -> None:
        self.undo = self.add(menu, "&Undo", "Ctrl+Z", self.session.document.undo)
        self.redo = self.add(menu, "&Redo", "Ctrl+Shift+Z", self.session.document.redo)
        menu.addSeparator()
        self.add(menu, "Copy the &table", "Ctrl+Shift+C", lambda: self.window.station.table().copy(whole=True))
        self.add(menu, "Save the table as &CSV…", "", self.save_table)
        menu.addSeparator()
        add_tuning_actions(self, menu)
        menu.addSeparator()
        self.add(menu, "&Find an action…", "Ctrl+K", self.palette)

    def _run(self, menu: QMenu) -> None:
        def measure(command: Callable[[MeasureStation], object]) -> Callable[[], None]:
            def work() -> None:
                self.window.show_station("Measure")
                command(cast("MeasureStation", self.window.station))

            return work

        self.add(menu, "&New run…", "Ctrl+N", measure(lambda shown: shown.new_run()))
        self.add(menu, "New con&verter run…", "", measure(lambda shown: shown.converter_run()))
        self.add(menu, "&Open readings…", "Ctrl+Shift+O", measure(lambda shown: shown.files.open()))
        self.add(menu, "&Paste readings", "Ctrl+Shift+V", measure(lambda shown: shown.files.paste()))
        self.add(menu, "&Void the last reading…", "Ctrl+Shift+Backspace", measure(lambda shown: shown.void_last()))
        menu.addSeparator()
        self.add(menu, "&Take the rest by itself", "F5", measure(lambda shown: shown.take_the_rest()))
        self.add(menu, "Pause, &go on", "F6", measure(lambda shown: shown.pause_or_go_on()))
        self.add(menu, "&Cancel the taking", "", self.window.devices.cancel)
        self.add(menu, "Do what comes ne&xt", "F8", measure(lambda shown: shown.do_next()))
        menu.addSeparator()
        self.add(menu, "T&rim walk…", "Ctrl+T", self.trim_walk)
        self.add(menu, "&Adopt the chosen way", "Ctrl+Return", measure(lambda shown: shown.adopt()))
        self.add(menu, "&Withdraw what is in force", "", measure(lambda shown: shown.withdraw()))
        self.add(menu, "&Copy the chosen way", "", measure(lambda shown: shown.words.copy_correction()))
        self.add(menu, "&Save the chosen way as CSV…", "", measure(lambda shown: shown.save_correction()))

    def _device(self, menu: QMenu) -> None:
        self.add(menu, "&Safe output", "Ctrl+.", self.window.devices.make_safe)
        self.add(menu, "&Connect board and meter…", "Ctrl+D", lambda: self.window.show_station("Devices"))
        self.add(menu, "&Instruments…", "", self.instruments)
        self.add(menu, "Send what is in &force to the board", "", self.window.course.send_in_force)
        self.add(menu, "Read &back what the board holds", "", self.window.devices.read_held)

    def _plot(self, menu: QMenu) -> None:
        plot = self._shown_plot
        self.add(menu, "Show &everything", "", lambda: plot().show_everything())
        self.add(menu, "Zoom to the &tolerance", "", lambda: plot().show_tolerance())
        menu.addSeparator()
        self.add(menu, "&Copy the picture", "", lambda: plot().copy_picture())
        self.add(menu, "&Save the picture…", "", self.save_picture)
        self.add(menu, "&Print the picture…", "Ctrl+P", self.print_picture)

    def _go(self, menu: QMenu) -> None:
        for one in STATIONS:
            self.add(menu, one.title, one.key, partial(self.window.show_station, one.title))
        menu.addSeparator()
        for text, key, step in (
            ("A semitone up", "Ctrl+Up", 1),
            ("A semitone down", "Ctrl+Down", -1),
            ("An octave up", "Ctrl+Shift+Up", 12),
            ("An octave down", "Ctrl+Shift+Down", -12),
        ):
            self.add(menu, text, key, partial(self.session.selection.step_note, step))
        self.add(menu, "To a &note…", "Ctrl+G", self.go_to_note)

    def _help(self, menu: QMenu) -> None:
        keys = self.add(menu, "&Keys of this place", "F1", self.keys)
        keys.setShortcuts([QKeySequence("F1"), QKeySequence("?")])
        self.add(menu, "&About Dynamis", "", self.about)

    def refresh(self) -> None:
        """Say what undo and redo would do."""
        undo, redo = self.session.document.file.undo_label(), self.session.document.file.redo_label()
        self.undo.setText(f"&Undo: {undo}" if undo else "&Undo")
        self.undo.setEnabled(undo is not None)
        self.redo.setText(f"&Redo: {redo}" if redo else "&Redo")
        self.redo.setEnabled(redo is not None)
        self.recent.clear()
        for name in self.session.settings.preferences.recent:
            action = self.recent.addAction(Path(name).name)
            action.setToolTip(plain_tip(name))
            action.triggered.connect(partial(self._open_recent, Path(name)))
        self.recent.setEnabled(bool(self.session.settings.preferences.recent))

    def _open_recent(self, path: Path, _: bool = False) -> None:
        self.open_path(path)

    # -- files -------------------------------------------------------------------------------------

    def new(self) -> None:
        self.session.open(BenchFile.create(fresh_path("untitled"), Bench()))

    def open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Open a bench", "", _BENCHES)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        def work() -> None:
            if (
                path.exists()
                and path.samefile(self.session.document.file.path)
                and not self.session.document.file.read_only
            ):
                raise InputError(f"{path.name} is open here already.")
            try:
                opened = BenchFile.open(path)
            except DamagedFileError as error:
                self._offer_salvage(path, str(error))
                return
            self._go_over_to(opened)

        self.window.guarded(work)

    def _go_over_to(self, opened: BenchFile) -> None:
        """Open a bench here; what happened to it on the way in, or why it cannot be changed, is said."""
        self.session.open(opened)
        self.session.settings.remember(opened.path)
        if opened.read_only or opened.notice:
            self.session.said.emit(opened.read_only or opened.notice, bool(opened.read_only))

    def _offer_salvage(self, path: Path, sentence: str) -> None:
        """A damaged bench: read what can be read into a new file, where that is wanted."""
        from dynamis.ui.dialogs.working import ask, in_background

        if not ask(
            self.window,
            "A damaged bench",
            f"{sentence} Shall what can still be read be put into a new bench?",
            "Salvage",
        ):
            return
        target = fresh_path(f"{path.stem} (salvaged)")

        cancelled = threading.Event()

        def work() -> tuple[Salvaged, BenchFile]:
            salvaged = salvage(path, cancelled.is_set)
            return salvaged, salvaged.into(target)

        done = in_background(self.window, "Reading what can be read …", work, cancelled)
        if done is not None:
            salvaged, made = done
            self._go_over_to(made)
            self.session.said.emit(f"Salvaged into {target.name}: {salvaged.sentence()}", bool(salvaged.lost))

    def write_here(self) -> None:
        """Try again to open a bench for writing that could only be looked at."""
        path = self.session.document.file.path
        if not self.session.document.file.read_only:
            raise InputError(f"{path.name} can be changed here already.")
        self._go_over_to(BenchFile.open(path))

    def open_demo(self) -> None:
        self.session.open(fresh_demo())

    def keep_as(self) -> None:
        path = self.save_name("Keep the bench as", f"{self.session.bench.name}.dynamis", _BENCHES, ".dynamis")
        if path is None:
            return
        if _same_file(path, self.session.document.file.path):
            raise InputError("The bench is kept there already; every change is stored as it is made.")
        self.session.document.file.copy_to(path)
        self.session.open(BenchFile.open(path))
        self.session.settings.remember(path)

    def save_copy(self) -> None:
        path = self.save_name("Save a copy", f"{self.session.bench.name} copy.dynamis", _BENCHES, ".dynamis")
        if path is None:
            return
        if _same_file(path, self.session.document.file.path):
            raise InputError("A copy needs another name than the open bench.")
        self.session.document.file.copy_to(path)
        self.session.said.emit(f"Saved a copy as {path.name}.", False)

    def rename(self) -> None:
        name, taken = QInputDialog.getText(self.window, "Rename", "Name of the bench:", text=self.session.bench.name)
        if taken:
            self.session.document.apply(rename(self.session.bench, name))

    def import_json(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window, "Import a bench", "", "JSON (*.json)")
        if name:
            self.import_path(Path(name))

    def import_path(self, path: Path) -> None:
        """Make a new bench of an exported one; it is kept in the data folder until it is kept elsewhere."""
        self.window.guarded(lambda: self.session.open(import_json(path, fresh_path(path.stem))))

    def save_table(self) -> None:
        table = self.window.station.table()
        path = self.save_name("Save the table", "table.csv", "CSV (*.csv)", ".csv")
        if path is not None:
            write_whole(path, table.as_csv())
            self.session.said.emit(f"Saved {path.name}.", False)

    def save_picture(self) -> None:
        picture = self._shown_plot()
        path = self.save_name("Save the picture", "plot.svg", "SVG (*.svg);;PNG (*.png)", ".svg")
        if path is not None:
            picture.save_picture(path)
            self.session.said.emit(f"Saved {path.name}.", False)

    def _shown_plot(self) -> Picture:
        plot = self.window.station.shown_picture()
        if plot is None:
            raise InputError(f"There is no picture on the page {self.window.station.title}.")
        return plot

    def print_picture(self) -> None:
        from PySide6.QtGui import QPainter
        from PySide6.QtPrintSupport import QPrintDialog, QPrinter

        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if QPrintDialog(printer, self.window).exec():
            painter = QPainter(printer)
            plot = self._shown_plot()
            scale = min(painter.viewport().width() / plot.width(), painter.viewport().height() / plot.height())
            painter.scale(scale, scale)
            plot.paint_on(painter)
            painter.end()

    def save_name(self, title: str, start: str, kinds: str, ending: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self.window, title, start, kinds)
        if not name:
            return None
        path = Path(name)
        return path if path.suffix else path.with_suffix(ending)

    # -- looking -----------------------------------------------------------------------------------

    def instruments(self) -> None:
        """The instruments of the bench: added, changed, put away."""
        from dynamis.ui.dialogs.instruments import InstrumentsDialog

        InstrumentsDialog(self.window, self.session, self.window.devices).exec()

    def trim_walk(self) -> None:
        """The trimmers of the oscillator that is looked at, step by step."""
        from dynamis.ui.dialogs.trim_walk import TrimWalkDialog

        judged = self.session.runs.analysis()
        if judged is None:
            raise InputError(
                "Begin a run of the oscillator in hertz first: it tells the law, the notes and the tolerance."
            )
        from dynamis.ui.trimming import listening_for

        listen = partial(listening_for, self.window.course, judged.run)
        dialog = TrimWalkDialog(
            self.window, judged, self.session.style, save=self.reports.save_walk_sheet, listen=listen
        )
        dialog.exec()

    def preferences(self) -> None:
        from dynamis.ui.dialogs.preferences import PreferencesDialog

        dialog = PreferencesDialog(self.window, self.session.settings.preferences)
        if dialog.exec():
            self.session.settings.change(dialog.value)

    def go_to_note(self) -> None:
        from dynamis.pitch.notes import Naming, parse_note

        text, taken = QInputDialog.getText(self.window, "To a note", "Note, as 60 or C#3:")
        if taken:
            self.session.selection.set_note(parse_note(text, Naming(self.session.style.middle_c)))

    def palette(self) -> None:
        from dynamis.ui.dialogs.palette import ActionPalette

        dialog = ActionPalette(self.window, self.all)
        if dialog.exec() and dialog.chosen is not None:
            dialog.chosen.trigger()

    def keys(self) -> None:
        from dynamis.ui.dialogs.help import KeysDialog

        everywhere = [
            (action.shortcut().toString(QKeySequence.SequenceFormat.NativeText), action.text().replace("&", ""))
            for action in self.all
            if not action.shortcut().isEmpty()
        ]
        station = self.window.station
        KeysDialog(self.window, [(station.title, list(station.KEYS)), ("Everywhere", everywhere)]).exec()

    def about(self) -> None:
        from dynamis.ui.dialogs.help import AboutDialog

        AboutDialog(self.window).exec()
