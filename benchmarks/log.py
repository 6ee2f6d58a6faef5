"""A log of many runs: opening the page, searching, and the drift plot.

    QT_QPA_PLATFORM=offscreen .venv/bin/python benchmarks/log.py [runs]

Runs of 61 readings over eight units.  Prints milliseconds, the median of nine; the aim is 100 ms each.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from dynamis.demo.lantern import write_demo
from dynamis.files.store import BenchFile
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.session.session import Session
from dynamis.ui.start import make_app
from dynamis.ui.window import MainWindow

_NOTES = tuple(float(note) for note in range(36, 97))


def fill(file: BenchFile, count: int) -> None:
    """Runs of the demo's first output, a day apart, that drift."""
    random, base = np.random.default_rng(1), next(run for run in file.runs() if run.title == "As found")
    for k in range(count):
        created = (datetime(2024, 1, 1, 9) + timedelta(days=k)).isoformat()
        unit, run_id = f"{1 + k % 8:02d}", f"day-{k}"
        file.add_run(replace(base, id=run_id, uid="", title=f"day {k}", serial=unit, created=created, plan=_NOTES))
        volts = (np.array(_NOTES) - 36.0) / 12.0 * (1.0 + 1e-6 * k) + random.normal(0.0, 2e-4, len(_NOTES))
        file.add_readings(run_id, [(note, float(v), None, 0.0) for note, v in zip(_NOTES, volts, strict=True)])


def median(work: Callable[[], object], settle: Callable[[], object]) -> float:
    took = []
    for _ in range(9):
        begun = time.perf_counter()
        work()
        settle()
        took.append(1e3 * (time.perf_counter() - begun))
    return float(np.median(took))


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "log.dynamis"
        write_demo(path)
        with BenchFile.open(path) as file:
            fill(file, count)
        app = make_app()
        window = MainWindow(app, Session(BenchFile.open(path), Preferences(theme="light"), keep_preferences=False))
        window.resize(1280, 800)
        window.show()
        window.show_station("Log")
        window.session.runs.came()
        log, words = window.station, iter(["day 9", "03", "bench meter", "day 99", "", "2025-0", "x", "day", "1"])
        app.processEvents()
        opened = median(log.refresh, app.processEvents)
        searched = median(lambda: log.search.setText(next(words)), app.processEvents)
        log.search.setText("")
        plotted = median(log._show_drift, lambda: (log.shown_picture().repaint(), app.processEvents()))
        print(
            f"{count} runs: open {opened:.0f} ms, search {searched:.0f} ms, drift plot {plotted:.0f} ms (aim: 100 ms)"
        )
        window.close()


if __name__ == "__main__":
    main()
