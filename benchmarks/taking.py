"""The event loop while a run is taken by itself: `python benchmarks/taking.py [NOTES]`.

The window, offscreen at 1280 × 800, takes a run of 61 notes from the simulated bench, which runs beside it as
devices do.  A timer that is due every millisecond notes how long the loop was away each time, and how much
of that the thread itself was at work.  On a machine that others share, the rest is the machine's: the same
timer on an empty loop, before and after, shows how much.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def main() -> None:
    with tempfile.TemporaryDirectory() as home:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = home
        _measure(int(sys.argv[1]) if len(sys.argv) > 1 else 61)


def _measure(count: int) -> None:
    import msgspec
    import numpy as np
    from PySide6.QtCore import QEventLoop, QTimer

    from dynamis.ui.benches import fresh_demo
    from dynamis.ui.session.preferences import Preferences
    from dynamis.ui.session.session import Session
    from dynamis.ui.start import make_app, warm
    from dynamis.ui.window import MainWindow

    app = make_app()
    session = Session(fresh_demo(), Preferences(theme="light"), keep_preferences=False)
    window = MainWindow(app, session)
    window.show()
    warm()

    def until(done, seconds: float = 120.0) -> None:
        end = time.monotonic() + seconds
        while not done() and time.monotonic() < end:
            app.processEvents()
            time.sleep(0.001)

    window.show_station("Devices")
    window.stations["Devices"].simulated.start.click()
    until(lambda: window.devices.ready)
    window.show_station("Measure")
    plan = tuple(np.linspace(36, 96, count).round(2).tolist())
    run = msgspec.structs.replace(session.runs.all[0], id="by-itself", title="By itself", plan=plan)
    session.runs.begin(run)
    until(lambda: False, 1.0)

    class Watch:
        """Notes the gaps of the event loop: wall clock, and the thread's own time in it."""

        def __init__(self) -> None:
            self.wall: list[float] = []
            self.own: list[float] = []
            self._last = time.perf_counter(), time.thread_time()
            self._timer = QTimer()
            self._timer.timeout.connect(self._due)
            self._timer.start(1)

        def _due(self) -> None:
            now = time.perf_counter(), time.thread_time()
            self.wall.append(1000 * (now[0] - self._last[0]))
            self.own.append(1000 * (now[1] - self._last[1]))
            self._last = now

        def told(self, what: str) -> str:
            self._timer.stop()
            wall, own = np.array(self.wall), np.array(self.own)
            longest = ", ".join(f"{wall[k]:.0f} ({own[k]:.0f})" for k in np.argsort(wall)[::-1][:6])
            return (
                f"{what}: {int(np.sum(wall > 50))} gaps over 50 ms, {int(np.sum(own > 50))} of them at work; the "
                f"longest, ms (at work): {longest}"
            )

    def empty(what: str) -> str:
        watch = Watch()
        loop = QEventLoop()
        QTimer.singleShot(8000, loop.quit)
        loop.exec()
        return watch.told(what)

    said = [empty("nothing happening, before")]
    loop = QEventLoop()
    window.devices.ended.connect(loop.quit)
    start = time.perf_counter()
    watch = Watch()
    window.course.take_the_rest()
    loop.exec()
    said.append(watch.told(f"{count} readings in {time.perf_counter() - start:.1f} s"))
    said.append(empty("nothing happening, after"))
    print("\n".join(said))
    window.close()


if __name__ == "__main__":
    main()
