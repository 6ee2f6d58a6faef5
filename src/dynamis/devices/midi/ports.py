"""Which MIDI outputs there are, and opening one by its address.

`alsa:CLIENT:PORT` is a port of the ALSA sequencer, `jack:CLIENT:PORT` one of JACK, and a path a raw MIDI device, such
as `/dev/snd/midiC1D0`.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Final, Protocol

from dynamis.devices.interface import DeviceError
from dynamis.devices.scpi import shortened

ALSA, JACK = "alsa:", "jack:"
_RAW: Final = ("midi*", "snd/midi*")


class MidiOutput(Protocol):
    """An open port; every method but `close` raises `DeviceError`."""

    @property
    def identity(self) -> str:
        """The port's address."""
        ...

    def send(self, data: bytes) -> None:
        """Whole messages, at once and in their order."""
        ...

    def close(self) -> None: ...


def open_output(address: str) -> MidiOutput:
    """Open the port of an address; raises `DeviceError`."""
    address = address.strip()
    if address.startswith(ALSA):
        from dynamis.devices.midi.alsa import AlsaOutput

        return AlsaOutput(address)
    if address.startswith(JACK):
        from dynamis.devices.midi.jack import JackOutput

        return JackOutput(address)
    if address.startswith("/"):
        from dynamis.devices.midi.raw import RawOutput

        return RawOutput(address)
    raise DeviceError(
        "address",
        f"The MIDI port is {shortened(address)}; alsa:CLIENT:PORT, jack:CLIENT:PORT or the path of a raw MIDI "
        "device was expected.",
    )


def outputs() -> tuple[list[str], list[str]]:
    """(addresses of the outputs that are there now, a sentence for each system that is not)."""
    from dynamis.devices.midi.alsa import alsa_outputs
    from dynamis.devices.midi.jack import jack_outputs

    found: list[str] = []
    missing: list[str] = []
    systems: tuple[Callable[[], list[str]], ...] = (alsa_outputs, jack_outputs)
    for look in systems:
        try:
            found += look()
        except DeviceError as error:
            missing.append(str(error))
    found += sorted({str(path) for pattern in _RAW for path in Path("/dev").glob(pattern)})
    return found, missing
