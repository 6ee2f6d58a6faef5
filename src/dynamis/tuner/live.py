"""What sounds now: its frequency, and how it beats against a reference, for tuning by ear and eye."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.notation.style import Style
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.notes import note_label
from dynamis.pitch.tuning import EqualTemperament
from dynamis.tuner.tones import Tone, steady_tones

FloatArray = NDArray[np.float64]

HEARD_SECONDS: Final = 0.5
# A point of the beat is made of so much sound, or of so many periods where those are longer.
_POINT_SECONDS, _POINT_PERIODS = 0.02, 2.0
# Faster than this no ear tells beats, and no line shows them.
MOST_BEATS: Final = 20.0
_FEW_BEATS: Final = 0.05
# What swings less than this is silence.
QUIET_DB: Final = -70.0
# Samples so near to full scale are cut off, where more than this part of all are.
_CLIPPED: Final = 0.999
MOST_CLIPPED: Final = 1e-3


@dataclass(frozen=True)
class Heard:
    """tone : what is steady in the last half a second, None where nothing is.  level_db : of full scale.  clips :
    whether the input cuts it off."""

    tone: Tone | None
    level_db: float
    clips: bool

    def words(self, reference_hertz: float, tuning: EqualTemperament | KeyTuning, style: Style) -> str:
        """What is heard against the reference, in a sentence."""
        if self.tone is None:
            return self.why_not(style)
        near, cents = tuning.nearest(self.tone.hertz)
        name = note_label(float(near), style)
        heard = (
            f"{style.hertz(self.tone.hertz)}: {name} {style.number(cents, 2, sign=True)} ct "
            f"± {style.number(self.tone.expanded_cents, 3)} ct"
        )
        return f"{heard}; {beat_words(self.tone.hertz - reference_hertz, self.tone.deviation_hertz, style)}."

    def why_not(self, style: Style) -> str:
        """Why there is no tone."""
        if self.clips:
            return "The input clips: turn its level down."
        if self.level_db < QUIET_DB:
            return f"Nothing is heard ({style.number(self.level_db, 0)} dB of full scale)."
        return "No steady tone yet."

    def off_cents(self, reference_hertz: float) -> float | None:
        """How far off the reference, sharp positive."""
        return None if self.tone is None else 1200.0 * math.log2(self.tone.hertz / reference_hertz)


def level_db(samples: NDArray[np.floating]) -> float:
    """The level of what swings in samples (N,), dB of full scale; very low for none."""
    return 20.0 * math.log10(max(float(np.std(samples)), 1e-12)) if samples.size else -240.0


def clipped_part(samples: NDArray[np.floating]) -> float:
    """The part of samples (N,) that stands at full scale, from 0 to 1."""
    return float(np.mean(np.abs(samples) >= _CLIPPED)) if samples.size else 0.0


def heard(samples: NDArray[np.floating], rate: float) -> Heard:
    """What sounds at the end of samples (N,), full scale 1; `rate` a second."""
    if samples.size == 0:
        return Heard(None, -240.0, False)
    last = samples[-max(1, round(HEARD_SECONDS * rate)) :]
    level, clips = level_db(last), clipped_part(last) > MOST_CLIPPED
    if level < QUIET_DB or clips:
        return Heard(None, level, clips)
    tones = steady_tones(last, rate, 0.8 * last.size / rate)
    return Heard(tones[-1] if tones else None, level, clips)


def beats(
    samples: NDArray[np.floating], rate: float, reference_hertz: float, first_seconds: float = 0.0
) -> tuple[FloatArray, FloatArray]:
    """(seconds, swell) of the beat of a sound with a reference of the same strength: 1 where they help each other, 0
    where they cancel, as the ear hears it.

    samples : (N,).  first_seconds : when the first one was, so that the reference goes on from call to call.
    """
    size = max(1, round(max(_POINT_SECONDS, _POINT_PERIODS / reference_hertz) * rate))
    count = samples.size // size
    if count == 0:
        return np.zeros(0), np.zeros(0)
    at = first_seconds + np.arange(count * size) / rate
    turned = samples[: count * size] * np.exp(-2j * np.pi * reference_hertz * at)
    window = np.hanning(size + 2)[1:-1]
    points = turned.reshape(count, size) @ window
    swell = np.abs(1.0 + points / np.maximum(np.abs(points), 1e-30)) / 2.0
    middle: FloatArray = first_seconds + (np.arange(count, dtype=float) + 0.5) * size / rate
    return middle, np.asarray(swell, float)


def beat_words(apart_hertz: float, deviation_hertz: float, style: Style) -> str:
    """How two tones beat that are so far apart."""
    side = "sharp" if apart_hertz > 0 else "flat"
    if abs(apart_hertz) <= max(_FEW_BEATS, 2.0 * deviation_hertz):
        return f"it stands still, less than {style.number(max(_FEW_BEATS, 2.0 * deviation_hertz), 2)} beats a second"
    if abs(apart_hertz) > MOST_BEATS:
        return f"{style.number(abs(apart_hertz), 0)} Hz {side}, too far for beats"
    each = f"one in {style.number(1.0 / abs(apart_hertz), 1)} s" if abs(apart_hertz) < 0.5 else ""
    count = f"{style.number(abs(apart_hertz), 2)} beats a second, {side}"
    return f"{count}, {each}" if each else count
