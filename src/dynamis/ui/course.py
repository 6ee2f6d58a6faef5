"""What the window does with devices for the run and the channel looked at: take, send, and the whole course."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, Signal

from dynamis.bench.chains.port_transfers import dac_if_known
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord, HeldRecord, PlayerKind, ReaderKind, RunRecord, SendRecord
from dynamis.bench.runs.analysis import analyse, codes_of
from dynamis.bench.runs.boards import board_letter, channel_correction, difference_sentence, run_correction
from dynamis.bench.runs.outputs import aim_of, output_channel
from dynamis.bench.runs.proving import Course, StepKey, course_of, next_run
from dynamis.bench.runs.who import player_of, reader_of
from dynamis.converter.firmware import BoardCorrection
from dynamis.devices.interface import Board, Meter, Player
from dynamis.devices.taking import Settling, Taken, job_of, volts_of
from dynamis.errors import InputError
from dynamis.files.stored import now
from dynamis.ui.devices.connections import KINDS, NAMES
from dynamis.ui.devices.devices import Devices

if TYPE_CHECKING:
    from dynamis.devices.by_hand import Hand
    from dynamis.notation.style import Style
from dynamis.ui.session.session import Session
from dynamis.ui.simulated import SimulatedBench


class CourseRunner(QObject):
    """Correct and prove, step by step or all by itself.

    changed : where the course stands may be another.  said : a sentence, and whether it is a refusal.
    """

    changed = Signal()
    said = Signal(str, bool)
    connect_wanted = Signal()

    def __init__(self, session: Session, devices: Devices) -> None:
        super().__init__()
        self._session, self.devices = session, devices
        self.by_itself = False
        self.simulated = SimulatedBench()
        self.settling = Settling()
        self._chosen: dict[str, tuple[PlayerKind, ReaderKind]] = {}
        devices.changed.connect(self.changed)
        devices.ended.connect(self._ended)
        devices.taken.connect(session.runs.reading_arrived)
        session.runs_changed.connect(self.changed)

    @property
    def style(self) -> Style:
        return self._session.style

    # -- the board ---------------------------------------------------------------------------------

    def letter(self) -> str | None:
        """The connected board's letter for the channel looked at; None where its unit is not connected."""
        channel = self._session.selection.channel
        return None if channel is None else self._letter_of(*channel)

    def _letter_of(self, channel: PortRef, serial: str) -> str | None:
        board = self.devices.board
        if board is None or board.identity.unit != serial:
            return None
        try:
            return board_letter(self._session.bench, channel, board.identity.channels)
        except InputError:
            return None

    def held(self) -> BoardCorrection | None:
        """What the connected board holds for the channel looked at."""
        letter = self.letter()
        return None if letter is None else self.devices.held.get(letter)

    def difference(self) -> str | None:
        """Where board and bench differ for the channel looked at; None where they agree or nothing is connected."""
        session, held = self._session, self.held()
        if held is None or session.selection.channel is None:
            return None
        try:
            return difference_sentence(
                session.bench,
                session.selection.channel[0],
                session.runs.head(),
                held,
                session.runs.adoptions,
                session.runs.sends,
            )
        except InputError:
            return None

    def send_in_force(self) -> None:
        """Send what is in force for the channel looked at."""
        session = self._session
        if session.selection.channel is None:
            raise InputError("There is no channel to send a correction to.")
        head = session.runs.head()
        self._send(channel_correction(session.bench, session.selection.channel[0], head), head)

    def put_back(self, sent: SendRecord) -> None:
        """Send what a board held before a sending; a sending of its own, not an undo."""
        self._send(sent.before.correction, None)

    def _send(self, correction: BoardCorrection, head: HeadRecord | None) -> None:
        session, letter = self._session, self.letter()
        if letter is None or session.selection.channel is None:
            raise InputError(self._not_connected())
        (ref, serial), file = session.selection.channel, session.document.file
        if session.document.file.read_only:
            raise InputError(session.document.file.read_only)

        def record(before: BoardCorrection, verified: bool) -> None:
            file.add_send(
                SendRecord(
                    0,
                    ref.gear,
                    serial,
                    ref.port,
                    now(),
                    HeldRecord.of(before),
                    HeldRecord.of(correction),
                    head,
                    verified,
                )
            )

        self.devices.send(
            serial, letter, correction, lambda before: record(before, False), lambda before: record(before, True)
        )

    def _not_connected(self, run: RunRecord | None = None) -> str:
        board = self.devices.board
        channel = self._session.selection.channel if run is None else (run.channel, run.serial)
        if board is None or channel is None:
            return "Connect the board first; the Devices page (Ctrl+D) asks for its port."
        return (
            f"Unit {board.identity.unit} is connected; unit {channel[1]} is looked at. Plug that one in, or look at "
            "the other."
        )

    # -- the run -----------------------------------------------------------------------------------

    def choose(self, player: PlayerKind, reader: ReaderKind) -> None:
        """Say who plays and who reads what is left of the run looked at."""
        run = self._session.selection.run
        if run is not None:
            self._chosen[run.id] = (player, reader)

    def chosen(self, run: RunRecord) -> tuple[PlayerKind, ReaderKind]:
        """Who plays and who reads a run: as it was begun, or as was said since."""
        return self._chosen.get(run.id, (player_of(run), reader_of(run)))

    def why_not(self, run: RunRecord) -> str:
        """Why a run cannot be taken with whom was chosen; empty where it can be."""
        player, reader = self.chosen(run)
        devices = self.devices
        if player == reader == "hand":
            return "Both are by hand: type the readings, or choose what plays or reads by itself."
        if player == "board" and self._letter_of(run.channel, run.serial) is None:
            return self._not_connected(run)
        if player == "outputs":
            try:
                output_channel(self._session.bench, run)
            except InputError as error:
                return str(error)
        for kind in (player, reader):
            if kind in KINDS and not devices.connected(kind):
                return f"Connect the {NAMES[kind]} first; the Devices page (Ctrl+D) asks for its address."
        return ""

    def take_the_rest(self) -> None:
        """Take what is left of the run looked at by itself."""
        session = self._session
        judged, run = session.runs.analysis(), session.selection.run
        if judged is None or run is None:
            raise InputError("There is no run to take readings for; begin one first.")
        why = self.why_not(run)
        if why:
            if self.chosen(run) != ("hand", "hand"):
                self.connect_wanted.emit()
            raise InputError(why)
        if session.document.file.read_only:
            raise InputError(session.document.file.read_only)
        file = session.document.file
        job = job_of(judged, settling=self.settling, judge=lambda: analyse(run, file.readings(run.id)))

        def store(taken: Taken) -> None:
            code = taken.code
            if code is None and run.converter is not None:
                known = codes_of(run, dac_if_known("converter", run.converter), [taken.note])
                code = None if known is None else int(known[0])
            row = (taken.note, taken.shown.value, code, taken.shown.deviation)
            file.add_readings(run.id, [row], ranges=[taken.shown.range_volts], celsius=[session.runs.celsius])

        self.devices.take(
            run.id, job, store, lambda hand, note: (self.player(run, hand), self._reader(run, hand, note))
        )

    def player(self, run: RunRecord, hand: Hand) -> Player:
        """Who was chosen to play a run."""
        from dynamis.devices.by_hand import HandPlayer
        from dynamis.devices.players import BoardPlayer, OutputsPlayer, SourcePlayer

        devices, (kind, _) = self.devices, self.chosen(run)
        letter = self._letter_of(run.channel, run.serial)
        if kind == "board" and devices.board is not None and letter is not None:
            if run.codes:
                return self._code_player(run, devices.board, letter)
            wanted = None if run.head.kind == "nominal" else run_correction(run)
            return BoardPlayer(devices.board, letter, run.serial, None if wanted is None else wanted.hash)
        if kind == "source" and devices.source is not None:
            volts = lambda note: float(volts_of(run, [note])[0])  # noqa: E731
            return SourcePlayer(devices.source, volts, self._bears(run))
        if kind == "midi" and devices.midi is not None:
            return devices.midi
        if kind == "outputs" and devices.outputs is not None:
            aim, scale = aim_of(run)
            bears = (None, None) if run.side == "output" else self._bears(run)
            return OutputsPlayer(lambda: devices.outputs, output_channel(self._session.bench, run), aim, scale, bears)
        return HandPlayer(hand)

    def _bears(self, run: RunRecord) -> tuple[float | None, float | None]:
        """What the input that a run is of bears."""
        bears = self._session.bench.port(run.channel).bears
        return bears.low, bears.high

    def _code_player(self, run: RunRecord, board: Board, letter: str) -> Player:
        from dynamis.devices.players import CodePlayer

        others = "".join(one for one in board.identity.channels if one != letter) if run.others_move else ""
        codes = dict(zip(run.plan, run.codes, strict=True))
        return CodePlayer(board, letter, run.serial, codes, others)

    def _reader(self, run: RunRecord, hand: Hand, note: Callable[[], float]) -> Meter:
        from dynamis.devices.by_hand import HandMeter

        devices, (_, kind) = self.devices, self.chosen(run)
        meter = {"meter": devices.meter, "sound": devices.sound}.get(kind)
        return meter or HandMeter(hand, note)

    def with_devices(self, run: RunRecord) -> RunRecord:
        """A run to begin, with what reads it and what the connected board holds for its channel."""
        letter, (player, reader) = self._letter_of(run.channel, run.serial), self.chosen(run)
        held = None if letter is None or player != "board" else self.devices.held.get(letter)
        meter = {"meter": self.devices.meter, "sound": self.devices.sound}.get(reader)
        if player == "board" and (held is None or meter is None):
            return run
        return msgspec.structs.replace(
            run,
            held_hash=None if held is None else held.hash,
            meter_identity="" if meter is None else meter.identity,
        )

    # -- the course --------------------------------------------------------------------------------

    def course(self) -> Course | None:
        """Where the channel looked at stands; None without a channel."""
        session = self._session
        if session.selection.channel is None or not session.bench.has(session.selection.channel[0]):
            return None
        if session.bench.port(session.selection.channel[0]).direction == "input":
            return None  # its trimmers are turned by hand; nothing is sent
        ref, held = session.selection.channel[0], self.held()

        def hash_of(head: HeadRecord) -> str:
            return channel_correction(session.bench, ref, head).hash

        board_hash = None if held is None else held.hash
        like = self._like_or_none(session.selection.channel)
        if like is not None and self.chosen(like)[0] == "outputs" and self.devices.outputs is not None:
            board_hash = hash_of(session.runs.head())  # the program itself holds what is in force
        try:
            return course_of(
                [run for run in session.runs.of(session.selection.channel) if not run.codes],
                session.runs.analysis,
                session.runs.in_force(),
                board_hash=board_hash,
                hash_of=hash_of,
                style=session.style,
            )
        except InputError as error:
            return Course("found", "nothing", str(error))

    def stands_at(self, step: StepKey | None) -> bool:
        """Whether this step comes next; None: whether all is done."""
        course = self.course()
        return course is not None and course.at == step

    def do_next(self) -> None:
        """Do what comes next; with `by_itself`, what comes after it too."""
        course = self.course()
        if course is None:
            raise InputError("There is no channel; add a board first.")
        self._do(course)

    def _do(self, course: Course) -> None:
        session = self._session
        if course.action in ("take", "begin") and session.selection.channel is not None:
            like = self._like(session.selection.channel)
            why = self.why_not(like)
            if why:
                self.connect_wanted.emit()
                raise InputError(why)
        if course.action == "connect":
            self.connect_wanted.emit()
        elif course.action in ("begin", "type"):
            assert session.selection.channel is not None  # there is no course without one
            like = self._like(session.selection.channel)
            run = next_run(like, session.runs.head(), course.plan, run_id="", created=now())
            run_id, (player, reader) = session.runs.fresh_id(f"{run.serial} {run.title}"), self.chosen(like)
            run = msgspec.structs.replace(run, id=run_id, player=player, reader=reader)
            session.runs.begin(self.with_devices(run))
            if course.action == "begin":
                self.take_the_rest()
        elif course.action == "take" and course.run_id is not None:
            if session.selection.run_id != course.run_id:
                session.selection.look_at(course.run_id)
            self.take_the_rest()
        elif course.action == "adopt" and course.run_id is not None:
            session.selection.look_at(course.run_id)
            judged = session.runs.analysis()
            correction = None if judged is None else judged.correction(course.correction)
            if correction is None:
                raise InputError("The readings of this run give no correction.")
            session.selection.choose_correction(course.correction)
            session.runs.adopt(correction)
            self._ended("adopted")
        elif course.action == "send":
            self.send_in_force()

    def _like(self, channel: tuple[PortRef, str]) -> RunRecord:
        """The last run of notes of a channel, which the next one is like."""
        like = self._like_or_none(channel)
        assert like is not None  # it is asked for where there is one
        return like

    def _like_or_none(self, channel: tuple[PortRef, str]) -> RunRecord | None:
        mine = [run for run in self._session.runs.of(channel) if not run.codes]
        return mine[-1] if mine else None

    def _ended(self, state: str) -> None:
        """Something came to its end: record what was sent, and go on where that was asked for."""
        if state == "sent":
            self._session.runs.sends_changed()
        if state == "cancelled":
            self.by_itself = False
        self.changed.emit()
        if not self.by_itself:
            return
        course = self.course()
        if course is None or course.action in ("nothing", "connect", "type") or course.halt:
            self.by_itself = False
            if course is not None:
                self.said.emit(course.halt or course.sentence, bool(course.halt) or course.verdict == "not-within")
            self.changed.emit()
            return
        if state == "sent" and course.action == "send":
            self.by_itself = False  # it was sent and is not there: the sentence has been said
            self.changed.emit()
            return
        try:
            self._do(course)
        except InputError as error:
            self.by_itself = False
            self.said.emit(str(error), True)
