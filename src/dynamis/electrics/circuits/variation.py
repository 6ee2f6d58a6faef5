"""What varies in a circuit: its parts, its op-amps, the rail or reference of its offset, by their limits.

What comes from one source varies as one.  Values are deviations in units of the limit, as in a `World`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.network import Values

FloatArray = NDArray[np.float64]
ROOM_CELSIUS: Final = 25.0


@dataclass(frozen=True)
class Varied:
    """One thing that varies.

    key : its name in a circuit's values.  limit : half width, in the unit of `nominal`.  drift : half width per
    kelvin that its data sheet allows.
    """

    key: str
    label: str
    nominal: float
    limit: float
    drift: float = 0.0


@dataclass(frozen=True)
class Counting:
    """Which of it is counted: op_amps : offset and bias current.  kelvin : how far from 25 °C it works."""

    op_amps: bool = True
    kelvin: float = 0.0


def varied_in(circuit: Circuit, counting: Counting = Counting()) -> list[Varied]:
    """All that varies in a circuit, the parts first."""
    sources = [
        Varied(
            name,
            f"{name}, {role}",
            ohms,
            circuit.resistor_tolerance_fraction * ohms,
            circuit.resistor_per_kelvin * ohms,
        )
        for name, ohms, role in circuit.resistors
        if name.rstrip("ab") in circuit.connected
    ]
    reference = circuit.reference
    if circuit.uses_reference:
        tolerance = reference.tolerance if reference.node == "ref" else circuit.supply.tolerance
        label = "The reference of the offset" if reference.node == "ref" else "The rail that the offset is taken from"
        limit, drift = abs(reference.volts) * tolerance, abs(reference.volts) * reference.per_kelvin
        sources.append(Varied(reference.node, label, reference.volts, limit, drift))
    if counting.op_amps:
        amp = circuit.op_amp
        for amplifier in circuit.topology.amplifiers:
            sources.append(
                Varied(
                    amplifier.name, f"Offset of {amplifier.name}", 0.0, amp.offset_limit_volts, amp.offset_per_kelvin
                )
            )
            if amp.bias_amperes:
                sources.append(
                    Varied(f"{amplifier.name}.bias", f"Bias current of {amplifier.name}", 0.0, amp.bias_amperes)
                )
    return [source for source in sources if source.limit or (source.drift and counting.kelvin)]


def at(
    varied: Sequence[Varied],
    deviations: Mapping[str, Values],
    kelvin: float = 0.0,
    drifts: Mapping[str, Values] | None = None,
) -> dict[str, Values]:
    """Values for a circuit; deviations and drifts by key, in units of the limit."""
    values: dict[str, Values] = {}
    for one in varied:
        value = one.nominal + one.limit * deviations.get(one.key, 0.0)
        if drifts and kelvin and one.drift:
            value = value + one.drift * kelvin * drifts.get(one.key, 0.0)
        values[one.key] = value
    return values


def corners(count: int) -> FloatArray:
    """All combinations of −1 and +1, shape (count, 2**count)."""
    return np.array(np.meshgrid(*[[-1.0, 1.0]] * count, indexing="ij")).reshape(count, -1)
