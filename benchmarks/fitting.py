"""How long a fit takes, and how long the window takes from a reading's Enter to all it shows.

    .venv/bin/python benchmarks/fitting.py

Aims: three methods over 128 readings within 5 ms; a reading within 50 ms, at 2000 readings within 100 ms.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np

from dynamis.calibration.fit import Readings, fit_all
from dynamis.calibration.meter import MeterRange
from dynamis.pitch import ExponentialLaw, parse_tolerance
from dynamis.pitch.model import PitchModel


def milliseconds(work, times: int = 20) -> tuple[float, float]:
    """Median and worst of some runs, after one that does not count."""
    work()
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        work()
        took.append((time.perf_counter() - begun) * 1e3)
    return statistics.median(took), max(took)


def fits() -> None:
    model, meter, tolerance = PitchModel(ExponentialLaw()), MeterRange(0.05, 3, 0.001), parse_tolerance("5")
    generator = np.random.default_rng(1)
    for count in (128, 2000):
        notes = np.sort(generator.integers(0, 128, count)).astype(float) if count > 128 else np.arange(0.0, 128.0)
        volts = model.expected(notes) * 1.002 + generator.normal(0, 1e-3, count)
        readings = Readings.of(notes, volts)
        middle, worst = milliseconds(lambda readings=readings: fit_all(readings, model, tolerance, meter))
        print(f"three fits of {count:4d} readings with uncertainties  {middle:6.1f} ms, worst {worst:.1f}")


def entering() -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import Qt
    from PySide6.QtTest import QTest

    from dynamis.demo.lantern import write_demo
    from dynamis.files.store import BenchFile
    from dynamis.ui.session.preferences import Preferences
    from dynamis.ui.session.session import Session
    from dynamis.ui.start import make_app
    from dynamis.ui.window import MainWindow

    app = make_app()
    for count in (21, 2000):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "demo.dynamis"
            write_demo(path)
            session = Session(BenchFile.open(path), Preferences(), keep_preferences=False)
            if count > 21:
                generator = np.random.default_rng(2)
                notes = generator.integers(36, 97, count - 21).astype(float)
                volts = (0.2 + (notes - 36) / 12) * 0.9963 + 0.001 + generator.normal(0, 3e-4, notes.size)
                session.runs.take_all([(float(n), float(v), 0.0) for n, v in zip(notes, volts, strict=True)])
            window = MainWindow(app, session)
            window.show()
            app.processEvents()
            entry = window.station.entry.entry

            took = []
            for _ in range(16):
                session.selection.set_note(60.0)
                entry.setText("2.1934")
                app.processEvents()
                begun = time.perf_counter()
                QTest.keyClick(entry, Qt.Key.Key_Return)
                app.processEvents()
                took.append((time.perf_counter() - begun) * 1e3)
            middle, worst = statistics.median(took[1:]), max(took[1:])
            print(f"a reading entered with {count:4d} taken, all repainted  {middle:6.1f} ms, worst {worst:.1f}")
            window.close()


if __name__ == "__main__":
    fits()
    entering()
