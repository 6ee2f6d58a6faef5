"""The session: the one place where changes are applied, stored and announced.

No arithmetic and no rules live here.  Views ask it for changes and listen to what it announces.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from dynamis.bench.chains.link_chain import LinkChain, link_chain
from dynamis.bench.chains.port_transfers import dac_if_known
from dynamis.bench.document.bench import Bench, Link, sharing
from dynamis.bench.document.commands import Change, new_id
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.record_checks import check_run
from dynamis.bench.document.records import AdoptionRecord, HeadRecord, ReadingRecord, RunRecord, SendRecord, in_force
from dynamis.bench.runs.analysis import RunAnalysis, adoption_of, analyse, check_readings, codes_of, withdrawal_of
from dynamis.calibration.corrections import Correction
from dynamis.errors import InputError
from dynamis.files.store import BenchFile, now
from dynamis.notation.style import Style
from dynamis.ui.judge import Judge
from dynamis.ui.preferences import Preferences, save_preferences


class Session(QObject):
    """One open bench and what is looked at.

    bench_changed : the document is another one.  runs_changed : a run or an adoption was added.
    run_changed : the run looked at, its readings, the way chosen or the overlay changed.
    note_changed : the thread's note.  preferences_changed : the style of numbers, theme or text size.
    said : a sentence for the reader; the second value is whether it is a refusal.
    """

    bench_changed = Signal()
    runs_changed = Signal()
    run_changed = Signal()
    note_changed = Signal()
    preferences_changed = Signal()
    said = Signal(str, bool)

    def __init__(self, bench_file: BenchFile, preferences: Preferences, *, keep_preferences: bool = True) -> None:
        super().__init__()
        self.preferences = preferences
        self._keep_preferences = keep_preferences
        self.note = 60.0
        self.way_kind = "constants"
        self._take_over(bench_file)
        self.judge = Judge(self)

    # -- the file ----------------------------------------------------------------------------------

    def _take_over(self, bench_file: BenchFile) -> None:
        self.file = bench_file
        self.bench: Bench = bench_file.bench()
        self.runs: list[RunRecord] = bench_file.runs()
        self.adoptions: list[AdoptionRecord] = bench_file.adoptions()
        self.sends: list[SendRecord] = bench_file.sends()
        self._analyses: dict[str, RunAnalysis] = {}
        self._rows: dict[str, list[ReadingRecord]] = {}
        self.run_id: str | None = None
        self.overlay_id: str | None = None
        channels = {(run.gear, run.serial, run.port) for run in self.runs}
        if self.runs:
            newest = max(self.runs, key=lambda run: run.created)
            mine = [run for run in self.runs if (run.gear, run.serial, run.port) == _channel(newest)]
            self.run_id = mine[0].id
            self.overlay_id = mine[-1].id if len(mine) > 1 else None
        self._channel: tuple[PortRef, str] | None = None
        run = self.run
        if run is not None:
            self._channel = (run.channel, run.serial)
        elif channels or self.bench.gear:
            self._channel = next(iter(self.bench.channels), None)
        if run is not None and run.plan and not run.plan[0] <= self.note <= run.plan[-1]:
            self.note = run.plan[0]

    def open(self, bench_file: BenchFile) -> None:
        """Go over to another bench file; the one before is closed."""
        before = self.file
        self._take_over(bench_file)
        before.close()
        self._announce_all()

    def close(self) -> None:
        self.file.close()

    def reload(self) -> None:
        """Take in what another window has written meanwhile; what is looked at stays."""
        looked_at = self.run_id, self.overlay_id, self._channel, self.note
        self._take_over(self.file)
        known = {run.id for run in self.runs}
        self.run_id = looked_at[0] if looked_at[0] in known else self.run_id
        self.overlay_id = looked_at[1] if looked_at[1] in known else None
        self._channel = looked_at[2] if looked_at[2] in self.bench.channels else self._channel
        self.note = looked_at[3]
        self._announce_all()

    def _announce_all(self) -> None:
        self.bench_changed.emit()
        self.runs_changed.emit()
        self.run_changed.emit()
        self.note_changed.emit()

    # -- the document ------------------------------------------------------------------------------

    def apply(self, change: Change) -> None:
        """Store a change as a revision and announce it."""
        if change.bench == self.bench:
            return
        self.file.record(change.label, change.bench)
        self._document_is(change.bench)

    def undo(self) -> None:
        label = self.file.undo_label()
        self._document_is(sharing(self.file.undo(), self.bench))
        self.said.emit(f"Undone: {label}.", False)

    def redo(self) -> None:
        label = self.file.redo_label()
        self._document_is(sharing(self.file.redo(), self.bench))
        self.said.emit(f"Done again: {label}.", False)

    def _document_is(self, bench: Bench) -> None:
        self.bench = bench
        if self._channel not in self.bench.channels:
            self._channel = next(iter(self.bench.channels), None)
        self.bench_changed.emit()

    # -- channels and links ------------------------------------------------------------------------

    @property
    def channel(self) -> tuple[PortRef, str] | None:
        """The output and the unit looked at."""
        return self._channel

    def set_channel(self, channel: tuple[PortRef, str]) -> None:
        if channel == self._channel:
            return
        self._channel = channel
        mine = self.runs_of(channel)
        self.run_id = mine[0].id if mine else None
        self.overlay_id = None
        self.run_changed.emit()
        self.bench_changed.emit()

    @property
    def link(self) -> Link | None:
        return None if self._channel is None else self.bench.link_from(self._channel[0])

    def head(self) -> HeadRecord:
        """What turns notes into codes for the channel looked at: the correction in force, or nominal."""
        return HeadRecord() if self._channel is None else self.head_of(*self._channel)

    def head_of(self, output: PortRef, serial: str) -> HeadRecord:
        adopted = self.in_force((output, serial))
        return HeadRecord() if adopted is None else adopted.head

    def in_force(self, channel: tuple[PortRef, str] | None = None) -> AdoptionRecord | None:
        chosen = channel or self._channel
        if chosen is None:
            return None
        return in_force(self.adoptions, *chosen)

    def chain(self) -> LinkChain | None:
        """The chain of the link that starts at the channel looked at, None where there is no link."""
        link = self.link
        return None if link is None else link_chain(self.bench, link, self.head())

    def followed_pair(self) -> tuple[PortRef, PortRef] | None:
        """The pair that is looked at; without one the link of the channel that is measured, to its first input."""
        if self.judge.pair is not None:
            return self.judge.pair
        link = self.link
        return None if link is None or not link.inputs else (link.output, link.inputs[0])

    def followed_unit(self, output: PortRef) -> str:
        """The specimen that is looked at where it is of the output's gear, else the first."""
        if self._channel is not None and self._channel[0].gear == output.gear:
            return self._channel[1]
        return next((unit.serial for unit in self.bench.gear_by(output.gear).units), "")

    def pair_chain(self, output: PortRef, sink: PortRef) -> LinkChain:
        """The chain of a pair, joined or not."""
        from dynamis.bench.judging.pairs import trial_link

        link = trial_link(self.bench.link_from(output), output, sink)
        return link_chain(self.bench, link, self.head_of(output, self.followed_unit(output)), sink)

    # -- runs and readings -------------------------------------------------------------------------

    def runs_of(self, channel: tuple[PortRef, str]) -> list[RunRecord]:
        return [run for run in self.runs if (run.channel, run.serial) == channel]

    @property
    def run(self) -> RunRecord | None:
        return next((run for run in self.runs if run.id == self.run_id), None)

    def analysis(self, run_id: str | None = None) -> RunAnalysis | None:
        """The judgement of a run (the one looked at by default); kept until its readings change."""
        wanted = run_id or self.run_id
        run = next((one for one in self.runs if one.id == wanted), None)
        if run is None:
            return None
        if run.id not in self._analyses:
            if run.id not in self._rows:
                self._rows[run.id] = self.file.readings(run.id)
            self._analyses[run.id] = analyse(run, self._rows[run.id])
        return self._analyses[run.id]

    @property
    def way(self) -> Correction | None:
        """The way to correct that is chosen, of the run looked at."""
        judged = self.analysis()
        if judged is None or not judged.ways:
            return None
        return judged.way(self.way_kind) or judged.ways[0]

    def choose_way(self, kind: str) -> None:
        if kind != self.way_kind:
            self.way_kind = kind
            self.run_changed.emit()

    def look_at(self, run_id: str) -> None:
        run = next(one for one in self.runs if one.id == run_id)
        self.run_id = run_id
        if self.overlay_id == run_id:
            self.overlay_id = None
        if (run.channel, run.serial) != self._channel:
            self.overlay_id = None
            self._channel = (run.channel, run.serial)
            self.bench_changed.emit()
        self.run_changed.emit()

    def overlay(self, run_id: str | None) -> None:
        """Lay another run over the one looked at, or none."""
        self.overlay_id = None if run_id in (self.overlay_id, self.run_id) else run_id
        self.run_changed.emit()

    def begin_run(self, run: RunRecord) -> RunRecord:
        """Store a new run and look at it; raises `InputError` for one that could not be judged."""
        check_run(run)
        added = self.file.add_run(run)
        self.runs = self.file.runs()
        self._channel = (added.channel, added.serial)
        self.run_id, self.overlay_id = added.id, None
        if added.plan:
            self.note = added.plan[0]
        self._announce_all()
        return added

    def fresh_run_id(self, title: str) -> str:
        return new_id(title, {run.id for run in self.runs})

    def take(self, note: float, value: float, own: float = 0.0) -> None:
        """Store one reading of the run looked at; the thread goes on to the next note of the plan."""
        self.take_all([(note, value, own)])

    def take_all(self, readings: Sequence[tuple[float, float, float]]) -> None:
        """Store readings (note, value, own uncertainty), all or none."""
        run = self.run
        if run is None:
            raise InputError("There is no run to take readings for; begin one first.")
        converter = dac_if_known("converter", run.converter)
        codes = codes_of(run, converter, [note for note, _, _ in readings])
        rows = [
            (note, value, None if codes is None else int(codes[k]), own)
            for k, (note, value, own) in enumerate(readings)
        ]
        # A reading that the law gives no pitch must be refused before it is stored: rows are never edited.
        check_readings(run, [note for note, _, _ in readings], [value for _, value, _ in readings])
        self.file.add_readings(run.id, rows)
        known = self._rows.get(run.id)
        if known is not None:
            known += self.file.readings(run.id, known[-1].number if known else 0)
        self._readings_changed(go_on=True)

    def reading_arrived(self, run_id: str) -> None:
        """A reading of a run was stored by the devices' thread: show it, and go to the next note."""
        known = self._rows.get(run_id)
        if known is not None:
            known += self.file.readings(run_id, known[-1].number if known else 0)
        self._analyses.pop(run_id, None)
        if run_id == self.run_id:
            self._readings_changed(go_on=True)

    def sends_changed(self) -> None:
        """Something was sent to a board."""
        self.sends = self.file.sends()
        self.runs_changed.emit()
        self.bench_changed.emit()

    def void(self, ids: Iterable[int], reason: str) -> None:
        for one in ids:
            self.file.set_void(one, True, reason)
        self._rows.clear()
        self._readings_changed()

    def unvoid(self, ids: Iterable[int]) -> None:
        for one in ids:
            self.file.set_void(one, False, "")
        self._rows.clear()
        self._readings_changed()

    def _readings_changed(self, *, go_on: bool = False) -> None:
        if self.run_id is not None:
            self._analyses.pop(self.run_id, None)
        judged = self.analysis()
        following = judged.next_note if go_on and judged is not None else None
        moved = following is not None and following != self.note
        if following is not None:
            self.note = following
        self.run_changed.emit()
        if moved:
            self.note_changed.emit()

    def adopt(self, way: Correction) -> AdoptionRecord:
        """Adopt a way to correct for the channel of the unit of the run looked at."""
        judged = self.analysis()
        if judged is None:
            raise InputError("There is no run to adopt a correction of.")
        adoption = adoption_of(judged, way, now())
        self.file.adopt(adoption)
        self._adoptions_changed()
        return adoption

    def withdraw(self) -> None:
        """Take the adoption in force back by a counter-entry: nominal values hold again."""
        adopted = self.in_force()
        if adopted is None:
            raise InputError("No correction is in force for this channel.")
        self.file.adopt(withdrawal_of(adopted, now()))
        self._adoptions_changed()

    def _adoptions_changed(self) -> None:
        self.adoptions = self.file.adoptions()
        self.runs_changed.emit()
        self.run_changed.emit()
        self.bench_changed.emit()

    # -- what is looked at -------------------------------------------------------------------------

    def set_note(self, note: float) -> None:
        note = min(127.0, max(0.0, note))
        if note != self.note:
            self.note = note
            self.note_changed.emit()

    def step_note(self, semitones: int) -> None:
        self.set_note(round(self.note) + semitones)

    @property
    def style(self) -> Style:
        return self.preferences.style

    def set_preferences(self, preferences: Preferences) -> None:
        shown = {"recent": (), "last": None, "board_port": "", "meter_address": "", "window": None, "maximised": False}
        changed = replace(preferences, **shown) != replace(self.preferences, **shown)
        self.preferences = preferences
        if self._keep_preferences:
            sentence = save_preferences(preferences)
            if sentence:
                self.said.emit(sentence, True)
        if changed:
            self.preferences_changed.emit()

    def remember(self, path: Path, most: int = 8) -> None:
        """Put a bench first among the recent ones."""
        kept = [one for one in self.preferences.recent if one != str(path)]
        self.set_preferences(replace(self.preferences, recent=(str(path), *kept)[:most], last=str(path)))


def _channel(run: RunRecord) -> tuple[str, str, str]:
    return run.gear, run.serial, run.port
