"""Ports of the ALSA sequencer, through alsa-midi."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from dynamis.devices.interface import DeviceError
from dynamis.devices.midi.ports import ALSA

if TYPE_CHECKING:
    from alsa_midi import SequencerClient

SEQUENCER: Final = Path("/dev/snd/seq")


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


def _ports(client: Any) -> Iterator[tuple[str, Any]]:
    """(address, port) of what takes events; two of one name are told apart by their order."""
    told: dict[str, int] = {}
    for port in client.list_ports(output=True):
        address = f"{ALSA}{port.client_name}:{port.name}"
        told[address] = told.get(address, 0) + 1
        yield (address if told[address] == 1 else f"{address} #{told[address]}"), port


def alsa_outputs() -> list[str]:
    """Addresses of what takes events; raises `DeviceError` where there is no sequencer."""
    client = _client()
    try:
        return [address for address, _ in _ports(client)]
    finally:
        client.close()


class AlsaOutput:
    """A port of the sequencer, connected.  Its going away is noticed at the next message."""

    def __init__(self, address: str) -> None:
        import alsa_midi

        self.identity = address
        self._client: Any = _client()
        try:
            self._target = self._look_up()
            self._port = self._client.create_port("out", caps=alsa_midi.READ_PORT)
            self._port.connect_to(self._target)
        except alsa_midi.Error as error:
            self.close()
            raise DeviceError("busy", f"{address} cannot be connected ({error}).") from error
        except DeviceError:
            self.close()
            raise

    def _look_up(self) -> Any:
        for address, port in _ports(self._client):
            if address == self.identity:
                return port
        raise DeviceError(
            "unplugged", f"There is no MIDI port {self.identity.removeprefix(ALSA)}: plug it in, then try again."
        )

    def send(self, data: bytes) -> None:
        import alsa_midi

        self._look_up()
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
