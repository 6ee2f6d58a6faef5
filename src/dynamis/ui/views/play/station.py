"""The Play station: a song through a converter of one's choice, its signals as lanes against time."""

from __future__ import annotations

import threading
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import structs
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QSplitter

from dynamis.bench.playing.lanes import Played
from dynamis.bench.playing.sources import SongSource, of_file, of_live, of_phrase, of_track
from dynamis.converter.playing.live import LiveSong
from dynamis.converter.playing.phrases import phrases
from dynamis.converter.playing.streaming import signal_names
from dynamis.converter.playing.words import nearest_edge, why
from dynamis.devices.midi.inputs import inputs
from dynamis.errors import InputError
from dynamis.ui.background import Background
from dynamis.ui.course import CourseRunner
from dynamis.ui.devices.looking import Looking
from dynamis.ui.dialogs.working import in_background
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station, guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.play.lanes import LanesPicture
from dynamis.ui.views.play.live import Live
from dynamis.ui.views.play.making import Making
from dynamis.ui.views.play.messages_table import MessagesTable
from dynamis.ui.views.play.on_the_bench import OnTheBench
from dynamis.ui.views.play.out import PlayOut
from dynamis.ui.views.play.saving import Saving
from dynamis.ui.views.play.settings_panel import SettingsPanel
from dynamis.ui.views.play.side_panel import SidePanel
from dynamis.ui.widgets.panel import Panel, scrolling
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.table import Table

if TYPE_CHECKING:
    from dynamis.ui.views.play.out_dialog import OutChoice

# The phrase that the page begins with: one with something to find.
_FIRST_PHRASE = 2
_FRAME_MS = 33
# So much is seen of what is played live.
_LIVE_SECONDS = 8.0
_PICTURE_ONLY = "It is on the picture only now."


class PlayStation(Station):
    """A song, a converter, and what its jacks carry."""

    title = "Play"
    KEYS = LanesPicture.KEYS
    TAKES = (".mid", ".midi", ".smf")

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self._phrases = phrases()
        self.source: SongSource = of_phrase(self._phrases[_FIRST_PHRASE], _FIRST_PHRASE)
        self.played: Played | None = None
        self._work = Background()
        self._keep = False
        self._saving = Saving(self, session)
        self.live: Live | None = None
        self._goes_out: OutChoice | None = None
        self._looking = Looking()
        self._frame = QTimer(self)
        self._frame.setInterval(_FRAME_MS)
        self._frame.timeout.connect(self._show_live)
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        self.settings, self.side = SettingsPanel(session), SidePanel()
        self.settings.setFixedWidth(262)
        self.side.setFixedWidth(292)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setHandleWidth(13)
        self.lanes = LanesPicture(colours, session.style)
        upper, lower = Panel("Lanes"), Panel("Messages")
        upper.body.setContentsMargins(8, 8, 4, 4)
        upper.body.addWidget(scrolling(self.lanes))
        self.events = MessagesTable(lambda: session.style, partial(self._look_at, scroll=False))
        lower.body.setContentsMargins(17, 9, 12, 8)
        lower.body.addWidget(self.events)
        middle.addWidget(upper)
        middle.addWidget(lower)
        middle.setStretchFactor(0, 3)
        middle.setStretchFactor(1, 1)
        middle.setSizes([460, 180])
        across.addWidget(self.settings)
        across.addWidget(middle, 1)
        across.addWidget(self.side)
        self.out = PlayOut(self, session, course, self.side, self.lanes)
        self.making = Making(self, session, self.settings.logic, self._there, lambda: self.lanes.colours)
        self._usual = self.settings.converter.state()
        if session.settings.preferences.play:
            self.settings.converter.restore(session.settings.preferences.play)
        self._on_bench = OnTheBench(session, self.settings.converter.output)
        self._connect()
        self.making.show()
        self.settings.show_source(self.source, [one.name for one in self._phrases])
        self.settings.show_rules()

    def _connect(self) -> None:
        self.settings.changed.connect(partial(self.ask, keep=True))
        self.settings.file_wanted.connect(lambda name: guarded(self._session, self.take_file, Path(name)))
        self.settings.phrase_wanted.connect(self.take_phrase)
        self.settings.live_wanted.connect(self._live_wanted)
        self.lanes.key_played.connect(self._key_played)
        self.lanes.cursor_moved.connect(self._show_cursors)
        self.lanes.lane_picked.connect(self._show_why)
        self.side.looked_at.connect(self._look_at_finding)
        self.side.wav_wanted.connect(partial(guarded, self._session, self._save_wav))
        self.side.events_wanted.connect(partial(guarded, self._session, self._save_events))
        self.side.out_wanted.connect(partial(guarded, self._session, self.play_out))
        self.side.stop_wanted.connect(self.stop_playing)
        self._looking.found.connect(self.settings.offer_inputs)
        self._work.answered.connect(self._take)
        self._work.refused.connect(self._refused)
        self._session.bench_changed.connect(self._bench_changed)
        self._course.devices.made_safe.connect(self._made_safe)

    # -- what is played ------------------------------------------------------------------------------

    def take_file(self, path: Path) -> None:
        """A MIDI file; raises `InputError` where it is none."""
        from dynamis.files.midi_file import read_song_of_any

        stop = threading.Event()
        song = in_background(self, f"Reading {path.name}", partial(read_song_of_any, path), stop)
        if song is not None:
            self._source_is(of_file(path.name, song, self._session.style))

    def take_phrase(self, index: int) -> None:
        self._source_is(of_phrase(self._phrases[index], index))

    # -- live ----------------------------------------------------------------------------------------

    def _live_wanted(self, wanted: bool) -> None:
        guarded(self._session, self.begin_live if wanted else self.end_live)
        if wanted and self.live is None:
            self.settings.live.setChecked(False)
        self.settings.show_listening(self.live is not None)

    def begin_live(self) -> None:
        """Listen, and show what is played as it comes; raises `InputError` where nothing can be listened to."""
        self.live, self._goes_out = None, None
        # The channel is that of who plays, not of the song before.
        self.settings.show_source(of_live(LiveSong().song(0.0)), self._names)
        try:
            setting, out = self.settings.setting(), None
            if self.settings.out_too.isChecked():
                self._goes_out = self.out.ask(signal_names(setting))
                if self._goes_out is None:
                    return
                out = partial(self.out.live, self._goes_out, setting, self._on_bench.senders(setting))
            self.live = Live(self.settings.listens_to(), setting, out)
        finally:
            if self.live is None:
                self.settings.show_source(self.source, self._names)
        if self._goes_out is not None:
            self.out.say_reach(setting, self._on_bench.senders(setting), self._goes_out)
        self.lanes.let_keys_play(self.settings.listens_to() is None)
        self.lanes.setFocus()
        self._play_live = self._on_bench.player(goes_on=True)
        self._frame.start()

    def _change_live(self, live: Live) -> None:
        """What is set otherwise counts at once, for what goes out too; the next picture has it."""
        self._play_live = self._on_bench.player(goes_on=True)
        try:
            setting = self.settings.setting()
        except InputError:
            return  # the next picture says so; until it can be read all goes on
        try:
            live.change(setting, self._on_bench.senders(setting))
        except InputError as error:
            self._session.said.emit(f"{error} {_PICTURE_ONLY}", True)
            return
        if live.goes_out and self._goes_out is not None:
            self.out.say_reach(setting, self._on_bench.senders(setting), self._goes_out)

    def end_live(self) -> None:
        """Stop listening; what was played stays as a song."""
        live, self.live = self.live, None
        self._frame.stop()
        self.lanes.let_keys_play(False)
        if live is None:
            return
        live.close()
        now = live.now()
        played = of_file("What was played", live.song.song(now), self._session.style)
        if played.song.presses.any():
            self._source_is(played)

    def _key_played(self, note: int, down: bool) -> None:
        if self.live is not None:
            self.live.key(note, down)

    def _show_live(self) -> None:
        """One picture, of one state."""
        live = self.live
        if live is None:
            return
        lost = live.out_trouble()
        if lost:
            self._session.said.emit(f"{lost} {_PICTURE_ONLY}", True)
        trouble = live.trouble()
        if trouble:
            self.settings.live.setChecked(False)
            self._session.said.emit(trouble, True)
            return
        now, changes = live.now(), live.song.changes
        try:
            setting = self.settings.setting()
            song = live.recent(setting)
            if not song.beats:  # nobody gives a tempo, so there is no clock to show
                setting = replace(setting, clocks=(), transport=False)
            played = self._play_live(song, setting)
        except InputError as error:
            self.settings.say("" if not changes else str(error))
            return
        self.settings.say("")
        self.played = played
        self.lanes.show_played(played, keep=True)
        self.lanes.follow(now, _LIVE_SECONDS)
        if changes != live.shown:
            live.shown = changes
            self.side.show_findings([one for one in played.findings if one.code != "hangs"])  # it has not ended
            self.events.show_played(played)
            self._show_why(self.lanes.lane, now)
            self.events.show_last()
            self.lanes.set_cursor(0, now)

    @property
    def _names(self) -> list[str]:
        return [one.name for one in self._phrases]

    def _source_is(self, source: SongSource) -> None:
        self.source = source
        if self.live is not None:
            self.settings.live.setChecked(False)
        self.settings.show_source(source, self._names)
        self.ask()

    def ask(self, *, keep: bool = False) -> None:
        """Play it anew, beside the window.  keep : whether the view and the cursors stay."""
        if self.live is not None:
            self._change_live(self.live)
            return
        try:
            setting = self.settings.setting()
        except InputError as error:
            self.settings.say(str(error))
            return
        self.settings.say("")
        self._keep_setting()
        self._keep = keep and self.played is not None
        song = of_track(self.source.song, self.settings.track.currentData())
        plays = self._on_bench.player()
        self._work.ask(lambda wanted: plays(song, setting))

    def _keep_setting(self) -> None:
        """What can be read of the converter stands there the next time, too."""
        settings, state = self._session.settings, self.settings.converter.state()
        if state != settings.preferences.play and (state != self._usual or settings.preferences.play):
            settings.change(structs.replace(settings.preferences, play=state))

    def _take(self, played: Played) -> None:
        before, self.played = self.played, played
        self.lanes.show_played(played, keep=self._keep and before is not None)
        self.side.show_findings(list(played.findings))
        self.events.show_played(played)
        self._show_cursors()
        self._show_why(self.lanes.lane, self.lanes.cursors[0])

    def _refused(self, sentence: str) -> None:
        self.settings.say(sentence)

    def _bench_changed(self) -> None:
        self.making.show()
        if self.isVisible():
            self.settings.show_outputs()
            self.ask(keep=True)

    # -- showing -------------------------------------------------------------------------------------

    def _look_at_finding(self, name: str, seconds: float) -> None:
        if self.played is not None and any(lane.name == name for lane in self.played.lanes):
            self.lanes.lane = name
        self._look_at(seconds)

    def _look_at(self, seconds: float, *, scroll: bool = True) -> None:
        self.lanes.set_cursor(0, seconds)
        self.lanes.show_around(seconds)
        self._show_why(self.lanes.lane, seconds)
        if scroll:
            self.events.show_near(seconds)

    def _show_cursors(self) -> None:
        if self.played is not None:
            self.side.show_cursors(self.played, self.lanes.cursors, self._session.style)

    def _show_why(self, name: str, seconds: float) -> None:
        if self.played is None:
            return
        signal = self.played.explained(name)
        edge = nearest_edge(signal, seconds)
        style = self._session.style
        self.side.show_why(f"{name} never changes." if edge is None else why(self.played.rendered, signal, edge, style))

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        self.lanes.colours, self.lanes.number_style = colours, self._session.style
        self.events.rows_model.current_colour = QColor(colours.thread_wash)
        self.lanes.update()
        if self.isVisible():
            self.ask(keep=True)

    def focus_first(self) -> None:
        self.lanes.setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.settings.show_outputs()
        self._looking.begin(inputs)
        self.ask(keep=True)

    def shown_picture(self) -> Picture | None:
        return self.lanes

    def table(self) -> Table:
        return self.side.table if self.side.table.hasFocus() else self.events

    def shut_down(self) -> None:
        self._work.drop()
        self._frame.stop()
        self._looking.end()
        if self.live is not None:
            self.live.close()

    # -- out -----------------------------------------------------------------------------------------

    def play_out(self) -> None:
        """Play it by what is connected; raises `InputError` where nothing is."""
        played = self._there()
        chosen = self.out.ask([one.name for one in played.rendered.signals])
        if chosen is not None:
            self.out.begin(played, self.source.name, chosen)

    def stop_playing(self) -> None:
        self.out.stop()

    def _made_safe(self) -> None:
        """Nothing that is still held may come up again."""
        if self.live is not None and self.live.goes_out:
            self.settings.live.setChecked(False)

    # -- into files ----------------------------------------------------------------------------------

    def _save_wav(self) -> None:
        self._saving.wav(self._there(), Path(self.source.name).stem)

    def _save_events(self) -> None:
        self._saving.events(self._there(), Path(self.source.name).stem)

    def _there(self) -> Played:
        if self.played is None:
            raise InputError("Nothing is played yet: choose a phrase, or open a MIDI file.")
        return self.played
