"""A range of volts whose ends may not be known, or may be none."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Span:
    """Volts from the least to the most; None: not known, or none."""

    low: float | None = None
    high: float | None = None

    def held(self, volts: float) -> float:
        """Volts as diodes at both ends of the span hold them."""
        volts = volts if self.high is None else min(volts, self.high)
        return volts if self.low is None else max(volts, self.low)

    def outside(self, volts: float) -> float:
        """How far volts lie above (positive) or below (negative) the span; 0 inside."""
        slack = 1e-12 * max(1.0, abs(volts))
        if self.high is not None and volts > self.high + slack:
            return volts - self.high
        if self.low is not None and volts < self.low - slack:
            return volts - self.low
        return 0.0

    def within(self, low: float, high: float) -> tuple[float, float]:
        """What of a range of volts lies inside."""
        return (low if self.low is None else max(low, self.low)), (high if self.high is None else min(high, self.high))
