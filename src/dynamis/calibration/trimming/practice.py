"""A voice to practise on: its trimmers off by an amount that is not told, and what they do when they are turned."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dynamis.pitch.laws import ExponentialLaw, Law
from dynamis.pitch.tuning import Tuning, cents_between

# How far a trimmer goes either way, and what its whole travel does.
_TUNE_OCTAVES, _SCALE, _RESET_SECONDS, _OFFSET_VOLTS = 0.5, 0.06, 6e-6, 0.05


@dataclass(frozen=True)
class Voice:
    """tune, scale, high : how the trimmers stand, -1 to 1; under Hz/V `tune` is its offset.

    off_* : what they have to make up for, in the same parts.  pivot_volts : where the scale turns nothing.
    """

    law: Law
    tuning: Tuning
    pivot_volts: float
    off_tune: float
    off_scale: float
    off_high: float
    tune: float = 0.0
    scale: float = 0.0
    high: float = 0.0

    def hertz(self, note: float) -> float:
        """What it sounds as, fed with the volts of a note."""
        volts = float(self.law.volts(self.tuning.octaves([note], self.law.reference_note))[0])
        tune, scale = self.tune + self.off_tune, 1.0 + _SCALE * (self.scale + self.off_scale)
        reference = float(self.tuning.hertz([self.law.reference_note])[0])
        if isinstance(self.law, ExponentialLaw):
            per = self.law.volts_per_octave
            at_pivot = (self.pivot_volts - self.law.reference_volts) / per
            octaves = at_pivot + scale * (volts - self.pivot_volts) / per + _TUNE_OCTAVES * tune
            ideal = reference * 2.0**octaves
        else:
            per_volt = reference / self.law.reference_volts
            ideal = scale * per_volt * max(1e-6, volts - self.law.offset_volts + _OFFSET_VOLTS * tune)
        # Reset takes time, and the high-frequency trimmer bends it back: f = 1 / (1 / f + t).
        late = _RESET_SECONDS * (self.off_high - self.high)
        return 1.0 / max(1e-6, 1.0 / ideal + late)

    def cents(self, note: float) -> float:
        """How far off that is."""
        return float(cents_between(self.hertz(note), self.tuning.hertz(note)))

    def turned(self, *, tune: float | None = None, scale: float | None = None, high: float | None = None) -> Voice:
        """With trimmers turned to where they are given, held at their ends."""

        def held(value: float | None, stands: float) -> float:
            return stands if value is None else min(1.0, max(-1.0, value))

        return replace(self, tune=held(tune, self.tune), scale=held(scale, self.scale), high=held(high, self.high))


def practice_voice(
    law: Law, tuning: Tuning, low_volts: float, high_volts: float, seed: int, *, top: bool = True
) -> Voice:
    """One that is off by amounts of a seed; its pivot below, between or above the two volts.  top : whether its reset
    bends the top, which a trimmer of its own takes out."""
    chance = np.random.default_rng(seed)
    span = high_volts - low_volts
    pivot = low_volts + span * float(chance.uniform(-0.8, 1.3))
    off = chance.uniform(0.15, 0.6, 3) * chance.choice([-1.0, 1.0], 3)
    return Voice(law, tuning, pivot, float(off[0]), float(off[1]), float(abs(off[2])) if top else 0.0)
