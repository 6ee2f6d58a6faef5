"""How scale and offset of a channel move over months, and when they leave what is allowed.

Source: weighted least squares, its uncertainty widened by the spread about the line (Birge), any text on regression.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.history import MIDDLE_NOTE, Entry, Part, RunLine
from dynamis.notation.style import Style
from dynamis.pitch.tolerance import parse_tolerance

_LEAST_RUNS: Final = 3
# Days from the first run to the last, from which on a drift by the month is told.
_LEAST_DAYS: Final = 7.0
_MOST_DAYS: Final = 3652.5
_DAYS_A_MONTH: Final = 365.25 / 12.0
_LEAST_CENTS: Final = 1e-3
# How far ahead a plot looks, in spans of the runs, and what part of the allowance brings it into view.
_FAR_AHEAD: Final = 3.0
_NEAR: Final = 0.2
_APART_CELSIUS: Final = 2.0
# What a clock may have said.
_YEARS: Final = (1970, 2900)
_UNITS: Final[dict[Part, str]] = {"scale": "ct/octave", "offset": "ct"}


@dataclass(frozen=True)
class Trend:
    """Runs of a channel that can be set beside each other, in their order.

    first : when the first was; days : since then, of each; values, expanded : of one part, cents, U = 2u.  allowed :
    either way, 0 where nothing is.  others : runs left out, read with another correction or law.
    celsius : coldest and warmest of those whose temperature is known, None without any.  unproved : runs of no known
    instrument.
    at_first, per_day, per_day_expanded : the line through them, None while there is none.  leaves_day : when it leaves
    what is allowed, None where it does not within ten years.
    """

    part: Part
    first: datetime
    days: NDArray[np.float64]
    values: NDArray[np.float64]
    expanded: NDArray[np.float64]
    allowed: float
    others: int = 0
    celsius: tuple[float, float] | None = None
    unproved: int = 0
    at_first: float | None = None
    per_day: float = 0.0
    per_day_expanded: float = 0.0
    leaves_day: float | None = None

    @property
    def unit(self) -> str:
        return _UNITS[self.part]

    @property
    def drifts(self) -> bool:
        """Whether it moves by more than it could by chance."""
        return self.at_first is not None and abs(self.per_day) > self.per_day_expanded

    @property
    def outside(self) -> bool:
        """Whether its line ends outside what is allowed."""
        return bool(abs(self.line(self.days[-1:])[0]) > self.allowed > 0.0)

    def line(self, days: NDArray[np.float64]) -> NDArray[np.float64]:
        """The trend on days; NaN where there is none."""
        start = math.nan if self.at_first is None else self.at_first
        return start + self.per_day * days

    def when(self, day: float) -> datetime:
        return self.first + timedelta(days=day)


def _points(found: Sequence[Entry], channel: PortRef, serial: str) -> list[tuple[datetime, RunRecord, RunLine]]:
    points = [
        (moment, one.run, one.line)
        for one in found
        if one.run is not None and one.line is not None and (one.channel, one.serial) == (channel, serial)
        for moment in (_moment(one.when),)
        if moment is not None
    ]
    return sorted(points, key=lambda point: point[0])


def trend(found: Sequence[Entry], channel: PortRef, serial: str, part: Part) -> Trend | None:
    """How the runs of a channel move that were read as the newest of them was; None without any."""
    points = _points(found, channel, serial)
    if not points:
        return None
    run = points[-1][1]
    alike = [point for point in points if _read_as(point[1]) == _read_as(run)]
    first = alike[0][0]
    values, expanded = (np.array([line.part(part)[k] for _, _, line in alike]) for k in (0, 1))
    days = np.array([(moment - first).total_seconds() / 86400.0 for moment, _, _ in alike])
    warm = [one.celsius for _, one, _ in alike if one.celsius is not None]
    celsius = (min(warm), max(warm)) if warm else None
    known = Trend(part, first, days, values, expanded, allowed(run, part), len(points) - len(alike), celsius)
    known = replace(known, unproved=sum(not line.known for _, _, line in alike))
    if days.size < _LEAST_RUNS or days[-1] < _LEAST_DAYS:
        return known
    return _fitted(known)


def _read_as(run: RunRecord) -> tuple[object, ...]:
    """What must be the same of two runs for their difference to be drift."""
    return run.head, run.law, run.quantity, run.side, run.a4_hertz, run.tuning


def _fitted(known: Trend) -> Trend:
    u = np.maximum(known.expanded / 2.0, _LEAST_CENTS)
    middle = float(np.average(known.days, weights=u**-2))
    away = known.days - middle
    spread = float(np.sum((away / u) ** 2))
    if spread <= 0.0:
        return known
    level = float(np.average(known.values, weights=u**-2))
    slope = float(np.sum(away * (known.values - level) / u**2)) / spread
    left = (known.values - level - slope * away) / u
    birge = max(1.0, math.sqrt(float(left @ left) / max(1, known.days.size - 2)))
    fitted = replace(
        known,
        at_first=level - slope * middle,
        per_day=slope,
        per_day_expanded=2.0 * birge / math.sqrt(spread),
    )
    if not fitted.drifts or known.allowed <= 0.0:
        return fitted
    assert fitted.at_first is not None
    if fitted.outside:
        return fitted
    day = (math.copysign(known.allowed, slope) - fitted.at_first) / slope
    return replace(fitted, leaves_day=day) if known.days[-1] < day <= known.days[-1] + _MOST_DAYS else fitted


def allowed(run: RunRecord, part: Part) -> float:
    """What the run's tolerance leaves of a part by itself, cents either way: of the scale, so that its farthest note
    stays within; 0 where the tolerance says nothing."""
    notes = np.array(run.plan or (36.0, 96.0), float)
    cents = parse_tolerance(run.tolerance).cents_at(notes)
    told = np.isfinite(cents) & (cents > 0)
    if part == "scale":
        cents = cents / np.maximum(np.abs(notes - MIDDLE_NOTE) / 12.0, 1e-9)
    return float(cents[told].min()) if told.any() else 0.0


def _moment(when: str) -> datetime | None:
    try:
        moment = datetime.fromisoformat(when).replace(tzinfo=None)
    except ValueError:
        return None
    return moment if _YEARS[0] <= moment.year <= _YEARS[1] else None


def trend_words(found: Trend | None, style: Style) -> list[str]:
    """How it moves, when it leaves what is allowed, and which runs are not among them."""
    if found is None:
        return ["No run of this channel has two notes or more."]
    said = [_moving(found, style)]
    if found.drifts and found.celsius is not None and found.celsius[1] - found.celsius[0] > _APART_CELSIUS:
        low, high = (style.number(one, 1) for one in found.celsius)
        said.append(f"The runs were taken at {low} to {high} °C: part of it may be the temperature's.")
    if found.unproved:
        runs = "one of them" if found.unproved == 1 else f"{found.unproved} of them"
        said.append(f"No instrument is known for {runs}: its ± is of the spread of its readings alone.")
    if found.others:
        runs = "One run was" if found.others == 1 else f"{found.others} runs were"
        said.append(f"{runs} read with another correction or law than the newest, and left out.")
    return said


def _moving(found: Trend, style: Style) -> str:
    last = (
        f"{found.part} {style.number(float(found.values[-1]), 2, sign=True)}"
        f" ± {style.number(float(found.expanded[-1]), 2)} {found.unit}"
    )
    if found.at_first is None:
        more = _LEAST_RUNS - found.days.size
        wanted = f"{more} more to go" if more > 0 else f"the runs lie within {style.number(_LEAST_DAYS, 0)} days"
        return f"Last: {last}. Its drift cannot be told yet: {wanted}."
    month = (
        f"{style.number(found.per_day * _DAYS_A_MONTH, 2, sign=True)}"
        f" ± {style.number(found.per_day_expanded * _DAYS_A_MONTH, 2)} {found.unit} a month"
    )
    if not found.drifts:
        return f"Last: {last}. No drift beyond what meter and chance may make of it: {month}."
    if not found.allowed:
        return f"Last: {last}. It drifts by {month}."
    bound = f"± {style.number(found.allowed, 2)} {found.unit}"
    if found.leaves_day is not None:
        about = f"{found.when(found.leaves_day):%Y-%m}"
        return f"Last: {last}. It drifts by {month}; if it goes on so, it leaves {bound} about {about}."
    if found.outside:
        inward = found.per_day * float(found.line(found.days[-1:])[0]) < 0.0
        way = ", on its way in" if inward else ""
        return f"Last: {last}. It drifts by {month} and lies outside {bound}{way}."
    return f"Last: {last}. It drifts by {month}, and stays within {bound} for ten years if it goes on so."


def view_of(found: Trend) -> tuple[tuple[float, float], tuple[float, float]]:
    """Days and cents to show, first and last of each: all runs, what is allowed where they are near to it, and the
    point where the trend leaves it if it is no farther off than the runs span."""
    first, last = float(found.days[0]), float(found.days[-1])
    wide = max(last - first, 1.0)
    reach = found.leaves_day is not None and found.leaves_day <= last + _FAR_AHEAD * wide
    end = found.leaves_day if reach and found.leaves_day is not None else last
    most = float(np.max(np.abs(found.values) + found.expanded))
    if found.allowed and (reach or most > _NEAR * found.allowed):
        most = max(most, found.allowed)
    half = 1.15 * max(most, _LEAST_CENTS)
    return (first - 0.05 * wide, end + 0.05 * max(end - first, 1.0)), (-half, half)
