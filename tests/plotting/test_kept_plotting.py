"""What the plotting room gives, kept; see `tests/keeping.py`."""

from __future__ import annotations

import numpy as np
from tests.keeping import hold

from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.plotting.drawing import Drawing
from dynamis.plotting.series import marker_size, thinned
from dynamis.plotting.svg import svg_text
from dynamis.plotting.ticks import note_ticks, number_ticks, round_steps


def test_axes_ticks_series_and_drawings_give_what_they_gave():
    axes = [Axis(0.0, 10.0, 50.0, 250.0), Axis(-3.0, 7.0, 300.0, 20.0)]
    placed = [
        [
            one.span,
            one.pixels,
            [one.at(v) for v in (-4.0, 0.0, 3.3, 12.0)],
            [one.value(p) for p in (0.0, 100.0, 310.0)],
            one.panned(1.5),
            one.zoomed(0.5, 2.0),
            one.zoomed(2.0, -1.0),
            one.placed(10.0, 90.0),
        ]
        for one in axes
    ]
    bare = Axis(2.0, 6.0)
    placed.append([bare.pixels, bare.at(3.0), bare.value(0.25), bare.zoomed(0.5), bare.zoomed(3.0)])
    spans = ((0.0, 1.0), (-20.0, 10.0), (36.0, 96.0), (1e-4, 3e-4), (5.0, 5.0), (0.0, 1234.0), (-0.3, 0.45))
    ticks = [
        [number_ticks(low, high, most, Style(), sign=sign) for most in (0, 1, 3, 8) for sign in (False, True)]
        for low, high in spans
    ]
    notes = [
        [note_ticks(low, high, pixels, Style(middle_c=3)) for pixels in (50.0, 300.0, 1200.0)] for low, high in spans
    ]
    steps = [list(zip(range(6), round_steps(span), strict=False)) for span in (0.003, 1.0, 7.0, 950.0)]
    x = np.linspace(0.0, 10.0, 5001)
    y = np.where(np.arange(5001) % 700 == 0, np.nan, np.sin(x * 9.0) + 0.1 * np.cos(x * 700.0))
    thin = [
        thinned(x, y, low, high, pixels)
        for low, high in ((0.0, 10.0), (3.0, 3.05), (-5.0, 2.0), (11.0, 12.0))
        for pixels in (0, 1, 40, 300)
    ]
    sizes = [marker_size(np.arange(0.0, 200.0, apart), 7.0) for apart in (0.5, 2.0, 5.0, 9.0, 20.0, 150.0)]
    svg = Drawing(200, 80, "a & b")
    svg.rectangle(1, 2, 30, 40, "#abc")
    svg.line([(0.0, 0.0), (12.345, 7.0), (float("nan"), 1.0), (20.0, 3.0)], "#123456", 1.5)
    svg.disc(5.5, 6.25, 2.0, "#000")
    svg.text(1.0, 2.0, "a < b & c", "#111", "middle")
    hold("plotting", [placed, ticks, notes, steps, thin, sizes, svg_text(svg)])
