"""Parameters of real parts, and the world that says how far each is from its nominal value."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Literal

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class World:
    """Everything that is not the design: what is so, or what is believed to be so.

    deviations : by source, in units of the parameter's limit; a source that is absent deviates by 0;
        shape () or (S, 1) for S samples.
    celsius : temperature of the equipment.
    plugged : ids of the inputs that are joined now; None means all of them.
    driven : volts of other outputs on shared nodes, None where one is not driven.
    """

    deviations: Mapping[str, FloatArray | float] = field(default_factory=lambda: MappingProxyType({}))
    celsius: float = 25.0
    plugged: frozenset[str] | None = None
    driven: Mapping[str, float | None] = field(default_factory=lambda: MappingProxyType({}))

    def with_deviations(self, deviations: Mapping[str, FloatArray | float]) -> World:
        """The same world with these deviations added to those it has."""
        return World({**self.deviations, **deviations}, self.celsius, self.plugged, self.driven)


NOMINAL = World()


@dataclass(frozen=True)
class Parameter:
    """One number of a part's data sheet.

    id : unique on the bench, e.g. "workshop-board.reference".
    label, unit : for people.
    nominal : value at `at_celsius`.
    limit : half width the data sheet allows; a fraction of nominal where `relative`, else in `unit`.
    spread : "uniform" within the limit, or "normal" with the limit at 3 sigma.
    source : parameters of one source vary as one (a shared reference, one meter's gain).
    per_kelvin : known drift, signed.  per_kelvin_limit : a data sheet's +/- ppm, varied by the
        source's name with "/drift" added.
    """

    id: str
    label: str
    unit: str
    nominal: float
    limit: float
    relative: bool
    spread: Literal["uniform", "normal"]
    source: str
    at_celsius: float = 25.0
    per_kelvin: float = 0.0
    per_kelvin_limit: float = 0.0

    @property
    def drift_source(self) -> str:
        return self.source + "/drift"

    @property
    def standard_fraction(self) -> float:
        """Standard uncertainty in units of the limit.  Source: GUM 4.3.7 (uniform); 3 sigma by definition."""
        return 1.0 / math.sqrt(3.0) if self.spread == "uniform" else 1.0 / 3.0

    def value(self, world: World) -> FloatArray:
        """Nominal moved by the world's deviation and temperature; shape () or (S, 1)."""
        moved = np.asarray(world.deviations.get(self.source, 0.0), float) * self.limit
        kelvin = world.celsius - self.at_celsius
        if kelvin:
            drift = np.asarray(world.deviations.get(self.drift_source, 0.0), float)
            moved = moved + kelvin * (self.per_kelvin + self.per_kelvin_limit * drift)
        return self.nominal * (1.0 + moved) if self.relative else self.nominal + moved
