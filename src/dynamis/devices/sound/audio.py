"""The inputs of audio interfaces, ALSA's and JACK's, through PortAudio in a process of its own (`capture.py`)."""

from __future__ import annotations

import contextlib
import json
import subprocess
import sys
from typing import Final

from dynamis.devices.interface import DeviceError
from dynamis.devices.sound.capture import PREFIX
from dynamis.devices.sound.wav_stream import WavStream

_COMMAND: Final = (sys.executable, "-m", "dynamis.devices.sound.capture")
LIST_SECONDS: Final = 15.0
_END_SECONDS: Final = 5.0


def audio_inputs() -> list[str]:
    """Addresses of the inputs that are there now; raises `DeviceError` where there is no audio at all."""
    try:
        told = subprocess.run((*_COMMAND, "list"), capture_output=True, timeout=LIST_SECONDS, check=False)
    except (OSError, subprocess.TimeoutExpired) as error:
        raise DeviceError("silent", "The audio system does not say what inputs it has.") from error
    if told.returncode:
        raise named_trouble(told.stderr)
    return [str(one) for one in json.loads(told.stdout)]


def named_trouble(errors: bytes) -> DeviceError:
    """What the process said of its trouble; the libraries write there too."""
    for line in reversed(errors.decode("utf-8", "replace").splitlines()):
        with contextlib.suppress(ValueError, TypeError, KeyError):
            told = json.loads(line)
            return DeviceError(told["trouble"], told["sentence"])
    return DeviceError("absent", "The audio system ended without a word: is its server running?")


class AudioStream(WavStream):
    """address : `audio:NAME, SYSTEM`, as `audio_inputs` gives it.  channel : from 0."""

    open_seconds = LIST_SECONDS  # a process starts, and looks at every interface first

    def __init__(self, address: str, channel: int = 0) -> None:
        self._process = subprocess.Popen(
            (*_COMMAND, address, str(channel)),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )
        assert self._process.stdout is not None  # it is a pipe
        self._listen_to(address, 0, self._process.stdout.fileno(), self._end_process)

    def _end_process(self) -> None:
        process = self._process
        process.kill()
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.communicate(timeout=_END_SECONDS)

    def _why_ended(self) -> DeviceError:
        try:
            _, errors = self._process.communicate(timeout=_END_SECONDS)
        except subprocess.TimeoutExpired:
            return super()._why_ended()
        return named_trouble(errors)


__all__ = ["PREFIX", "AudioStream", "audio_inputs"]
