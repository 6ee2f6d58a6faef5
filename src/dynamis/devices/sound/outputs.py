"""Which outputs there are, and opening one by its address.

`audio:NAME, SYSTEM` is an output of an audio interface, and `host:port` somebody who takes a WAV that never ends.
"""

from __future__ import annotations

import contextlib
import json
import socket
import subprocess
import sys
from collections.abc import Sequence
from typing import Final

from dynamis.devices.interface import DeviceError
from dynamis.devices.scpi import shortened
from dynamis.devices.sound.audio import LIST_SECONDS, named_trouble
from dynamis.devices.sound.capture import PREFIX
from dynamis.devices.sound.outflow import MOST_CHANNELS, Line, Outflow

_COMMAND: Final = (sys.executable, "-m", "dynamis.devices.sound.playback")
_OPEN_SECONDS: Final = 3.0
_SMALL_BUFFER: Final = 16_384  # what is on its way is what a panic has to wait for


def audio_outputs() -> dict[str, int]:
    """Channels by address, of the outputs that are there now; raises `DeviceError` where there is no audio at all."""
    try:
        told = subprocess.run((*_COMMAND, "list"), capture_output=True, timeout=LIST_SECONDS, check=False)
    except (OSError, subprocess.TimeoutExpired) as error:
        raise DeviceError("silent", "The audio system does not say what outputs it has.") from error
    if told.returncode:
        raise named_trouble(told.stderr)
    return {str(address): int(most) for address, most in json.loads(told.stdout).items()}


def found_outputs() -> tuple[list[str], list[str]]:
    """(addresses of the outputs that are there now, why there are none)."""
    try:
        return list(audio_outputs()), []
    except DeviceError as error:
        return [], [str(error)]


def open_outputs(
    address: str, full_scale_volts: Sequence[float], limit_volts: float, offset_volts: Sequence[float] | None = None
) -> Outflow:
    """Open the outputs at an address, all at 0.  Raises `DeviceError`."""
    address = address.strip()
    if not 1 <= len(full_scale_volts) <= MOST_CHANNELS or not all(one > 0.0 for one in full_scale_volts):
        raise DeviceError("address", f"1 to {MOST_CHANNELS} channels with volts at full scale were expected.")
    if address.startswith(PREFIX):
        return Outflow(
            address, lambda: _process_line(address), full_scale_volts, limit_volts, offset_volts=offset_volts
        )
    host, _, port = address.rpartition(":")
    if not host or not (port.isascii() and port.isdigit() and len(port) < 6) or not 0 < int(port) < 65536:
        raise DeviceError(
            "address", f"The outputs' address is {shortened(address)}; audio:NAME, SYSTEM or host:port was expected."
        )
    connect = lambda: _socket_line(host, int(port))  # noqa: E731
    return Outflow(address, connect, full_scale_volts, limit_volts, offset_volts=offset_volts)


def _socket_line(host: str, port: int) -> Line:
    """Somebody who takes a WAV that never ends."""
    try:
        line = socket.create_connection((host, port), _OPEN_SECONDS)
    except OSError as error:
        raise DeviceError("absent", f"Nobody takes sound at {host}:{port} ({error.strerror or error}).") from error
    line.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, _SMALL_BUFFER)
    return Line(line.sendall, line.close)


def _process_line(address: str) -> Line:
    """An audio interface, through PortAudio in a process of its own, which keeps the time."""
    process = subprocess.Popen(
        (*_COMMAND, address), stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, bufsize=0
    )
    pipe, errors = process.stdin, process.stderr
    assert pipe is not None  # both are pipes
    assert errors is not None
    said: list[str] = []

    def write(data: bytes) -> None:
        left = memoryview(data)
        while left:
            left = left[pipe.write(left) or 0 :]

    def close() -> None:
        with contextlib.suppress(OSError):
            pipe.close()  # it fades out, and ends
        try:
            process.wait(_OPEN_SECONDS)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait(_OPEN_SECONDS)
        errors.close()

    def trouble() -> str:
        if process.poll() is None:
            return ""
        if not said:
            said.append(str(named_trouble(errors.read() or b"")))
        return said[0]

    return Line(write, close, trouble, paced=False)
