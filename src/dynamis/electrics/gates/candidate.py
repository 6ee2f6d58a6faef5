"""A circuit for gates that may do it, before anybody has judged it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from dynamis.electrics.gates.levels import GateInput
from dynamis.electrics.part import Part

Rails = tuple[float, float]
# A 9 V battery on a bench, and between which volts it is judged: from new to worn.  Common practice, no source.
BATTERY: Final = (0.0, 9.0)
BATTERY_WORN, BATTERY_NEW = 6.5, 9.6
# Rails, or a sender, at their tolerance.
UP: Final = 1.05


@dataclass(frozen=True)
class Candidate:
    """A circuit to be judged.  rails : it runs from, None where it needs none."""

    name: str
    parts: tuple[Part, ...]
    rails: Rails | None = None

    @property
    def size(self) -> tuple[int, int]:
        """Active parts, then parts: what is told first has the fewest."""
        return sum(part.is_active for part in self.parts), len(self.parts)


def top_of(sink: GateInput) -> float | None:
    """The most that an input works with and bears; None where neither is known."""
    return min((high for high in (sink.works.high, sink.absolute_limits.high) if high is not None), default=None)


def bottom_of(sink: GateInput) -> float | None:
    return max((low for low in (sink.works.low, sink.absolute_limits.low) if low is not None), default=None)


def rail_words(rails: Rails) -> str:
    """`± 12 V`, `+5 V` or `−9 and +12 V`."""
    low, high = rails
    if rails == BATTERY:
        return f"+{high:g} V of a battery ({BATTERY_NEW:g} to {BATTERY_WORN:g} V)"
    if low == -high:
        return f"± {high:g} V"
    if low == 0:
        return f"+{high:g} V"
    return f"−{-low:g} and +{high:g} V" if high else f"−{-low:g} V"
