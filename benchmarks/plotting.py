"""A million points, panned and zoomed: the time of a frame, painted whole.

    QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/plotting.py [points]

Prints the median and the 95th percentile in milliseconds; the aim is 16 ms at the 95th.
"""

from __future__ import annotations

import sys
import time

import numpy as np
from PySide6.QtGui import QPixmap

from dynamis.notation.style import Style
from dynamis.ui.start import make_app
from dynamis.ui.theme.palette import LIGHT
from dynamis.ui.widgets.note_plot import NotePlot


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    make_app()
    plot = NotePlot("many", LIGHT, Style(), 10.0)
    plot.resize(1200, 600)
    random = np.random.default_rng(1)
    notes, cents = np.linspace(0.0, 127.0, count), np.cumsum(random.normal(size=count)) / np.sqrt(count)
    plot.begin()
    plot.curve(notes, cents, LIGHT.ink)
    plot.finish(0.0, 127.0, cents, 60.0)
    canvas, took = QPixmap(plot.size()), []
    for k in range(300):
        across, up = plot._across, plot._up
        factor = 0.97 if k % 100 < 50 else 1.0 / 0.97
        plot.look(across.zoomed(factor).panned(0.002 * across.span), up)
        begun = time.perf_counter()
        plot.render(canvas)
        took.append(1e3 * (time.perf_counter() - begun))
    middle, high = np.percentile(took, [50, 95])
    print(f"{count} points: median {middle:.1f} ms, 95th percentile {high:.1f} ms a frame (aim: 16 ms)")


if __name__ == "__main__":
    main()
