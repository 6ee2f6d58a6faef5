"""A quantizer: volts to the nearest of even steps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class Quantizer:
    """Volts -> the nearest multiple of `step_volts`; halves go down.  A twelfth of a volt is a semitone at 1 V/oct."""

    id: str
    step_volts: float
    label: str = "in steps"
    believes: bool = False

    def __post_init__(self) -> None:
        if not self.step_volts > 0:
            raise InputError(f"A quantizer's steps are {plain(self.step_volts)} V; more than 0 was expected.")

    @property
    def input(self) -> Quantity:
        return Quantity("volts", "ahead of the steps")

    @property
    def output(self) -> Quantity:
        return Quantity("volts", self.label)

    def parameters(self) -> tuple[Parameter, ...]:
        return ()

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        return np.asarray(x, float)

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return np.ceil(np.asarray(x, float) / self.step_volts - 0.5) * self.step_volts

    def backward(self, y: ArrayLike, world: World) -> Reached:
        volts = np.asarray(y, float)
        nearest = self.forward(volts, world)
        reason = np.where(np.abs(nearest - volts) > 1e-9 * self.step_volts, Reason.STEP, Reason.EXACT)
        return Reached(nearest, reason.astype(np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(-np.inf), np.array(np.inf)
