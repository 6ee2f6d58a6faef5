"""What a meter's data sheet says, and what that makes of a reading.

"± p % of reading ± n counts" is a limit, not a standard uncertainty.  The percentage is the meter's
gain error and the counts its zero error: both are common to all readings of a run on one range.  Only
rounding, half a step, is independent from reading to reading.
Source: GUM (JCGM 100:2008) 4.3.7 for limits a -> a/sqrt(3), 5.2 for full correlation.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.calibration.frequency import FrequencyLimits, count_words
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain, parse_quantity
from dynamis.notation.safe import MOST_TOKEN, quoted
from dynamis.notation.style import Style, decimals_of, plain
from dynamis.pitch.model import PitchModel

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class MeterRange:
    """One range of a voltmeter, in its data sheet's numbers.

    percent : of reading.  counts : of `resolution_volts`.  percent_of_range : of `full_scale_volts`.
    full_scale_volts : largest reading of the range, None where it is not known.
    """

    percent: float
    counts: float
    resolution_volts: float
    full_scale_volts: float | None = None
    percent_of_range: float = 0.0

    @property
    def decimals(self) -> int:
        """Decimals that its readings are shown with, at most 7; 4 where its last digit is not known."""
        return min(7, decimals_of(self.resolution_volts)) if self.resolution_volts > 0 else 4

    def __post_init__(self) -> None:
        for name in ("percent", "counts", "resolution_volts", "percent_of_range"):
            value = getattr(self, name)
            if not math.isfinite(value) or value < 0:
                raise InputError(f"The meter's {name.replace('_', ' ')} is {plain(value)}; 0 or more was expected.")
        if self.percent_of_range and not self.full_scale_volts:
            raise InputError("A percentage of range needs the range's full scale.")

    @property
    def gain_fraction(self) -> float:
        """Standard uncertainty of the meter's gain, a fraction."""
        return self.percent / 100.0 / math.sqrt(3.0)

    @property
    def zero_volts(self) -> float:
        """Standard uncertainty of the meter's zero, volts."""
        limit = self.counts * self.resolution_volts
        if self.full_scale_volts:
            limit += self.percent_of_range / 100.0 * self.full_scale_volts
        return limit / math.sqrt(3.0)

    @property
    def rounding_volts(self) -> float:
        """Standard uncertainty of one reading's rounding, volts."""
        return self.resolution_volts / math.sqrt(12.0)

    def gain_volts(self, volts: ArrayLike) -> FloatArray:
        """Standard uncertainty of readings by what goes with the meter's gain, volts; signed, any shape."""
        return self.gain_fraction * np.asarray(volts, float)

    def true_volts(self, shown_volts: ArrayLike) -> FloatArray:
        """What is believed of readings: what was shown, unless the meter's own errors are known; any shape."""
        return np.asarray(shown_volts, float)

    def shown_volts(self, true_volts: ArrayLike) -> FloatArray:
        """What it shows of volts; the inverse of `true_volts`."""
        return np.asarray(true_volts, float)

    def standard_volts(self, volts: ArrayLike) -> FloatArray:
        """Standard uncertainty of a reading; any shape."""
        return np.sqrt(self.gain_volts(volts) ** 2 + self.zero_volts**2 + self.rounding_volts**2)

    def expanded_volts(self, volts: float) -> float:
        """U = 2u of one reading, volts."""
        return 2.0 * float(self.standard_volts(volts))

    def words(self, style: Style = Style()) -> str:
        """The specification as a data sheet puts it."""
        parts = [f"{plain(self.percent)} % of reading"]
        if self.percent_of_range:
            parts.append(f"{plain(self.percent_of_range)} % of range")
        parts.append(count_words(self.counts, self.resolution_volts, "V", style))
        text = " + ".join(parts)
        return text.replace(".", ",") if style.decimal_comma else text


def volts_deviation(volts: float, step_volts: float, meter: MeterRange | None) -> float:
    """The standard uncertainty of one reading of a meter, gain and zero included; of its last digit where nobody knows
    more."""
    digit = step_volts / math.sqrt(12.0)
    if meter is None:
        return digit
    rounding = max(meter.rounding_volts, digit)
    return math.sqrt(float(meter.gain_volts(volts)) ** 2 + meter.zero_volts**2 + rounding**2)


Limits = MeterRange | FrequencyLimits


@dataclass(frozen=True, eq=False)
class ReadingUncertainty:
    """The standard uncertainty of readings by cause, (N,) each, cents.

    gain, zero : the meter's, each fully correlated over the run (signed: they move readings together).
    independent : rounding and each reading's own, from reading to reading.
    """

    gain: FloatArray
    zero: FloatArray
    independent: FloatArray

    @property
    def common(self) -> FloatArray:
        return np.hypot(self.gain, self.zero)

    @property
    def standard(self) -> FloatArray:
        return np.sqrt(self.gain**2 + self.zero**2 + self.independent**2)

    @property
    def expanded(self) -> FloatArray:
        """U = 2u."""
        return 2.0 * self.standard


def reading_uncertainty(
    readings: ArrayLike, own_cents: ArrayLike, model: PitchModel, meter: Limits | None
) -> ReadingUncertainty:
    """Uncertainty of readings in cents.

    Parameters
    ----------
    readings : array (N,), volts or hertz as `model.quantity` says.
    own : array (N,), each reading's own standard uncertainty in the same unit (0: nothing known).
    model : law and quantity.
    meter : the range that volts were read on, or the counter or tuner that hertz were; None where nobody knows.
    """
    readings, own_cents = np.asarray(readings, float), np.asarray(own_cents, float)
    cents = model.cents_per_reading_unit(readings)
    if meter is None:
        nothing = np.zeros(readings.shape)
        return ReadingUncertainty(nothing, nothing, cents * own_cents)
    if isinstance(meter, FrequencyLimits):
        if model.quantity != "hertz":
            raise InputError("A counter's limits were given, but the readings are in volts.")
        fed_volts = model.to_volts(model.measured(readings))
        fed_cents = model.law.cents_per_volt(fed_volts)
        return ReadingUncertainty(
            fed_cents * meter.gain_fraction * fed_volts,
            np.hypot(meter.common_cents(readings), fed_cents * meter.fed_zero),
            np.hypot(meter.rounding_cents(readings), cents * own_cents),
        )
    if model.quantity != "volts":
        raise InputError("A voltmeter's limits were given, but the readings are in hertz.")
    return ReadingUncertainty(
        cents * meter.gain_volts(readings),
        cents * meter.zero_volts,
        cents * np.hypot(meter.rounding_volts, own_cents),
    )


_PART: Final = re.compile(r"[+±]?\s*([\d.,eE-]+)\s*(%|ppm|[A-Za-z]+)\s*(?:(?:of|v\.|d\.)?\s*([A-Za-z]+\.?))?")
_COUNTS: Final = {"count", "counts", "digit", "digits", "dgt", "dgts", "d", "ct", "cts", "lsd"}
_OF_RANGE: Final = {"range", "fs", "scale", "full"}


def parse_meter_words(text: str, resolution_volts: float, full_scale_volts: float | None = None) -> MeterRange:
    """Read a data sheet's accuracy: `±(0.5 % + 2 digits)`, `0.0035 % of reading + 0.0005 % of range`.

    Parameters
    ----------
    text : the accuracy as printed; percent or ppm of reading, percent or ppm of range, counts or digits.
    resolution_volts, full_scale_volts : of the range.

    Raises `InputError` naming the part that is not understood.
    """
    if len(text) > MOST_TOKEN:
        raise InputError(f"The meter's accuracy is {quoted(text)}; write it as its data sheet does.")
    cleaned = re.sub(r"[±()\[\]]", " ", text).replace("μ", "µ")
    percent = counts = of_range = 0.0
    pieces = [piece.strip() for piece in re.split(r"\+|;|, ", cleaned) if piece.strip()]
    if not pieces:
        raise InputError("The meter's accuracy is empty; write it as its data sheet does, such as 0.5 % + 2 digits.")
    for piece in pieces:
        piece = re.sub(r"(\bcounts?|\bdigits?)\s+of\b.*", r"\1", piece)
        match = _PART.fullmatch(piece)
        if match is None:
            raise InputError(f"{piece!r} of the meter's accuracy is not understood; write 0.5 % + 2 digits.")
        value = parse_plain(match[1].replace(",", "."), "The meter's accuracy")
        unit, of = match[2].lower(), (match[3] or "").lower().rstrip(".")
        if unit in ("%", "ppm"):
            value *= 1e-4 if unit == "ppm" else 1.0
            if of in _OF_RANGE:
                of_range += value
            elif of in ("", "of", "reading", "rdg", "value", "rd"):
                percent += value
            else:
                raise InputError(f"{piece!r} is a percentage of {of!r}; of reading or of range was expected.")
        elif unit in _COUNTS:
            counts += value
        else:
            raise InputError(f"{piece!r} of the meter's accuracy is in {match[2]!r}; %, ppm or counts were expected.")
    return MeterRange(percent, counts, resolution_volts, full_scale_volts, of_range)


def parse_meter_option(text: str) -> MeterRange:
    """Read `PERCENT,COUNTS,RESOLUTION_VOLTS`, as `dynamis fit --meter` takes it."""
    parts = text.split(",")
    if len(parts) != 3:
        raise InputError(
            f"The meter is {quoted(text)}; PERCENT,COUNTS,RESOLUTION_VOLTS was expected, such as 0.05,3,0.001."
        )
    names = ("The meter's percentage", "The meter's counts", "The meter's resolution")
    return MeterRange(*(parse_plain(part, name) for part, name in zip(parts, names, strict=True)))


def parse_resolution(text: str, *, decimal_comma: bool = False) -> float:
    """Read a resolution such as `0.1 mV`; it has to be above 0."""
    volts = parse_quantity(text, "V", "The resolution", decimal_comma=decimal_comma)
    if volts <= 0:
        raise InputError(f"The resolution is {text.strip()!r}; it has to be above 0.")
    return volts
