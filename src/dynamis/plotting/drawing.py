"""A picture as shapes, in the order in which they are drawn; what writes it as SVG or into a page is elsewhere."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

Anchor = Literal["start", "middle", "end"]


@dataclass(frozen=True)
class Rectangle:
    left: float
    top: float
    width: float
    height: float
    fill: str


@dataclass(frozen=True)
class Line:
    points: tuple[tuple[float, float], ...]
    stroke: str
    width: float = 1.0


@dataclass(frozen=True)
class Disc:
    """stroke : of its edge, "" for none."""

    x: float
    y: float
    radius: float
    fill: str
    stroke: str = ""


@dataclass(frozen=True)
class Words:
    """anchor : where in the words x lies; y is their base line."""

    x: float
    y: float
    words: str
    fill: str
    anchor: Anchor = "middle"
    size: float = 12.0


Shape = Rectangle | Line | Disc | Words


@dataclass
class Drawing:
    """In pixels, y growing downwards.  label : what it shows, for those who cannot see it."""

    width: float
    height: float
    label: str
    shapes: list[Shape] = field(default_factory=list)

    def rectangle(self, left: float, top: float, width: float, height: float, fill: str) -> None:
        self.shapes.append(Rectangle(left, top, width, height, fill))

    def line(self, points: Iterable[tuple[float, float]], stroke: str, width: float = 1.0) -> None:
        self.shapes.append(Line(tuple(points), stroke, width))

    def disc(self, x: float, y: float, radius: float, fill: str, stroke: str = "") -> None:
        self.shapes.append(Disc(x, y, radius, fill, stroke))

    def text(self, x: float, y: float, words: str, fill: str, anchor: Anchor = "middle", size: float = 12.0) -> None:
        self.shapes.append(Words(x, y, words, fill, anchor, size))
