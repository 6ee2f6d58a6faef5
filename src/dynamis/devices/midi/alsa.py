"""Ports of the ALSA sequencer, through alsa-midi."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from dynamis.devices.interface import DeviceError
from dynamis.devices.midi.ports import ALSA
from dynamis.devices.promptness import come_promptly

if TYPE_CHECKING:
    from alsa_midi import SequencerClient

SEQUENCER: Final = Path("/dev/snd/seq")
# Between two looks at what has come, and at whether its sender is there.
_BETWEEN_SECONDS, _LOOK_SECONDS = 0.001, 1.0


def _client() -> SequencerClient:
    try:
        import alsa_midi
    except (ImportError, OSError) as error:
        raise DeviceError(
            "absent", f"There is no ALSA here ({error}): install libasound2 for its MIDI ports."
        ) from error
    absent = DeviceError(
        "absent", "There is no ALSA sequencer on this machine: load snd-seq, or use JACK or a raw MIDI port."
    )
    if not SEQUENCER.exists():  # the library would write to the terminal
        raise absent
    try:
        return alsa_midi.SequencerClient("dynamis")
    except alsa_midi.Error as error:
        raise absent from error


def _ports(client: Any, **side: bool) -> Iterator[tuple[str, Any]]:
    """(address, port) of what takes events, or gives them; two of one name are told apart by their order."""
    told: dict[str, int] = {}
    for port in client.list_ports(**side):
        address = f"{ALSA}{port.client_name}:{port.name}"
        told[address] = told.get(address, 0) + 1
        yield (address if told[address] == 1 else f"{address} #{told[address]}"), port


def alsa_outputs() -> list[str]:
    """Addresses of what takes events; raises `DeviceError` where there is no sequencer."""
    return _addresses(output=True)


def alsa_inputs() -> list[str]:
    """Addresses of what gives events; raises `DeviceError` where there is no sequencer."""
    return _addresses(input=True)


def _addresses(**side: bool) -> list[str]:
    client = _client()
    try:
        return [address for address, _ in _ports(client, **side)]
    finally:
        client.close()


def _look_up(client: Any, wanted: str, **side: bool) -> Any:
    """The port of an address; raises `DeviceError` where it is not there."""
    for address, port in _ports(client, **side):
        if address == wanted:
            return port
    raise DeviceError("unplugged", f"There is no MIDI port {wanted.removeprefix(ALSA)}: plug it in, then try again.")


class AlsaOutput:
    """A port of the sequencer, connected.  Its going away is noticed at the next message."""

    def __init__(self, address: str) -> None:
        import alsa_midi

        self.identity = address
        self._client: Any = _client()
        try:
            self._target = _look_up(self._client, address, output=True)
            self._port = self._client.create_port("out", caps=alsa_midi.READ_PORT)
            self._port.connect_to(self._target)
        except alsa_midi.Error as error:
            self.close()
            raise DeviceError("busy", f"{address} cannot be connected ({error}).") from error
        except DeviceError:
            self.close()
            raise

    def send(self, data: bytes) -> None:
        import alsa_midi

        _look_up(self._client, self.identity, output=True)
        try:
            self._client.event_output(alsa_midi.MidiBytesEvent(data), port=self._port)
            self._client.drain_output()
        except alsa_midi.Error as error:
            raise DeviceError(
                "unplugged", f"The MIDI port {self.identity.removeprefix(ALSA)} is gone ({error}): plug it in again."
            ) from error

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._client.close()


class AlsaInput:
    """A port of the sequencer that is listened to, from a thread of its own.  trouble : why nothing comes any more."""

    def __init__(
        self, address: str, feed: Callable[[float, bytes], object], clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.identity, self.trouble = address, ""
        self._client: Any = _client()  # says it where there is no library
        import alsa_midi

        try:
            source = _look_up(self._client, address, input=True)
            self._port = self._client.create_port("in", caps=alsa_midi.WRITE_PORT)
            self._port.connect_from(source)
        except alsa_midi.Error as error:
            self._client.close()
            raise DeviceError("busy", f"{address} cannot be connected ({error}).") from error
        except DeviceError:
            self._client.close()
            raise
        self._feed, self._clock, self._stop = feed, clock, threading.Event()
        self._thread = threading.Thread(target=self._listen, name="midi in")
        self._thread.start()

    def _listen(self) -> None:
        import alsa_midi

        come_promptly()
        looked = self._clock()
        try:
            # What waits is asked for, since waiting for it would not end with the port.
            while not self._stop.wait(_BETWEEN_SECONDS):
                while self._client.event_input_pending(True):
                    event = self._client.event_input(prefer_bytes=True)
                    data = getattr(event, "midi_bytes", b"")
                    if data:
                        self._feed(self._clock(), bytes(data))
                if self._clock() - looked > _LOOK_SECONDS:
                    looked = self._clock()
                    _look_up(self._client, self.identity, input=True)
        except (alsa_midi.Error, DeviceError):
            self.trouble = f"{self.identity.removeprefix(ALSA)} is gone: plug it in again, then listen anew."

    def close(self) -> None:
        self._stop.set()
        self._thread.join(1.0)
        with contextlib.suppress(Exception):
            self._client.close()
