"""The node that a branch leaves, as what stands between: what hangs there besides takes its share of the volts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.net import Terminal
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]
KIND: Final = "branch-node"


@dataclass(frozen=True)
class BranchNode:
    """Volts of what drives a node, open -> volts there with everything on it but the one branch that is followed.

    loads : inputs, and circuits on other branches.  ohms : of what drives the node; source : that as a parameter, where
    it is a part of its own.
    """

    id: str
    loads: tuple[Terminal, ...]
    ohms: float = 0.0
    source: Parameter | None = None
    input: Quantity = Quantity("volts", "ahead of the branches")
    output: Quantity = Quantity("volts", "where the branches leave")
    believes: bool = False

    def parameters(self) -> tuple[Parameter, ...]:
        own = () if self.source is None or not self.source.nominal else (self.source,)
        return (*own, *(load.parameter for load in self.loads))

    def driven_by(self, ohms: float, source: Parameter | None) -> BranchNode:
        """The same node behind a sender of other ohms."""
        return replace(self, ohms=ohms, source=source)

    def line(self, world: World) -> tuple[FloatArray, FloatArray]:
        """(gain, bias in volts) by Kirchhoff's current law; shapes () or (S, 1)."""
        return self._solved(world)[:2]

    def _solved(self, world: World) -> tuple[FloatArray, FloatArray, FloatArray]:
        """As `line`, and the ohms of the node."""
        ohms = np.asarray(self.ohms if self.source is None else self.source.value(world))
        siemens = [1.0 / load.ohms_in(world) for load in self.loads]
        gain = 1.0 / (1.0 + ohms * sum(siemens))
        rests = sum(one * load.rest_volts for one, load in zip(siemens, self.loads, strict=True))
        return gain, gain * ohms * rests, gain * ohms

    def out_ohms(self, world: World) -> FloatArray:
        """What the branch hangs on: the sender's resistance and all the loads side by side."""
        return self._solved(world)[2]

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        gain, bias = self.line(world)
        return np.asarray(gain * np.asarray(x, float) + bias)

    forward = exact

    def backward(self, y: ArrayLike, world: World) -> Reached:
        gain, bias = self.line(world)
        x = (np.asarray(y, float) - bias) / gain
        return Reached(x, np.full(x.shape, Reason.EXACT, np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(-np.inf), np.array(np.inf)

    def stored(self) -> StoredTransfer:
        loads = [[one.id, one.label, one.ohms, one.limit, one.rest_volts] for one in self.loads]
        return StoredTransfer(KIND, 1, {"loads": loads})


def _make(transfer_id: str, values: dict[str, Any]) -> BranchNode:
    loads: Sequence[Any] = values["loads"]
    return BranchNode(
        transfer_id, tuple(Terminal(key, label, ohms, False, limit, rest) for key, label, ohms, limit, rest in loads)
    )


REGISTRY.register(KIND, 1, _make)
