"""Take a run's readings by itself: play, let it settle, read, store; pause on trouble and go on when told.

Runs in any thread and knows nothing of windows or files: readings go to `store`, what happens to `tell`.
The output is safe whenever nothing is being read: while paused, after the end, after any trouble.
"""

from __future__ import annotations

import contextlib
import math
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.passes import left_of
from dynamis.devices.interface import DeviceError, Measurand, Meter, Player, Shown
from dynamis.errors import InputError
from dynamis.notation.style import plain

State = Literal["connecting", "settling", "reading", "stored", "paused", "done", "cancelled"]


@dataclass(frozen=True)
class Settling:
    """How long to wait after a new note before the first reading counts.

    seconds : after any note.  seconds_per_volt : besides, for the size of the jump.
    between_seconds : from one reading to the next; a fast meter would agree with itself on the way.
    most_tries : how often it is read until two readings in a row agree.
    """

    seconds: float = 0.15
    seconds_per_volt: float = 0.06
    between_seconds: float = 0.06
    most_tries: int = 12

    def wait(self, jump_volts: float) -> float:
        return self.seconds + self.seconds_per_volt * abs(jump_volts)


@dataclass(frozen=True)
class Job:
    """What is to be read.

    notes : in order, the first one repeated at the end where that is wanted.  agree : how far two readings in a row may
    lie apart, in volts, or for hertz as a fraction.  jump_volts : about how far the output moves to each of the notes.
    following : where what is read decides what is read next, the note after the last one with the size of its jump and
    about how many are to go, or None.
    """

    notes: tuple[float, ...]
    quantity: Measurand
    full_scale_volts: float | None
    agree: float
    jump_volts: tuple[float, ...]
    settling: Settling = Settling()
    following: Callable[[], Following | None] | None = None


@dataclass(frozen=True)
class Following:
    """A note that is read next.  to_go : about how many are left, it included."""

    note: float
    jump_volts: float
    to_go: int


@dataclass(frozen=True)
class Taken:
    """One reading: the note, the code that was set for it where one is known, and what was shown."""

    note: float
    code: int | None
    shown: Shown


@dataclass(frozen=True)
class Progress:
    """Where the taking stands.  done, count : readings stored, and all.  sentence : the trouble, while paused."""

    state: State
    done: int
    count: int
    note: float | None = None
    sentence: str = ""


class Cancelled(Exception):  # noqa: N818  # not an error: somebody said stop
    """The taking was told to end."""


class Control:
    """Pause, go on, cancel; from any thread."""

    _SLICE: Final = 0.05

    def __init__(self) -> None:
        self._change = threading.Condition()
        self._paused = self._cancelled = False

    def pause(self) -> None:
        with self._change:
            self._paused = True
            self._change.notify_all()

    def go_on(self) -> None:
        with self._change:
            self._paused = False
            self._change.notify_all()

    def cancel(self) -> None:
        with self._change:
            self._cancelled = True
            self._change.notify_all()

    @property
    def paused(self) -> bool:
        return self._paused

    @property
    def cancelled(self) -> bool:
        return self._cancelled

    def wait(self, seconds: float) -> None:
        """Wait, at most so long; raises `Cancelled`, returns early when paused."""
        with self._change:
            self._change.wait_for(lambda: self._paused or self._cancelled, seconds)
        self.check()

    def check(self) -> None:
        if self._cancelled:
            raise Cancelled

    def until(self, what: Callable[[], bool]) -> bool:
        """Wait for something that `notify` may have changed; False when paused meanwhile.  Raises `Cancelled`."""
        with self._change:
            self._change.wait_for(lambda: what() or self._paused or self._cancelled)
        self.check()
        return not self._paused

    def notify(self) -> None:
        """What somebody waits for may be there."""
        with self._change:
            self._change.notify_all()

    def until_told(self) -> None:
        """Wait while paused; raises `Cancelled`."""
        with self._change:
            self._change.wait_for(lambda: not self._paused or self._cancelled)
        self.check()


class _Taking:
    def __init__(
        self,
        job: Job,
        player: Player,
        meter: Meter,
        control: Control,
        store: Callable[[Taken], None],
        tell: Callable[[Progress], None],
        sleep: Callable[[float], None],
    ) -> None:
        self._job, self._player, self._meter, self._control = job, player, meter, control
        self._store, self._tell_progress, self._sleep = store, tell, sleep
        self._notes, self._jumps = list(job.notes), list(job.jump_volts)
        self._count = len(self._notes)
        self._done = 0
        self._ready = False
        self._unstored: Taken | None = None

    def tell(self, state: State, sentence: str = "") -> None:
        note = self._notes[self._done] if self._done < len(self._notes) else None
        self._tell_progress(Progress(state, self._done, max(self._count, self._done), note, sentence))

    def run(self) -> None:
        try:
            while self._done < len(self._notes) or self._goes_on():
                self._control.check()
                if self._control.paused:
                    self._hold("")
                    continue
                try:
                    self._next()
                except InputError as error:
                    self._control.pause()
                    self._hold(str(error))
            self._make_safe()
            self.tell("done")
        except Cancelled:
            self._make_safe()
            self.tell("cancelled")
        except BaseException:
            self._make_safe()
            raise

    def _goes_on(self) -> bool:
        """Whether what was read asks for another note, which is then the next."""
        following = None if self._job.following is None else self._job.following()
        if following is None:
            return False
        self._notes.append(following.note)
        self._jumps.append(following.jump_volts)
        self._count = self._done + following.to_go
        return True

    def _hold(self, sentence: str) -> None:
        """Outputs safe, say why, and wait until told."""
        self._make_safe()
        self._ready = False
        self.tell("paused", sentence)
        self._control.until_told()

    def _make_safe(self) -> None:
        # A board that cannot be reached takes care of itself: it goes safe on silence.
        with contextlib.suppress(DeviceError):
            self._player.make_safe()

    def _next(self) -> None:
        if self._unstored is None:
            if not self._ready:
                self.tell("connecting")
                self._prepare()
            taken = self._read_note(self._done)
            if taken is None:
                return  # paused meanwhile: this note is played again
            self._unstored = taken
        self._store(self._unstored)
        self._unstored = None
        self._done += 1
        self.tell("stored")

    def _prepare(self) -> None:
        self._player.recover()
        self._meter.recover()
        self._meter.prepare(self._job.quantity, self._job.full_scale_volts)
        self._ready = True

    def _read_note(self, index: int) -> Taken | None:
        job = self._job
        note = self._notes[index]
        self.tell("settling")
        code = self._player.play(note)
        self._sleep(job.settling.wait(self._jumps[index]))
        self.tell("reading")
        before: float | None = None
        apart = 0.0
        for _ in range(job.settling.most_tries):
            self._control.check()
            if self._control.paused:
                return None
            shown = self._meter.read()
            if self._meter.tells_steady:
                return Taken(note, code, shown)
            if before is not None:
                apart = abs(shown.value - before)
                if apart <= job.agree * (1.0 if job.quantity == "volts" else abs(shown.value)):
                    return Taken(note, code, shown)
            before = shown.value
            self._sleep(job.settling.between_seconds)
        unit = "V" if job.quantity == "volts" else "Hz"
        raise DeviceError(
            "unsettled",
            f"The reading at note {plain(note)} does not settle; it still moves by {apart:.2g} {unit} from one to the "
            "next: check the contact and the ground, wait for the unit to warm, then go on.",
        )


def take_readings(
    job: Job,
    player: Player,
    meter: Meter,
    *,
    control: Control,
    store: Callable[[Taken], None],
    tell: Callable[[Progress], None],
    sleep: Callable[[float], None] | None = None,
) -> None:
    """Read every note of a job.

    Ends with `done` or `cancelled` told; trouble is told as `paused` with its sentence, and waits.  A reading
    that could not be stored is kept and stored again.  What is not an `InputError` is raised, outputs safe.
    """
    _Taking(job, player, meter, control, store, tell, sleep or control.wait).run()


# Two readings agree when they lie no further apart than this: counts of a meter, and a fraction of a frequency.
_AGREE_COUNTS: Final = 3.0
_AGREE_HERTZ: Final = 1e-4
_UNKNOWN_METER_VOLTS: Final = 0.5e-3


def job_of(
    judged: RunAnalysis,
    *,
    settling: Settling = Settling(),
    judge: Callable[[], RunAnalysis] | None = None,
) -> Job:
    """What is left to read of a run: notes that decide what is open, those of its plan without a reading, then its
    first note once more; where as few as will do are read, one note, and what follows from it.

    judge : the run with the readings that have come meanwhile.

    Raises `InputError` where nothing is left.
    """
    run = judged.run
    asks = () if judged.shape is None or run.codes else judged.shape.asks
    unread = [note for note in left_of(run, (row.note for row in judged.valid)) if note not in asks]
    left = [*asks, *unread]
    few = judged.planned is not None
    if few:
        left, unread = [] if judged.next_note is None else [judged.next_note], []
    if not left:
        raise InputError("All notes of this run are read; begin a new run to take them afresh.")
    notes = (*left, run.plan[0]) if unread and run.passes == 1 else tuple(left)
    jumps = np.abs(np.diff(volts_of(run, notes), prepend=0.0))
    meter = run.meter
    resolution = _UNKNOWN_METER_VOLTS / _AGREE_COUNTS if meter is None else meter.resolution_volts
    full_scale = None if meter is None else meter.full_scale_volts
    return Job(
        notes,
        run.quantity,
        full_scale,
        _agree(run, resolution),
        tuple(jumps.tolist()),
        settling,
        None if judge is None or not few else lambda: _following(judge()),
    )


def _agree(run: RunRecord, resolution_volts: float) -> float:
    """How far two readings in a row may lie apart; of a held code any, since what differs is what is looked for."""
    if run.holds:
        return math.inf
    return _AGREE_COUNTS * resolution_volts if run.quantity == "volts" else _AGREE_HERTZ


def volts_of(run: RunRecord, notes: Sequence[float]) -> NDArray[np.float64]:
    """The volts that stand for notes by the law of a run; shape (N,)."""
    law = run.model.law
    return law.volts(run.model.tuning.octaves(np.asarray(notes), law.reference_note))


def _following(judged: RunAnalysis) -> Following | None:
    """What is read next of a run that chooses by what was read."""
    note, planned = judged.next_note, judged.planned
    if note is None or planned is None:
        return None
    last = judged.valid[-1].note if judged.valid else note
    jump = float(np.abs(np.diff(volts_of(judged.run, (last, note)))[0]))
    return Following(note, jump, max(1, planned.to_go))
