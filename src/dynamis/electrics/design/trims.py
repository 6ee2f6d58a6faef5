"""Trimmers: what they have to cover, how far they reach, and where a person would set them.

The trimmers act one on the other; each is set where the other does least: the offset at the pivot, the input at
which the scale trimmer moves nothing, then the scale at the end that is furthest from it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import MID, STEPS_PER_TURN, TURNS, Circuit, trimmer_name
from dynamis.electrics.circuits.network import Values
from dynamis.electrics.circuits.variation import Varied, at, corners
from dynamis.electrics.design.requirement import Requirement

FloatArray = NDArray[np.float64]
_ROUNDS: Final = 5
_FAR_VOLTS: Final = 100.0
_SAME: Final = 1e-3
# Corners are exact to so many parts; beyond, the worst are taken one after another.
_MOST_CORNERS: Final = 12


@dataclass(frozen=True)
class Trim:
    """A trimmer.  role : "scale" or "offset".  reach : ±, of the gain as a fraction, or volts at `out`.

    needed : the worst case of what varies, in the same unit.  pivot_volts : the input at which it moves nothing, None
    for nowhere near.  cents_per_turn : at the end of the input range where it weighs most.
    """

    name: str
    role: str
    ohms: float
    reach: float
    needed: float
    turns: float
    cents_per_turn: float
    pivot_volts: float | None


@dataclass(frozen=True)
class Trimming:
    """A circuit with its trimmers on the bench, and what is wanted of it."""

    circuit: Circuit
    requirement: Requirement

    @cached_property
    def names(self) -> tuple[str, ...]:
        """In the order in which they are set."""
        return tuple(self.circuit.trimmers)

    def role(self, name: str) -> str:
        return "scale" if name == trimmer_name(self.circuit.topology.scale_slot) else "offset"

    def errors(self, values: Mapping[str, Values]) -> tuple[FloatArray, FloatArray]:
        """Volts off at the two ends of the input range."""
        line, requirement = self.circuit.line(values), self.requirement
        slope, shift = line.gain - requirement.gain, line.offset - requirement.offset_volts
        return slope * requirement.in_low_volts + shift, slope * requirement.in_high_volts + shift

    @cached_property
    def slopes(self) -> dict[str, tuple[float, float]]:
        """By trimmer, volts at the two ends for the whole travel, near the middle."""
        found = {}
        for name in self.names:
            low, high = (self.errors({name: MID + step}) for step in (-0.05, 0.05))
            found[name] = float((high[0] - low[0]) / 0.1), float((high[1] - low[1]) / 0.1)
        return found

    @property
    def independent(self) -> bool:
        """Whether two trimmers do different things; of two that do the same one is idle."""
        if len(self.names) < 2:
            return True
        (a, b), (c, d) = (self.slopes[name] for name in self.names)
        return abs(a * d - b * c) > _SAME * max(abs(a), abs(b)) * max(abs(c), abs(d))

    def set(self, values: Mapping[str, Values], stepped: bool = True) -> dict[str, Values]:
        """The travel of each trimmer as a person would leave it, shape of the values.

        stepped : to 1/50 of a turn.  Both are turned until the ends are right; then each stands at its best step,
        in their order.
        """
        travel: dict[str, Values] = dict.fromkeys(self.names, MID)
        for _ in range(_ROUNDS):
            first, last = self.errors({**values, **travel})
            if len(self.names) == 2:
                moves = self._both(first, last)
            else:
                moves = {name: self._best(name, first, last) for name in self.names}
            travel = {name: np.clip(travel[name] + moves[name], 0.0, 1.0) for name in self.names}
        steps = TURNS * STEPS_PER_TURN
        for k, name in enumerate(self.names):
            if k:
                first, last = self.errors({**values, **travel})
                travel[name] = np.clip(travel[name] + self._best(name, first, last), 0.0, 1.0)
            if stepped:
                travel[name] = np.round(travel[name] * steps) / steps
        return travel

    def _both(self, first_volts: FloatArray, last_volts: FloatArray) -> dict[str, FloatArray]:
        (a, b), (c, d) = (self.slopes[name] for name in self.names)
        det = a * d - b * c
        return {
            self.names[0]: (c * last_volts - d * first_volts) / det,
            self.names[1]: (b * first_volts - a * last_volts) / det,
        }

    def _best(self, name: str, first: FloatArray, last: FloatArray) -> FloatArray:
        """The move of one trimmer that leaves the least of the larger error in cents.

        Of two lines that is where they meet, or where one is 0.
        """
        weights = self.requirement.weights
        a, b = (slope * weight for slope, weight in zip(self.slopes[name], weights, strict=True))
        first, last = first * weights[0], last * weights[1]
        tries = [
            -one / slope
            for one, slope in ((first, a), (last, b), (first + last, a + b), (first - last, a - b))
            if abs(slope) > 1e-12
        ]
        left = np.array([np.maximum(np.abs(first + a * move), np.abs(last + b * move)) for move in tries])
        return np.take_along_axis(np.array(tries), left.argmin(axis=0)[None], axis=0)[0]

    def describe(self, needed: Mapping[str, float]) -> list[Trim]:
        """The trimmers in the order in which they are set; needed : by role."""
        return [self._describe(name, needed.get(self.role(name), 0.0)) for name in self.names]

    def _describe(self, name: str, needed: float) -> Trim:
        lines = [self.circuit.line({name: travel}) for travel in (0.0, MID, 1.0)]
        gains, offsets = ([float(one) for one in row] for row in zip(*((x.gain, x.offset) for x in lines), strict=True))
        role = self.role(name)
        if role == "scale":
            reach = min(abs(gains[0] - gains[1]), abs(gains[2] - gains[1])) / abs(gains[1])
        else:
            reach = min(abs(offsets[0] - offsets[1]), abs(offsets[2] - offsets[1]))
        slope_gain, slope_offset = (gains[2] - gains[0]) / 2, (offsets[2] - offsets[0]) / 2
        pivot: float | None = None
        if abs(slope_offset) < _FAR_VOLTS * abs(slope_gain):
            pivot = -slope_offset / slope_gain + 0.0
        cents = max(abs(one) * weight for one, weight in zip(self.slopes[name], self.requirement.weights, strict=True))
        return Trim(name, role, self.circuit.trimmers[name], reach, needed, TURNS, cents / TURNS, pivot)


def corner_values(varied: Sequence[Varied], circuit: Circuit) -> dict[str, Values]:
    """Every combination of limits; of more than twelve things, those that weigh most, the rest where they hurt."""
    if len(varied) <= _MOST_CORNERS:
        grid = corners(len(varied))
        return at(varied, {one.key: grid[k] for k, one in enumerate(varied)})
    nominal = circuit.line()
    effect = {}
    for one in varied:
        line = circuit.line(at([one], {one.key: 1.0}))
        effect[one.key] = float(line.gain - nominal.gain), float(line.offset - nominal.offset)
    weight = {key: abs(gain) + abs(offset) for key, (gain, offset) in effect.items()}
    ranked = sorted(varied, key=lambda one: -weight[one.key])
    free, rest = ranked[:_MOST_CORNERS], ranked[_MOST_CORNERS:]
    grid = corners(len(free))
    deviations: dict[str, Values] = {one.key: grid[k] for k, one in enumerate(free)}
    lean = sum(
        np.sign(effect[one.key][0] or effect[one.key][1]) * grid[k] * weight[one.key] for k, one in enumerate(free)
    )
    for one in rest:
        deviations[one.key] = np.sign(lean) * np.sign(effect[one.key][0] or effect[one.key][1])
    return at(varied, deviations)


def needed_range(circuit: Circuit, requirement: Requirement, varied: Sequence[Varied]) -> dict[str, float]:
    """The worst case of gain (a fraction) and offset (volts at `out`), the nearest preferred values' own included."""
    if not varied:
        return {"scale": 0.0, "offset": 0.0}
    line = circuit.line(corner_values(varied, circuit))
    return {
        "scale": float(np.max(np.abs(line.gain / requirement.gain - 1.0))),
        "offset": float(np.max(np.abs(line.offset - requirement.offset_volts))),
    }


def reaches(bench: Trimming, varied: Sequence[Varied]) -> bool:
    """Whether the trimmers come to a proper setting, with something to spare, at every corner."""
    if not varied:
        return True
    travel = bench.set(corner_values(varied, bench.circuit), stepped=False)
    return all(bool(np.all((one > 0.03) & (one < 0.97))) for one in map(np.asarray, travel.values()))


def trimmer_sizes() -> list[float]:
    """Trimmers that can be bought: 1, 2 and 5 in every decade.  Source: common practice, no source."""
    return [base * 10.0**decade for decade in range(1, 6) for base in (1.0, 2.0, 5.0)]


def next_size(ohms: float) -> float | None:
    """The next larger trimmer, None where there is none."""
    return next((one for one in trimmer_sizes() if one > ohms * 1.001), None)
