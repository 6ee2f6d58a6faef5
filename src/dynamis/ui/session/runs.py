"""Runs, their readings, and what was adopted and sent: rows that are appended and never edited."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from dynamis.bench.chains.port_transfers import dac_if_known
from dynamis.bench.document.commands import new_id
from dynamis.bench.document.limits import CELSIUS
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.record_checks import check_run, within
from dynamis.bench.document.records import (
    AdoptionRecord,
    HeadRecord,
    ReadingRecord,
    RunRecord,
    SendRecord,
    heads_in_force,
    in_force,
    runs_of,
)
from dynamis.bench.runs.analysis import RunAnalysis, adoption_of, analyse, check_readings, codes_of, withdrawal_of
from dynamis.calibration.correction_types import Correction
from dynamis.errors import InputError
from dynamis.files.merging import with_units_of
from dynamis.files.stored import now
from dynamis.ui.session.document import Document
from dynamis.ui.session.notices import Notices
from dynamis.ui.session.selection import Channel, Selection


class Runs:
    """all : the runs of the bench, in the order in which they came.  adoptions, sends : as they are stored.
    celsius : what readings that are taken now are stored with, None where nobody said."""

    def __init__(self, document: Document, selection: Selection, notices: Notices) -> None:
        self._document, self._selection, self._notices = document, selection, notices
        self.celsius: float | None = None
        self.take_over()

    def take_over(self) -> None:
        """Read them anew from the file."""
        file = self._document.file
        self.all: list[RunRecord] = file.runs()
        self.adoptions: list[AdoptionRecord] = file.adoptions()
        self.sends: list[SendRecord] = file.sends()
        self._analyses: dict[str, RunAnalysis] = {}
        self._rows: dict[str, list[ReadingRecord]] = {}

    # -- what is in force ----------------------------------------------------------------------------

    def in_force(self, channel: Channel | None = None) -> AdoptionRecord | None:
        chosen = channel or self._selection.channel
        return None if chosen is None else in_force(self.adoptions, *chosen)

    def head(self, channel: Channel | None = None) -> HeadRecord:
        """What turns notes into codes (by default for the channel looked at): the correction in force, or nominal."""
        adopted = self.in_force(channel)
        return HeadRecord() if adopted is None else adopted.head

    def head_of(self, ref: PortRef) -> HeadRecord:
        """What is in force for an output, of the unit that is looked at or else of none."""
        chosen = self._selection.channel
        mine = [one for one in self.adoptions if (one.gear, one.port) == (ref.gear, ref.port)]
        serial = chosen[1] if chosen is not None and chosen[0].gear == ref.gear else mine[-1].serial if mine else ""
        return self.head((ref, serial))

    def heads(self, serial: str) -> dict[PortRef, HeadRecord]:
        """What is in force for every output, of the unit of a serial where its gear has that one."""
        return heads_in_force(self.adoptions, serial)

    def adopt(self, correction: Correction) -> AdoptionRecord:
        """Adopt a correction for the channel of the unit of the run looked at."""
        judged = self.analysis()
        if judged is None:
            raise InputError("There is no run to adopt a correction of.")
        adoption = adoption_of(judged, correction, now())
        self._document.file.adopt(adoption)
        self._adoptions_changed()
        return adoption

    def withdraw(self) -> None:
        """Take the adoption in force back by a counter-entry: nominal values hold again."""
        adopted = self.in_force()
        if adopted is None:
            raise InputError("No correction is in force for this channel.")
        self._document.file.adopt(withdrawal_of(adopted, now()))
        self._adoptions_changed()

    def _adoptions_changed(self) -> None:
        self.adoptions = self._document.file.adoptions()
        self._notices.runs_changed.emit()
        self._notices.run_changed.emit()
        self._notices.bench_changed.emit()

    def sends_changed(self) -> None:
        """Something was sent to a board."""
        self.sends = self._document.file.sends()
        self._notices.runs_changed.emit()
        self._notices.bench_changed.emit()

    # -- runs ----------------------------------------------------------------------------------------

    def of(self, channel: Channel) -> list[RunRecord]:
        """The runs of a channel of a unit."""
        return runs_of(self.all, *channel)

    def begin(self, run: RunRecord) -> RunRecord:
        """Store a new run and look at it; raises `InputError` for one that could not be judged."""
        check_run(run)
        added = self._document.file.add_run(run)
        self.all = self._document.file.runs()
        self._selection.runs_are(self.all)
        self._selection.begun(added)
        self._notices.bench_changed.emit()
        self._notices.runs_changed.emit()
        self._notices.run_changed.emit()
        self._notices.note_changed.emit()
        return added

    def came(self) -> None:
        """Runs came from another bench; units that they were taken of stand in it from now on."""
        self.take_over()
        self._document.apply(with_units_of(self._document.bench, self.all))
        self._selection.runs_are(self.all)
        for notice in (self._notices.runs_changed, self._notices.run_changed, self._notices.bench_changed):
            notice.emit()

    def fresh_id(self, title: str) -> str:
        return new_id(title, {run.id for run in self.all})

    def analysis(self, run_id: str | None = None) -> RunAnalysis | None:
        """The judgement of a run (the one looked at by default); kept until its readings change."""
        wanted = run_id or self._selection.run_id
        run = next((one for one in self.all if one.id == wanted), None)
        if run is None:
            return None
        if run.id not in self._analyses:
            if run.id not in self._rows:
                self._rows[run.id] = self._document.file.readings(run.id)
            self._analyses[run.id] = analyse(run, self._rows[run.id])
        return self._analyses[run.id]

    @property
    def correction(self) -> Correction | None:
        """The correction that is chosen, of the run looked at."""
        judged = self.analysis()
        if judged is None or not judged.corrections:
            return None
        return judged.correction(self._selection.correction_kind) or judged.corrections[0]

    # -- readings ------------------------------------------------------------------------------------

    def take(self, note: float, value: float, own: float = 0.0) -> None:
        """Store one reading of the run looked at; the thread goes on to the next note of the plan."""
        self.take_all([(note, value, own)])

    def take_all(self, readings: Sequence[tuple[float, float, float]]) -> None:
        """Store readings (note, value, own uncertainty), all or none."""
        run = self._selection.run
        if run is None:
            raise InputError("There is no run to take readings for; begin one first.")
        notes = [note for note, _, _ in readings]
        codes = codes_of(run, dac_if_known("converter", run.converter), notes)
        rows = [
            (note, value, None if codes is None else int(codes[k]), own)
            for k, (note, value, own) in enumerate(readings)
        ]
        # A reading that the law gives no pitch must be refused before it is stored: rows are never edited.
        check_readings(run, notes, [value for _, value, _ in readings])
        self._document.file.add_readings(run.id, rows, celsius=[self.celsius] * len(rows))
        self._read_on(run.id)
        self._readings_changed(go_on=True)

    def set_celsius(self, celsius: float | None) -> None:
        """The temperature from now on; raises `InputError` where it is none of a bench."""
        if celsius is not None:
            within("The temperature", celsius, *CELSIUS, "°C")
        self.celsius = celsius

    def reading_arrived(self, run_id: str) -> None:
        """A reading of a run was stored by the devices' thread: show it, and go to the next note."""
        self._read_on(run_id)
        self._analyses.pop(run_id, None)
        if run_id == self._selection.run_id:
            self._readings_changed(go_on=True)

    def _read_on(self, run_id: str) -> None:
        """Read the rows that were added since."""
        known = self._rows.get(run_id)
        if known is not None:
            known += self._document.file.readings(run_id, known[-1].number if known else 0)

    def void(self, ids: Iterable[int], reason: str) -> None:
        self._set_void(ids, True, reason)

    def unvoid(self, ids: Iterable[int]) -> None:
        self._set_void(ids, False, "")

    def _set_void(self, ids: Iterable[int], void: bool, reason: str) -> None:
        for reading_id in ids:
            self._document.file.set_void(reading_id, void, reason)
        self._rows.clear()
        self._readings_changed()

    def _readings_changed(self, *, go_on: bool = False) -> None:
        run_id = self._selection.run_id
        if run_id is not None:
            self._analyses.pop(run_id, None)
        judged = self.analysis()
        following = judged.next_note if go_on and judged is not None else None
        moved = following is not None and following != self._selection.note
        if following is not None:
            self._selection.note = following
        self._notices.run_changed.emit()
        if moved:
            self._notices.note_changed.emit()
