"""Sound as a WAV that never ends: from a host and port, or through a pipe that another program writes to.

Source: Multimedia Programming Interface and Data Specifications 1.0 (1991), "WAVE Form"; WAVE_FORMAT_EXTENSIBLE as
Microsoft describes it; from memory.  The sizes in the header of a stream mean nothing and are passed over.
"""

from __future__ import annotations

import contextlib
import os
import select
import socket
import stat
import struct
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.devices.interface import DeviceError
from dynamis.devices.running_time import running_seconds
from dynamis.devices.scpi import shortened
from dynamis.devices.sound.stream import FloatArray, Inflow

_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
MOST_HEADER: Final = 65_536
MOST_CHANNELS: Final = 64
RATES: Final = (8000, 768_000)
_OPEN_SECONDS: Final = 3.0
_PIECE: Final = 65_536


@dataclass(frozen=True)
class WavForm:
    """rate : samples a second.  kind : of a sample, 1 whole numbers, 3 floating point."""

    rate: int
    channels: int
    bits: int
    kind: int

    @property
    def frame_bytes(self) -> int:
        return self.channels * self.bits // 8

    def samples(self, data: bytes, channel: int) -> FloatArray:
        """One channel (from 0) of whole frames, full scale 1; floating point ones may be no number."""
        if self.kind == _FLOAT:
            every = np.frombuffer(data, f"<f{self.bits // 8}").astype(float)
        elif self.bits == 24:
            thirds = np.frombuffer(data, np.uint8).reshape(-1, 3).astype(np.int32)
            whole = (thirds[:, 0] << 8 | thirds[:, 1] << 16 | thirds[:, 2] << 24) >> 8
            every = whole.astype(float) / 2**23
        else:
            every = np.frombuffer(data, f"<i{self.bits // 8}").astype(float) / 2 ** (self.bits - 1)
        return every.reshape(-1, self.channels)[:, channel]


def parse_wav_header(data: bytes) -> tuple[WavForm, int] | None:
    """The form of a WAV and where its samples begin; None while more of the header has to come.

    Raises `DeviceError` (garbage) for what is none.
    """
    if len(data) < 12 and (b"RIFF" + data[4:8] + b"WAVE").startswith(data):
        return None
    if data[:4] not in (b"RIFF", b"RF64") or data[8:12] != b"WAVE":
        raise DeviceError(
            "garbage", f"What comes begins with {shortened(data[:8].decode('latin-1'))}; a WAV was expected."
        )
    at, form = 12, None
    while len(data) >= at + 8:
        name, size = data[at : at + 4], struct.unpack("<I", data[at + 4 : at + 8])[0]
        if name == b"data":
            if form is None:
                raise DeviceError("garbage", "The WAV has samples before it says what they are.")
            return form, at + 8
        if size > MOST_HEADER or at > MOST_HEADER:
            raise DeviceError("garbage", "The header of the WAV has no end.")
        if len(data) < at + 8 + size:
            return None
        if name == b"fmt ":
            form = _form(data[at + 8 : at + 8 + size])
        at += 8 + size + size % 2
    return None


def _form(chunk: bytes) -> WavForm:
    if len(chunk) < 16:
        raise DeviceError("garbage", "The WAV does not say what its samples are.")
    kind, channels, rate, _, _, bits = struct.unpack("<HHIIHH", chunk[:16])
    if kind == _EXTENSIBLE and len(chunk) >= 26:
        kind = struct.unpack("<H", chunk[24:26])[0]
    fits = bits in (16, 24, 32) if kind == _PCM else kind == _FLOAT and bits in (32, 64)
    if not fits or not 1 <= channels <= MOST_CHANNELS or not RATES[0] <= rate <= RATES[1]:
        raise DeviceError(
            "garbage",
            f"The WAV has {channels} channels of {bits} bits (kind {kind}) at {rate} Hz; PCM of 16 to 32 bits or "
            f"floating point, at most {MOST_CHANNELS} channels and {RATES[0]} to {RATES[1]} Hz were expected.",
        )
    return WavForm(rate, channels, bits, kind)


class WavStream(Inflow):
    """address : host:port, or the path of a pipe.  channel : from 0."""

    open_seconds = _OPEN_SECONDS

    def __init__(self, address: str, channel: int = 0) -> None:
        self._listen_to(address, channel, *_opened(address))

    def _listen_to(self, address: str, channel: int, descriptor: int, close_it: Callable[[], None]) -> None:
        """Read the header, and begin to listen."""
        self.identity = address
        self._stop = threading.Event()
        self._descriptor, self._close_it = descriptor, close_it
        try:
            form, rest = self._header()
            if channel >= form.channels:
                raise DeviceError(
                    "address",
                    f"{address} has {form.channels} channel{'s' * (form.channels > 1)}, counted from 0; channel "
                    f"{channel} was asked for.",
                )
        except BaseException:
            self._close_it()
            raise
        super().__init__(address, float(form.rate))
        self._form, self._channel = form, channel
        self._thread = threading.Thread(target=self._listen, args=(rest,), name="sound", daemon=True)
        self._thread.start()

    def _piece(self, seconds: float) -> bytes | None:
        """What came, empty at the end, None where nothing did in that time."""
        if not select.select([self._descriptor], [], [], seconds)[0]:
            return None
        return os.read(self._descriptor, _PIECE)

    def _why_ended(self) -> DeviceError:
        """Why nothing more comes."""
        return DeviceError("unplugged", f"{self.identity} has ended: start it again, then go on.")

    def _header(self) -> tuple[WavForm, bytes]:
        data, until = b"", running_seconds() + self.open_seconds
        while running_seconds() < until:
            try:
                piece = self._piece(0.1)
            except OSError as error:
                raise DeviceError("unplugged", f"{self.identity} is gone ({error.strerror}).") from error
            if piece == b"" and (data or self._ends_before_it_begins()):
                raise self._why_ended()
            if not piece:  # a pipe that nobody has opened for writing yet reads as ended
                time.sleep(0.01)
                continue
            data += piece
            found = parse_wav_header(data)
            if found is not None:
                return found[0], data[found[1] :]
        seconds = f"{self.open_seconds:.0f} s"
        raise DeviceError("silent", f"No sound has come from {self.identity} within {seconds}: is it sent?")

    def _ends_before_it_begins(self) -> bool:
        """Whether an end before the first byte is one."""
        return not self.identity.startswith("/")

    def _listen(self, rest: bytes) -> None:
        size, why = self._form.frame_bytes, None
        try:
            while not self._stop.is_set():
                whole = len(rest) // size * size
                if whole:
                    self._take(self._form.samples(rest[:whole], self._channel))
                    rest = rest[whole:]
                piece = self._piece(0.1)
                if piece == b"":
                    why = str(self._why_ended())
                    break
                rest += piece or b""
        except (OSError, ValueError) as error:
            why = f"{self.identity} is gone ({error}): start it again, then go on."
        self.end(why or "")

    def _take(self, samples: FloatArray) -> None:
        """Put samples in; one that is no number says that some are missing there."""
        holes = np.flatnonzero(~np.isfinite(samples))
        if holes.size:
            self.put(samples[int(holes[-1]) + 1 :], lost=True)
        else:
            self.put(samples)

    def close(self) -> None:
        self._stop.set()
        self._thread.join(1.0)
        self._close_it()


def _opened(address: str) -> tuple[int, Callable[[], None]]:
    """A descriptor to read from, and what closes it."""
    if address.startswith("/"):
        try:
            if not stat.S_ISFIFO(os.stat(address).st_mode):
                raise DeviceError("address", f"{address} is no pipe: drop a whole WAV on the run instead.")
            descriptor = os.open(address, os.O_RDONLY | os.O_NONBLOCK)
        except OSError as error:
            raise DeviceError("absent", f"{address} cannot be opened ({error.strerror}).") from error
        return descriptor, lambda: _closed(descriptor)
    host, _, port = address.rpartition(":")
    if not host or not (port.isascii() and port.isdigit() and len(port) < 6) or not 0 < int(port) < 65536:
        raise DeviceError("address", f"The sound's address is {shortened(address)}; host:port or a pipe was expected.")
    try:
        line = socket.create_connection((host, int(port)), _OPEN_SECONDS)
    except OSError as error:
        raise DeviceError("absent", f"Nothing sends sound at {address} ({error.strerror or error}).") from error
    return line.fileno(), line.close


def _closed(descriptor: int) -> None:
    with contextlib.suppress(OSError):
        os.close(descriptor)
