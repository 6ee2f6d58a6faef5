"""What is looked at: the channel and its unit, the pair, the run and what lies over it, the note."""

from __future__ import annotations

from dynamis.bench.document.bench import Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import RunRecord, newest_runs, runs_of
from dynamis.ui.session.document import Document
from dynamis.ui.session.notices import Notices

Channel = tuple[PortRef, str]


class Selection:
    """channel : the output and the unit looked at.  pair : the output and the input looked at.
    run_id, overlay_id : the run looked at and the one laid over it.  note : the thread's.
    correction_kind : which kind of correction is chosen.
    """

    def __init__(self, document: Document, notices: Notices) -> None:
        self._document, self._notices = document, notices
        self.note = 60.0
        self.correction_kind = "constants"
        self.channel: Channel | None = None
        self.pair: tuple[PortRef, PortRef] | None = None
        self.run_id: str | None = None
        self.overlay_id: str | None = None
        self._runs: list[RunRecord] = []

    # -- as the bench and its runs change ------------------------------------------------------------

    def begin(self, runs: list[RunRecord]) -> None:
        """Look at the newest run of a bench that was opened, or else at its first channel."""
        self._runs = runs
        self.run_id, self.overlay_id = newest_runs(runs)
        run = self.run
        self.channel = next(iter(self._document.bench.channels), None) if run is None else (run.channel, run.serial)
        if run is not None and run.plan and not run.plan[0] <= self.note <= run.plan[-1]:
            self.note = run.plan[0]

    def stay(self, runs: list[RunRecord]) -> None:
        """Look on at the same, as far as it is still there."""
        run_id, overlay_id, channel, note = self.run_id, self.overlay_id, self.channel, self.note
        self.begin(runs)
        known = {run.id for run in runs}
        self.run_id = run_id if run_id in known else self.run_id
        self.overlay_id = overlay_id if overlay_id in known else None
        self.channel = channel if channel in self._document.bench.channels else self.channel
        self.note = note

    def runs_are(self, runs: list[RunRecord]) -> None:
        self._runs = runs

    def keep_channel(self) -> None:
        """Go to the first channel where the one looked at is no more."""
        channels = self._document.bench.channels
        if self.channel not in channels:
            self.channel = next(iter(channels), None)

    # -- channels, links and pairs -------------------------------------------------------------------

    def set_channel(self, channel: Channel) -> None:
        if channel == self.channel:
            return
        self.channel = channel
        mine = runs_of(self._runs, *channel)
        self.run_id = mine[0].id if mine else None
        self.overlay_id = None
        self._notices.run_changed.emit()
        self._notices.bench_changed.emit()

    @property
    def link(self) -> Link | None:
        """The link of the channel looked at: that which begins there, or ends there."""
        if self.channel is None:
            return None
        bench, ref = self._document.bench, self.channel[0]
        return bench.link_from(ref) or next(iter(bench.links_into(ref)), None)

    def look_at_pair(self, output: PortRef, sink: PortRef) -> None:
        """Look at a pair, in all stations."""
        if self.pair != (output, sink):
            self.pair = output, sink
            self._notices.pair_changed.emit()

    def followed_pair(self) -> tuple[PortRef, PortRef] | None:
        """The pair that is looked at; without one the link of the channel that is measured, to its first input."""
        if self.pair is not None:
            return self.pair
        link = self.link
        if link is None or not link.inputs or self.channel is None:
            return None
        return link.output, self.channel[0] if self.channel[0] in link.inputs else link.inputs[0]

    # -- runs ----------------------------------------------------------------------------------------

    @property
    def run(self) -> RunRecord | None:
        return next((run for run in self._runs if run.id == self.run_id), None)

    def look_at(self, run_id: str) -> None:
        run = next(one for one in self._runs if one.id == run_id)
        self.run_id = run_id
        if self.overlay_id == run_id:
            self.overlay_id = None
        if (run.channel, run.serial) != self.channel:
            self.overlay_id = None
            self.channel = run.channel, run.serial
            self._notices.bench_changed.emit()
        self._notices.run_changed.emit()

    def begun(self, run: RunRecord) -> None:
        """A run was begun: look at it."""
        self.channel = run.channel, run.serial
        self.run_id, self.overlay_id = run.id, None
        if run.plan:
            self.note = run.plan[0]

    def overlay(self, run_id: str | None) -> None:
        """Lay another run over the one looked at, or none."""
        self.overlay_id = None if run_id in (self.overlay_id, self.run_id) else run_id
        self._notices.run_changed.emit()

    def choose_correction(self, kind: str) -> None:
        if kind != self.correction_kind:
            self.correction_kind = kind
            self._notices.run_changed.emit()

    # -- the note ------------------------------------------------------------------------------------

    def set_note(self, note: float) -> None:
        note = min(127.0, max(0.0, note))
        if note != self.note:
            self.note = note
            self._notices.note_changed.emit()

    def step_note(self, semitones: int) -> None:
        self.set_note(round(self.note) + semitones)
