"""Scrolling and repainting Bench at 60 outputs and 60 inputs: `python benchmarks/repainting.py [PORTS]`.

Every pair is judged first; then the table is scrolled up, down and sideways, each step painted at once, and the
frames are timed.  Offscreen unless QT_QPA_PLATFORM says otherwise; 1280 x 800.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from judging import bench

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def main() -> None:
    from dynamis.files.store import BenchFile
    from dynamis.ui.session.preferences import Preferences
    from dynamis.ui.session.session import Session
    from dynamis.ui.start import make_app
    from dynamis.ui.window import MainWindow

    ports = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    app = make_app()
    with tempfile.TemporaryDirectory() as place:
        made = BenchFile.create(Path(place) / "sixty.dynamis", bench(ports, ports // 2))
        session = Session(made, Preferences(theme="light"), keep_preferences=False)
        window = MainWindow(app, session)
        window.resize(1280, 800)
        window.show()
        window.show_station("Bench")
        while not session.judge.work(1.0):
            pass
        for _ in range(20):
            app.processEvents()
        pairs, frames = window.station.pairs, []
        for bar in (pairs.verticalScrollBar(), pairs.horizontalScrollBar()):
            for value in [*range(bar.maximum()), *range(bar.maximum(), 0, -1)]:
                begun = time.perf_counter()
                bar.setValue(value)
                pairs.viewport().repaint()
                frames.append(1000.0 * (time.perf_counter() - begun))
        whole = []
        for _ in range(60):
            begun = time.perf_counter()
            pairs.viewport().repaint()
            whole.append(1000.0 * (time.perf_counter() - begun))
        for name, times in ((f"scrolling, {len(frames)} steps", frames), ("repainting the whole table", whole)):
            print(
                f"{name}: median {np.median(times):.1f} ms, 95th percentile {np.percentile(times, 95):.1f} ms, "
                f"worst {max(times):.1f} ms"
            )
        window.close()


if __name__ == "__main__":
    main()
