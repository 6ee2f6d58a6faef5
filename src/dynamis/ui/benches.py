"""Which bench file the window opens: the last one, a fresh demo, or an untitled one."""

from __future__ import annotations

import logging
from datetime import datetime
from pathlib import Path

from dynamis.bench.document.bench import Bench
from dynamis.errors import InputError
from dynamis.files.store import BenchFile
from dynamis.files.writing import write_whole
from dynamis.ui.session.preferences import Preferences, data_folder

_LOG = logging.getLogger(__name__)


def fresh_path(stem: str, folder: Path | None = None) -> Path:
    """A path in the data folder, or another, that no file has yet."""
    folder = folder or data_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"{folder}: the data folder cannot be made: {error.strerror or error}.") from error
    stamp = datetime.now().strftime("%Y-%m-%d")
    path, number = folder / f"{stem} {stamp}.dynamis", 2
    while path.exists():
        path, number = folder / f"{stem} {stamp} {number}.dynamis", number + 1
    return path


def simulated_boards_path() -> Path:
    """Where the simulated boards keep what they hold, as real ones keep it through a loss of power."""
    return data_folder() / "simulated boards.json"


def opening_mark() -> Path:
    """A file that is there from when the last bench is opened until the window stands; what it leaves behind says that
    the window never did."""
    return data_folder() / "opening"


def _open_last(path: Path) -> BenchFile:
    """The last bench; not where it kept the window from standing the last time, which nobody would get past."""
    if opening_mark().exists():
        raise InputError(
            f"When {path.name} was opened the last time, the program ended before its window stood; it was left closed."
        )
    try:
        data_folder().mkdir(parents=True, exist_ok=True)
        write_whole(opening_mark(), str(path))
    except (OSError, InputError) as error:
        _LOG.warning("%s", error)
    return BenchFile.open(path)


def fresh_demo() -> BenchFile:
    """A fresh copy of the demo bench, in a folder of its own; copies in which nobody did anything are taken away."""
    from dynamis.demo.lantern import write_demo

    folder = data_folder() / "demo"
    for old in folder.glob("demo *.dynamis"):
        _take_away(old)
    # A fresh demo has fresh boards: what the simulated ones were sent belongs to the demo before.
    simulated_boards_path().unlink(missing_ok=True)
    path = fresh_path("demo", folder)
    write_demo(path)
    return BenchFile.open(path)


def _take_away(old: Path) -> None:
    """Delete a copy of the demo that nobody has open and that holds nothing of anybody's own."""
    from dynamis.demo.lantern import is_untouched

    try:
        with BenchFile.open(old) as opened:
            if opened.read_only or not is_untouched(opened):
                return
        old.unlink()
    except (OSError, InputError) as error:
        _LOG.info("old demo kept: %s", error)


def bench_to_open(arguments: list[str], preferences: Preferences) -> tuple[BenchFile, str | None]:
    """The bench that the arguments ask for, and a sentence when the last one could not be opened."""
    if arguments == ["--demo"]:
        return fresh_demo(), None
    if arguments:
        return BenchFile.open(Path(arguments[0])), None
    if preferences.last is not None:
        try:
            return _open_last(Path(preferences.last)), None
        except InputError as error:
            opening_mark().unlink(missing_ok=True)
            return BenchFile.create(fresh_path("untitled"), Bench()), f"{error} A new bench was opened instead."
    return BenchFile.create(fresh_path("untitled"), Bench()), None
