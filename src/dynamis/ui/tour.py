"""The demo's job without a display: the window does it offscreen and leaves pictures and a report."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from msgspec.structs import replace

from dynamis.bench.document import Bench
from dynamis.demo.lantern import write_demo
from dynamis.errors import InputError
from dynamis.files.report_html import report_html
from dynamis.files.store import BenchFile
from dynamis.files.text import write_whole
from dynamis.ui.preferences import Preferences
from dynamis.ui.session import Session
from dynamis.ui.start import make_app
from dynamis.ui.window import MainWindow


def tour(folder: Path) -> list[Path]:
    """Open the demo, look at its runs and its codes, and write what is seen; returns the files written."""
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
            if not window.grab().save(str(written[-1])):
                raise InputError(f"{written[-1]}: cannot be written.")

        picture("measure")
        session.set_preferences(replace(session.preferences, theme="dark"))
        picture("measure-dark")
        session.set_preferences(replace(session.preferences, theme="light"))
        for run, name in zip(session.runs[1:], ("measure-after-constants", "measure-cannot-tell"), strict=True):
            session.look_at(run.id)
            picture(name)
        session.look_at(session.runs[0].id)
        window.show_station("Codes")
        picture("codes")
        written.append(folder / "report.html")
        write_whole(written[-1], report_html(session.file, session.style))
        window.show_station("Measure")
        session.open(BenchFile.create(Path(place) / "untitled.dynamis", Bench()))
        picture("start")
        window.close()
    return written


if __name__ == "__main__":
    try:
        for made in tour(Path(sys.argv[1] if len(sys.argv) > 1 else "demo-output")):
            print(f"  {made}")
    except InputError as error:
        sys.exit(f"dynamis: {error}")
