"""Ports of JACK, through JACK-Client; the server has to run already."""

from __future__ import annotations

import contextlib
import functools
import queue
import threading
import time
from typing import Any, Final

from dynamis.converter.midi_stream import MidiParser
from dynamis.devices.interface import DeviceError
from dynamis.devices.midi.ports import JACK
from dynamis.devices.running_time import running_seconds

_MOST_WAITING: Final = 1024
_CONNECT_SECONDS: Final = 2.0
# A server that is busy starting, or a machine that is held up, refuses once and takes the next.
_TRIES, _BETWEEN_SECONDS = 3, 0.2
# The library opens one client at a time: two threads at once end the process (seen, an illegal instruction).
_OPENING: Final = threading.Lock()


def jack_client(name: str = "dynamis") -> Any:
    """A client of the server that runs; raises `DeviceError` where none does."""
    for left in reversed(range(_TRIES)):
        with _OPENING:
            jack = _library()
            try:
                return jack.Client(name, no_start_server=True)
            except jack.JackError as error:
                if not left:
                    sentence = "No JACK server is running: start one, or use another system's ports."
                    raise DeviceError("absent", sentence) from error
        time.sleep(_BETWEEN_SECONDS)
    raise AssertionError("unreachable")


@functools.cache
def _library() -> Any:
    """The library, quiet; what it calls back is set once, since setting it again frees what it may be calling."""
    try:
        import jack
    except (ImportError, OSError) as error:
        raise DeviceError("absent", f"There is no JACK here ({error}): install libjack for its ports.") from error
    jack.set_error_function(_quiet)
    jack.set_info_function(_quiet)
    return jack


def _quiet(_: str) -> None:
    """The library writes to the terminal otherwise; what is wrong is raised as well."""


def jack_outputs() -> list[str]:
    """Addresses of what takes MIDI; raises `DeviceError` where no server runs."""
    return _ports(is_input=True)


def jack_inputs() -> list[str]:
    """Addresses of what sends MIDI; raises `DeviceError` where no server runs."""
    return _ports(is_output=True)


def _ports(**side: bool) -> list[str]:
    client = jack_client("dynamis-look")
    try:
        return [f"{JACK}{port.name}" for port in client.get_ports(is_midi=True, **side)]
    finally:
        client.close()


class JackOutput:
    """A MIDI port of JACK, connected; messages go out with the next block."""

    def __init__(self, address: str) -> None:
        self.identity = address
        self._waiting: queue.Queue[bytes] = queue.Queue(_MOST_WAITING)
        self._gone = False
        self._client = jack_client()
        try:
            self._port = self._client.midi_outports.register("out")
            self._client.set_process_callback(self._process)
            self._client.set_shutdown_callback(self._shut_down)
            self._client.activate()
            self._connect()
        except BaseException:
            self.close()
            raise

    def _connect(self) -> None:
        import jack

        name = self.identity.removeprefix(JACK)
        if name not in {port.name for port in self._client.get_ports(is_midi=True, is_input=True)}:
            raise DeviceError("unplugged", f"There is no MIDI port {name}: plug it in, then try again.")
        try:
            self._client.connect(self._port, name)
        except jack.JackError as error:
            raise DeviceError("busy", f"{name} cannot be connected ({error}).") from error
        until = running_seconds() + _CONNECT_SECONDS
        while not self._is_connected():  # the server tells of it a little later
            if running_seconds() > until:
                raise DeviceError("busy", f"{name} does not take the connection: is JACK's server still running?")
            time.sleep(0.005)

    def _is_connected(self) -> bool:
        return self.identity.removeprefix(JACK) in {port.name for port in self._port.connections}

    def _process(self, frames: int) -> None:
        self._port.clear_buffer()
        with contextlib.suppress(queue.Empty):
            for _ in range(_MOST_WAITING):
                self._port.write_midi_event(0, self._waiting.get_nowait())

    def _shut_down(self, status: Any, reason: str) -> None:
        self._gone = True

    def send(self, data: bytes) -> None:
        name = self.identity.removeprefix(JACK)
        if self._gone or not self._is_connected():
            raise DeviceError("unplugged", f"The MIDI port {name} is gone: plug it in again, then go on.")
        try:
            for message in MidiParser().feed(data):  # JACK takes one message at a time
                self._waiting.put_nowait(bytes([message.status]) + message.data)
        except queue.Full as error:
            raise DeviceError("silent", f"JACK takes no messages for {name}: is its server still running?") from error

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._client.deactivate()
            self._client.close()
