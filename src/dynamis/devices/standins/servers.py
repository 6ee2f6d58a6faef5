"""The stand-ins at their ports: instruments and sound as TCP servers on loopback, a board and MIDI on
pseudo-terminals."""

from __future__ import annotations

import contextlib
import os
import select
import socket
import tempfile
import threading
import time
import tty
from collections.abc import Callable
from pathlib import Path
from typing import Final

import numpy as np

from dynamis.devices.sound.endless import HEADER_BYTES
from dynamis.devices.standins.board_logic import BoardLogic
from dynamis.devices.standins.interface import SimulatedInterface
from dynamis.devices.standins.midi_converter import MidiConverter
from dynamis.devices.standins.scpi_model import Faults, ScpiModel
from dynamis.devices.standins.sound import WAV_HEADER, SimulatedSound

_LOOK_SECONDS: Final = 0.02
_MOST_LINE: Final = 4096
_BLOCK_SECONDS: Final = 0.02


class LoopbackServer:
    """An ephemeral port of 127.0.0.1; one client at a time, as many instruments have it."""

    def __init__(self) -> None:
        self._listening: socket.socket | None = None
        self._client: socket.socket | None = None
        self._stop = threading.Event()
        self.port = 0
        self.plug_in()
        self._thread = threading.Thread(target=self._serve, name=type(self).__name__, daemon=True)
        self._thread.start()

    @property
    def address(self) -> str:
        return f"127.0.0.1:{self.port}"

    def plug_in(self) -> None:
        """Listen (again) on the same port."""
        if self._listening is None:
            self._listening = socket.create_server(("127.0.0.1", self.port))
            self._listening.settimeout(_LOOK_SECONDS)
            self.port = self._listening.getsockname()[1]

    def unplug(self) -> None:
        """Pull the lead: the connection is gone, and nothing listens."""
        listening, self._listening = self._listening, None
        client, self._client = self._client, None
        for one in (client, listening):
            if one is not None:
                with contextlib.suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)
                one.close()

    def close(self) -> None:
        self._stop.set()
        self.unplug()
        self._thread.join(2.0)

    def _serve(self) -> None:
        while not self._stop.is_set():
            listening = self._listening
            if listening is None:
                time.sleep(_LOOK_SECONDS)
                continue
            try:
                client, _ = listening.accept()
            except OSError:  # nobody came, or the lead was pulled
                continue
            self._client = client
            client.settimeout(_LOOK_SECONDS)
            with client, contextlib.suppress(OSError):
                self._talk(client, listening)
            self._client = None

    @property
    def connected(self) -> bool:
        """Whether somebody is connected."""
        return self._client is not None

    def _talk(self, client: socket.socket, listening: socket.socket) -> None:
        raise NotImplementedError


class InstrumentServer(LoopbackServer):
    """An instrument that speaks SCPI."""

    def __init__(self, model: ScpiModel) -> None:
        self.model, self.faults = model, Faults()
        super().__init__()

    def _talk(self, client: socket.socket, listening: socket.socket) -> None:
        waiting = bytearray()
        while not self._stop.is_set() and self._client is client:
            # A second program is let in only to be shown out.
            if select.select([listening], [], [], 0)[0]:
                second, _ = listening.accept()
                second.close()
            try:
                data = client.recv(_MOST_LINE)
            except TimeoutError:
                continue
            if not data:
                return
            waiting += data
            while b"\n" in waiting:
                line, _, rest = bytes(waiting).partition(b"\n")
                waiting[:] = rest
                self._answer(client, line.decode("latin-1").strip())
            del waiting[:-_MOST_LINE]

    def _answer(self, client: socket.socket, line: str) -> None:
        answer = self.model.say(line)
        faults = self.faults
        if answer is None or faults.silent:
            return
        if faults.answers and not line.startswith("*"):
            answer = faults.answers.pop(0)
        if faults.late_seconds:
            late, faults.late_seconds = faults.late_seconds, 0.0
            self._stop.wait(late)
        client.sendall((answer + "\n").encode("latin-1"))


class SoundServer(LoopbackServer):
    """A microphone's socket as a WAV that never ends."""

    def __init__(self, sound: SimulatedSound, clock: Callable[[], float] = time.monotonic) -> None:
        self.sound, self._clock = sound, clock
        super().__init__()

    def _talk(self, client: socket.socket, listening: socket.socket) -> None:
        client.settimeout(1.0)
        client.sendall(WAV_HEADER)
        since, sent = self._clock(), 0.0
        while not self._stop.is_set() and self._client is client:
            wait = since + sent + _BLOCK_SECONDS - self._clock()
            if wait > 0:
                self._stop.wait(wait)
            client.sendall(self.sound.block(_BLOCK_SECONDS))
            sent += _BLOCK_SECONDS


class InterfaceServer(LoopbackServer):
    """The outputs of an audio interface, as somebody who takes a WAV that never ends."""

    def __init__(self, interface: SimulatedInterface) -> None:
        self.interface = interface
        super().__init__()

    def _talk(self, client: socket.socket, listening: socket.socket) -> None:
        client.settimeout(_LOOK_SECONDS)
        client.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4 * _MOST_LINE)
        data, channels = bytearray(), 0
        try:
            while not self._stop.is_set() and self._client is client:
                try:
                    piece = client.recv(_MOST_LINE)
                except TimeoutError:
                    continue
                if not piece:
                    return
                data += piece
                if not channels and len(data) >= HEADER_BYTES:
                    channels = int.from_bytes(data[22:24], "little")
                    del data[:HEADER_BYTES]
                whole = len(data) // (4 * channels) * 4 * channels if channels else 0
                if whole:
                    frames = np.frombuffer(bytes(data[:whole]), "<f4").astype(float).reshape(-1, channels)
                    del data[:whole]
                    self.interface.take(frames)
        finally:
            self.interface.let_go()


class BoardPort:
    """A board on a pseudo-terminal.  Opening it restarts the board, as opening a serial port does with many.

    damage : how many of the next lines come out damaged.  mute : nothing comes out.
    """

    def __init__(self, logic: BoardLogic, clock: Callable[[], float] = time.monotonic) -> None:
        self.logic = logic
        self.damage, self.mute = 0, False
        self._clock = clock
        self._lock = threading.RLock()
        self._master, slave = os.openpty()
        tty.setraw(slave)
        self.path = os.ttyname(slave)
        os.close(slave)  # from here on, whoever opens it is noticed
        self._stop = threading.Event()
        self._open = False
        self._thread = threading.Thread(target=self._serve, name="board", daemon=True)
        self._thread.start()

    def restart(self) -> None:
        """Take the power away and give it back."""
        with self._lock:
            self._send(self.logic.power_up_volts(self._clock()))

    def close(self) -> None:
        self._stop.set()
        self._thread.join(2.0)
        os.close(self._master)

    def _serve(self) -> None:
        poll = select.poll()
        poll.register(self._master, select.POLLIN)
        while not self._stop.is_set():
            events = poll.poll(_LOOK_SECONDS * 1000)
            state = events[0][1] if events else 0
            with self._lock:
                self.logic.tick(self._clock())
                if state & select.POLLHUP and not state & select.POLLIN:
                    self._open = False
                elif not self._open:
                    self._open = True
                    self._send(self.logic.power_up_volts(self._clock()))
                if state & select.POLLIN:
                    try:
                        data = os.read(self._master, 4096)
                    except OSError:  # the other side has gone meanwhile
                        continue
                    self._send(self.logic.receive(data, self._clock()))
            if not self._open:
                self._stop.wait(_LOOK_SECONDS)

    def _send(self, data: bytes) -> None:
        if not data or self.mute or not self._open:
            return
        if self.damage:
            self.damage -= 1
            data = data[:1] + bytes([data[1] ^ 1]) + data[2:]
        with contextlib.suppress(OSError):
            os.write(self._master, data)


class MidiPort:
    """A raw MIDI device on a pseudo-terminal, under a name that stays when it is pulled and plugged in again."""

    def __init__(self, converter: MidiConverter) -> None:
        self.converter = converter
        self._folder = tempfile.TemporaryDirectory(prefix="dynamis-midi-")
        self.path = str(Path(self._folder.name) / "midi")
        self._master = -1
        self._stop, self._hand = threading.Event(), threading.Lock()
        self.plug_in()
        self._thread = threading.Thread(target=self._serve, name="midi", daemon=True)
        self._thread.start()

    def plug_in(self) -> None:
        """Be there (again) under the same name."""
        if self._master < 0:
            master, slave = os.openpty()
            tty.setraw(slave)
            Path(self.path).symlink_to(os.ttyname(slave))
            os.close(slave)
            self._master = master

    def unplug(self) -> None:
        """Pull the lead: who has it open finds it gone."""
        with self._hand:
            master, self._master = self._master, -1
            if master >= 0:
                Path(self.path).unlink()
                os.close(master)

    def close(self) -> None:
        self._stop.set()
        self._thread.join(2.0)
        self.unplug()
        self._folder.cleanup()

    def _serve(self) -> None:
        while not self._stop.is_set():
            with self._hand, contextlib.suppress(OSError):  # nobody has it open
                if self._master >= 0 and select.select([self._master], [], [], _LOOK_SECONDS)[0]:
                    self.converter.receive(os.read(self._master, 4096))
                    continue
            self._stop.wait(_LOOK_SECONDS / 4)
