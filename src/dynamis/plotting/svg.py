"""A picture as SVG text, for what is read without the program."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape


class Svg:
    """Shapes in the order in which they are drawn; coordinates to a tenth of a pixel."""

    def __init__(self, width: float, height: float, label: str) -> None:
        self._parts = [f'<svg viewBox="0 0 {width:.0f} {height:.0f}" role="img" aria-label="{escape(label)}">']

    def rectangle(self, left: float, top: float, width: float, height: float, fill: str) -> None:
        self._parts.append(
            f'<rect x="{left:.1f}" y="{top:.1f}" width="{width:.1f}" height="{height:.1f}" fill="{escape(fill)}"/>'
        )

    def line(self, points: Iterable[tuple[float, float]], stroke: str, width: float = 1.0) -> None:
        places = "L".join(f"{x:.1f} {y:.1f}" for x, y in points)
        self._parts.append(f'<path d="M{places}" fill="none" stroke="{escape(stroke)}" stroke-width="{width:g}"/>')

    def disc(self, x: float, y: float, radius: float, fill: str, stroke: str = "none") -> None:
        self._parts.append(
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{radius:g}" fill="{escape(fill)}" stroke="{escape(stroke)}" '
            'stroke-width="1.5"/>'
        )

    def text(self, x: float, y: float, words: str, fill: str, anchor: str = "middle", size: float = 12.0) -> None:
        """anchor : start, middle or end, at x."""
        self._parts.append(
            f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="{anchor}" font-size="{size:g}" fill="{escape(fill)}">'
            f"{escape(words)}</text>"
        )

    def whole(self) -> str:
        return "".join([*self._parts, "</svg>"])
