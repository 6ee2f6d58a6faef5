"""What all tests share: a home of their own, the command line in process, benches, and the window."""

from __future__ import annotations

import gc
import io
import itertools
import json
import math
import os
import time
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass

import pytest
from _pytest.runner import runtestprotocol
from hypothesis import settings

from dynamis.devices.running_time import RunningTime

# The same examples every time: a run of the tests fails for what was changed, not by the luck of the draw.
settings.register_profile("same", derandomize=True, deadline=None)
settings.load_profile("same")

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


TESTS = itertools.count()


def pytest_collection_finish():
    """Widgets that die in a thread of devices can end the process: rubbish is collected between tests, in this one."""
    gc.collect()
    gc.freeze()
    gc.disable()


def pytest_runtest_teardown():
    gc.collect(1 if next(TESTS) % 20 else 2)


@pytest.fixture(autouse=True)
def own_home(tmp_path_factory, monkeypatch):
    """Preferences, benches and logs of a test stay in its own folder."""
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("XDG_DATA_HOME", str(home / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(home / "config"))
    return home


@dataclass(frozen=True)
class Answer:
    """What a command gave."""

    status: int
    out: str
    err: str

    @property
    def json(self) -> dict:
        return json.loads(self.out)


@pytest.fixture
def dynamis():
    """Run a command in this process: `dynamis("convert", …)`."""
    from dynamis.app import main

    def run(*arguments: str) -> Answer:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            status = main([str(one) for one in arguments])
        return Answer(status, out.getvalue(), err.getvalue())

    return run


@pytest.fixture
def demo_file(tmp_path):
    """The demo bench, open."""
    from dynamis.demo.lantern import write_demo
    from dynamis.files.store import BenchFile

    path = tmp_path / "lantern.dynamis"
    write_demo(path)
    with BenchFile.open(path) as opened:
        yield opened


@pytest.fixture
def empty_file(tmp_path):
    """A bench with nothing on it."""
    from dynamis.bench.document.bench import Bench
    from dynamis.files.store import BenchFile

    with BenchFile.create(tmp_path / "empty.dynamis", Bench("Test bench")) as made:
        yield made


@pytest.fixture
def lantern():
    """The Lantern House's meter and board at their ports."""
    from dynamis.demo.standins import LanternStandins

    made = LanternStandins()
    yield made
    made.close()


@pytest.fixture
def make_window(qapp):
    """Open the window on a bench file: `make_window(bench_file)`; it is closed at the end."""
    from PySide6.QtCore import QCoreApplication, QEvent

    from dynamis.ui.session.preferences import Preferences
    from dynamis.ui.session.session import Session
    from dynamis.ui.start import make_app
    from dynamis.ui.window import MainWindow

    made = []

    def make(bench_file, **preferences) -> MainWindow:
        session = Session(bench_file, Preferences(**{"theme": "light", **preferences}))
        window = MainWindow(make_app(), session)
        window.resize(1280, 800)
        window.show()
        window.activateWindow()
        qapp.processEvents()
        made.append(window)
        return window

    yield make
    for window in made:
        window.close()
        window.deleteLater()
    # Without this they stay, and every new style sheet is laid over all of them.
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    qapp.processEvents()


# What a run of a test may lose to a computer that is held up, before its failing says nothing.
HELD_UP_SECONDS, TRIES = 0.5, 3
RAN = RunningTime(idle_seconds=math.inf)


def pytest_runtest_protocol(item, nextitem):
    """A test that fails while the computer was held up is run again, twice at most; the end says how many were."""
    item.ihook.pytest_runtest_logstart(nodeid=item.nodeid, location=item.location)
    for again in range(TRIES):
        begun, ran = time.monotonic(), RAN()
        reports = runtestprotocol(item, nextitem=nextitem, log=False)
        lost = time.monotonic() - begun - (RAN() - ran)
        if lost < HELD_UP_SECONDS or again == TRIES - 1 or not any(one.failed for one in reports):
            break
        item._initrequest()
    for report in reports:
        if again and report.when == "call":
            report.user_properties.append(("again", again))
        item.ihook.pytest_runtest_logreport(report=report)
    item.ihook.pytest_runtest_logfinish(nodeid=item.nodeid, location=item.location)
    return True


def pytest_terminal_summary(terminalreporter):
    again = [
        one.nodeid
        for kind in ("passed", "failed")
        for one in terminalreporter.stats.get(kind, [])
        if dict(getattr(one, "user_properties", ())).get("again")
    ]
    if again:
        terminalreporter.write_line(f"The computer was held up; run again: {', '.join(again)}")


def pytest_collection_modifyitems(items):
    """What answers in real time is one group and takes the longest of all: it begins first."""
    items.sort(key=lambda item: item.get_closest_marker("xdist_group") is None)
