"""A meter's own gain and zero, from what it showed of known volts.

The data sheet's limits are what was believed before; each known voltage narrows that.  What the known voltage itself
may be off by is common to all of them, and stays.
Source: GUM (JCGM 100:2008) 4.3.7 for limits a -> a/sqrt(3), 5.2 for what is common; the linear estimate from what was
believed and what was seen is that of Bayes for normal errors (JCGM 102:2011, 5.6 for the covariance of more than one
quantity); from memory.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.calibration.meter import MeterRange
from dynamis.errors import InputError
from dynamis.notation.style import Style

FloatArray = NDArray[np.float64]
# Of a meter whose accuracy nobody gave: nothing is believed.
_ANY_FRACTION, _ANY_VOLTS = 1.0, 1.0
# A reading further than this from what was known is of something else.
_MOST_FRACTION, _MOST_VOLTS = 0.2, 0.5
_LEAST_VOLTS: Final = 1e-7


@dataclass(frozen=True)
class KnownVolts:
    """What gives known volts.  percent : limit of what it gives, of the volts.  zero_volts : limit besides."""

    percent: float
    zero_volts: float


@dataclass(frozen=True)
class CheckedRange(MeterRange):
    """A range whose gain and zero were found.

    gain_found : a fraction too much.  zero_found : volts shown at 0 V.  gain_deviation, zero_deviation : standard
    uncertainties.  together : their covariance, volts.
    """

    gain_found: float = 0.0
    zero_found: float = 0.0
    gain_deviation: float = 0.0
    zero_deviation: float = 0.0
    together: float = 0.0

    @property
    def gain_fraction(self) -> float:
        return self.gain_deviation

    @property
    def zero_volts(self) -> float:
        """What of the zero does not go with the gain."""
        with_gain = self.together / self.gain_deviation if self.gain_deviation > 0 else 0.0
        return math.sqrt(max(0.0, self.zero_deviation**2 - with_gain**2))

    def gain_volts(self, volts: ArrayLike) -> FloatArray:
        with_gain = self.together / self.gain_deviation if self.gain_deviation > 0 else 0.0
        return self.gain_deviation * np.asarray(volts, float) + with_gain

    def true_volts(self, shown_volts: ArrayLike) -> FloatArray:
        return (np.asarray(shown_volts, float) - self.zero_found) / (1.0 + self.gain_found)

    def shown_volts(self, true_volts: ArrayLike) -> FloatArray:
        return np.asarray(true_volts, float) * (1.0 + self.gain_found) + self.zero_found


def check_meter(meter: MeterRange, known: KnownVolts, known_volts: ArrayLike, shown_volts: ArrayLike) -> CheckedRange:
    """A meter's range with its own gain and zero known.

    known_volts, shown_volts : (N,), N at least 1, in pairs.  Raises `InputError` for pairs that do not belong together.
    """
    volts, shown = np.asarray(known_volts, float), np.asarray(shown_volts, float)
    if volts.ndim != 1 or volts.shape != shown.shape or volts.size == 0:
        raise InputError("Each known voltage needs one reading of the meter, and there has to be one.")
    off = shown - volts
    worst = int(np.argmax(np.abs(off) - _MOST_FRACTION * np.abs(volts)))
    if not np.all(np.isfinite(off)) or abs(off[worst]) > _MOST_FRACTION * abs(volts[worst]) + _MOST_VOLTS:
        raise InputError(
            f"The meter shows {shown[worst]:g} V of {volts[worst]:g} V: look at the probe, the range and the "
            "switch, and read again."
        )
    nothing_known = meter.percent == meter.counts == meter.percent_of_range == 0.0
    before = np.diag([_ANY_FRACTION**2, _ANY_VOLTS**2]) if nothing_known else _believed(meter)
    rows = np.stack([volts, np.ones(volts.size)], axis=1)
    common = np.outer(volts, volts) * (known.percent / 100.0) ** 2 / 3.0 + known.zero_volts**2 / 3.0
    noise = common + np.eye(volts.size) * max(meter.rounding_volts, _LEAST_VOLTS) ** 2
    weight = before @ rows.T @ np.linalg.pinv(rows @ before @ rows.T + noise, hermitian=True)
    gain, zero = weight @ off
    after = before - weight @ rows @ before
    return CheckedRange(
        meter.percent,
        meter.counts,
        meter.resolution_volts,
        meter.full_scale_volts,
        meter.percent_of_range,
        float(gain),
        float(zero),
        math.sqrt(max(0.0, after[0, 0])),
        math.sqrt(max(0.0, after[1, 1])),
        float(after[0, 1]),
    )


def _believed(meter: MeterRange) -> FloatArray:
    return np.diag([max(meter.gain_fraction, 1e-12) ** 2, max(meter.zero_volts, _LEAST_VOLTS) ** 2])


def outside_limits(checked: CheckedRange, known_volts: Sequence[float], shown_volts: Sequence[float]) -> float | None:
    """The known voltage whose reading lies further off than the data sheet allows, the worst of them; None where none
    does.  What the known voltage may be off by is not taken for the meter's."""
    volts, shown = np.asarray(known_volts, float), np.asarray(shown_volts, float)
    sheet = MeterRange(
        checked.percent, checked.counts, checked.resolution_volts, checked.full_scale_volts, checked.percent_of_range
    )
    limit = np.abs(volts) * sheet.percent / 100.0 + sheet.zero_volts * math.sqrt(3.0) + sheet.resolution_volts / 2.0
    beyond = np.abs(shown - volts) - limit
    return float(volts[int(np.argmax(beyond))]) if np.max(beyond) > 0.0 else None


def check_words(checked: CheckedRange, at_volts: float, style: Style) -> str:
    """What was found, and what the meter is worth at a voltage now and by its data sheet."""
    sheet = MeterRange(
        checked.percent, checked.counts, checked.resolution_volts, checked.full_scale_volts, checked.percent_of_range
    )
    return (
        f"Gain {style.number(100.0 * checked.gain_found, 4, sign=True)} ± "
        f"{style.number(200.0 * checked.gain_deviation, 4)} %, zero "
        f"{style.millivolts(checked.zero_found, sign=True)} ± {style.millivolts(2.0 * checked.zero_deviation)}; at "
        f"{style.volts(at_volts, 1)} it is good to ± {style.millivolts(checked.expanded_volts(at_volts))} (k = 2) "
        f"now, ± {style.millivolts(sheet.expanded_volts(at_volts))} by its data sheet."
    )
