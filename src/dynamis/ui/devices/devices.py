"""What is done with the devices: single things, runs that are taken by themselves, and corrections that are sent."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from dynamis.converter.firmware import BoardCorrection
from dynamis.devices.interface import Board, DeviceError, Measurand, Meter, Player, Shown
from dynamis.devices.taking import Control, Job, Progress, Taken, take_readings
from dynamis.errors import InputError
from dynamis.ui.devices.connections import NAMES, Connections, Kind
from dynamis.ui.devices.worker import ALIVE_SECONDS
from dynamis.ui.to_window import ToWindow

if TYPE_CHECKING:
    from dynamis.devices.by_hand import Hand, Question
    from dynamis.devices.playing_out import TimedOut


class Devices(Connections):
    """progressed : a taking went on.  asked : somebody is asked for something, or no more.  taken : a reading was
    stored, with its run's id.  ended : a taking came to its end, with its last state.  made_safe : somebody wants every
    output at rest.
    """

    progressed = Signal(object)
    asked = Signal(object)
    taken = Signal(str)
    ended = Signal(str)
    made_safe = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.progress: Progress | None = None
        self.question: Question | None = None
        self.sending: float | None = None
        self._control: Control | None = None
        self._hand: Hand | None = None
        self._note = 0.0
        self.timed: TimedOut | None = None

    @property
    def ready(self) -> bool:
        """Whether a run of a board can be taken by a meter."""
        return self.board is not None and self.meter is not None

    @property
    def busy(self) -> bool:
        return self._control is not None or self.sending is not None or self.plays_timed

    @property
    def plays_timed(self) -> bool:
        """Whether a song is being played by what takes one thing at a time."""
        return self.timed is not None and self.timed.played_seconds is not None

    def shut_down(self) -> None:
        """End what is under way, make the outputs safe, and let the devices go."""
        self.cancel()
        self.stop_timed(2.0)
        self._end(self._let_go)

    def disconnect_from(self, kind: Kind) -> None:
        self.cancel()
        self.stop_timed(0.0)
        super().disconnect_from(kind)

    def make_safe(self) -> None:
        if self._control is not None:
            self._control.pause()
        self.stop_timed(0.0)
        self.made_safe.emit()
        super().make_safe()

    # -- a song ------------------------------------------------------------------------------------

    def play_timed(self, kind: Kind, make: Callable[[Callable[[DeviceError], object]], TimedOut], words: str) -> None:
        """Let a song be played; `make` is given who is told why it ended early.  Raises `InputError` where something
        is under way."""
        if self.busy:
            raise InputError("Something is under way already; pause or cancel it first.")

        tell = ToWindow(self._timed_failed)
        self.timed = make(lambda error: tell(kind, error))
        self.said.emit(words, False)

    def _timed_failed(self, kind: Kind, error: DeviceError) -> None:
        self.says(kind, str(error), trouble=True)
        self.said.emit(str(error), True)

    def stop_timed(self, wait_seconds: float) -> None:
        """End a song; the window does not wait for a device that does not answer."""
        if self.timed is not None:
            self.timed.stop(wait_seconds)

    # -- single things -----------------------------------------------------------------------------

    def play(self, channel: str, note: float) -> None:
        """Let a channel stand at a note; refused while a run is being taken."""
        board = self.board
        if board is None or self.busy:
            return
        self.do(lambda: self._say_code(board, channel, note))

    def _say_code(self, board: Board, channel: str, note: float) -> None:
        code = board.play(channel, note)
        self.said.emit(f"Channel {channel} stands at code {code}.", False)

    def try_out(self, kind: Kind, work: Callable[[], object], words: str) -> None:
        """Do one thing with a device that is connected, and say so.  Refused while something is under way."""
        if self.busy:
            self.said.emit("Something is under way already; pause or cancel it first.", True)
            return

        def trying() -> None:
            try:
                work()
            except DeviceError as error:
                self._trouble(kind, error)
                raise
            self.said.emit(words, False)

        self.do(trying)

    def set_volts(self, volts: float, words: str) -> None:
        """Let the source give so many volts.  words : the volts as they are written."""
        source = self.source
        if source is not None:
            self.try_out("source", lambda: source.set_volts(volts), f"The source gives {words}.")

    def put_out(self, channel: int, volts: float, words: str) -> None:
        """Let one channel of the outputs, from 0, stand at so many volts."""
        outputs = self.outputs
        if outputs is not None:
            told = f"Channel {channel + 1} stands at {words}."
            self.try_out("outputs", lambda: outputs.set_volts(channel, volts), told)

    def play_midi(self, note: float, words: str) -> None:
        """Let a note sound at the MIDI port."""
        midi = self.midi
        if midi is not None:
            self.try_out("midi", lambda: midi.play(note), f"{words} is held.")

    def read_once(
        self, kind: Kind, quantity: Measurand, full_scale_volts: float | None, show: Callable[[Shown], None]
    ) -> None:
        """One reading of the meter or by sound; `show` is called in the window."""
        meter = self.meter if kind == "meter" else self.sound
        if meter is None:
            self.said.emit(f"No {NAMES[kind]} is connected.", True)
            return

        def work() -> None:
            try:
                meter.recover()
                meter.prepare(quantity, full_scale_volts)
                shown = meter.read()
            except DeviceError as error:
                self._trouble(kind, error)
                raise
            words = meter.identity
            self.show(lambda: self.says(kind, words, trouble=False))
            self.show(lambda: show(shown))

        self.do(work)

    def read_held(self) -> None:
        """Read back what the board's channels hold."""
        board = self.board
        if board is None:
            return

        def work() -> None:
            board.recover()
            held = {channel: board.held(channel) for channel in board.identity.channels}
            self.show(lambda: self._board_is(board, held))

        self.do(work)

    # -- a run -------------------------------------------------------------------------------------

    def take(
        self,
        run_id: str,
        job: Job,
        store: Callable[[Taken], None],
        made: Callable[[Hand, Callable[[], float]], tuple[Player, Meter]],
    ) -> None:
        """Take readings; `store` is called in the devices' thread and raises `InputError` where it cannot.

        made : gives what plays and what reads, from somebody's hand and what tells which note is up.
        """
        if self.busy:
            raise InputError("Something is under way already; pause or cancel it first.")
        from dynamis.devices.by_hand import Hand

        control = Control()
        hand = Hand(control, self._ask)
        player, meter = made(hand, lambda: self._note)
        self._control, self._hand = control, hand
        self.progress = Progress("connecting", 0, len(job.notes))

        def keep(taken: Taken) -> None:
            store(taken)
            self.show(lambda: self.taken.emit(run_id))

        over = threading.Event()

        def work() -> None:
            # Whoever waits for a hand, or plays by something else, is no reason for a board to go safe.
            threading.Thread(target=_keep_alive, args=(self.board, over), name="alive", daemon=True).start()
            try:
                take_readings(job, player, meter, control=control, store=keep, tell=self._tell)
            finally:
                over.set()
                self.show(lambda: self._over(control))

        self.do(work)
        self.changed.emit()

    def _tell(self, progress: Progress) -> None:
        if progress.note is not None:
            self._note = progress.note
        self.show(lambda: self._go_on_showing(progress))

    def _go_on_showing(self, progress: Progress) -> None:
        self.progress = progress
        self.progressed.emit(progress)

    def _ask(self, question: Question | None) -> None:
        self.show(lambda: self._asked(question))

    def _asked(self, question: Question | None) -> None:
        self.question = question
        self.asked.emit(question)

    def answer(self, value: float = 0.0) -> None:
        """What somebody was asked for is done, or read; each question takes one answer."""
        if self._hand is not None and self.question is not None:
            self._asked(None)
            self._hand.answer(value)

    def _over(self, control: Control) -> None:
        if self._control is control:
            self._control = self._hand = None
        state = "cancelled" if self.progress is None else self.progress.state
        self.progress = None
        self.changed.emit()
        self.ended.emit(state)

    @property
    def paused(self) -> bool:
        return self._control is not None and self._control.paused

    def pause(self) -> None:
        if self._control is not None:
            self._control.pause()

    def go_on(self) -> None:
        if self._control is not None:
            self._control.go_on()

    def cancel(self) -> None:
        if self._control is not None:
            self._control.cancel()

    # -- a correction ------------------------------------------------------------------------------

    def send(
        self,
        unit: str,
        channel: str,
        correction: BoardCorrection,
        begun: Callable[[BoardCorrection], None],
        verified: Callable[[BoardCorrection], None],
    ) -> None:
        """Read back what a channel holds, keep it, send a correction and verify it.

        begun, verified : called in the devices' thread with what was held before; the first before anything
        is written.
        """
        board = self.board
        if board is None:
            raise InputError("Connect the board first; the Devices page asks for its port.")
        if self.busy:
            raise InputError("Something is under way already; pause or cancel it first.")
        self.sending = 0.0

        def work() -> None:
            try:
                board.recover()
                if board.identity.unit != unit:
                    raise DeviceError(
                        "wrong unit",
                        f"Unit {board.identity.unit} is connected; this correction belongs to unit {unit}. Plug that "
                        "one in.",
                    )
                before = board.held(channel)
                begun(before)
                board.send(channel, correction, lambda part: self.show(lambda: self._sent_so_far(part)))
                verified(before)
                self.said.emit(
                    f"Sent to unit {unit}, channel {channel}, and verified: it holds {correction.hash}; what it held "
                    f"before, {before.hash}, is kept.",
                    False,
                )
            finally:
                held = dict(self.held)
                with contextlib.suppress(DeviceError):
                    held[channel] = board.held(channel)
                self.show(lambda: self._sent(held))

        self.do(work)
        self.changed.emit()

    def _sent_so_far(self, part: float) -> None:
        self.sending = part
        self.changed.emit()

    def _sent(self, held: dict[str, BoardCorrection]) -> None:
        self.sending, self.held = None, held
        self.changed.emit()
        self.ended.emit("sent")


def _keep_alive(board: Board | None, over: threading.Event) -> None:
    """Tell a board that somebody is there, until something is over."""
    while board is not None and not over.wait(ALIVE_SECONDS):
        with contextlib.suppress(DeviceError):  # the taking meets it too, and says so
            board.keep_alive()
