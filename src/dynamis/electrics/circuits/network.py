"""A network of resistances and op-amps, solved by nodal analysis for whole arrays of part values at once.

The equations are Kirchhoff's current law at every node that nothing holds, and for an op-amp's output
v(+) − v(−) + offset = v(out)/gain (modified nodal analysis).  They are reduced by Gaussian elimination in
which every number may be an array, so that ten thousand samples of the parts cost little more than one; the
order of the pivots is chosen once from nominal values.  Since all is linear, each node's volts are
gain · input + offset.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.errors import InputError

FloatArray = NDArray[np.float64]
Values = FloatArray | float
GROUND: Final = "0"
_STEEP: Final = 0.01


@dataclass(frozen=True)
class Branch:
    """A resistance between two nodes.  behind : another one in series with it, "" for none."""

    name: str
    a: str
    b: str
    behind: str = ""


@dataclass(frozen=True)
class Amplifier:
    """An op-amp and the nodes at its inputs and its output."""

    name: str
    plus: str
    minus: str
    out: str


@dataclass(frozen=True)
class Held:
    """What holds nodes, and what disturbs op-amps.

    volts : of each held node but the one that is the input.  offsets : of op-amps, volts at their + input.
    bias : amperes that an op-amp draws at each of its inputs.
    """

    volts: Mapping[str, Values]
    offsets: Mapping[str, Values] | None = None
    bias: Mapping[str, Values] | None = None


@dataclass(frozen=True)
class NodeLine:
    """volts = gain · input + offset; shapes () or that of the values."""

    gain: FloatArray
    offset: FloatArray


@dataclass(frozen=True)
class Network:
    """branches between nodes, amplifiers, and the nodes that are held: ground always is.

    amplifier_gain : open-loop, the same for all.
    """

    branches: tuple[Branch, ...]
    amplifiers: tuple[Amplifier, ...] = ()
    held: tuple[str, ...] = ()
    amplifier_gain: float = 1e6

    def solve(self, driven: str, node: str, ohms: Mapping[str, Values], held: Held) -> NodeLine:
        """The volts of one node as a line over those of the node `driven`.

        ohms : by branch, above 0; all shapes broadcast.  Raises `InputError` where a node hangs in the air.
        """
        if node in self._held:
            one = 1.0 if node == driven else 0.0
            return NodeLine(np.asarray(one), np.asarray(0.0 if node == driven else self._volts(node, held)))
        rows, right = self._equations(driven, ohms, held)
        return _last(rows, right, self._order(node, ohms))

    def output_ohms(self, node: str, ohms: Mapping[str, Values], driven: str) -> FloatArray:
        """Thevenin's resistance at a node, all sources at rest."""
        if node in self._held:
            return np.asarray(0.0)
        quiet = Held(dict.fromkeys(self._held, 0.0))
        rows, right = self._equations(driven, ohms, quiet)
        index = self._index[node]
        if node in {one.out for one in self.amplifiers}:
            return np.asarray(0.0)
        right[index][1] = 1.0  # one ampere into the node
        return _last(rows, right, self._order(node, ohms)).offset

    def impedance(self, node: str, branch: Branch, ohms: Mapping[str, Values], driven: str) -> FloatArray:
        """Volts at a node for one ampere from one end of a branch to the other, all sources at rest."""
        if node in self._held:
            return np.asarray(0.0)
        rows, right = self._equations(driven, ohms, Held(dict.fromkeys(self._held, 0.0)))
        outs = {one.out for one in self.amplifiers}
        for end, sign in ((branch.a, 1.0), (branch.b, -1.0)):
            if end in self._index and end not in outs:
                right[self._index[end]][1] = right[self._index[end]][1] + sign
        return _last(rows, right, self._order(node, ohms)).offset

    @property
    def nodes(self) -> frozenset[str]:
        """All nodes that something hangs on."""
        return frozenset((*self._held, *self._index))

    @cached_property
    def _held(self) -> frozenset[str]:
        return frozenset((*self.held, GROUND))

    @cached_property
    def _index(self) -> dict[str, int]:
        names = [
            *(node for one in self.branches for node in (one.a, one.b)),
            *(node for one in self.amplifiers for node in (one.plus, one.minus, one.out)),
        ]
        free = [name for name in dict.fromkeys(names) if name not in self._held]
        return {name: k for k, name in enumerate(free)}

    @cached_property
    def _orders(self) -> dict[str, list[tuple[int, int]]]:
        return {}

    def _order(self, node: str, ohms: Mapping[str, Values]) -> list[tuple[int, int]]:
        """The pivots, row and column, the node's own column last; from the first of the values."""
        if node not in self._orders:
            first = {name: float(np.asarray(value).flat[0]) for name, value in ohms.items()}
            rows, _ = self._equations("", first, Held(dict.fromkeys(self._held, 0.0)))
            self._orders[node] = _pivots(rows, self._index[node])
        return self._orders[node]

    def _volts(self, node: str, held: Held) -> Values:
        return 0.0 if node == GROUND else held.volts.get(node, 0.0)

    def _equations(
        self, driven: str, ohms: Mapping[str, Values], held: Held
    ) -> tuple[list[dict[int, Values]], list[list[Values]]]:
        """Rows of coefficients by column, and the right-hand sides: of the input at 1 V, and of all else."""
        index, outs = self._index, {amplifier.out: amplifier for amplifier in self.amplifiers}
        rows: list[dict[int, Values]] = [{} for _ in index]
        right: list[list[Values]] = [[0.0, 0.0] for _ in index]
        for branch in self.branches:
            conductance = 1.0 / (ohms[branch.name] + ohms[branch.behind] if branch.behind else ohms[branch.name])
            for here, there in ((branch.a, branch.b), (branch.b, branch.a)):
                if here not in index or here in outs:
                    continue
                k = index[here]
                rows[k][k] = _plus(rows[k].get(k, 0.0), conductance)
                if there in index:
                    rows[k][index[there]] = _plus(rows[k].get(index[there], 0.0), -conductance)
                elif there == driven:
                    right[k][0] = _plus(right[k][0], conductance)
                elif there != GROUND:
                    right[k][1] = _plus(right[k][1], _times(conductance, self._volts(there, held)))
        for amp in self.amplifiers:
            self._amplify(amp, rows, right, driven, held)
        return rows, right

    def _amplify(
        self, amp: Amplifier, rows: list[dict[int, Values]], right: list[list[Values]], driven: str, held: Held
    ) -> None:
        k = self._index[amp.out]
        rows[k] = {k: -1.0 / self.amplifier_gain}
        right[k] = [0.0, -(held.offsets or {}).get(amp.name, 0.0)]
        for node, sign in ((amp.plus, 1.0), (amp.minus, -1.0)):
            if node in self._index:
                column = self._index[node]
                rows[k][column] = rows[k].get(column, 0.0) + sign
                if held.bias and node != amp.out:
                    drawn = held.bias.get(amp.name, 0.0)
                    if node not in {one.out for one in self.amplifiers}:
                        right[column][1] = right[column][1] - drawn
            elif node == driven:
                right[k][0] = right[k][0] - sign
            else:
                right[k][1] = right[k][1] - sign * self._volts(node, held)


def _pivots(rows: Sequence[Mapping[int, Values]], last: int) -> list[tuple[int, int]]:
    """Pivots of the least fill-in among those that are large enough in their row (Markowitz's rule)."""
    left = {k: {j: float(value) for j, value in row.items()} for k, row in enumerate(rows)}
    order: list[tuple[int, int]] = []
    while len(left) > 1:
        counts: dict[int, int] = {}
        for row in left.values():
            for j in row:
                counts[j] = counts.get(j, 0) + 1
        best: tuple[int, int, int] | None = None
        for k, row in left.items():
            size = max((abs(value) for value in row.values()), default=0.0)
            for j, value in row.items():
                if j != last and value and abs(value) >= _STEEP * size:
                    cost = (len(row) - 1) * (counts[j] - 1)
                    if best is None or cost < best[0]:
                        best = (cost, k, j)
        if best is None:
            raise InputError("A node of the circuit hangs in the air: nothing holds its volts.")
        _, k, j = best
        order.append((k, j))
        pivot = left.pop(k)
        for row in left.values():
            factor = row.pop(j, 0.0) / pivot[j]
            if factor:
                for column, value in pivot.items():
                    if column != j:
                        row[column] = row.get(column, 0.0) - factor * value
    order.append((next(iter(left)), last))
    return order


def _last(rows: list[dict[int, Values]], right: list[list[Values]], order: Sequence[tuple[int, int]]) -> NodeLine:
    """What the last column of the order comes to, by elimination over arrays.

    Written so that numbers which are plain, most often 0 and ±1, cost no pass over an array.
    """
    for at, (k, j) in enumerate(order[:-1]):
        pivot, known = rows[k], right[k]
        inverse = 1.0 / pivot[j]
        for row_at, _ in order[at + 1 :]:
            row = rows[row_at]
            if j not in row:
                continue
            less = _times(-row.pop(j), inverse)
            for column, value in pivot.items():
                if column != j:
                    row[column] = _plus(row.get(column, 0.0), _times(less, value))
            target = right[row_at]
            for side in (0, 1):
                target[side] = _plus(target[side], _times(less, known[side]))
    k, j = order[-1]
    size = rows[k].get(j, 0.0)
    if not np.asarray(size).flat[0]:
        raise InputError("A node of the circuit hangs in the air: nothing holds its volts.")
    inverse = 1.0 / size
    return NodeLine(np.asarray(_times(right[k][0], inverse)), np.asarray(_times(right[k][1], inverse)))


def _times(a: Values, b: Values) -> Values:
    for one, other in ((a, b), (b, a)):
        if isinstance(one, float):
            if one == 0.0:
                return 0.0
            if one == 1.0:
                return other
    return a * b


def _plus(a: Values, b: Values) -> Values:
    if isinstance(a, float) and a == 0.0:
        return b
    return a if isinstance(b, float) and b == 0.0 else a + b
