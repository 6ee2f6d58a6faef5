"""Preferred values of resistors.  Source: IEC 60063:2015."""

from __future__ import annotations

import bisect
import math
from typing import Final

from dynamis.errors import InputError

_E24: Final = (
    1.0,
    1.1,
    1.2,
    1.3,
    1.5,
    1.6,
    1.8,
    2.0,
    2.2,
    2.4,
    2.7,
    3.0,
    3.3,
    3.6,
    3.9,
    4.3,
    4.7,
    5.1,
    5.6,
    6.2,
    6.8,
    7.5,
    8.2,
    9.1,
)
# Three figures of a geometric series; the standard has 9.20 where rounding gives 9.19.
_E192: Final = tuple(9.20 if k == 185 else round(10.0 ** (k / 192.0), 2) for k in range(192))
SERIES: Final[dict[str, tuple[float, ...]]] = {
    "E12": _E24[::2],
    "E24": _E24,
    "E48": _E192[::4],
    "E96": _E192[::2],
    "E192": _E192,
}


def values_between(low: float, high: float, series: str) -> list[float]:
    """All values of a series from `low` to `high`, both included."""
    decade = math.floor(math.log10(low))
    found = []
    while 10.0**decade <= high:
        found += [float(f"{one}e{decade}") for one in SERIES[series]]
        decade += 1
    return [value for value in found if low <= value <= high]


def nearest(ohms: float, series: str = "E24") -> float:
    """The value of a series that is nearest in ratio; raises `InputError` for what is no resistance."""
    if not (math.isfinite(ohms) and ohms > 0):
        raise InputError(f"{ohms} Ω is no resistance that could be bought.")
    near = values_between(ohms / 1.5, ohms * 1.5, series)
    index = bisect.bisect_left(near, ohms)
    return min(near[max(0, index - 1) : index + 1], key=lambda value: abs(math.log(value / ohms)))
