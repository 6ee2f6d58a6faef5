"""Circuits that shape: glide, maximum and minimum, and a jack whose switch carries a supply."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.potentiometer import LoadedPot
from dynamis.electrics.signals.pieces import Segment, Writer, cut, pieces
from dynamis.electrics.signals.switching import held_steps
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.breakpoints import Breakpoints, Trajectory
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason

FloatArray = NDArray[np.float64]
_CUTS = 16


@dataclass(frozen=True)
class Glide:
    """A resistor and a capacitor to ground, into nothing: it lags by R·C.  Held steps exactly, ramps to 0.1 %.

    It is within a cent of an octave's jump after ln 1200 = 7.1 time constants.
    """

    ohms: float
    farads: float
    start_volts: float = 0.0

    @property
    def tau_seconds(self) -> float:
        return self.ohms * self.farads

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        if not self.tau_seconds > 0:
            raise InputError(f"A glide of {plain(self.ohms)} Ω and {plain(self.farads)} F does not glide.")
        out, now = Writer(), self.start_volts
        for one in pieces(signal):
            for part in held_steps(one, self.tau_seconds):
                out.decaying(part.start, now, part.value, self.tau_seconds)
                if math.isfinite(part.end):
                    now = part.value + (now - part.value) * math.exp(-(part.end - part.start) / self.tau_seconds)
        return out.signal()


@dataclass(frozen=True)
class Extreme:
    """The higher or the lower of two signals, as two op-amps with diodes in their loops make it."""

    which: Literal["maximum", "minimum"]
    other: Breakpoints

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        out = Writer()
        for one, two in cut(signal, self.other):
            for start, end in _where_they_cross(one, two):
                middle = (start + end) / 2.0 if math.isfinite(end) else start + 1.0
                first = (one.at(middle) >= two.at(middle)) == (self.which == "maximum")
                out.piece((one if first else two).between(start, end))
        return out.signal()


def _where_they_cross(piece: Segment, two: Segment) -> list[tuple[float, float]]:
    """Spans between two pieces' crossings, found by halving."""
    end = piece.end
    reach = end if math.isfinite(end) else piece.start + 40.0 * max(piece.tau_seconds, two.tau_seconds)
    if piece.kind is Trajectory.HELD and two.kind is Trajectory.HELD:
        return [(piece.start, end)]
    places = np.linspace(piece.start, reach, _CUTS + 1)
    apart = [piece.at(at) - two.at(at) for at in places]
    edges = [piece.start]
    for k in range(_CUTS):
        if (apart[k] > 0) != (apart[k + 1] > 0):
            low, high = float(places[k]), float(places[k + 1])
            above = apart[k] > 0
            for _ in range(60):
                middle = (low + high) / 2.0
                if (piece.at(middle) > two.at(middle)) == above:
                    low = middle
                else:
                    high = middle
            edges.append(high)
    return list(zip(edges, [*edges[1:], end], strict=True))


@dataclass(frozen=True)
class SwitchedJack:
    """A jack whose switch carries `normal_volts` while nothing is plugged in, a knob behind it.

    So the knob is an offset with nothing plugged in, and an attenuator with something in.  travel : of the knob, 0 to
    1.  load_ohms : what its wiper feeds.  jack : the port that counts as plugged in `World.plugged`.
    """

    id: str
    jack: str
    normal_volts: float
    knob_ohms: float
    travel: float
    load_ohms: float = math.inf
    normal_ohms: float = 0.0
    input: Quantity = Quantity("volts", "at the jack")
    output: Quantity = Quantity("volts", "behind the knob")
    believes: bool = False

    def __post_init__(self) -> None:
        if not 0 <= self.travel <= 1:
            raise InputError(f"The knob stands at {plain(self.travel)}; 0 to 1 was expected.")

    def parameters(self) -> tuple[Parameter, ...]:
        return ()

    def _plugged(self, world: World) -> bool:
        return world.plugged is None or self.jack in world.plugged

    def _share(self, fed_ohms: float) -> float:
        return float(LoadedPot(self.knob_ohms, 1.0, fed_ohms, self.load_ohms).volts(self.travel))

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        volts = np.asarray(x, float)
        if self._plugged(world):
            return volts * self._share(0.0)
        return np.where(np.isnan(volts), np.nan, self.normal_volts * self._share(self.normal_ohms))

    exact = forward

    def backward(self, y: ArrayLike, world: World) -> Reached:
        volts, share = np.asarray(y, float), self._share(0.0)
        if self._plugged(world) and share > 0:
            return Reached(volts / share, np.full(volts.shape, Reason.EXACT, np.int8))
        off = volts != self.forward(np.zeros(volts.shape), world)
        return Reached(np.zeros(volts.shape), np.where(off, Reason.CLAMP, Reason.EXACT).astype(np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        if self._plugged(world) and self._share(0.0) > 0:
            return np.array(-np.inf), np.array(np.inf)
        only = self.forward(np.zeros(()), world)
        return only, only
