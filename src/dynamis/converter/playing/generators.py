"""Voltages to try a modulation with before money is spent on a module: waves, steps of chance, an envelope, a clock.

Each is a function of time, from 0 on; what it can reach is known beforehand, so that a limit can be held against it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain

FloatArray = NDArray[np.float64]
GeneratorKind = Literal["sine", "triangle", "ramp", "random", "envelope", "offset", "clock"]
GENERATOR_WORDS: Final[dict[GeneratorKind, str]] = {
    "sine": "sine",
    "triangle": "triangle",
    "ramp": "ramp",
    "random": "stepped random",
    "envelope": "envelope",
    "offset": "offset",
    "clock": "clock",
}
HERTZ: Final = (0.001, 1000.0)
# Of the time between two envelopes, by which they have risen, fallen to their level, and are let go; common practice.
_RISEN, _FALLEN, _LET_GO, _LEVEL = 0.1, 0.3, 0.6, 0.6
_CLOCK_SHARE: Final = 0.5


class Voltage(Protocol):
    """Volts against time."""

    def at(self, seconds: FloatArray) -> FloatArray:
        """Volts at instants from 0 on, any shape."""
        ...

    @property
    def most_volts(self) -> float:
        """The largest |volts|."""
        ...


@dataclass(frozen=True)
class Generator:
    """Between two voltages, so many times a second.

    low_volts, high_volts : an offset stands at the high one.  seed : of stepped random, the same seed the same steps.

    Raises `InputError` for a rate that nothing here has.
    """

    kind: GeneratorKind
    low_volts: float
    high_volts: float
    hertz: float = 1.0
    seed: int = 1

    def __post_init__(self) -> None:
        if not HERTZ[0] <= self.hertz <= HERTZ[1]:
            raise InputError(f"{plain(self.hertz)} Hz; {plain(HERTZ[0])} to {plain(HERTZ[1])} Hz were expected.")
        if not np.isfinite([self.low_volts, self.high_volts]).all():
            raise InputError("The two voltages have to be numbers.")

    @property
    def most_volts(self) -> float:
        return max(abs(self.low_volts), abs(self.high_volts))

    def at(self, seconds: FloatArray) -> FloatArray:
        return np.asarray(
            self.low_volts + (self.high_volts - self.low_volts) * self._share(seconds * self.hertz), float
        )

    def _share(self, turns: FloatArray) -> FloatArray:
        """From 0 to 1, of turns that have gone by."""
        part = turns % 1.0
        if self.kind == "sine":
            return 0.5 - 0.5 * np.cos(2.0 * np.pi * part)
        if self.kind == "triangle":
            return 1.0 - np.abs(2.0 * part - 1.0)
        if self.kind == "ramp":
            return part
        if self.kind == "clock":
            return (part < _CLOCK_SHARE).astype(float)
        if self.kind == "envelope":
            return np.asarray(np.interp(part, [0.0, _RISEN, _FALLEN, _LET_GO, 1.0], [0.0, 1.0, _LEVEL, _LEVEL, 0.0]))
        if self.kind == "random":
            return self._by_chance(np.floor(turns).astype(np.int64))
        return np.ones_like(part)

    def _by_chance(self, steps: NDArray[np.int64]) -> FloatArray:
        """A number from 0 to 1 for each step, by its own seed, so that none has to be remembered."""
        different, places = np.unique(steps, return_inverse=True)
        drawn = [np.random.default_rng((self.seed, int(step))).uniform() for step in different]
        return np.array(drawn)[places].reshape(steps.shape)
