"""Signals as a WAV, block by block: one channel a signal, as many as there are, of any length.

Between its changes every frame is the same, so a frame is packed once for each change and repeated whole.  Source:
the RIFF/WAVE chunks `fmt `, `fact` and `data`; EBU Tech 3306 (RF64, `ds64`) beyond 4 GiB; from memory.
"""

from __future__ import annotations

import os
import shutil
import struct
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.control.stepped import Steps
from dynamis.errors import InputError
from dynamis.files.writing import publish

Samples = Literal["float32", "pcm16", "pcm24", "pcm32"]
FloatArray = NDArray[np.float64]
RATES: Final = (1000.0, 768_000.0)
MOST_CHANNELS: Final = 64
MOST_RAMP_SECONDS: Final = 10.0
USUAL_RATE: Final = 48_000
USUAL_FULL_SCALE_VOLTS: Final = 10.0
# Beyond these a sample of 32 bits is without bound, or is nothing.
FULL_SCALES_VOLTS: Final = (1e-9, 1e6)
_BYTES: Final = {"float32": 4, "pcm16": 2, "pcm24": 3, "pcm32": 4}
_PCM, _FLOAT = 1, 3
_BLOCK_BYTES: Final = 4 << 20
_MOST_32_BITS: Final = 0xFFFFFFFF
# What a file is allowed to leave of the disk.
_SPARE_BYTES: Final = 64 << 20


@dataclass(frozen=True, eq=False)
class WavChannel:
    """name : of the signal.  full_scale_volts : what 1 in the file stands for.  offset_volts : what 0 stands for.
    ramp_seconds : how long a step takes; 0 for a jump."""

    name: str
    signal: Steps
    full_scale_volts: float
    offset_volts: float = 0.0
    ramp_seconds: float = 0.0

    def samples(self, volts: FloatArray) -> FloatArray:
        """What stands for volts, any shape."""
        return (volts - self.offset_volts) / self.full_scale_volts

    @property
    def is_over(self) -> bool:
        """Whether a value passes full scale."""
        volts = self.signal.volts
        return float(np.max(np.abs(self.samples(np.array([volts.min(), volts.max()]))))) > 1.0


def write_wav(
    part: Path,
    channels: Sequence[WavChannel],
    seconds: float,
    rate: int,
    *,
    samples: Samples = "float32",
    name: str = "",
    tell: Callable[[float], object] = lambda share: None,
) -> None:
    """Fill a file that is not there yet.

    Parameters
    ----------
    seconds : its length; the sample at its end is there too, so that what falls there has fallen.
    rate : samples a second.
    samples : what a sample is; whole numbers are rounded, and stop at full scale.
    name : of the file in refusals.  tell : is given the share that is done, and may raise to stop.

    Raises
    ------
    InputError
        For a rate, a number of channels or a full scale that no WAV has, and where the disk does not take it.
    """
    _check(channels, rate)
    frames = int(np.ceil(seconds * rate - 1e-6)) + 1
    width = _BYTES[samples] * len(channels)
    name = name or str(part)
    room = shutil.disk_usage(part.parent).free
    if frames * width + _SPARE_BYTES > room:
        raise InputError(
            f"{name}: {frames * width / 1e6:.0f} MB are needed; {room / 1e6:.0f} MB are free on that disk."
        )
    try:
        with part.open("xb", buffering=0) as file:
            file.write(_header(frames, len(channels), rate, samples))
            for done, block in _blocks(channels, frames, rate, samples):
                view = block.data.cast("B")
                while view:
                    view = view[file.write(view) :]
                tell(done / frames)
            if frames * width % 2:
                file.write(b"\0")
            os.fsync(file.fileno())
    except OSError as error:
        raise InputError(f"{name}: cannot be written: {error.strerror or error}.") from error


def _check(channels: Sequence[WavChannel], rate: int) -> None:
    if not RATES[0] <= rate <= RATES[1]:
        raise InputError(f"{rate} samples a second; {RATES[0]:.0f} to {RATES[1]:.0f} were expected.")
    if not 1 <= len(channels) <= MOST_CHANNELS:
        raise InputError(f"{len(channels)} channels; 1 to {MOST_CHANNELS} were expected.")
    for one in channels:
        check_full_scale(one.name, one.full_scale_volts)


def check_full_scale(name: str, volts: float) -> None:
    """Raises `InputError` for what no sample can be counted in."""
    low, high = FULL_SCALES_VOLTS
    if not low <= volts <= high:
        raise InputError(f"The full scale of {name} is {volts:g} V; {low:g} to {high:g} V were expected.")


def _header(frames: int, channels: int, rate: int, samples: Samples) -> bytes:
    each = _BYTES[samples]
    form = struct.pack(
        "<HHIIHH",
        _FLOAT if samples == "float32" else _PCM,
        channels,
        rate,
        rate * each * channels,
        each * channels,
        8 * each,
    )
    data = frames * each * channels
    chunks = b"fmt " + struct.pack("<I", len(form)) + form
    chunks += b"fact" + struct.pack("<II", 4, min(frames, _MOST_32_BITS))
    whole = 4 + len(chunks) + 8 + data + data % 2
    if whole + 8 <= _MOST_32_BITS:
        return b"RIFF" + struct.pack("<I", whole) + b"WAVE" + chunks + b"data" + struct.pack("<I", data)
    sizes = b"ds64" + struct.pack("<IQQQI", 28, whole + 36, data, frames, 0)
    return (
        b"RF64"
        + struct.pack("<I", _MOST_32_BITS)
        + b"WAVE"
        + sizes
        + chunks
        + b"data"
        + struct.pack("<I", _MOST_32_BITS)
    )


def sample_indices(seconds: FloatArray, rate: float) -> NDArray[np.int64]:
    """The first sample at or after each instant (rising); two that fall into one sample stand one after the other, so
    that no edge is lost."""
    index = np.ceil(seconds * rate - 1e-6).astype(np.int64)
    place = np.arange(index.size)
    return np.asarray(np.maximum.accumulate(index - place) + place, np.int64)


def ramped(signal: Steps, seconds: float) -> tuple[FloatArray, FloatArray]:
    """(instants, volts) of corners, straight between: each step takes so long, from wherever it is when it begins."""
    times, values = [0.0], [float(signal.volts[0])]
    level = values[0]
    instants, volts = signal.seconds.tolist()[1:], signal.volts.tolist()[1:]
    for at, goal, until in zip(instants, volts, [*instants[1:], np.inf], strict=False):
        times.append(at)
        values.append(level)
        if at + seconds < until:
            times.append(at + seconds)
            values.append(goal)
            level = goal
        else:
            level += (goal - level) * (until - at) / seconds
    return np.array(times), np.array(values)


def _blocks(
    channels: Sequence[WavChannel], frames: int, rate: int, samples: Samples
) -> Iterator[tuple[int, NDArray[np.uint8]]]:
    """(frames so far, the block's frames) of the whole."""
    indices = [sample_indices(one.signal.seconds, rate) for one in channels]
    step = max(1, _BLOCK_BYTES // (_BYTES[samples] * len(channels)))
    ramps = {k: ramped(one.signal, one.ramp_seconds) for k, one in enumerate(channels) if one.ramp_seconds}
    for start in range(0, frames, step):
        end = min(frames, start + step)
        spans = [slice(*np.searchsorted(index, (start + 1, end))) for index in indices]
        cuts = np.unique(np.concatenate([[start], *(index[span] for index, span in zip(indices, spans, strict=True))]))
        values = np.empty((cuts.size, len(channels)))
        for k, (one, index) in enumerate(zip(channels, indices, strict=True)):
            values[:, k] = one.samples(one.signal.volts[np.searchsorted(index, cuts, side="right") - 1])
        if ramps:  # each frame has values of its own
            values = np.repeat(values, np.diff(np.append(cuts, end)), axis=0)
            for k, (seconds, volts) in ramps.items():
                values[:, k] = channels[k].samples(np.interp(np.arange(start, end) / rate, seconds, volts))
            yield end, _packed(values, samples).view(np.uint8)
            continue
        yield end, np.repeat(_packed(values, samples), np.diff(np.append(cuts, end))).view(np.uint8)


def _packed(values: FloatArray, samples: Samples) -> NDArray[np.void]:
    """Frames (K,) of values (K, C)."""
    if samples == "float32":
        raw = np.ascontiguousarray(values, "<f4").view(np.uint8)
    else:
        bits = 8 * _BYTES[samples]
        most = 2 ** (bits - 1)
        whole = np.clip(np.rint(values * most), -most, most - 1).astype("<i4")
        bytes_of = whole.view(np.uint8).reshape(*values.shape, 4)[..., : _BYTES[samples]]
        raw = np.ascontiguousarray(bytes_of.reshape(values.shape[0], -1))
    return np.asarray(np.ascontiguousarray(raw).view(np.dtype((np.void, raw.shape[1]))).reshape(-1))


def channel_map(names: Sequence[str], kept: Mapping[str, tuple[int, float]]) -> dict[str, tuple[int, float]]:
    """Of each signal its channel (0: left out) and its full scale in volts: as it is kept, or the lowest free one."""
    used = {number for name, (number, _) in kept.items() if name in names}
    free = (number for number in count(1) if number not in used)
    return {name: kept.get(name) or (next(free), USUAL_FULL_SCALE_VOLTS) for name in names}


def mapped(given: Mapping[int, WavChannel]) -> list[WavChannel]:
    """Channels from 1 to the highest that is given; those between that nobody gave are silent."""
    still = Steps(np.zeros(1), np.zeros(1))
    return [
        given.get(number, WavChannel(f"channel {number}", still, USUAL_FULL_SCALE_VOLTS))
        for number in range(1, max(given) + 1)
    ]


class _StoppedError(Exception):
    """Nobody wants the file any more."""


def save_wav(
    path: Path,
    channels: Sequence[WavChannel],
    seconds: float,
    rate: int = USUAL_RATE,
    *,
    samples: Samples = "float32",
    cancelled: Callable[[], bool] = lambda: False,
) -> bool:
    """Write a WAV whole or not at all; gives whether it was written.  Raises `InputError` as `write_wav` does."""

    def tell(share: float) -> None:
        if cancelled():
            raise _StoppedError

    try:
        with publish(path, replace=True) as part:
            write_wav(part, channels, seconds, rate, samples=samples, name=str(path), tell=tell)
    except _StoppedError:
        return False
    return True
