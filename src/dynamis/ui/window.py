"""The window: menu, stations across the top, the thread across the bottom."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import cast

from msgspec.structs import replace
from PySide6.QtCore import QSize, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QIcon, QResizeEvent
from PySide6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QPushButton,
    QSizePolicy,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dynamis.notation.style import superscript
from dynamis.ui.actions import Actions
from dynamis.ui.course import CourseRunner
from dynamis.ui.devices.connections import KINDS, NAMES
from dynamis.ui.devices.devices import Devices
from dynamis.ui.place import place_of
from dynamis.ui.rubbish import RubbishRounds
from dynamis.ui.session.session import Session
from dynamis.ui.stations import DEVICES, EVERY, STATIONS, Station, groups_of, guarded
from dynamis.ui.theme.style import TEXT_POINTS, apply_theme, colours_for
from dynamis.ui.theme.verdict import SignShape, shape_pixmap
from dynamis.ui.thread import chain_fields
from dynamis.ui.widgets.panel import Elided, label, rule, set_text
from dynamis.ui.widgets.station_bar import StationBar, page_button
from dynamis.ui.widgets.thread_strip import ThreadField, ThreadStrip
from dynamis.ui.widgets.tips import plain_tip

_SENTENCE_MILLISECONDS = 9000
_LOOK_MILLISECONDS = 1000
_JUDGE_MILLISECONDS = 600
_LEAST_NAMES, _MOST_NAMES = 140, 262
# Edges and gaps of the top, and the least of the file name.
_BESIDE_BAR = 76 + 40


class MainWindow(QMainWindow):
    """One window on one bench."""

    def __init__(self, app: QApplication, session: Session) -> None:
        super().__init__()
        self.app, self.session = app, session
        self.devices = Devices()
        self.course = CourseRunner(session, self.devices)
        self.colours = colours_for(session.settings.preferences.theme, app)
        apply_theme(app, self.colours, self._points())
        self.setMinimumSize(900, 600)
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.stations: dict[str, Station] = {}
        self.stack = QStackedWidget()
        self.thread_strip = ThreadStrip()
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._make_top())
        column.addWidget(rule())
        column.addWidget(self._make_sentence())
        column.addWidget(self.stack, 1)
        column.addWidget(rule())
        column.addWidget(self.thread_strip)
        self.thread_strip.setFixedHeight(self._strip_height())
        self.setCentralWidget(body)
        self._rubbish = RubbishRounds(self)
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.timeout.connect(lambda: self.say("", False))
        self.actions_made = Actions(self)
        self.show_station("Measure")
        self._connect()
        self.refresh()

    def _points(self) -> float:
        return TEXT_POINTS[self.session.settings.preferences.text]

    def _strip_height(self) -> int:
        return int(48 * max(1.0, self._points() / 9.75)) + 2

    def _make_top(self) -> QWidget:
        bar = QFrame()
        bar.setProperty("bar", True)
        row = QHBoxLayout(bar)
        row.setContentsMargins(20, 0, 20, 0)
        row.setSpacing(6)
        names = QVBoxLayout()
        names.setSpacing(0)
        self.bench_name, self.link_name = Elided("heading"), Elided("small")
        for one in (self.bench_name, self.link_name):
            names.addWidget(one)
        holder = QWidget()
        holder.setLayout(names)
        names.setContentsMargins(0, 5, 0, 5)
        holder.setMinimumWidth(_LEAST_NAMES)
        holder.setMaximumWidth(_MOST_NAMES)
        holder.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row.addWidget(holder, 3)
        self.bar = StationBar(groups_of(STATIONS), self.show_station)
        row.addWidget(self.bar)
        self.file_name = Elided("small", right=True)
        row.addWidget(self.file_name, 2)
        self.devices_button = page_button(DEVICES.title, DEVICES.key, self.show_station)
        self.devices_button.setText("")
        self.station_buttons = {**self.bar.buttons, DEVICES.title: self.devices_button}
        pages = QButtonGroup(self)
        for button in self.station_buttons.values():
            pages.addButton(button)
        self.devices_button.setIconSize(QSize(13, 13))
        row.addWidget(self.devices_button)
        self.safe_button = QPushButton("Safe output")
        self.safe_button.setToolTip("All outputs of the board to their safe value, Ctrl+.")
        self.safe_button.clicked.connect(self.devices.make_safe)
        row.addWidget(self.safe_button)
        return bar

    def _make_sentence(self) -> QWidget:
        """One line for what was just done or refused; it takes no room while it has nothing to say."""
        self.sentence_bar = QFrame()
        self.sentence_bar.setProperty("bar", True)
        row = QHBoxLayout(self.sentence_bar)
        row.setContentsMargins(20, 4, 14, 4)
        self.sentence, self._refuses = label("", wrap=True, selectable=True), False
        row.addWidget(self.sentence, 1)
        close = QPushButton("Close")
        close.clicked.connect(lambda: self.say("", False))
        row.addWidget(close)
        self.sentence_bar.hide()
        return self.sentence_bar

    def _connect(self) -> None:
        session = self.session
        session.bench_changed.connect(self.refresh)
        session.run_changed.connect(self.thread_changed)
        session.note_changed.connect(self.thread_changed)
        self._thread_turn = QTimer(self)
        self._thread_turn.setSingleShot(True)
        self._thread_turn.timeout.connect(self.show_thread)
        session.preferences_changed.connect(self.dress)
        session.said.connect(self.say)
        for one in (self.devices, self.course):
            one.said.connect(self.say)
        self.devices.changed.connect(self.show_devices)
        self.course.connect_wanted.connect(lambda: self.show_station(DEVICES.title))
        session.judge.progressed.connect(self.show_badge)
        session.bench_changed.connect(self.show_badge)
        session.pair_changed.connect(self.show_link_name)
        session.judge.begin_after(_JUDGE_MILLISECONDS)
        self._look = QTimer(self)
        self._look.timeout.connect(self._look_at_file)
        self._look.start(_LOOK_MILLISECONDS)
        self.app.styleHints().colorSchemeChanged.connect(self.dress)

    # -- stations ----------------------------------------------------------------------------------

    @property
    def station(self) -> Station:
        """The station that is shown."""
        return cast("Station", self.stack.currentWidget())

    def _thread_of(self, station: Station) -> None:
        if station is self.station:
            self.show_thread()

    def show_station(self, name: str) -> None:
        """Show a station; it is made when it is first wanted."""
        if name not in self.stations:
            transfer = EVERY[name].make(self.session, self.course, self.colours, self._points())
            transfer.dress(self.colours, self._points())
            transfer.station_wanted.connect(self.show_station)
            transfer.demo_wanted.connect(lambda: self.guarded(self.actions_made.open_demo))
            transfer.bench_wanted.connect(lambda: self.guarded(self.actions_made.open))
            transfer.thread_wanted.connect(lambda: self._thread_of(transfer))
            self.stations[name] = transfer
            self.stack.addWidget(transfer)
        self.stack.setCurrentWidget(self.stations[name])
        self.station_buttons[name].setChecked(True)
        self.bar.words_changed()
        self.stations[name].focus_first()
        self.show_link_name()
        self.show_thread()

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        session = self.session
        self.bench_name.setText(session.bench.name)
        self.setWindowTitle(f"{session.bench.name} – Dynamis")
        self.show_link_name()
        self.file_name.setText(
            session.document.file.path.name + (", read-only" if session.document.file.read_only else "")
        )
        self.file_name.setToolTip(plain_tip(session.document.file.read_only or str(session.document.file.path)))
        self.show_devices()
        self.actions_made.refresh()
        self.show_thread()

    def show_link_name(self) -> None:
        """Under the name of the bench: the link of the channel looked at, or the pair."""
        session = self.session
        link = session.selection.link
        pair = session.selection.pair
        followed = self.station.pair()
        if followed is not None:
            sender, sink = (session.bench.gear_by(ref.gear).name for ref in followed)
            text = f"{sender} → {sink} · {session.bench.port(followed[0]).name}"
        elif session.selection.channel is None and pair is not None:
            text = f"{session.bench.label(pair[0])} → {session.bench.label(pair[1])}"
        elif session.selection.channel is None:
            text = "nothing to measure yet" if session.bench.gear else "nothing on the bench yet"
        elif link is None or not link.inputs:
            text = session.bench.label(session.selection.channel[0])
        else:
            sink = session.bench.gear_by(link.inputs[0].gear).name
            text = f"{session.bench.gear_by(link.output.gear).name} → {sink} · {session.bench.port(link.output).name}"
        self.link_name.setText(text)
        self.link_name.setToolTip(plain_tip(text))

    def show_devices(self) -> None:
        """Who is connected, in the button that leads to them; trouble by its sign."""
        devices, parts = self.devices, []
        if devices.board is not None:
            parts.append(f"Unit {devices.board.identity.unit}")
        parts += [NAMES[kind] for kind in KINDS[1:] if devices.connected(kind)]
        trouble = devices.any_trouble
        shape: SignShape
        shape, colour = (
            ("triangle", self.colours.vermilion)
            if trouble
            else (("disc", self.colours.blue) if parts else ("ring", self.colours.grey))
        )
        short = parts if len(parts) < 3 else [parts[0], f"{len(parts) - 1} more"]
        self.devices_button.setText("  " + (" + ".join(short) or "Devices"))
        self.devices_button.setAccessibleName(f"Devices: {' and '.join(parts) or 'none connected'}")
        self.devices_button.setIcon(QIcon(shape_pixmap(shape, colour, 13, self.devicePixelRatioF())))
        self._fit_bar()

    def show_badge(self) -> None:
        """How many findings of joined links ask for something, beside the name of Bench."""
        questions, button = self.session.judge.questions, self.station_buttons["Bench"]
        set_text(button, f"Bench {superscript(questions)}" if questions else "Bench")
        sentence = (
            ""
            if questions is None
            else f": {questions} findings of joined links ask for something"
            if questions
            else ": all fits"
        )
        button.setAccessibleName(f"Bench{sentence}")
        button.setToolTip(f"Bench, Ctrl+1{sentence}")
        self.bar.words_changed()

    def _look_at_file(self) -> None:
        """A read-only bench follows what the other window writes."""
        if self.session.document.file.read_only and self.session.document.file.changed_elsewhere():
            self.session.reload()

    def thread_changed(self) -> None:
        """Show the thread; in a turn of its own while a run is taken by itself."""
        if self.devices.progress is None:
            self.show_thread()
        else:
            self._thread_turn.start(0)

    def show_thread(self) -> None:
        session = self.session
        fields = self.station.thread_fields()
        if fields is None:
            followed = self.station.pair()
            plays = followed is None or session.bench.port(followed[1]).role == "pitch"
            link_chain = None if not plays else session.chain() if followed is None else session.chain_of(*followed)
            if link_chain is None and not plays and followed is not None:
                ends = zip(("output", "input"), followed, strict=True)
                fields = [ThreadField(name, session.bench.label(ref)) for name, ref in ends], None
            elif link_chain is None:
                from dynamis.pitch.notes import note_label

                fields = [ThreadField("note", note_label(session.selection.note, session.style))], None
            else:
                fields = chain_fields(link_chain, session.selection.note, session.style)
        self.thread_strip.show_fields(*fields, self.colours.thread)

    def say(self, sentence: str, refusal: bool) -> None:
        """Show a sentence; a refusal stays until it is closed or another takes its place."""
        self.sentence.setText(sentence)
        self._refuses = refusal
        self._colour_sentence()
        self.sentence_bar.setVisible(bool(sentence))
        self._quiet.stop()
        if sentence and not refusal:
            self._quiet.start(_SENTENCE_MILLISECONDS)

    def _colour_sentence(self) -> None:
        colour = self.colours.vermilion if self._refuses else self.colours.ink
        self.sentence.setStyleSheet(f"color: {colour};")

    def dress(self, *_: object) -> None:
        """Take the theme, text size and style of numbers that are preferred."""
        self.colours = colours_for(self.session.settings.preferences.theme, self.app)
        apply_theme(self.app, self.colours, self._points())
        self._colour_sentence()
        self.thread_strip.setFixedHeight(self._strip_height())
        for station in self.stations.values():
            station.dress(self.colours, self._points())
        self.refresh()

    # -- files dropped, and closing ----------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.take_file(Path(url.toLocalFile()))
                return

    def take_file(self, path: Path) -> None:
        """Give a file to the page that is shown, where that takes such; else by its ending: open a bench, import one
        from JSON, take readings or a tuning."""
        ending = path.suffix.lower()
        if ending in self.station.TAKES:
            self.guarded(self.station.take_file, path)
        elif ending == ".dynamis":
            self.actions_made.open_path(path)
        elif ending == ".json":
            self.actions_made.import_path(path)
        elif ending in (".scl", ".syx"):
            from dynamis.ui.tuning_actions import take_tuning

            self.guarded(take_tuning, self, [path])
        elif ending in (".csv", ".tsv", ".txt", ".wav", ".flac", ".aif", ".aiff"):
            self.show_station("Measure")
            self.guarded(self.station.take_file, path)
        else:
            self.say(
                f"{path.name}: a bench (.dynamis), an exported bench (.json), readings (.csv), a recording (.wav) or a "
                "tuning (.scl, .syx) can be dropped here.",
                True,
            )

    def closeEvent(self, event: QCloseEvent) -> None:
        before = self.session.settings.preferences
        now = replace(before, window=place_of(self), maximised=self.isMaximized())
        if now != before:
            self.session.settings.change(now)
        self.shut_down()
        self.session.close()
        super().closeEvent(event)

    def shut_down(self) -> None:
        """Let the devices go, outputs safe; ends what goes on beside the window."""
        self._look.stop()
        self.session.judge.stop()
        self.devices.shut_down()
        for station in self.stations.values():
            station.shut_down()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_bar()

    def _fit_bar(self) -> None:
        """Give the stations what the names, the devices and Safe output leave."""
        others = sum(one.sizeHint().width() for one in (self.devices_button, self.safe_button))
        self.bar.fit(self.width() - _BESIDE_BAR - others - _LEAST_NAMES)

    def guarded(self, work: Callable[..., object], *arguments: object) -> None:
        """Do something that may be refused; the sentence is shown."""
        guarded(self.session, work, *arguments)
