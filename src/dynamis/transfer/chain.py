"""The chain: what happens to one note on its way to sound."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.quantity import Quantity, Reached

FloatArray = NDArray[np.float64]


class Transfer(Protocol):
    """From one quantity to the next: a small immutable value that works on whole arrays.

    Static and elementwise.  `forward` takes (N,) or (S, N) and gives the same, or (S, N) when the world
    is sampled; NaN stays NaN.  `backward` gives the input of the nearest reachable output, ties to the
    lower, and why it had to give way.  `exact` is `forward` without steps, dead bands and clamps.
    """

    @property
    def id(self) -> str: ...
    @property
    def input(self) -> Quantity: ...
    @property
    def output(self) -> Quantity: ...
    @property
    def believes(self) -> bool:
        """Works with what is believed (tuning, constants, table) rather than with what is true."""
        ...

    def parameters(self) -> tuple[Parameter, ...]: ...
    def forward(self, x: ArrayLike, world: World) -> FloatArray: ...
    def exact(self, x: ArrayLike, world: World) -> FloatArray: ...
    def backward(self, y: ArrayLike, world: World) -> Reached: ...
    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        """Least and greatest output, shape () or (S, 1)."""
        ...


@dataclass(frozen=True, eq=False)
class Share:
    """What one source adds to the error.

    cents : (N,) the signed effect of the source at its limit (steps and design: as it is).
    standard_cents : (N,) its standard uncertainty; 0 for what is known.
    """

    source: str
    label: str
    cents: FloatArray
    standard_cents: FloatArray

    @property
    def worst_cents(self) -> float:
        return float(np.nanmax(np.abs(self.cents))) if np.any(np.isfinite(self.cents)) else math.nan


@dataclass(frozen=True)
class Chain:
    """One path from note to sound.

    transfers : each takes what the one before gives (the kinds are checked).
    wanted : note -> wanted value of the last quantity.
    law : turns an end in volts into octaves; None where the chain ends in octaves.
    """

    transfers: tuple[Transfer, ...]
    wanted: Transfer
    law: Transfer | None = None

    def __post_init__(self) -> None:
        if not self.transfers:
            raise InputError("A chain needs at least one transfer.")
        for before, after in zip(self.transfers, self.transfers[1:], strict=False):
            if before.output.kind != after.input.kind:
                raise InputError(
                    f"{before.id} gives {before.output.kind} but {after.id} takes {after.input.kind}; "
                    "the chain is broken there."
                )
        ids = [parameter.id for transfer in self.transfers for parameter in transfer.parameters()]
        if len(ids) != len(set(ids)):
            twice = next(one for one in ids if ids.count(one) > 1)
            raise InputError(f"The parameter {twice} stands twice in the chain.")

    @property
    def scales(self) -> tuple[Quantity, ...]:
        """The quantities a note passes, the input first."""
        return (self.transfers[0].input, *(transfer.output for transfer in self.transfers))

    def trace(self, notes: ArrayLike, true: World = NOMINAL, believed: World = NOMINAL) -> tuple[FloatArray, ...]:
        """The value at every scale, the notes themselves first."""
        values = [np.asarray(notes, float)]
        for transfer in self.transfers:
            values.append(transfer.forward(values[-1], believed if transfer.believes else true))
        return tuple(values)

    def error_cents(self, notes: ArrayLike, true: World = NOMINAL, believed: World = NOMINAL) -> FloatArray:
        """Found minus wanted, cents; (N,) or (S, N) where the true world is sampled."""
        found = self.trace(notes, true, believed)[-1]
        return self._cents(found, self.wanted.forward(notes, believed), true)

    def budget(self, notes: ArrayLike, true: World = NOMINAL, believed: World = NOMINAL) -> list[Share]:
        """Where the error comes from, the largest share first.

        One share for the design as drawn (loading, law), one for each transfer that steps, clamps or has
        a dead band, and one for each source of the parameters and its drift.  The derivatives are those
        of the tail at fixed codes, since a staircase has no useful derivative.
        """
        notes = np.asarray(notes, float)
        head = [t for t in self.transfers if t.believes]
        tail = [t for t in self.transfers if not t.believes]
        wanted = self.wanted.forward(notes, believed)
        exact = self._through(notes, true, believed, stepping=None)
        shares = [_known("design", "As designed, loading included", self._cents(exact, wanted, true))]
        for transfer in self.transfers:
            stepped = self._through(notes, true, believed, stepping=transfer.id)
            cents = self._cents(stepped, exact, true)
            if np.any(np.abs(cents[np.isfinite(cents)]) > 1e-9):
                shares.append(_known(f"{transfer.id}/steps", f"Steps and limits: {transfer.output.label}", cents))
        codes = notes
        for transfer in head:
            codes = transfer.forward(codes, believed)
        nominal = run(tail, codes, true)
        for source, label, fraction, moved in varied(tail, codes, true):
            cents = self._cents(moved, nominal, true)
            shares.append(Share(source, label, cents, np.abs(cents) * fraction))
        return sorted(shares, key=lambda share: -np.nan_to_num(share.worst_cents))

    def _through(self, notes: FloatArray, true: World, believed: World, stepping: str | None) -> FloatArray:
        value = notes
        for transfer in self.transfers:
            world = believed if transfer.believes else true
            value = transfer.forward(value, world) if transfer.id == stepping else transfer.exact(value, world)
        return value

    def _cents(self, values: FloatArray, wanted: FloatArray, world: World) -> FloatArray:
        if self.law is not None:
            # What volts mean in pitch is the wish, so it is read nominally whatever the world.
            values, wanted = self.law.forward(values, NOMINAL), self.law.forward(wanted, NOMINAL)
        return 1200.0 * (values - wanted)


def run(transfers: Sequence[Transfer], value: FloatArray, world: World) -> FloatArray:
    """A value through transfers, one after the other, all in one world."""
    for transfer in transfers:
        value = transfer.forward(value, world)
    return value


def varied(
    transfers: Sequence[Transfer], value: FloatArray, world: World
) -> Iterator[tuple[str, str, float, FloatArray]]:
    """Source, label, standard fraction, and what comes out with that source alone at its limit; each source once."""
    parameters = [parameter for transfer in transfers for parameter in transfer.parameters()]
    for source, label, fraction in _sources(parameters, world):
        moved = world.with_deviations({source: np.asarray(world.deviations.get(source, 0.0), float) + 1.0})
        yield source, label, fraction, run(transfers, value, moved)


def _known(source: str, label: str, cents: FloatArray) -> Share:
    return Share(source, label, cents, np.zeros_like(cents))


def _sources(parameters: list[Parameter], world: World) -> list[tuple[str, str, float]]:
    """Source, label and standard fraction of everything that may vary, each source once."""
    found: dict[str, tuple[str, str, float]] = {}
    for parameter in parameters:
        if parameter.limit:
            found.setdefault(parameter.source, (parameter.source, parameter.label, parameter.standard_fraction))
        if parameter.per_kelvin_limit and world.celsius != parameter.at_celsius:
            label = f"{parameter.label}, drift over {world.celsius - parameter.at_celsius:+.0f} K"
            found.setdefault(parameter.drift_source, (parameter.drift_source, label, parameter.standard_fraction))
    return list(found.values())
