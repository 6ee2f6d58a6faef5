"""What a microphone's socket would give of the simulated voice: a saw of a few partials, and what can be wrong with
it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import numpy as np

from dynamis.devices.sound.endless import endless_header
from dynamis.devices.sound.stream import FloatArray
from dynamis.devices.standins.world import SimulatedWorld

RATE: Final = 48_000
_PARTIALS: Final = np.arange(1, 9)
_LEVEL: Final = 0.25
_NOISE: Final = 1e-4
_SLICE_SECONDS: Final = 0.005  # the voice is asked for its pitch so often
WAV_HEADER: Final = endless_header(1, RATE)


class SimulatedSound:
    """level : of the saw; 1 is full scale, and what is more is cut off.  ppm : how much too fast the input's clock
    runs. silent : nothing sounds.  really : samples a second that come, whatever the header says."""

    def __init__(self, world: SimulatedWorld, *, seed: int, ppm: float = 12.0) -> None:
        self._world = world
        self._generator = np.random.default_rng(seed)
        self._phase = 0.0
        self.level, self.ppm, self.silent, self.really = _LEVEL, ppm, False, float(RATE)

    def samples(self, count: int) -> FloatArray:
        """So many samples of what sounds now, full scale 1."""
        hertz = None if self.silent else self._world.voice_hertz()
        noise = self._generator.normal(0.0, _NOISE, count)
        if hertz is None:
            return noise
        step = 2.0 * np.pi * hertz / (self.really * (1.0 + self.ppm * 1e-6))
        phases = self._phase + step * np.arange(count)
        self._phase = float((self._phase + step * count) % (2.0 * np.pi))
        partials = _PARTIALS[_PARTIALS * step < np.pi]
        saw = np.sin(np.multiply.outer(partials, phases)).T @ (1.0 / partials)
        return np.clip(self.level * saw + noise, -1.0, 1.0)

    def block(self, seconds: float) -> bytes:
        """What comes in that time, as 32-bit floats."""
        count = round(seconds * self.really)
        slices = max(1, round(seconds / _SLICE_SECONDS))
        every = [self.samples(part.size) for part in np.array_split(np.empty(count), slices)]
        return np.concatenate(every).astype("<f4").tobytes()


class DirectSound:
    """The same without a wire.  sleep : lets the bench's time pass, which listening does."""

    identity = "simulated sound"
    rate = float(RATE)
    lost = 0
    counts = False

    def __init__(self, sound: SimulatedSound, sleep: Callable[[float], None]) -> None:
        self._sound, self._sleep = sound, sleep

    def fresh(self) -> None:
        """Nothing waits here."""

    def read(self, seconds: float) -> FloatArray:
        blocks = []
        for _ in range(max(1, round(seconds / _SLICE_SECONDS))):
            self._sleep(_SLICE_SECONDS)
            blocks.append(self._sound.samples(round(_SLICE_SECONDS * RATE)))
        return np.concatenate(blocks)

    def arrived_rate(self) -> tuple[float, float]:
        return float("nan"), float("nan")

    def close(self) -> None:
        """Nothing to let go."""
