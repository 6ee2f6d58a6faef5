"""Dragging a note through the chain, and how long a circuit's synthesis takes.

Run by hand: QT_QPA_PLATFORM=offscreen python benchmarks/chain.py
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.ports import PortRef
from dynamis.demo.lantern import write_demo
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.variation import Counting
from dynamis.electrics.design.proposal import propose
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.exponential.choose import choose
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.files.store import BenchFile
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.session.session import Session
from dynamis.ui.start import make_app
from dynamis.ui.window import MainWindow

DRAGS = 4


def drag(window, app) -> list[float]:
    """Milliseconds of each frame while a note is dragged up and down on the volts of the jack."""
    picture, spent = window.station.picture, []
    x = int(picture.x_of(2))
    places = [int(picture._y(note)) for note in range(36, 97)]
    QTest.mousePress(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(x, places[0]))
    for y in (places + places[::-1]) * DRAGS:
        start = time.perf_counter()
        QTest.mouseMove(picture, QPoint(x, y))
        app.processEvents()
        spent.append(1e3 * (time.perf_counter() - start))
    QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(x, places[0]))
    return spent


def told(name: str, spent: list[float]) -> None:
    spent = sorted(spent)
    print(
        f"{name}: median {spent[len(spent) // 2]:.1f} ms, 95 % {spent[int(0.95 * len(spent))]:.1f} ms, "
        f"longest {spent[-1]:.1f} ms of {len(spent)}"
    )


def main() -> None:
    app = make_app()
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "demo.dynamis"
        write_demo(path)
        session = Session(BenchFile.open(path), Preferences(theme="light"), keep_preferences=False)
        window = MainWindow(app, session)
        window.resize(1280, 800)
        window.show()
        window.show_station("Chain")
        while not session.judge.work(1.0):
            app.processEvents()
        for _ in range(20):
            app.processEvents()
        told("dragging, frames of a chain of five scales", drag(window, app))
        session.selection.look_at_pair(PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone"))
        fit = session.judge.fit()
        session.document.apply(
            next(one for one in remedies_for(session.bench, fit) if one.circuit).command(session.bench)
        )
        while not session.judge.work(1.0):
            app.processEvents()
        for _ in range(20):
            app.processEvents()
        told("dragging, with a circuit between", drag(window, app))
        window.close()
    spent = []
    for gain, offset, supply in (
        (0.37, 1.676, Supply()),
        (2.0, -5.0, Supply()),
        (0.5, 2.5, Supply()),
        (-1.0, 5.0, Supply()),
        (1.2, 0.0, Supply()),
        (0.33, 1.65, Supply(0, 5)),
        (0.45, 1.1, Supply(-15, 15)),
    ):
        for series in ("E12", "E24", "E96"):
            requirement = Requirement(gain, offset, supply=supply, series=series, op_amp=OP_AMPS["jfet"])
            start = time.perf_counter()
            propose(requirement, Counting())
            spent.append(1e3 * (time.perf_counter() - start))
    told("synthesis, all topologies with trimmers", spent)
    spent = []
    for k in range(24):
        asked = LawRequirement(0.1 * k - 1.0, 0.1 * k + 4.0, 0.25, 8.0, series=("E12", "E24", "E96")[k % 3])
        start = time.perf_counter()
        choose(asked)
        spent.append(1e3 * (time.perf_counter() - start))
    told("a converter of the law, its parts and trimmers", spent)


if __name__ == "__main__":
    main()
