"""The two ways of changing the law, as transfers: the sender's own volts -> volts at the output, open."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.exponential.pair import Pair
from dynamis.electrics.exponential.parts import Direction, PairParts
from dynamis.errors import InputError
from dynamis.transfer.parameter import World
from dynamis.transfer.quantity import Reached, Reason
from dynamis.transfer.registry import REGISTRY

FloatArray = NDArray[np.float64]
_NO_CURRENT: Final = 1e-15


@dataclass(frozen=True)
class ExponentialConverter(Pair):
    """V/oct -> Hz/V: volts that double with every octave."""

    kind: ClassVar[str] = "exponential"
    holds: ClassVar[str] = "U2"
    stays: ClassVar[tuple[str, ...]] = ("U3", "U3.bias", "bulk")

    def _ends(self, world: World) -> tuple[FloatArray, FloatArray]:
        """What U3 adds, and its volts per ampere."""
        ohms = self.value("R8", self.parts.ohms["R8"], world)
        return self.value("U3", 0.0, world) + ohms * self.value("U3.bias", 0.0, world), ohms

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        law, (adds, ohms) = self.currents(world), self._ends(world)
        return np.asarray(adds + ohms * law.rest * np.exp(law.folds(np.asarray(x, float))))

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return np.clip(self.exact(x, world), *self.limits(world))

    def backward(self, y: ArrayLike, world: World) -> Reached:
        law, (adds, ohms) = self.currents(world), self._ends(world)
        inside, reason = _clipped(y, self.limits(world))
        return Reached(law.volts(np.log((inside - adds) / (ohms * law.rest))), reason)

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        """Volts at its output: U3 reaches no further, and U1 ends first at the bottom."""
        first, last = (self.exact(one, world) for one in self.adder_ends)
        return first, np.minimum(last, self.parts.output_ends[1])


@dataclass(frozen=True)
class LogarithmicConverter(Pair):
    """Hz/V -> V/oct: as many volts more with every octave.

    U3 sets the output so that U1 drives the pair to the current that the input sends through R8.
    """

    kind: ClassVar[str] = "logarithmic"
    holds: ClassVar[str] = "U3"
    stays: ClassVar[tuple[str, ...]] = ("U2", "U2.bias", "bulk")

    def _ends(self, world: World) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Where U2 holds the end of R8, what it draws, and all that is between the sender's own volts and there."""
        ohms = self.value("R8", self.parts.ohms["R8"], world) + self.ahead("R8", world)
        return self.value("U2", 0.0, world), self.value("U2.bias", 0.0, world), ohms

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        law, (held, drawn, ohms) = self.currents(world), self._ends(world)
        amperes = (np.asarray(x, float) - held) / ohms - drawn
        return law.volts(np.log(np.maximum(amperes, _NO_CURRENT) / law.rest))

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return np.clip(self.exact(x, world), *self.limits(world))

    def backward(self, y: ArrayLike, world: World) -> Reached:
        law, (held, drawn, ohms) = self.currents(world), self._ends(world)
        inside, reason = _clipped(y, self.limits(world))
        return Reached(np.asarray((law.rest * np.exp(law.folds(inside)) + drawn) * ohms + held), reason)

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        """Volts at its output: U3 reaches no further, nor does U1."""
        ends, adder = self.parts.output_ends, self.adder_ends
        return np.array(max(ends[0], adder[0])), np.array(min(ends[1], adder[1]))


Converter = ExponentialConverter | LogarithmicConverter
CONVERTERS: Final[dict[Direction, type[Converter]]] = {
    "exponential": ExponentialConverter,
    "logarithmic": LogarithmicConverter,
}
KINDS: Final = tuple(CONVERTERS)


def _clipped(y: ArrayLike, ends: tuple[FloatArray, FloatArray]) -> tuple[FloatArray, NDArray[np.int8]]:
    volts = np.asarray(y, float)
    inside = np.clip(volts, *ends)
    return inside, np.where(inside != volts, Reason.CLAMP, Reason.EXACT).astype(np.int8)


def _maker(direction: Direction) -> Any:
    def make(transfer_id: str, values: Mapping[str, Any]) -> Converter:
        op_amp = values.get("op_amp", "precision")
        if op_amp not in OP_AMPS:
            raise InputError(
                f"The converter {transfer_id!r} has a {op_amp!r} op-amp; one of {', '.join(OP_AMPS)} was expected."
            )
        names = ("base_ppm", "reference_volts", "middle_below", "tolerance", "per_kelvin", "load_ohms")
        known = {key: values[key] for key in names if key in values}
        ohms, trimmers = ({name: float(one) for name, one in values[key].items()} for key in ("ohms", "trimmers"))
        parts = PairParts(
            ohms,
            trimmers,
            direction,
            supply=Supply(*values.get("supply", (-12.0, 12.0))),
            op_amp=OP_AMPS[op_amp],
            clamp=Clamp(values.get("low_volts"), values.get("high_volts")),
            **known,
        )
        travel = tuple((name, float(one)) for name, one in values.get("travel", {}).items())
        return CONVERTERS[direction](transfer_id, parts, travel, bool(values.get("trimmed", False)))

    return make


for _direction in CONVERTERS:
    REGISTRY.register(_direction, 1, _maker(_direction))
