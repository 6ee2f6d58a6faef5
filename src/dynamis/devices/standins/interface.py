"""A simulated audio interface with DC-coupled outputs: what stands at its jacks of the frames that it is given.

Its faults are data: each channel's own gain and offset, a corner where it does not hold a voltage, and jacks that are
numbered otherwise than its channels.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class HiddenOutput:
    """gain : of the nominal volts.  offset_volts : at the jack.  corner_hertz : of a coupling that does not hold, None
    for DC.  output_ohms : of the jack."""

    gain: float = 1.0
    offset_volts: float = 0.0
    corner_hertz: float | None = None
    output_ohms: float = 150.0


class SimulatedInterface:
    """full_scale_volts : what a sample of 1 puts out, nominally.  channel_of : which channel comes out of each jack,
    both from 0.

    Nothing that is given stays when the sender goes: the jacks fall to 0.
    """

    def __init__(
        self, outputs: Sequence[HiddenOutput], full_scale_volts: float, rate: float = 48_000.0, first_channel: int = 0
    ) -> None:
        self.outputs = list(outputs)
        self.full_scale_volts, self.rate = full_scale_volts, rate
        self.channel_of = [first_channel + k for k in range(len(self.outputs))]
        self._lock = threading.Lock()
        self._last = np.zeros(len(self.outputs))  # volts that were given to each jack
        self._held = np.zeros(len(self.outputs))  # what the coupling has charged to

    def couple(self, jack: int, corner_hertz: float | None) -> None:
        """Put a coupling into a jack, or take it out."""
        with self._lock:
            self.outputs[jack] = replace(self.outputs[jack], corner_hertz=corner_hertz)
            self._held[jack] = 0.0

    def swap(self, jack: int, other: int) -> None:
        """Change two jacks over: each puts out the other's channel."""
        with self._lock:
            first, second = self.channel_of[jack], self.channel_of[other]
            self.channel_of[jack], self.channel_of[other] = second, first

    def take(self, frames: FloatArray) -> None:
        """Frames (N, channels) of samples, full scale 1, one after the other."""
        if not frames.size:
            return
        with self._lock:
            for jack, (hidden, channel) in enumerate(zip(self.outputs, self.channel_of, strict=True)):
                volts = frames[:, channel] * self.full_scale_volts if channel < frames.shape[1] else np.zeros(1)
                if hidden.corner_hertz is not None:
                    self._held[jack] = self._charged(float(self._held[jack]), volts, hidden.corner_hertz)
                self._last[jack] = volts[-1]

    def _charged(self, held: float, volts: FloatArray, corner_hertz: float) -> float:
        """What a coupling capacitor stands at after some samples (RC, fc = 1/(2πRC); exact for held samples)."""
        share = math.exp(-2.0 * math.pi * corner_hertz / self.rate)
        weights = (1.0 - share) * share ** np.arange(volts.size - 1, -1, -1)
        return float(held * share**volts.size + weights @ volts)

    def let_go(self) -> None:
        """The sender is gone."""
        with self._lock:
            self._last[:] = 0.0
            self._held[:] = 0.0

    def output_ohms(self, jack: int) -> float:
        """The resistance of a jack."""
        return self.outputs[jack].output_ohms

    def jack_volts(self, jack: int) -> float:
        """What stands at a jack now, open."""
        with self._lock:
            hidden, volts = self.outputs[jack], float(self._last[jack])
            if hidden.corner_hertz is not None:
                volts -= float(self._held[jack])
            return hidden.gain * volts + hidden.offset_volts
