"""A picture as SVG text, for what is read without the program."""

from __future__ import annotations

from html import escape

from dynamis.plotting.drawing import Disc, Drawing, Line, Rectangle, Shape


def svg_text(drawing: Drawing) -> str:
    """The text; coordinates to a tenth of a pixel."""
    head = (
        f'<svg viewBox="0 0 {drawing.width:.0f} {drawing.height:.0f}" role="img" aria-label="{escape(drawing.label)}">'
    )
    return "".join([head, *(_shape(one) for one in drawing.shapes), "</svg>"])


def _shape(one: Shape) -> str:
    if isinstance(one, Rectangle):
        place = f'x="{one.left:.1f}" y="{one.top:.1f}" width="{one.width:.1f}" height="{one.height:.1f}"'
        return f'<rect {place} fill="{escape(one.fill)}"/>'
    if isinstance(one, Line):
        places = "L".join(f"{x:.1f} {y:.1f}" for x, y in one.points)
        return f'<path d="M{places}" fill="none" stroke="{escape(one.stroke)}" stroke-width="{one.width:g}"/>'
    if isinstance(one, Disc):
        return (
            f'<circle cx="{one.x:.1f}" cy="{one.y:.1f}" r="{one.radius:g}" fill="{escape(one.fill)}" '
            f'stroke="{escape(one.stroke or "none")}" stroke-width="1.5"/>'
        )
    return (
        f'<text x="{one.x:.1f}" y="{one.y:.1f}" text-anchor="{one.anchor}" font-size="{one.size:g}" '
        f'fill="{escape(one.fill)}">{escape(one.words)}</text>'
    )
