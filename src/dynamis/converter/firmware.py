"""A correction as a board holds it: whole numbers only, so that every processor comes to the same code.

A pitch is counted in 8192nds of a semitone: a 14-bit bend of a whole number of semitones meets it exactly.
Codes are worked out with 32 binary places and rounded once, halves to the lower code.  The same arithmetic
in C is in `firmware/pitch_code.h`; tests hold the two equal for every note and bend.
"""

from __future__ import annotations

import zlib
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.heads import MOST_SIXTEENTHS, ConstantsHead, TableHead, aimed_codes
from dynamis.errors import InputError
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.tuning import EqualTemperament

IntArray = NDArray[np.int64]
PITCH_STEPS: Final = 8192  # of a semitone
MOST_PITCH: Final = 128 * PITCH_STEPS - 1
MOST_BASE: Final = 10**18  # eighteen digits, as the board protocol carries them
MOST_SLOPE: Final = 2**39
MOST_SWING: Final = 2**37
# 2**(k/12) for k = 0 … 11, and the powers of ln(2)/12 of its series between, with 30 binary places.
SEMITONES_Q30: Final = tuple(round(2 ** (k / 12) * 2**30) for k in range(12))
_STEP = float(np.log(2.0)) / 12.0
SERIES_Q30: Final = (round(_STEP * 2**30), round(_STEP**2 / 2 * 2**30), round(_STEP**3 / 6 * 2**30))
# The swing of a linear law is kept at this note, the highest octave that MIDI reaches.
SWING_NOTE: Final = 120


@dataclass(frozen=True)
class BoardCorrection:
    """What one channel of a board turns notes into codes with.

    law : "E", codes rise evenly with pitch, or "L", they double with each octave.
    base : codes · 2**32 at pitch 0 (E), or where the frequency is 0 (L).
    scale : codes · 2**32 for one pitch step (E), or codes · 2**16 above base at note 120 (L).
    first_note, sixteenths : what is added at whole notes, in sixteenths of a code, straight between them;
        empty without a table.
    """

    law: Literal["E", "L"]
    base: int
    scale: int
    first_note: int = 0
    sixteenths: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        most = MOST_SLOPE if self.law == "E" else MOST_SWING
        if self.law not in ("E", "L") or abs(self.base) >= MOST_BASE or abs(self.scale) >= most:
            raise InputError("The constants are too large for a board to work with.")
        last = self.first_note + len(self.sixteenths)
        if self.first_note < 0 or last > 128 or (not self.sixteenths and self.first_note):
            raise InputError(f"The table runs from note {self.first_note} to {last - 1}; boards hold notes 0 to 127.")
        if any(abs(one) > MOST_SIXTEENTHS for one in self.sixteenths):
            raise InputError(f"A table entry moves its note by more than {MOST_SIXTEENTHS // 16} codes.")

    @property
    def text(self) -> str:
        """The correction as its hash is formed: `E base scale first count entry entry …`."""
        parts = (self.law, self.base, self.scale, self.first_note, len(self.sixteenths), *self.sixteenths)
        return " ".join(str(part) for part in parts)

    @property
    def hash(self) -> str:
        """Eight digits by which two corrections are told apart: CRC-32 of the text.

        Source: the CRC of IEEE 802.3 (reflected, polynomial 04C11DB7).
        """
        return f"{zlib.crc32(self.text.encode('ascii')):08X}"

    def codes(self, pitches: ArrayLike, bits: int) -> IntArray:
        """The code of each pitch (any shape, in pitch steps; ends are taken outside 0 … 128 semitones)."""
        pitch = np.clip(np.asarray(pitches, np.int64), 0, MOST_PITCH)
        total = self.base + (self.scale * pitch if self.law == "E" else self._swing(pitch))
        total = total + (self._moved(pitch) << 15)
        # Adding a hair under a half, then flooring, gives halves to the lower code.
        return np.clip((total + (2**31 - 1)) >> 32, 0, 2**bits - 1)

    def _swing(self, pitch: IntArray) -> IntArray:
        note, part = pitch // PITCH_STEPS, pitch % PITCH_STEPS
        first, second, third = SERIES_Q30
        series = second + ((third * part) >> 13)
        series = first + ((series * part) >> 13)
        fine = 2**30 + ((series * part) >> 13)
        ratio = ((np.asarray(SEMITONES_Q30, np.int64)[note % 12] * fine) >> 30) >> 6
        return (self.scale * ratio) >> (18 - note // 12)

    def _moved(self, pitch: IntArray) -> IntArray:
        """What the table adds, in 2**-17 codes."""
        if not self.sixteenths:
            return np.zeros(pitch.shape, np.int64)
        table = np.asarray(self.sixteenths, np.int64)
        place = np.clip(pitch - self.first_note * PITCH_STEPS, 0, (table.size - 1) * PITCH_STEPS)
        index, part = place // PITCH_STEPS, place % PITCH_STEPS
        here, after = table[index], table[np.minimum(index + 1, table.size - 1)]
        return (here << 13) + (after - here) * part


def pitch_steps(notes: ArrayLike) -> IntArray:
    """Notes (fractions allowed) as pitches, to the nearest step; any shape."""
    return np.rint(np.asarray(notes, float) * PITCH_STEPS).astype(np.int64)


def _in_equal_temperament(head: ConstantsHead | TableHead, under: ConstantsHead) -> TableHead:
    """The codes of a tuning's keys as a table upon constants that are equally tempered."""
    keys = np.arange(128.0)
    codes = aimed_codes(under, keys) + (head.moved(keys) if isinstance(head, TableHead) else 0.0)
    plays = np.isfinite(under.tuning.hertz(keys))
    keys, codes = keys[plays], codes[plays]
    equal = replace(under, tuning=EqualTemperament())
    apart = 16.0 * (np.clip(codes, 0, under.dac.codes - 1) - np.clip(aimed_codes(equal, keys), 0, under.dac.codes - 1))
    if np.max(np.abs(apart)) > MOST_SIXTEENTHS:
        raise InputError(f"A key of the tuning lies more than {MOST_SIXTEENTHS // 16} codes from equal temperament.")
    first, last = int(keys[0]), int(keys[-1])
    every = np.interp(np.arange(first, last + 1), keys, apart)
    return TableHead("table", equal, first, tuple(int(one) for one in np.rint(every)))


def board_correction(head: ConstantsHead | TableHead) -> BoardCorrection:
    """A believing head as a board holds it.

    In a tuning of keys the table holds how far each lies from equal temperament too, a key that plays nothing being
    passed over; a bend moves from key to key.  Raises `InputError` where its numbers are too large for that.
    """
    under = head.under if isinstance(head, TableHead) else head
    if isinstance(under.tuning, KeyTuning):
        head = _in_equal_temperament(head, under)
        under = head.under
    low, high = (float(code) for code in aimed_codes(under, [108.0, 120.0]))
    if isinstance(under.law, ExponentialLaw):
        per_semitone = (high - low) / 12.0
        base, scale = high - 120.0 * per_semitone, per_semitone / PITCH_STEPS * 2.0**32
    else:
        base, scale = 2.0 * low - high, 2.0 * (high - low) * 2.0**16
    if not np.isfinite(base) or abs(base) > 2.0**27 or abs(scale) > 2.0**40:
        raise InputError("The constants are too large for a board to work with.")
    table = (head.first_note, head.sixteenths) if isinstance(head, TableHead) else (0, ())
    law: Literal["E", "L"] = "E" if isinstance(under.law, ExponentialLaw) else "L"
    return BoardCorrection(law, round(base * 2.0**32), round(scale), *table)
