"""Which sound there is to listen to, and opening it by its address."""

from __future__ import annotations

from dynamis.devices.interface import DeviceError
from dynamis.devices.sound.audio import PREFIX, AudioStream, audio_inputs
from dynamis.devices.sound.stream import SoundStream
from dynamis.devices.sound.wav_stream import WavStream


def open_sound(address: str, channel: int = 0) -> SoundStream:
    """`audio:NAME, SYSTEM` is an audio interface; host:port or a path a WAV that never ends.  channel : from 0.

    Raises `DeviceError`.
    """
    address = address.strip()
    return AudioStream(address, channel) if address.startswith(PREFIX) else WavStream(address, channel)


def sounds() -> tuple[list[str], list[str]]:
    """(addresses of the inputs that are there now, a sentence where there is none)."""
    try:
        return audio_inputs(), []
    except DeviceError as error:
        return [], [str(error)]
