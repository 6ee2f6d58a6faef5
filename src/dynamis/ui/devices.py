"""The connected devices: one thread talks to them, so that the window never waits."""

from __future__ import annotations

import contextlib
import queue
import threading
from collections.abc import Callable
from functools import partial
from typing import cast

from PySide6.QtCore import QObject, Signal

from dynamis.converter.firmware import BoardCorrection
from dynamis.devices.interface import Board, DeviceError, Meter, Shown
from dynamis.devices.taking import Control, Job, Progress, Taken, take_readings
from dynamis.errors import InputError

_ALIVE_SECONDS = 3.0


class Devices(QObject):
    """A board and a meter, or neither.

    changed : who is connected, what a board holds, or whether something is under way.  progressed : a taking
    went on.  taken : a reading was stored, with its run's id.  ended : a taking came to its end, with its last
    state.  said : a sentence, and whether it is a refusal.
    """

    changed = Signal()
    progressed = Signal(object)
    taken = Signal(str)
    ended = Signal(str)
    said = Signal(str, bool)
    _in_window = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.board: Board | None = None
        self.meter: Meter | None = None
        self.board_words = self.meter_words = ""
        self.board_trouble = self.meter_trouble = False
        self.held: dict[str, BoardCorrection] = {}
        self.progress: Progress | None = None
        self.sending: float | None = None
        self._opened: dict[str, Board | Meter] = {}
        self._asking: dict[str, str | None] = {"board": None, "meter": None}
        self._control: Control | None = None
        self._work: queue.SimpleQueue[Callable[[], None] | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._let_go_of = False
        self._in_window.connect(self._run_in_window)

    # -- the thread --------------------------------------------------------------------------------

    def _do(self, work: Callable[[], None]) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._serve, name="devices", daemon=True)
            self._thread.start()
        self._work.put(work)

    def _serve(self) -> None:
        while True:
            try:
                work = self._work.get(timeout=_ALIVE_SECONDS)
            except queue.Empty:
                work = self._stay_alive
            if work is None:
                return
            try:
                work()
            except InputError as error:
                self.said.emit(str(error), True)
            except Exception as error:  # noqa: BLE001  # raised again in the window, where reports are shown
                self._show(partial(_raise, error))

    def _stay_alive(self) -> None:
        board = self.board
        if board is None or self.board_trouble:
            return
        try:
            board.keep_alive()
        except DeviceError as error:
            reason = str(error)
            self._show(lambda: self._board_says(reason, trouble=True))

    def _show(self, slot: Callable[[], None]) -> None:
        self._in_window.emit(slot)

    def _run_in_window(self, slot: Callable[[], None]) -> None:
        if not self._let_go_of:  # what still comes after that finds no window and no file
            slot()

    def shut_down(self) -> None:
        """End what is under way, make the outputs safe, and let the devices go."""
        self.cancel()
        if self._thread is not None:
            self._work.put(self._let_go)
            self._work.put(None)
            self._thread.join(8.0)
            self._thread = None
        self._let_go_of = True

    def _let_go(self) -> None:
        for kind in ("board", "meter"):
            self._close(kind)

    # -- connecting --------------------------------------------------------------------------------

    @property
    def ready(self) -> bool:
        """Whether a run can be taken by itself."""
        return self.board is not None and self.meter is not None

    @property
    def busy(self) -> bool:
        return self._control is not None or self.sending is not None

    def connect_board(self, port: str) -> None:
        """Open a port and ask who is there and what the channels hold."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.serial_board import SerialBoard

            serial_board = self._opened["board"] = SerialBoard(port)
            held = {channel: serial_board.held(channel) for channel in serial_board.identity.channels}
            words = _board_words(serial_board)
            return lambda: self._board_is(serial_board, held, words)

        self._connect("board", port, ask, self._board_says, lambda told: self._board_is(None, {}, told))

    def connect_meter(self, address: str) -> None:
        """Open an address and ask who is there."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.scpi_meter import ScpiMeter

            scpi_meter = self._opened["meter"] = ScpiMeter(address)
            return lambda: self._meter_is(scpi_meter, scpi_meter.identity)

        self._connect("meter", address, ask, self._meter_says, lambda told: self._meter_is(None, told))

    def _connect(
        self,
        kind: str,
        address: str,
        ask: Callable[[], Callable[[], None]],
        say: Callable[..., None],
        refused: Callable[[str], None],
    ) -> None:
        """Ask who is at an address; the same one is not asked twice at a time."""
        if self._asking[kind] == address:
            return
        self._asking[kind] = address
        say(f"Asking {address.strip() or f'for the {kind}'} …", trouble=False)

        def work() -> None:
            self._close(kind)
            try:
                self._show(ask())
            except DeviceError as error:
                reason = str(error)
                self._close(kind)
                self._show(lambda: refused(reason))
            finally:
                self._show(lambda: self._asking.update({kind: None}))

        self._do(work)

    def _close(self, kind: str) -> None:
        """Let a device go that the devices' thread has opened."""
        connection = self._opened.pop(kind, None)
        if connection is not None:
            connection.close()

    def _board_is(self, board: Board | None, held: dict[str, BoardCorrection], words: str) -> None:
        self.board, self.held = board, held
        self._board_says(words, trouble=board is None and bool(words))

    def _board_says(self, words: str, *, trouble: bool) -> None:
        self.board_words, self.board_trouble = words, trouble
        self.changed.emit()

    def _meter_is(self, meter: Meter | None, words: str) -> None:
        self.meter = meter
        self._meter_says(words, trouble=meter is None and bool(words))

    def _meter_says(self, words: str, *, trouble: bool) -> None:
        self.meter_words, self.meter_trouble = words, trouble
        self.changed.emit()

    def disconnect_board(self) -> None:
        def work() -> None:
            self._close("board")
            self._show(lambda: self._board_is(None, {}, ""))

        self.cancel()
        self._do(work)

    def disconnect_meter(self) -> None:
        def work() -> None:
            self._close("meter")
            self._show(lambda: self._meter_is(None, ""))

        self.cancel()
        self._do(work)

    # -- single things -----------------------------------------------------------------------------

    def make_safe(self) -> None:
        """Every output to its safe value, at once: a taking is paused, and nobody waits for a meter."""
        board = self.board or cast("Board | None", self._opened.get("board"))
        if board is None:
            self.said.emit("No board is connected; there is no output to make safe.", True)
            return
        if self._control is not None:
            self._control.pause()

        def work() -> None:
            try:
                board.make_safe()
            except DeviceError as error:
                self.said.emit(f"{error} A board of this protocol goes safe by itself after 10 s of silence.", True)
                return
            self.said.emit("All outputs of the board are at their safe value.", False)

        threading.Thread(target=work, name="safe", daemon=True).start()

    def play(self, channel: str, note: float) -> None:
        """Let a channel stand at a note; refused while a run is being taken."""
        board = self.board
        if board is None or self.busy:
            return
        self._do(lambda: self._say_code(board, channel, note))

    def _say_code(self, board: Board, channel: str, note: float) -> None:
        code = board.play(channel, note)
        self.said.emit(f"Channel {channel} stands at code {code}.", False)

    def read_once(self, quantity: str, full_scale_volts: float | None, show: Callable[[Shown], None]) -> None:
        """One reading of the meter; `show` is called in the window."""
        meter = self.meter
        if meter is None:
            self.said.emit("No meter is connected.", True)
            return

        def work() -> None:
            try:
                meter.recover()
                meter.prepare("hertz" if quantity == "hertz" else "volts", full_scale_volts)
                shown = meter.read()
            except DeviceError as error:
                reason = str(error)
                self._show(lambda: self._meter_says(reason, trouble=True))
                self.said.emit(reason, True)
                return
            words = meter.identity
            self._show(partial(self._meter_says, words, trouble=False))
            self._show(lambda: show(shown))

        self._do(work)

    def read_held(self) -> None:
        """Read back what the board's channels hold."""
        board = self.board
        if board is None:
            return

        def work() -> None:
            board.recover()
            held = {channel: board.held(channel) for channel in board.identity.channels}
            words = _board_words(board)
            self._show(lambda: self._board_is(board, held, words))

        self._do(work)

    # -- a run -------------------------------------------------------------------------------------

    def take(self, run_id: str, job: Job, store: Callable[[Taken], None]) -> None:
        """Take readings; `store` is called in the devices' thread and raises `InputError` where it cannot."""
        board, meter = self.board, self.meter
        if board is None or meter is None:
            raise InputError("Connect the board and the meter first; the Devices page asks for their addresses.")
        if self.busy:
            raise InputError("Something is under way already; pause or cancel it first.")
        control = self._control = Control()
        self.progress = Progress("connecting", 0, len(job.notes))

        def keep(taken: Taken) -> None:
            store(taken)
            self._show(lambda: self.taken.emit(run_id))

        def work() -> None:
            try:
                take_readings(job, board, meter, control=control, store=keep, tell=self._tell)
            finally:
                self._show(lambda: self._over(control))

        self._do(work)
        self.changed.emit()

    def _tell(self, progress: Progress) -> None:
        self._show(lambda: self._go_on_showing(progress))

    def _go_on_showing(self, progress: Progress) -> None:
        self.progress = progress
        self.progressed.emit(progress)

    def _over(self, control: Control) -> None:
        if self._control is control:
            self._control = None
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
                board.send(channel, correction, lambda part: self._show(lambda: self._sent_so_far(part)))
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
                self._show(lambda: self._sent(held))

        self._do(work)
        self.changed.emit()

    def _sent_so_far(self, part: float) -> None:
        self.sending = part
        self.changed.emit()

    def _sent(self, held: dict[str, BoardCorrection]) -> None:
        self.sending, self.held = None, held
        self.changed.emit()
        self.ended.emit("sent")


def _board_words(board: Board) -> str:
    one = board.identity
    return f"Unit {one.unit} of {one.design}, {len(one.channels)} channels of {one.bits} bits."


def _raise(error: Exception) -> None:
    raise error
