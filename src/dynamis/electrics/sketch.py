"""Drawings of circuits: symbols, wires, dots and words on a grid; what paints them is elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

SymbolKind = Literal[
    "resistor",
    "trimmer",
    "capacitor",
    "op-amp",
    "buffer",
    "npn",
    "mosfet",
    "switch",
    "ground",
    "rail",
    "diode",
    "terminal",
]
Point = tuple[float, float]


@dataclass(frozen=True)
class Symbol:
    """at, to : its ends; of a diode the anode and the cathode, of a transistor its base or gate and its collector or
    drain.  An op-amp or a logic buffer has its middle and its tip.  words : name and value beside it, at its left
    where `left`.  turned : of an op-amp, the + input above."""

    kind: SymbolKind
    at: Point
    to: Point
    words: tuple[str, ...] = ()
    slot: str = ""
    left: bool = False
    turned: bool = False


@dataclass(frozen=True)
class Schematic:
    """On a grid of squares; y grows downwards."""

    symbols: tuple[Symbol, ...]
    wires: tuple[tuple[Point, ...], ...]
    dots: tuple[Point, ...]
    notes: tuple[str, ...]
    width: float
    height: float


@dataclass
class Pen:
    """What is drawn so far."""

    symbols: list[Symbol] = field(default_factory=list)
    wires: list[tuple[Point, ...]] = field(default_factory=list)
    dots: list[Point] = field(default_factory=list)

    def wire(self, *points: Point) -> None:
        self.wires.append(points)

    def part(
        self,
        kind: SymbolKind,
        at: Point,
        to: Point,
        words: tuple[str, ...],
        slot: str = "",
        *,
        left: bool = False,
        turned: bool = False,
    ) -> None:
        self.symbols.append(Symbol(kind, at, to, words, slot, left, turned))

    def ground(self, at: Point) -> None:
        self.symbols.append(Symbol("ground", at, at))

    def rail(self, at: Point, words: str) -> None:
        self.symbols.append(Symbol("rail", at, at, (words,)))

    def sender(self, at: Point, to: Point, words: tuple[str, ...]) -> None:
        """The terminal at the left, with its lead."""
        self.symbols.append(Symbol("terminal", at, to, words))

    def receiver(self, at: Point, words: tuple[str, ...]) -> None:
        self.symbols.append(Symbol("terminal", at, at, words))

    def finished(self, notes: Sequence[str], left: float, right: float) -> Schematic:
        """All of it on a sheet; left, right : room beside the terminals for their words, squares."""
        points = [point for one in self.symbols for point in (one.at, one.to)]
        points += [point for wire in self.wires for point in wire]
        ys, xs = [y for _, y in points], [x for x, _ in points]
        by = left - min(xs), _ABOVE - min(ys)

        def at(point: Point) -> Point:
            return point[0] + by[0], point[1] + by[1]

        symbols = tuple(replace(one, at=at(one.at), to=at(one.to)) for one in self.symbols)
        wires = tuple(tuple(at(point) for point in wire) for wire in self.wires)
        dots = tuple(at(point) for point in self.dots)
        return Schematic(symbols, wires, dots, tuple(notes), max(xs) + by[0] + right, max(ys) + by[1] + _BELOW)


# Room for the words over the highest part and under the lowest, squares.
_ABOVE, _BELOW = 3.4, 2.0
