"""Who is connected: each kind of device once, by its address."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Final, Literal, Protocol, cast

from PySide6.QtCore import Signal

from dynamis.converter.firmware import BoardCorrection
from dynamis.devices.dialogue import Dialogue
from dynamis.devices.interface import Board, DeviceError, Meter
from dynamis.ui.devices.worker import Worker
from dynamis.ui.to_window import ToWindow

if TYPE_CHECKING:
    from dynamis.devices.command_words import MeterWords, SourceWords
    from dynamis.devices.players import MidiPlayer, Source
    from dynamis.devices.sound.outflow import Outflow

Kind = Literal["board", "source", "midi", "outputs", "meter", "sound"]
PLAYERS: Final[tuple[Kind, ...]] = ("board", "source", "midi", "outputs")
READERS: Final[tuple[Kind, ...]] = ("meter", "sound")
KINDS: Final[tuple[Kind, ...]] = (*PLAYERS, *READERS)
# What each is called in a sentence.
NAMES: Final[dict[Kind, str]] = {
    "board": "board",
    "source": "voltage source",
    "midi": "MIDI converter",
    "outputs": "computer's outputs",
    "meter": "meter",
    "sound": "sound",
}


class _Closes(Protocol):
    def close(self) -> None: ...


class _Rests(Protocol):
    def make_safe(self) -> None: ...


class Connections(Worker):
    """board, source, midi, outputs : what plays.  meter, sound : what reads.  held : by channel, what the board holds.

    words, trouble : by kind, what it says of itself, and whether that is trouble.  dialogues : what was said.
    changed : who is connected, what a board holds, or whether something is under way.
    """

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.board: Board | None = None
        self.source: Source | None = None
        self.midi: MidiPlayer | None = None
        self.outputs: Outflow | None = None
        self.meter: Meter | None = None
        self.sound: Meter | None = None
        self.words: dict[Kind, str] = dict.fromkeys(KINDS, "")
        self.trouble: dict[Kind, bool] = dict.fromkeys(KINDS, False)
        self.dialogues: dict[Kind, Dialogue] = {"meter": Dialogue(), "source": Dialogue()}
        self.held: dict[str, BoardCorrection] = {}
        self._opened: dict[Kind, _Closes] = {}
        self._asking: dict[Kind, str | None] = dict.fromkeys(KINDS)

    @property
    def any_trouble(self) -> bool:
        return any(self.trouble.values())

    def connected(self, kind: Kind) -> bool:
        return getattr(self, kind) is not None

    def _stay_alive(self) -> None:
        board = self.board
        if board is None or self.trouble["board"]:
            return
        try:
            board.keep_alive()
        except DeviceError as error:
            self._trouble("board", error)

    # -- connecting --------------------------------------------------------------------------------

    def connect_board(self, port: str) -> None:
        """Open a port and ask who is there and what the channels hold."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.serial_board import SerialBoard

            serial_board = self._opened["board"] = SerialBoard(port)
            held = {channel: serial_board.held(channel) for channel in serial_board.identity.channels}
            return lambda: self._board_is(serial_board, held)

        self._connect("board", port, ask)

    def connect_meter(self, address: str, words: MeterWords | None = None) -> None:
        """Open an address and ask who is there.  words : what it is told."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.command_words import MeterWords
            from dynamis.devices.scpi_meter import ScpiMeter

            meter = self._opened["meter"] = ScpiMeter(address, words or MeterWords(), dialogue=self.dialogues["meter"])
            return lambda: self._is("meter", meter, meter.identity)

        self._connect("meter", address, ask)

    def connect_source(self, address: str, words: SourceWords | None = None) -> None:
        """Open an address and ask who is there; its output stays let go."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.command_words import SourceWords
            from dynamis.devices.scpi_source import ScpiSource

            source = self._opened["source"] = ScpiSource(
                address, words or SourceWords(), dialogue=self.dialogues["source"]
            )
            return lambda: self._is("source", source, source.identity)

        self._connect("source", address, ask)

    def connect_midi(self, address: str, channel: int) -> None:
        """Open a MIDI output.  channel : 1 … 16."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.midi.ports import open_output
            from dynamis.devices.players import MidiPlayer

            midi = self._opened["midi"] = MidiPlayer(lambda: open_output(address), channel)
            midi.recover()
            return lambda: self._is("midi", midi, f"{midi.identity}; nobody can be asked what hangs there.")

        self._connect("midi", address, ask)

    def connect_outputs(
        self,
        address: str,
        full_scale_volts: Sequence[float],
        limit_volts: float,
        offset_volts: Sequence[float] | None = None,
    ) -> None:
        """Open outputs, one full scale a channel, all at 0 until somebody confirms that no speaker hangs there."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.sound.outputs import open_outputs

            outputs = self._opened["outputs"] = open_outputs(address, full_scale_volts, limit_volts, offset_volts)
            told = f"{outputs.identity}, {outputs.channels} channels at 0 V."
            return lambda: self._is("outputs", outputs, told)

        self._connect("outputs", address, ask)

    def connect_sound(self, address: str, channel: int, clock_ppm: float) -> None:
        """Listen to an input.  channel : from 0."""

        def ask() -> Callable[[], None]:
            from dynamis.devices.sound.inputs import open_sound
            from dynamis.devices.sound.meter import SoundMeter

            sound = self._opened["sound"] = SoundMeter(lambda: open_sound(address, channel), clock_ppm=clock_ppm)
            return lambda: self._is("sound", sound, sound.identity)

        self._connect("sound", address, ask)

    def _connect(self, kind: Kind, address: str, ask: Callable[[], Callable[[], None]]) -> None:
        """Ask who is at an address; the same one is not asked twice at a time."""
        if self._asking[kind] == address:
            return
        self._asking[kind] = address
        self.says(kind, f"Asking {address.strip() or f'for the {NAMES[kind]}'} …", trouble=False)

        def work() -> None:
            self._close(kind)
            try:
                self.show(ask())
            except DeviceError as error:
                reason = str(error)
                self._close(kind)
                self.show(lambda: self._is(kind, None, reason))
            finally:
                self.show(lambda: self._asking.update({kind: None}))

        self.do(work)

    def disconnect_from(self, kind: Kind) -> None:
        """Let a device go, at rest."""

        def work() -> None:
            self._close(kind)
            self.show(lambda: self._is(kind, None, ""))

        self.do(work)

    def _close(self, kind: Kind) -> None:
        """Let a device go that the devices' thread has opened."""
        connection = self._opened.pop(kind, None)
        if connection is not None:
            connection.close()

    def _let_go(self) -> None:
        for kind in KINDS:
            self._close(kind)

    # -- what is known of them -----------------------------------------------------------------------

    def _is(self, kind: Kind, device: object | None, words: str) -> None:
        setattr(self, kind, device)
        if kind == "board" and device is None:
            self.held = {}
        self.says(kind, words, trouble=device is None and bool(words))

    def _board_is(self, board: Board, held: dict[str, BoardCorrection]) -> None:
        self.held = held
        one = board.identity
        self._is("board", board, f"Unit {one.unit} of {one.design}, {len(one.channels)} channels of {one.bits} bits.")

    def says(self, kind: Kind, words: str, *, trouble: bool) -> None:
        """A device said something of itself, or there is trouble with it."""
        self.words[kind], self.trouble[kind] = words, trouble
        self.changed.emit()

    def lost(self, kind: Kind, sentence: str) -> None:
        """A device is gone while something was under way."""
        self.says(kind, sentence, trouble=True)
        self.said.emit(sentence, True)

    def _trouble(self, kind: Kind, error: DeviceError) -> None:
        reason = str(error)
        self.show(lambda: self.says(kind, reason, trouble=True))

    # -- at rest, at once ----------------------------------------------------------------------------

    def make_safe(self) -> None:
        """Every output to its safe value, at once: nobody waits for what is under way."""
        outputs = {kind: self._opened.get(kind) or getattr(self, kind) for kind in PLAYERS}
        here = {kind: cast("_Rests", one) for kind, one in outputs.items() if one is not None}
        if not here:
            self.said.emit(
                "No board is connected, nor anything else that plays; there is no output to make safe.", True
            )
            return

        tell = ToWindow(self._say)
        for kind, one in here.items():
            threading.Thread(target=_make_safe, args=(kind, one, tell), name="safe", daemon=True).start()

    def _say(self, sentence: str, refused: bool) -> None:
        self.said.emit(sentence, refused)


def _make_safe(kind: Kind, device: _Rests, tell: ToWindow) -> None:
    try:
        device.make_safe()
    except DeviceError as error:
        more = " A board of this protocol goes safe by itself after 10 s of silence." if kind == "board" else ""
        tell(f"{error}{more}", True)
        return
    tell(f"All outputs of the {NAMES[kind]} are at their safe value.", False)
