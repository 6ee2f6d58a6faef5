"""Preferred values of resistors.  Source: IEC 60063:2015."""

from __future__ import annotations

import bisect
import math
from collections.abc import Iterable
from typing import Final

from dynamis.errors import InputError

_E24_TENTHS: Final = "10 11 12 13 15 16 18 20 22 24 27 30 33 36 39 43 47 51 56 62 68 75 82 91"
_E24: Final = tuple(int(tenths) / 10.0 for tenths in _E24_TENTHS.split(" "))
# Three figures of a geometric series; the standard has 9.20 where rounding gives 9.19.
_E192: Final = tuple(9.20 if k == 185 else round(10.0 ** (k / 192.0), 2) for k in range(192))
SERIES: Final[dict[str, tuple[float, ...]]] = {
    "E12": _E24[::2],
    "E24": _E24,
    "E48": _E192[::4],
    "E96": _E192[::2],
    "E192": _E192,
}
# Values nearer than this are one; and no series has a gap wider than that.
_SAME: Final = 1e-9
_WIDEST_STEP: Final = 3.0


def values_between(low_ohms: float, high_ohms: float, series: str) -> list[float]:
    """All values of a series from `low` to `high`, both included."""
    decade = math.floor(math.log10(low_ohms))
    values = []
    while 10.0**decade <= high_ohms:
        values += [float(f"{one}e{decade}") for one in SERIES[series]]
        decade += 1
    return [value for value in values if low_ohms <= value <= high_ohms]


def next_value(ohms: float, values: Iterable[float], *, up: bool) -> float | None:
    """The next value above or below a resistance; None where it stands at the end of them."""
    if up:
        return min((value for value in values if value > ohms * (1.0 + _SAME)), default=None)
    return max((value for value in values if value < ohms * (1.0 - _SAME)), default=None)


def next_in_series(ohms: float, series: str, *, up: bool) -> float | None:
    """As `next_value`, of a series."""
    low, high = (ohms, ohms * _WIDEST_STEP) if up else (ohms / _WIDEST_STEP, ohms)
    return next_value(ohms, values_between(low, high, series), up=up)


def nearest(ohms: float, series: str = "E24") -> float:
    """The value of a series that is nearest in ratio; raises `InputError` for what is no resistance."""
    if not (math.isfinite(ohms) and ohms > 0):
        raise InputError(f"{ohms} Ω is no resistance that could be bought.")
    near = values_between(ohms / 1.5, ohms * 1.5, series)
    index = bisect.bisect_left(near, ohms)
    return min(near[max(0, index - 1) : index + 1], key=lambda value: abs(math.log(value / ohms)))
