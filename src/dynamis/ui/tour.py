"""The demo's job without a display: the window does it offscreen and leaves pictures and a report."""

from __future__ import annotations

import contextlib
import os
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final, cast

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtWidgets import QApplication

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.commands import add_unit
from dynamis.bench.document.ports import PortRef
from dynamis.bench.runs.beginning import new_run
from dynamis.demo.gear import LAPTOP_PITCH
from dynamis.demo.hidden import BOARD_LAW, INTERFACE_VOLTS
from dynamis.demo.lantern import write_demo
from dynamis.devices.running_time import running_seconds
from dynamis.devices.taking import Settling
from dynamis.errors import InputError
from dynamis.files.contents import everything
from dynamis.files.reports.making import whole_report, written_as
from dynamis.files.store import BenchFile
from dynamis.files.stored import now
from dynamis.files.writing import write_whole
from dynamis.notation.style import plain
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.session.session import Session
from dynamis.ui.start import make_app
from dynamis.ui.views.bench.station import BenchStation
from dynamis.ui.views.circuit.station import CircuitStation
from dynamis.ui.views.devices.station import DevicesStation
from dynamis.ui.views.play.station import PlayStation
from dynamis.ui.widgets.picture import png_bytes
from dynamis.ui.window import MainWindow

_NOTES: Final = tuple(float(note) for note in range(36, 97, 4))
_SETTLING: Final = Settling(0.03, 0.02, 0.03, 12)
_MOST_SECONDS: Final = 120.0


def tour(folder: Path, notes: tuple[float, ...] = _NOTES) -> list[Path]:
    """Open the demo, look at its runs and its codes, correct and prove a channel, and write what is seen.

    notes : of the run as found of the channel to prove.  Returns the files written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"{folder}: the folder cannot be made: {error.strerror or error}.") from error
    app = make_app()
    written: list[Path] = []
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "lantern-house.dynamis"
        write_demo(path)
        session = Session(BenchFile.open(path), Preferences(theme="light"), keep_preferences=False)
        window = MainWindow(app, session)
        window.resize(1280, 800)
        window.show()

        def picture(name: str) -> None:
            for _ in range(4):
                app.processEvents()
            written.append(folder / f"{name}.png")
            write_whole(written[-1], png_bytes(window))

        picture("measure")
        session.settings.change(replace(session.settings.preferences, theme="dark"))
        picture("measure-dark")
        session.settings.change(replace(session.settings.preferences, theme="light"))
        session.selection.look_at(session.runs.all[2].id)
        picture("measure-cannot-tell")
        session.selection.look_at(session.runs.all[0].id)
        window.show_station("Bench")
        while not session.judge.work(1.0):
            app.processEvents()
        session.selection.look_at_pair(PortRef("workshop-board", "modulation"), PortRef("carousel-board", "tremolo"))
        picture("bench")
        bench = cast(BenchStation, window.station)
        bench.show_tab(2)
        bench.gear.look_at(PortRef("wardrobe-envelope", "gate"))
        picture("bench-gear")
        session.selection.look_at_pair(PortRef("bridge-clock", "clock"), PortRef("wardrobe-envelope", "gate"))
        window.show_station("Levels")
        picture("levels")
        session.selection.look_at_pair(PortRef("workshop-board", "pitch-a"), PortRef("gallery-voice", "pitch-1"))
        window.show_station("Chain")
        picture("chain")
        session.selection.look_at_pair(PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone"))
        window.show_station("Circuit")
        circuit = cast(CircuitStation, window.station)
        _answered(window.app, circuit)
        picture("circuit")
        session.selection.look_at_pair(PortRef("workshop-board", "gate"), PortRef("pit-voice", "trigger"))
        circuit.gates.look_at("comparator and MOSFET to ground")
        picture("circuit-gate")
        session.selection.look_at_pair(PortRef("foyer-keyboard", "pitch"), PortRef("pit-voice", "pitch"))
        picture("circuit-converter")
        session.selection.look_at_pair(PortRef("curtain-sequencer", "row-C"), PortRef("balcony-voice", "pitch"))
        picture("circuit-memory")
        session.selection.look_at_pair(PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone"))
        window.show_station("Codes")
        picture("codes")
        window.show_station("Play")
        _played(window.app, cast(PlayStation, window.station))
        picture("play")
        with _data_in(Path(place)):
            _prove(window, notes, picture)
        window.show_station("Log")
        picture("log")
        written.append(folder / "report.html")
        made = whole_report(everything(session.document.file), session.style)
        write_whole(written[-1], written_as(made, written[-1]))
        window.show_station("Measure")
        session.open(BenchFile.create(Path(place) / "untitled.dynamis", Bench()))
        picture("empty-bench")
        window.close()
        window.deleteLater()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    return written


def _played(app: QApplication, station: PlayStation) -> None:
    """The lowest of the held keys sounds, and the trigger fires for others too: look at the first of them."""
    station.settings.converter.choose_priority("low")
    while station.played is None or station.played.setting.rules.priority != "low":
        app.processEvents()
    station.side.look_on()


def _answered(app: QApplication, station: CircuitStation) -> None:
    """Until the proposals and the spread of the chosen one have come."""
    end = running_seconds() + _MOST_SECONDS
    while station.chosen is None or station.side.histogram.shown is None:
        app.processEvents()
        time.sleep(0.002)
        if running_seconds() > end:
            raise InputError(f"The circuit was not worked out: {station.refusal.text()}")


@contextlib.contextmanager
def _data_in(folder: Path) -> Iterator[None]:
    """What simulated boards remember is kept there meanwhile, and not with what this user has proved."""
    before = os.environ.get("XDG_DATA_HOME")
    os.environ["XDG_DATA_HOME"] = str(folder)
    try:
        yield
    finally:
        if before is None:
            del os.environ["XDG_DATA_HOME"]
        else:
            os.environ["XDG_DATA_HOME"] = before


def _prove(window: MainWindow, notes: tuple[float, ...], picture: Callable[[str], None]) -> None:
    """Start the simulated bench, and take pitch B from readings as found to its proof by itself."""
    session, devices, course = window.session, window.devices, window.course
    begun = False

    def until(done: Callable[[], bool]) -> None:
        end = running_seconds() + _MOST_SECONDS
        while not done():
            window.app.processEvents()
            time.sleep(0.002)
            halted = devices.paused or (begun and not course.by_itself)
            if (halted and not done()) or running_seconds() > end:
                raise InputError(f"The course has not come to its end: {window.sentence.text()}")

    window.show_station("Devices")
    page = cast(DevicesStation, window.stations["Devices"])
    page.simulated.start.click()
    until(lambda: devices.ready and not devices.trouble["board"])
    page.bench.do("probe", "B")
    until(lambda: page.bench.state.get("probe") == "B")
    run = replace(
        session.runs.all[0], id=session.runs.fresh_id("03 pitch B"), port="pitch-b", plan=notes, created=now()
    )
    session.runs.begin(course.with_devices(run))
    window.show_station("Measure")
    course.settling, course.by_itself = _SETTLING, True
    begun = True
    course.do_next()
    until(lambda: course.stands_at("proof") and devices.progress is not None and devices.progress.done > len(notes))
    picture("measure-by-itself")
    until(lambda: course.stands_at(None) and not devices.busy)
    begun = False
    picture("measure-proven")
    window.show_station("Devices")
    picture("devices")
    begun = _begin_loop(window, page, until, notes)
    until(lambda: course.stands_at(None) and not devices.busy)
    begun = False
    session.selection.overlay(next(one.id for one in session.runs.all if one.channel == LAPTOP_PITCH))
    picture("loop")
    for kind in ("board", "meter", "outputs", "sound"):
        devices.disconnect_from(kind)
    until(lambda: not any(devices.connected(kind) for kind in ("board", "meter", "outputs", "sound")))
    page.bench.stop()
    window.say("", False)


def _begin_loop(
    window: MainWindow,
    page: DevicesStation,
    until: Callable[[Callable[[], bool]], None],
    notes: tuple[float, ...],
) -> bool:
    """The loop without any meter: the laptop plays volts by its outputs, hears the voice, and corrects itself.

    Gives True: it is begun.
    """
    session, devices, course = window.session, window.devices, window.course
    page.bench.do("voice hears", "interface")
    until(lambda: page.bench.state.get("hears") == "interface")
    page.outputs.full_scale.setText(plain(INTERFACE_VOLTS))
    for panel in (page.outputs, page.sound):
        panel.connect_button.click()
    until(lambda: devices.connected("outputs") and devices.connected("sound"))
    page.outputs.quiet.setChecked(True)
    until(page.outputs.set_button.isEnabled)
    if not session.bench.gear_by(LAPTOP_PITCH.gear).units:
        session.document.apply(add_unit(session.bench, LAPTOP_PITCH.gear, "01"))
    few = notes[len(notes) // 3 : len(notes) // 3 + 3]
    run = new_run(
        session.bench,
        None,
        run_id=session.runs.fresh_id("laptop"),
        title="As found",
        created=now(),
        channel=LAPTOP_PITCH,
        serial="01",
        law=parse_law(BOARD_LAW),
        tolerance=parse_tolerance("2"),
        plan=few,
        quantity="hertz",
        meter=next(one for one in session.bench.meters if one.kind == "sound"),
        where="oscillator",
        plugged=(),
        celsius=None,
        warm_minutes=None,
        player="outputs",
        reader="sound",
    )
    session.runs.begin(course.with_devices(run))
    window.show_station("Measure")
    course.settling, course.by_itself = Settling(), True
    course.take_the_rest()
    return True


if __name__ == "__main__":
    try:
        for made in tour(Path(sys.argv[1] if len(sys.argv) > 1 else "demo-output")):
            print(f"  {made}")
    except InputError as error:
        sys.exit(f"dynamis: {error}")
