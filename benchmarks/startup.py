"""Process start to first painted window, beside a bare window, in one interleaved run.

    .venv/bin/python benchmarks/startup.py [rounds]

Prints medians and their ratio; the aim is 3.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

PAINTED = """
from PySide6.QtCore import QEvent, QObject, QTimer
class FirstPaint(QObject):
    def eventFilter(self, watched, event):
        if event.type() == QEvent.Type.Paint:
            import time
            QTimer.singleShot(0, lambda: (print(time.time(), flush=True), app.exit(0)))
            app.removeEventFilter(self)
        return False
first = FirstPaint()
"""

BARE = (
    """
from PySide6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
"""
    + PAINTED
    + """
app.installEventFilter(first)
window.show()
app.exec()
"""
)

DYNAMIS = (
    """
import gc
gc.disable()  # as dynamis.app does until the first paint
import os
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # this too
import sys
from dynamis.files.store import BenchFile
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.session.session import Session
from dynamis.ui.start import make_app
from dynamis.ui.window import MainWindow
from pathlib import Path
app = make_app()
window = MainWindow(app, Session(BenchFile.open(Path(sys.argv[1])), Preferences(), keep_preferences=False))
"""
    + PAINTED
    + """
app.installEventFilter(first)
window.show()
app.exec()
"""
)


def seconds(script: str, *arguments: str) -> float:
    """One start, from before the process is made to its first paint."""
    environment = {"QT_QPA_PLATFORM": "offscreen", **os.environ}
    # An installed program has its byte code; a shell that forbids writing it would have it compiled every time.
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    begun = time.time()
    command = [sys.executable, "-c", script, *arguments]
    done = subprocess.run(command, capture_output=True, text=True, check=True, timeout=60, env=environment)
    return float(done.stdout.split()[-1]) - begun


def main() -> None:
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 12
    from dynamis.demo.lantern import write_demo

    with tempfile.TemporaryDirectory() as folder:
        bench = Path(folder) / "demo.dynamis"
        write_demo(bench)
        seconds(BARE), seconds(DYNAMIS, str(bench))  # warm: files in memory, byte code written
        bare, ours = [], []
        for _ in range(rounds):
            bare.append(seconds(BARE))
            ours.append(seconds(DYNAMIS, str(bench)))
    a, b = statistics.median(bare), statistics.median(ours)
    print(f"bare window            {a * 1e3:6.0f} ms")
    print(f"demo bench on Measure  {b * 1e3:6.0f} ms")
    print(f"ratio                  {b / a:6.2f}   (aim: 3; median of {rounds} interleaved starts)")


if __name__ == "__main__":
    main()
