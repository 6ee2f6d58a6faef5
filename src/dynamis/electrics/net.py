"""Outputs with their resistance into the inputs that hang on them: one electrical node, or a tree of nodes.

Solved by nodal analysis: the sum of the currents into a node is nought, so the voltage of a single one is the mean of
the driving voltages weighted by their conductances (Millman's theorem, Kirchhoff's current law).  Pull-ups, biased
inputs and what a switched jack is joined to drive too, behind their resistance.  Where arms join several nodes, all of
them are solved at once.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.network import Branch, Held, Network, Values
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason

FloatArray = NDArray[np.float64]


class Behind(Protocol):
    """What an output's resistance follows from, where it is no part of its own: a circuit."""

    def out_ohms(self, world: World) -> FloatArray: ...


@dataclass(frozen=True)
class Terminal:
    """One output or input on the node.

    id, label : of the port.  ohms : its resistance; 0 is allowed for an output only.
    limit : tolerance of the resistance, a fraction.  drives : whether it is an output.  node : where it hangs.
    rest_volts : of an input, behind its resistance: a pull-up's, or a bias.  behind : what `ohms` follows from, whose
    parts vary in its place.
    """

    id: str
    label: str
    ohms: float
    drives: bool
    limit: float = 0.0
    rest_volts: float = 0.0
    behind: Behind | None = None
    node: str = ""

    def __post_init__(self) -> None:
        if not (self.ohms > 0 or (self.drives and self.ohms == 0)):
            raise InputError(f"The resistance of {self.label} is {plain(self.ohms)} Ω; it has to be above 0.")

    @property
    def parameter(self) -> Parameter:
        key = f"{self.id}.ohms"
        return Parameter(key, f"Resistance of {self.label}", "Ω", self.ohms, self.limit, True, "uniform", key)

    def ohms_in(self, world: World) -> FloatArray:
        """Its resistance in a world, shape () or (S, 1)."""
        return self.parameter.value(world) if self.behind is None else self.behind.out_ohms(world)


@dataclass(frozen=True)
class Arm:
    """A resistance from one node to another: what stands ahead of some of the inputs and not of others."""

    id: str
    label: str
    first: str
    second: str
    ohms: float
    limit: float = 0.0

    @property
    def parameter(self) -> Parameter:
        key = f"{self.id}.ohms"
        return Parameter(key, f"Resistance of {self.label}", "Ω", self.ohms, self.limit, True, "uniform", key)


@dataclass(frozen=True)
class Net:
    """The terminals that meet at one node, or at the nodes that arms join."""

    id: str
    terminals: tuple[Terminal, ...]
    arms: tuple[Arm, ...] = ()

    def __post_init__(self) -> None:
        stiff = [one for one in self.terminals if one.drives and one.ohms == 0]
        for node in {one.node for one in stiff}:
            fighting = [one.label for one in stiff if one.node == node]
            if len(fighting) > 1:
                names = " and ".join(fighting)
                raise InputError(f"{names} have no resistance and fight for one node; no voltage solves that.")
        joined = {end for arm in self.arms for end in (arm.first, arm.second)}
        apart = sorted({one.node for one in self.terminals} - joined) if self.arms else []
        if apart or (not self.arms and len({one.node for one in self.terminals}) > 1):
            raise InputError(f"{self.id}: nothing joins the node {(apart or [''])[0]!r} to the others.")
        broken = next((one.label for one in self.arms if not one.ohms > 0 or one.first == one.second), None)
        if broken is not None:
            raise InputError(f"{broken} has to have a resistance above 0, from one node to another.")

    def present(self, world: World) -> tuple[Terminal, ...]:
        """The terminals on the node as it is plugged; outputs are always on it."""
        if world.plugged is None:
            return self.terminals
        return tuple(one for one in self.terminals if one.drives or one.id in world.plugged)

    def solve(self, volts: Mapping[str, ArrayLike], world: World) -> Mapping[str, FloatArray]:
        """Volts at every terminal.

        volts : by output id, its open-circuit volts; overrides `world.driven`.  Outputs that are in
        neither are not driven and load the node no more than an open contact does.
        """
        at: dict[str, FloatArray] = {}
        for node in {one.node for one in self.present(world)}:
            gain, bias = self._weights(world, volts, node)
            at[node] = bias + sum(share * np.asarray(volts[one], float) for one, share in gain.items())
        return {terminal.id: at[terminal.node] for terminal in self.present(world)}

    def transfer(self, source: str, sink: str) -> Loading:
        """The node as a transfer from one output to one input; the rest as it is plugged and driven."""
        return Loading(self, source, sink)

    def share(self, source: str, world: World, sink: str = "") -> tuple[FloatArray, FloatArray]:
        """(gain, bias): volts at a terminal's node are gain * source volts + bias; shapes () or (S, 1).

        sink : the terminal, the source's own by default.
        """
        node = next((one.node for one in self.terminals if one.id == (sink or source)), "")
        gain, bias = self._weights(world, {source: 0.0}, node)
        return gain[source], bias

    def _weights(
        self, world: World, volts: Mapping[str, ArrayLike], node: str = ""
    ) -> tuple[dict[str, FloatArray], FloatArray]:
        """By driven output its share of a node, and what pull-ups and the world's other outputs add."""
        driving = dict.fromkeys(volts) | {
            name: value for name, value in world.driven.items() if value is not None and name not in volts
        }
        present = [one for one in self.present(world) if not one.drives or one.id in driving]
        if self.arms:
            return self._tree_weights(world, volts, driving, present, node)
        stiff = [one for one in present if one.ohms == 0]
        total = np.zeros(()) + sum(1.0 / one.ohms_in(world) for one in present if one.ohms > 0)
        gain: dict[str, FloatArray] = {}
        bias = np.zeros(())
        for one in present:
            if not one.drives and not (one.rest_volts and not stiff):
                continue
            share = np.asarray(float(one is stiff[0])) if stiff else (1.0 / one.ohms_in(world)) / total
            if not one.drives:
                bias = bias + share * one.rest_volts
            elif one.id in volts:
                gain[one.id] = share
            else:
                bias = bias + share * np.asarray(driving[one.id], float)
        return gain, bias

    def _tree_weights(
        self,
        world: World,
        volts: Mapping[str, ArrayLike],
        driving: Mapping[str, object],
        present: Sequence[Terminal],
        node: str,
    ) -> tuple[dict[str, FloatArray], FloatArray]:
        """As `_weights`, of several nodes: each source a held node behind its resistance, all solved at once."""
        branches = [Branch(arm.id, f"n:{arm.first}", f"n:{arm.second}") for arm in self.arms]
        ohms: dict[str, Values] = {arm.id: arm.parameter.value(world) for arm in self.arms}
        held: dict[str, Values] = {}
        emf: dict[str, str] = {}
        for one in present:
            # A stiff output is its node; any other one stands behind its resistance.
            emf[one.id] = f"n:{one.node}" if one.ohms == 0 else f"emf:{one.id}"
            if one.ohms > 0:
                branches.append(Branch(f"of:{one.id}", emf[one.id], f"n:{one.node}"))
                ohms[f"of:{one.id}"] = one.ohms_in(world)
            known = one.rest_volts if not one.drives else 0.0 if one.id in volts else driving[one.id]
            held[emf[one.id]] = np.asarray(known, float)
        network = Network(tuple(branches), (), tuple(held))
        gain: dict[str, FloatArray] = {}
        bias = np.zeros(())
        for name in volts:
            others = {place: value for place, value in held.items() if place != emf[name]}
            line = network.solve(emf[name], f"n:{node}", ohms, Held(others))
            gain[name], bias = line.gain, line.offset  # what the others add is the same in each
        return gain, bias


def parallel(ohms: Iterable[float | None]) -> float:
    """Resistances side by side, ohms; None and 0 stand for what is not known and count for nothing; infinite where
    none is left."""
    siemens = sum(1.0 / one for one in ohms if one)
    return 1.0 / siemens if siemens else math.inf


def loaded(ohms: float, inputs: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """(gain, bias) of a node that one output drives behind `ohms`: its volts are gain * open volts + bias.

    inputs : (ohms above 0, volts behind them: a pull-up's, or a bias) of each.
    """
    total = sum(1.0 / own for own, _ in inputs)
    gain = 1.0 / (1.0 + ohms * total)
    return gain, gain * ohms * sum(volts / own for own, volts in inputs)


@dataclass(frozen=True)
class Loading:
    """Volts of an output, open -> volts at an input, as the node loads it."""

    net: Net
    source: str
    sink: str
    believes: bool = False

    @property
    def id(self) -> str:
        return f"{self.net.id}:{self.source}>{self.sink}"

    @property
    def input(self) -> Quantity:
        return Quantity("volts", "at the jack, open")

    @property
    def output(self) -> Quantity:
        label = next((one.label for one in self.net.terminals if one.id == self.sink), self.sink)
        return Quantity("volts", f"at {label}")

    def parameters(self) -> tuple[Parameter, ...]:
        mine = tuple(one.parameter for one in self.net.terminals if one.ohms > 0 and one.behind is None)
        return mine + tuple(arm.parameter for arm in self.net.arms)

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        gain, bias = self.net.share(self.source, world, self.sink)
        return gain * np.asarray(x, float) + bias

    exact = forward

    def backward(self, y: ArrayLike, world: World) -> Reached:
        gain, bias = self.net.share(self.source, world, self.sink)
        volts = np.asarray(y, float)
        with np.errstate(divide="ignore", invalid="ignore"):
            x = np.where(gain != 0, (volts - bias) / gain, np.nan)
        reason = np.where(np.broadcast_to(gain != 0, x.shape), Reason.EXACT, Reason.CLAMP)
        return Reached(x, reason.astype(np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(-np.inf), np.array(np.inf)


def cents_per_octave_lost(factor: float) -> float:
    """What a loading factor takes from every octave of a V/oct signal, in cents (negative: flat).

    Source: derived, 1200*(factor - 1).
    """
    return 1200.0 * (factor - 1.0)
