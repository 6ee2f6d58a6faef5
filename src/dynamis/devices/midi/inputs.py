"""MIDI that comes in: from a raw device by its path, through a port of JACK or of the ALSA sequencer.

Bytes are given on as they come, with when they came, from a thread of the input's own.
"""

from __future__ import annotations

import contextlib
import os
import select
import stat
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final, Protocol

from dynamis.devices.interface import DeviceError
from dynamis.devices.midi.ports import ALSA, JACK
from dynamis.devices.promptness import come_promptly
from dynamis.devices.scpi import shortened

_PIECE: Final = 4096
_LOOK_SECONDS: Final = 0.1
_LEAST_TURN_SECONDS: Final = 0.001
Feed = Callable[[float, bytes], object]


class MidiInput(Protocol):
    """trouble : why nothing comes any more, empty while it may."""

    identity: str
    trouble: str

    def close(self) -> None: ...


class RawInput:
    """address : the path of a raw MIDI device, or of a pipe."""

    def __init__(self, address: str, feed: Feed, clock: Callable[[], float] = time.monotonic) -> None:
        self.identity, self.trouble = address, ""
        try:
            mode = os.stat(address).st_mode
            if not (stat.S_ISCHR(mode) or stat.S_ISFIFO(mode)):
                raise DeviceError("address", f"{shortened(address)} is no MIDI device.")
            self._descriptor = os.open(address, os.O_RDONLY | os.O_NONBLOCK)
        except OSError as error:
            raise DeviceError("absent", f"{shortened(address)} cannot be opened ({error.strerror}).") from error
        self._feed, self._clock, self._stop = feed, clock, threading.Event()
        self._thread = threading.Thread(target=self._listen, name="midi in", daemon=True)
        self._thread.start()

    def _listen(self) -> None:
        come_promptly()
        while not self._stop.is_set():
            try:
                if not select.select([self._descriptor], [], [], _LOOK_SECONDS)[0]:
                    continue
                data = os.read(self._descriptor, _PIECE)
            except BlockingIOError:
                continue
            except OSError as error:
                self.trouble = f"{self.identity} is gone ({error.strerror}): plug it in again, then listen anew."
                return
            began = self._clock()
            if data:
                self._feed(began, data)
            else:
                self._stop.wait(_LOOK_SECONDS)  # a pipe that nobody writes to
            if len(data) == _PIECE:  # no MIDI lead carries so much: leave others their turn
                self._stop.wait(max(_LEAST_TURN_SECONDS, self._clock() - began))

    def close(self) -> None:
        self._stop.set()
        self._thread.join(1.0)
        os.close(self._descriptor)


class JackInput:
    """address : `jack:CLIENT:PORT` of what sends."""

    def __init__(self, address: str, feed: Feed, clock: Callable[[], float] = time.monotonic) -> None:
        from dynamis.devices.midi.jack import jack_client

        self.identity, self.trouble = address, ""
        self._feed, self._clock = feed, clock
        self._client = jack_client("dynamis-in")
        try:
            self._port = self._client.midi_inports.register("in")
            self._client.set_process_callback(self._process)
            self._client.set_shutdown_callback(self._shut_down)
            self._client.activate()
            name = address.removeprefix(JACK)
            if name not in {port.name for port in self._client.get_ports(is_midi=True, is_output=True)}:
                raise DeviceError("unplugged", f"There is no MIDI port {shortened(name)}: plug it in, then try again.")
            self._client.connect(name, self._port)
        except BaseException:
            self.close()
            raise

    def _process(self, frames: int) -> None:
        now = self._clock()
        for _, data in self._port.incoming_midi_events():
            self._feed(now, bytes(data))

    def _shut_down(self, status: Any, reason: str) -> None:
        self.trouble = f"{self.identity} is gone: JACK's server has ended."

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._client.deactivate()
            self._client.close()


def open_input(address: str, feed: Feed) -> MidiInput:
    """Open the input of an address; raises `DeviceError`."""
    address = address.strip()
    if address.startswith(ALSA):
        from dynamis.devices.midi.alsa import AlsaInput

        return AlsaInput(address, feed)
    if address.startswith(JACK):
        return JackInput(address, feed)
    if address.startswith("/"):
        return RawInput(address, feed)
    raise DeviceError(
        "address",
        f"The MIDI input is {shortened(address)}; alsa:CLIENT:PORT, jack:CLIENT:PORT or the path of a raw MIDI device "
        "was expected.",
    )


def inputs() -> list[str]:
    """Addresses of the inputs that are there now."""
    from dynamis.devices.midi.alsa import alsa_inputs
    from dynamis.devices.midi.jack import jack_inputs

    found: list[str] = []
    for look in (alsa_inputs, jack_inputs):
        with contextlib.suppress(DeviceError):
            found += look()
    return found + sorted({str(path) for pattern in ("midi*", "snd/midi*") for path in Path("/dev").glob(pattern)})
