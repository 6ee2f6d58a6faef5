"""The stand-ins at their ports: the meter as a TCP server on loopback, the board on a pseudo-terminal."""

from __future__ import annotations

import contextlib
import os
import select
import socket
import threading
import time
import tty
from collections.abc import Callable
from typing import Final

from dynamis.devices.standins.board_logic import BoardLogic
from dynamis.devices.standins.meter_model import Faults, MeterModel

_LOOK_SECONDS: Final = 0.02
_MOST_LINE: Final = 4096


class MeterServer:
    """A SCPI meter on an ephemeral port of 127.0.0.1; one client at a time, as many meters have it."""

    def __init__(self, model: MeterModel) -> None:
        self.model, self.faults = model, Faults()
        self._listening: socket.socket | None = None
        self._client: socket.socket | None = None
        self._stop = threading.Event()
        self.port = 0
        self.plug_in()
        self._thread = threading.Thread(target=self._serve, name="meter", daemon=True)
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
        """Whether somebody has the meter."""
        return self._client is not None

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
