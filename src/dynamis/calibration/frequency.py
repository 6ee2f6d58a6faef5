"""What the data sheet of a counter or a tuner says, and what that makes of a reading.

A counter is good to so many ppm of its clock and to its last digit; a tuner to so many cents and to the step that it
shows.  The clock, or the tuner's own pitch, is common to all readings of a run; only rounding is independent.
Source: GUM (JCGM 100:2008) 4.3.7 for limits a -> a/sqrt(3).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, fields
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import MOST_TOKEN, quoted
from dynamis.notation.style import Style, plain

FloatArray = NDArray[np.float64]
_CENTS_PER_NEPER: Final = 1200.0 / math.log(2.0)


def count_words(counts: float, size: float, unit: str, style: Style) -> str:
    """`3 counts of 1 mV`."""
    return f"{plain(counts)} {'count' if counts == 1 else 'counts'} of {style.engineering(size, unit)}"


@dataclass(frozen=True)
class FrequencyLimits:
    """An instrument that reads hertz or cents, in its data sheet's numbers.

    ppm : of reading.  counts : of `resolution_hertz`.  cents : the limit of a tuner.  resolution_hertz,
    resolution_cents : the step that it shows, 0 where it shows none of that unit.  fed_percent, fed_zero_volts : where
    known volts were fed, the limits of what gave them, of the volts and besides.
    """

    ppm: float = 0.0
    counts: float = 0.0
    resolution_hertz: float = 0.0
    cents: float = 0.0
    resolution_cents: float = 0.0
    fed_percent: float = 0.0
    fed_zero_volts: float = 0.0

    def __post_init__(self) -> None:
        for name in (one.name for one in fields(self)):
            value = getattr(self, name)
            if not math.isfinite(value) or value < 0:
                raise InputError(
                    f"The instrument's {name.replace('_', ' ')} is {plain(value)}; 0 or more was expected."
                )

    @property
    def gain_fraction(self) -> float:
        """Standard uncertainty of the interval's gain, a fraction: that of what fed the volts.  Nothing of the
        instrument is one: a clock that is off moves every note by as many cents."""
        return self.fed_percent / 100.0 / math.sqrt(3.0)

    @property
    def fed_zero(self) -> float:
        """Standard uncertainty of the zero of what fed the volts, volts."""
        return self.fed_zero_volts / math.sqrt(3.0)

    def common_cents(self, hertz: ArrayLike) -> FloatArray:
        """Standard uncertainty that all readings share, cents; any shape."""
        f = np.asarray(hertz, float)
        clock = _CENTS_PER_NEPER * (1e-6 * self.ppm + self.counts * self.resolution_hertz / f)
        return np.hypot(clock, self.cents) / math.sqrt(3.0)

    def rounding_cents(self, hertz: ArrayLike) -> FloatArray:
        """Standard uncertainty of one reading's rounding, cents; any shape."""
        f = np.asarray(hertz, float)
        step = np.hypot(_CENTS_PER_NEPER * self.resolution_hertz / f, self.resolution_cents)
        return step / math.sqrt(12.0)

    def expanded_cents(self, hertz: float) -> float:
        """U = 2u of one reading, cents."""
        return 2.0 * float(np.hypot(self.common_cents(hertz), self.rounding_cents(hertz)))

    def words(self, style: Style = Style()) -> str:
        """The specification as a data sheet puts it."""
        parts = [f"{plain(self.ppm)} ppm"] if self.ppm or not self.cents else []
        if self.counts:
            parts.append(count_words(self.counts, self.resolution_hertz, "Hz", style))
        if self.cents:
            parts.append(f"{plain(self.cents)} ct")
        text = " + ".join(parts)
        return text.replace(".", ",") if style.decimal_comma else text


_PIECE: Final = re.compile(r"([\d.,eE-]+)\s*(%|ppm|ppb|[A-Za-z]+)")
_COUNTS: Final = {"count", "counts", "digit", "digits", "d", "lsd"}


def parse_frequency_words(text: str, resolution_hertz: float = 0.0, resolution_cents: float = 0.0) -> FrequencyLimits:
    """Read a data sheet's accuracy: `± 1 ppm + 1 digit` of a counter, `± 0.5 ct` of a tuner.

    resolution_hertz, resolution_cents : the last digit that it shows.  Raises `InputError` naming the part that is not
    understood.
    """
    ppm = counts = cents = 0.0
    if len(text) > MOST_TOKEN:
        raise InputError(f"The accuracy is {quoted(text)}; write it as the data sheet does.")
    cleaned = re.sub(r"[±()\[\]]", " ", text)
    pieces = [piece.strip() for piece in re.split(r"\+|;|, ", cleaned) if piece.strip()]
    if not pieces:
        raise InputError("The accuracy is empty; write it as the data sheet does, such as 1 ppm + 1 digit, or 0.5 ct.")
    for piece in pieces:
        match = _PIECE.fullmatch(piece)
        unit = "" if match is None else match[2].lower()
        if match is None or not (unit in ("%", "ppm", "ppb", "ct", "cent", "cents") or unit in _COUNTS):
            raise InputError(f"{piece!r} of the accuracy is not understood; ppm, %, digits or ct were expected.")
        value = parse_plain(match[1].replace(",", "."), "The accuracy")
        if unit in ("%", "ppm", "ppb"):
            ppm += value * {"%": 1e4, "ppm": 1.0, "ppb": 1e-3}[unit]
        elif unit in _COUNTS:
            counts += value
        else:
            cents += value
    return FrequencyLimits(ppm, counts, resolution_hertz, cents, resolution_cents)
