"""Supplies and generic op-amps: how far outputs reach, and what an op-amp adds of its own.

Source: the figures of the kinds are those of typical data sheets of each kind; common practice, no source.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain
from dynamis.notation.style import Style, plain

_HIGHEST_VOLTS: Final = 60.0


@dataclass(frozen=True)
class Supply:
    """Two rails, or one and ground (`low` 0).  tolerance : of each rail, a fraction."""

    low: float = -12.0
    high: float = 12.0
    tolerance: float = 0.0

    def __post_init__(self) -> None:
        if not (math.isfinite(self.low) and math.isfinite(self.high) and self.low <= 0 < self.high):
            raise InputError(
                f"A supply from {plain(self.low)} V to {plain(self.high)} V is none; two rails round 0 V, or one "
                "rail from 0 V, were expected."
            )
        if max(-self.low, self.high) > _HIGHEST_VOLTS:
            raise InputError(
                f"A supply of {plain(max(-self.low, self.high))} V is beyond what these circuits are for; at most "
                f"{plain(_HIGHEST_VOLTS)} V was expected."
            )
        if not 0 <= self.tolerance < 1:
            raise InputError(f"A supply's tolerance of {plain(100 * self.tolerance)} % is none; 0 % to 99 % fits.")

    @property
    def single(self) -> bool:
        return self.low == 0

    @property
    def words(self) -> str:
        if self.single:
            return f"{plain(self.high)} V"
        return f"± {plain(self.high)} V" if self.low == -self.high else f"{plain(self.low)} V and +{plain(self.high)} V"

    def shown(self, style: Style) -> str:
        """As it stands in a field, with its unit; `parse` reads it too."""
        if self.low == -self.high:
            return f"± {style.typed(self.high)} V"
        return f"{style.typed(self.low)}:{style.typed(self.high)} V"

    @classmethod
    def parse(cls, text: str, tolerance: float = 0.0, *, decimal_comma: bool = False) -> Supply:
        """`12` is ± 12 V, `0:5` a single supply, `-9:12` two unlike rails; `± 12 V` is read too."""
        bare = text.replace("±", "").replace("V", "").replace("−", "-")
        bare = bare.replace(",", ".") if decimal_comma else bare
        parts = [parse_plain(one, "A supply voltage") for one in bare.split(":")]
        if len(parts) == 1:
            return cls(-parts[0], parts[0], tolerance)
        if len(parts) != 2 or parts[0] >= parts[1]:
            raise InputError(f"{text!r} is no supply; 12 for ± 12 V, or 0:5 for one rail, was expected.")
        return cls(parts[0], parts[1], tolerance)


@dataclass(frozen=True)
class OpAmp:
    """A kind of op-amp.

    gain : open-loop.  offset_limit_volts, offset_per_kelvin : at its inputs.  bias_amperes : what each input draws at
    most.  swing_volts, common_volts : how near output and inputs come to the rails, (low, high); None for what hangs
    on the supply: 1.5 V of two rails, 50 mV of a single one.  supply_amperes : of one amplifier, at rest.
    most_volts : of its supply.  lead_farads : what its output drives without a resistor ahead of it.
    noise_volts, noise_corner_hertz : at its input, per root hertz, and where that begins to rise downwards.
    product_hertz, slew_volts : gain times bandwidth, and volts a second at most; 0 for one without limits.
    """

    name: str
    title: str
    gain: float = 1e6
    offset_limit_volts: float = 0.0
    offset_per_kelvin: float = 0.0
    bias_amperes: float = 0.0
    swing_volts: tuple[float, float] | None = None
    common_volts: tuple[float, float] = (0.0, 0.0)
    supply_amperes: float = 0.0
    most_volts: float = 120.0
    lead_farads: float = 100e-12
    noise_volts: float = 0.0
    noise_corner_hertz: float = 0.0
    product_hertz: float = 0.0
    slew_volts: float = math.inf

    @property
    def short_title(self) -> str:
        """Its title where it is plain that op-amps are spoken of."""
        return self.title.removesuffix(" op-amp")

    def swing(self, supply: Supply) -> tuple[float, float]:
        """The least and the most volts at its output."""
        below, above = self.swing_volts or ((0.05, 0.05) if supply.single else (1.5, 1.5))
        return supply.low + below, supply.high - above

    def common(self, supply: Supply) -> tuple[float, float]:
        """The least and the most volts at its inputs."""
        return supply.low + self.common_volts[0], supply.high - self.common_volts[1]


OP_AMPS: Final = {
    one.name: one
    for one in (
        # Any ordinary one will do: no errors of its own are counted, and the least that is usual for the rest.
        OpAmp("ideal", "any op-amp", noise_volts=20e-9, noise_corner_hertz=100.0, product_hertz=1e6, slew_volts=0.5e6),
        OpAmp(
            "jfet",
            "JFET-input op-amp",
            2e5,
            3e-3,
            10e-6,
            200e-12,
            (1.5, 1.5),
            (3.0, 0.5),
            1.4e-3,
            36.0,
            100e-12,
            18e-9,
            100.0,
            3e6,
            13e6,
        ),
        OpAmp(
            "precision",
            "precision op-amp",
            1e6,
            75e-6,
            1e-6,
            4e-9,
            (1.5, 1.5),
            (1.5, 1.5),
            2.0e-3,
            36.0,
            100e-12,
            10e-9,
            10.0,
            0.6e6,
            0.3e6,
        ),
        OpAmp(
            "rail-to-rail",
            "rail-to-rail op-amp",
            1e6,
            0.5e-3,
            3e-6,
            10e-12,
            (0.05, 0.05),
            (0.0, 0.0),
            0.8e-3,
            12.0,
            100e-12,
            30e-9,
            500.0,
            1e6,
            0.6e6,
        ),
    )
}
