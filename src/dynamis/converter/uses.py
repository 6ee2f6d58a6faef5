"""Is a converter good enough: judged per use, from its step, its linearity and its floor.

Stepped notes want every note within the tolerance.  A glide is heard as a staircase when a step is larger than
about a cent, a vibrato when its swing has few levels, a filter or level when there are few in all.
Source of these bounds: common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

UseVerdict = Literal["fits", "marginal", "needs-circuit", "cannot-tell"]
_GLIDE_CENTS, _GLIDE_AT_MOST = 1.0, 2.0
_VIBRATO_CENTS, _VIBRATO_LEVELS, _VIBRATO_AT_LEAST = 25.0, 32.0, 16.0
_FILTER_LEVELS, _FILTER_AT_LEAST = 1000.0, 250.0
USES: Final = ("stepped notes", "glide", "vibrato", "filter and level")


@dataclass(frozen=True)
class Use:
    """value : the number that decides, in `unit`.  bits : how many would do, None where more bits do not help.

    after_table : it fits once a table of measured notes takes the linearity out.
    """

    name: str
    verdict: UseVerdict
    value: float
    unit: str
    bound: float
    bits: int | None = None
    after_table: bool = False


def judge_uses(
    bits: int, step_cents: float, inl_lsb: float, tolerance_cents: float, level_count: float
) -> tuple[Use, ...]:
    """What a converter does for each use.

    step_cents : one code at the note where it is largest, of the notes used.  inl_lsb : linearity, ±.
    tolerance_cents : infinite where none of the notes is judged, and nothing is told of stepped notes then.
    levels : how many it has over the volts used.
    """
    if not math.isfinite(step_cents) or step_cents <= 0:
        return tuple(Use(name, "cannot-tell", math.nan, "ct", math.nan) for name in USES)
    floor = step_cents / 2.0
    worst = floor + inl_lsb * step_cents
    stepped: UseVerdict = (
        "fits" if worst <= tolerance_cents else "marginal" if floor <= tolerance_cents else "needs-circuit"
    )
    if not math.isfinite(tolerance_cents):
        stepped = "cannot-tell"
    swing = 2.0 * _VIBRATO_CENTS / step_cents
    return (
        Use(
            "stepped notes",
            stepped,
            worst,
            "ct",
            tolerance_cents,
            _bits(bits, worst, tolerance_cents),
            stepped == "marginal",
        ),
        Use(
            "glide",
            _least(step_cents, _GLIDE_CENTS, _GLIDE_AT_MOST),
            step_cents,
            "ct",
            _GLIDE_CENTS,
            _bits(bits, step_cents, _GLIDE_CENTS),
        ),
        Use(
            "vibrato",
            _most(swing, _VIBRATO_LEVELS, _VIBRATO_AT_LEAST),
            swing,
            "levels",
            _VIBRATO_LEVELS,
            _bits(bits, _VIBRATO_LEVELS, swing),
        ),
        Use(
            "filter and level",
            _most(level_count, _FILTER_LEVELS, _FILTER_AT_LEAST),
            level_count,
            "levels",
            _FILTER_LEVELS,
            _bits(bits, _FILTER_LEVELS, level_count),
        ),
    )


def _bits(bits: int, value: float, bound_cents: float) -> int | None:
    """Bits at which what halves with each comes under a bound; None where no number of them does."""
    if not bound_cents > 0 or not math.isfinite(value / bound_cents):
        return None
    if not value / bound_cents > 0:
        return bits
    return bits + max(0, math.ceil(math.log2(value / bound_cents) - 1e-9))


def _least(value: float, good: float, at_most: float) -> UseVerdict:
    return "fits" if value <= good else "marginal" if value <= at_most else "needs-circuit"


def _most(value: float, good: float, at_least: float) -> UseVerdict:
    return "fits" if value >= good else "marginal" if value >= at_least else "needs-circuit"
