"""Recorded sound, read one channel at a time: WAV and whatever else the sound library knows."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.tuner.live import MOST_CLIPPED, clipped_part
from dynamis.waveform.trace import Trace

if TYPE_CHECKING:
    import soundfile

MOST_SECONDS: Final = 3600.0
MOST_CHANNELS: Final = 64
# Measured against time: so many samples of so many channels, by at most so many volts at full scale.
MOST_TRACED: Final = 2_000_000
MOST_TRACES: Final = 8
MOST_FULL_SCALE: Final = 1000.0
_RATES: Final = (4000, 768_000)
_BLOCK: Final = 1 << 18


@dataclass(frozen=True, eq=False)
class Recording:
    """One channel of a recording.  samples : (N,), full scale is 1.  index : which channel, from 0."""

    samples: NDArray[np.float32]
    rate: float
    index: int
    channels: int


def read_recording(path: Path, index: int | None = None) -> Recording:
    """A channel of a recording: that of an index, else that with the largest alternating part.

    Raises `InputError`, naming the file, where there is no sound in it that can be read, or no such channel.
    """
    with _opened(path) as sound:
        channels = sound.channels
        if index is None:
            index = 0 if channels == 1 else _loudest(sound, path)
        elif not 0 <= index < channels:
            have = "one channel, 0" if channels == 1 else f"channels 0 to {channels - 1}"
            raise InputError(f"{path}: channel {index} was asked for, and the recording has {have}.")
        sound.seek(0)
        blocks = [block[:, index] for block in _blocks(sound, path)]
        samples = np.concatenate(blocks) if blocks else np.zeros(0, np.float32)
        return Recording(samples, float(sound.samplerate), index, channels)


def recorded_traces(path: Path, full_scale_volts: float, stop: Callable[[], bool] = lambda: False) -> list[Trace]:
    """Every channel of a recording as volts against time, by the volts that its full scale stands for.

    Raises `InputError` for a recording that is too long or clips; stop : asked between channels, raises then too.
    """
    with _opened(path) as sound:
        channels, length = sound.channels, sound.frames
    if length > MOST_TRACED:
        raise InputError(f"{path}: {length} samples; at most {MOST_TRACED} are measured against time. Cut it first.")
    if not 0.0 < full_scale_volts <= MOST_FULL_SCALE:
        raise InputError(f"The full scale is {plain(full_scale_volts)} V; more than 0 and at most 1000 V was expected.")
    traces = []
    for index in range(min(channels, MOST_TRACES)):
        if stop():
            raise InputError(f"{path}: the reading was given up.")
        one = read_recording(path, index)
        clipped = clipped_part(one.samples)
        if clipped > MOST_CLIPPED:
            raise InputError(
                f"{path}: channel {index} clips, {100.0 * clipped:.1f} % of its samples stand at full scale: what lies "
                "beyond is not in it. Record it lower."
            )
        seconds = np.arange(one.samples.size) / one.rate
        traces.append(Trace(f"channel {index}", seconds, one.samples.astype(float) * full_scale_volts))
    return traces


@contextmanager
def _opened(path: Path) -> Iterator[soundfile.SoundFile]:
    try:
        # Only where sound is read: it loads a library of its own.
        import soundfile
    except OSError as error:
        raise InputError(f"{path}: the library that reads sound is not on this machine: {error}.") from error
    if not path.is_file():
        what = "there is no such file" if not path.exists() else "this is no file that can be read"
        raise InputError(f"{path}: {what}.")
    try:
        sound = soundfile.SoundFile(path)
    except soundfile.LibsndfileError as error:
        reason = str(error.error_string).strip().rstrip(".")
        raise InputError(f"{path}: no sound can be read from it ({reason}); a WAV file was expected.") from error
    except (OSError, ValueError, TypeError) as error:
        raise InputError(f"{path}: no sound can be read from it; a WAV file was expected.") from error
    with sound:
        seconds = sound.frames / max(1, sound.samplerate)
        if not _RATES[0] <= sound.samplerate <= _RATES[1]:
            raise InputError(f"{path}: {sound.samplerate} samples a second; {_RATES[0]} to {_RATES[1]} were expected.")
        if sound.channels > MOST_CHANNELS:
            raise InputError(f"{path}: {sound.channels} channels; at most {MOST_CHANNELS} are read.")
        if seconds > MOST_SECONDS:
            raise InputError(
                f"{path}: the recording lasts {seconds / 60.0:.0f} minutes; at most {MOST_SECONDS / 60.0:.0f} are "
                "read. Cut it into parts."
            )
        yield sound


def _blocks(sound: soundfile.SoundFile, path: Path) -> Iterator[NDArray[np.float32]]:
    """Blocks of all channels, (n, channels); a file that ends early gives what is there."""
    import soundfile

    try:
        while True:
            block = sound.read(_BLOCK, dtype="float32", always_2d=True)
            if not len(block):
                return
            if not np.all(np.isfinite(block)):
                raise InputError(f"{path}: some of its samples are no numbers.")
            yield block
    except soundfile.LibsndfileError as error:
        reason = str(error.error_string).strip().rstrip(".")
        raise InputError(f"{path}: the recording cannot be read to its end ({reason}).") from error


def _loudest(sound: soundfile.SoundFile, path: Path) -> int:
    """The channel with the largest alternating part: its power less that of its mean; the first of equal ones."""
    count, sums, squares = 0, np.zeros(sound.channels), np.zeros(sound.channels)
    for block in _blocks(sound, path):
        count += len(block)
        sums += block.sum(axis=0, dtype=float)
        squares += np.square(block, dtype=float).sum(axis=0)
    return int(np.argmax(squares - sums**2 / max(1, count)))
