"""The kinds of circuits that remember: what each does, and what it is made of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

MemoryKind = Literal["sample-and-hold", "glide", "gated-pitch", "maximum", "minimum"]
WhenOff = Literal["held", "grounded", "open"]
DrivenBy = Literal["clock", "gate", "other", ""]


@dataclass(frozen=True)
class Kind:
    """ohms, farads : to begin with, 0 where it has none.  driven_by : what else comes in besides its signal.

    followers, diodes : how many.  offset_followers : those whose offset stands in its output.
    """

    name: MemoryKind
    title: str
    does: str
    ohms: float
    farads: float
    followers: int
    offset_followers: int
    driven_by: DrivenBy = ""
    diodes: int = 0


# Values to begin with; common practice, no source.
KINDS: Final[dict[str, Kind]] = {
    one.name: one
    for one in (
        Kind(
            "sample-and-hold",
            "Sample and hold",
            "It follows while the clock is up, and holds until the next.",
            100.0,
            10e-9,
            2,
            2,
            "clock",
        ),
        Kind("glide", "Glide", "It lags behind every jump by a resistor and a capacitor.", 100e3, 1e-6, 2, 2),
        Kind(
            "gated-pitch",
            "Gated pitch",
            "It passes the pitch while the gate is up.",
            1e6,
            100e-9,
            1,
            1,
            "gate",
        ),
        Kind("maximum", "Maximum", "It passes whichever of two is higher.", 10e3, 0.0, 3, 2, "other", 2),
        Kind("minimum", "Minimum", "It passes whichever of two is lower.", 10e3, 0.0, 3, 2, "other", 2),
    )
}
