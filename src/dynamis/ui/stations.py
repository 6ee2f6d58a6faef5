"""The stations of the window: what each of them is for the window, and which there are.

A new station is a subclass of `Station` and a line of the table.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from importlib import import_module
from itertools import groupby
from pathlib import Path
from typing import ClassVar, Final

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from dynamis.bench.chains.shares import CureKind
from dynamis.bench.document.ports import PortRef
from dynamis.bench.reports.blocks import Report
from dynamis.errors import InputError
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.table import Table
from dynamis.ui.widgets.thread_strip import ThreadField

ThreadFields = tuple[list[ThreadField], ThreadField | None]


def guarded(session: Session, work: Callable[..., object], *arguments: object) -> None:
    """Do something that may be refused; the sentence is shown."""
    try:
        work(*arguments)
    except InputError as error:
        session.said.emit(str(error), True)


class Station(QWidget):
    """A page of the window.

    title : its name.  KEYS : keys that do something here, with their words.  TAKES : endings of files that it takes
    before the window does, when they are dropped here.
    station_wanted : lead to another one.  thread_wanted : what it shows in the thread is another.
    demo_wanted, bench_wanted : open the demo, or a bench that is asked for.
    """

    title: ClassVar[str] = ""
    KEYS: ClassVar[tuple[tuple[str, str], ...]] = ()
    TAKES: ClassVar[tuple[str, ...]] = ()
    station_wanted = Signal(str)
    thread_wanted = Signal()
    demo_wanted = Signal()
    bench_wanted = Signal()

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__()
        self._session, self._course = session, course
        self.colours, self.points = colours, points

    def dress(self, colours: Colours, points: float) -> None:
        """Take a theme and a text size, and the style of numbers that is preferred now."""
        self.colours, self.points = colours, points

    def focus_first(self) -> None:
        """Put the keyboard where one begins."""
        self.setFocus()

    def pair(self) -> tuple[PortRef, PortRef] | None:
        """The output and the input that it follows; None for the channel that is measured."""
        return None

    def thread_fields(self) -> ThreadFields | None:
        """What stands in the thread; None for what the chain gives."""
        return None

    def sheet(self) -> Report | None:
        """The bench sheet of what is shown here; None where it is that of the run looked at."""
        return None

    def shown_picture(self) -> Picture | None:
        """The picture that is copied, saved, printed and zoomed."""
        return None

    def table(self) -> Table:
        """The table that is copied and saved; raises `InputError` where there is none."""
        raise InputError(f"There is no table on the page {self.title}.")

    def take_file(self, path: Path) -> None:
        """A file was dropped here; raises `InputError` where it is of no use."""
        raise InputError(f"{path.name} is of no use on the page {self.title}.")

    def shut_down(self) -> None:
        """End what goes on beside the window."""


@dataclass(frozen=True)
class Entry:
    """A station that there is; imported when it is first shown.  group : by what one does; neighbours share one."""

    title: str
    key: str
    module: str
    kind: str
    group: str = ""

    def make(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> Station:
        kind: type[Station] = vars(import_module(self.module))[self.kind]
        return kind(session, course, colours, points)


# In the order of the work, with the keys that are fixed for them; more come as they are built.
STATIONS: Final = (
    Entry("Bench", "Ctrl+1", "dynamis.ui.views.bench.station", "BenchStation", "gear"),
    Entry("Levels", "Ctrl+2", "dynamis.ui.views.levels.station", "LevelsStation", "gear"),
    Entry("Chain", "Ctrl+3", "dynamis.ui.views.chain.station", "ChainStation", "between"),
    Entry("Circuit", "Ctrl+4", "dynamis.ui.views.circuit.station", "CircuitStation", "between"),
    Entry("Codes", "Ctrl+5", "dynamis.ui.views.codes.station", "CodesStation", "between"),
    Entry("Measure", "Ctrl+6", "dynamis.ui.views.measure.station", "MeasureStation", "measuring"),
    Entry("Play", "Ctrl+7", "dynamis.ui.views.play.station", "PlayStation", "playing"),
    Entry("Log", "Ctrl+L", "dynamis.ui.views.log.station", "LogStation", "measuring"),
)


def groups_of(entries: Sequence[Entry]) -> list[list[tuple[str, str]]]:
    """Titles and keys of the stations, in groups."""
    return [[(one.title, one.key) for one in group] for _, group in groupby(entries, lambda one: one.group)]


# A page of its own, reached by its button at the right.
DEVICES: Final = Entry("Devices", "Ctrl+D", "dynamis.ui.views.devices.station", "DevicesStation")
# Where a share of the error is cured.
STATION_OF: Final[dict[CureKind, str]] = {
    "joining": "Bench",
    "codes": "Codes",
    "circuit": "Circuit",
    "measuring": "Measure",
}
EVERY: Final = {one.title: one for one in (*STATIONS, DEVICES)}
