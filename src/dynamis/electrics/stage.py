"""A linear circuit between an output and its inputs: gain, offset, and its own two resistances."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.limited import Limited
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Stage(Limited):
    """Volts at its input -> volts at its output, open.  A buffer is one of gain 1 and offset 0.

    gain_limit : tolerance of the gain, a fraction.  offset_limit_volts : of the offset, at the output.
    in_ohms : what it hangs on the output before it.  out_ohms : ahead of the inputs.
    low_volts, high_volts : where its output stops, None for nowhere.
    """

    id: str
    gain: float = 1.0
    offset_volts: float = 0.0
    gain_limit: float = 0.0
    offset_limit_volts: float = 0.0
    in_ohms: float = 1e6
    out_ohms: float = 0.0
    low_volts: float | None = None
    high_volts: float | None = None
    input: Quantity = Quantity("volts", "at the circuit")
    output: Quantity = Quantity("volts", "after the circuit")
    believes: bool = False
    label: str = "the circuit"

    def __post_init__(self) -> None:
        if self.gain == 0 or not np.isfinite(self.gain):
            raise InputError(f"A circuit of gain {plain(self.gain)} passes nothing on; give it another gain.")
        if not (self.in_ohms > 0 and self.out_ohms >= 0):
            raise InputError(
                f"A circuit needs more than 0 Ω at its input and at least 0 Ω at its output; {plain(self.in_ohms)} Ω "
                f"and {plain(self.out_ohms)} Ω were given."
            )
        if self.low_volts is not None and self.high_volts is not None and self.low_volts >= self.high_volts:
            raise InputError(
                f"The circuit's lowest volts, {plain(self.low_volts)} V, are not below its highest, "
                f"{plain(self.high_volts)} V."
            )

    def parameters(self) -> tuple[Parameter, ...]:
        return self._gain, self._offset

    @property
    def _gain(self) -> Parameter:
        key = f"{self.id}.gain"
        return Parameter(key, f"Gain of {self.label}", "", self.gain, self.gain_limit, True, "uniform", key)

    @property
    def _offset(self) -> Parameter:
        key, limit = f"{self.id}.offset", self.offset_limit_volts
        return Parameter(key, f"Offset of {self.label}", "V", self.offset_volts, limit, False, "uniform", key)

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        return self._gain.value(world) * np.asarray(x, float) + self._offset.value(world)

    def backward(self, y: ArrayLike, world: World) -> Reached:
        volts = np.asarray(y, float)
        inside = np.clip(volts, *self.limits(world))
        x = (inside - self._offset.value(world)) / self._gain.value(world)
        return Reached(x, np.where(inside != volts, Reason.CLAMP, Reason.EXACT).astype(np.int8))

    def stored(self) -> StoredTransfer:
        bare = Stage(self.id)
        keys = (
            "gain",
            "offset_volts",
            "gain_limit",
            "offset_limit_volts",
            "in_ohms",
            "out_ohms",
            "low_volts",
            "high_volts",
        )
        values = {key: getattr(self, key) for key in keys if getattr(self, key) != getattr(bare, key)}
        return StoredTransfer("stage", 1, values)


def _make(transfer_id: str, values: dict[str, Any]) -> Stage:
    return Stage(transfer_id, **values)


REGISTRY.register("stage", 1, _make)
