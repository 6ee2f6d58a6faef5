"""The window killed at random moments of a run with edits: `python benchmarks/kills.py [KILLS [SEED]]`.

A window, offscreen, takes a run by itself while the bench is renamed, undone and redone, corrections are adopted and
sent, and copies are saved; it tells through a pipe each row that its table of readings shows, each name that an edit
gave the bench, and each adoption, sending and copy that was done.  At a random moment it is killed with SIGKILL.  Then
its file must open, hold all of that and the edit that was told last (or the one under way), take an undo, and be free
for writing; a copy is whole or not there.  Every tenth kill meets an older file while it is brought to this version: it
opens, with every reading, and the old one is kept as it was.  Ends with status 1 when not.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_KILLS, _SEED = 200, 20261125
_LATEST_SECONDS, _UPGRADE_SECONDS = 2.0, 0.12
_RUN = "by-itself"


def _window(path: Path, pipe: int, seed: int) -> None:
    """The child: take a run by itself, and edit meanwhile, until killed."""
    import msgspec
    from PySide6.QtCore import QTimer

    from dynamis.bench.document.commands import rename
    from dynamis.bench.document.records import HeldRecord, SendRecord
    from dynamis.demo.hidden import DESIGN_NAME, lantern_world, shipped
    from dynamis.devices.standins.board_logic import BoardDesign
    from dynamis.devices.standins.direct import DirectBoard, DirectMeter
    from dynamis.devices.standins.meter_model import MeterModel
    from dynamis.devices.taking import Settling
    from dynamis.files.store import BenchFile
    from dynamis.ui.session.preferences import Preferences
    from dynamis.ui.session.session import Session
    from dynamis.ui.start import make_app
    from dynamis.ui.window import MainWindow

    app = make_app()
    session = Session(BenchFile.open(path), Preferences(theme="light"), keep_preferences=False)
    session.runs.withdraw()
    window = MainWindow(app, session)
    window.show()
    world = lantern_world(seed, lambda: 50.0 * time.monotonic())  # settles fifty times as fast
    window.devices.board = DirectBoard(BoardDesign(DESIGN_NAME, "03", "AB", 12, shipped()), world)
    window.devices.meter = DirectMeter(MeterModel(world, seed=seed))
    window.course.settling = Settling(0.01, 0.0, 0.005, 12)
    plan = tuple(float(note) for note in range(36, 97))
    run = msgspec.structs.replace(session.runs.all[0], id=_RUN, plan=plan, created="2026-11-21T10:00:00+00:00")
    session.runs.begin(run)
    chance = random.Random(seed)
    table = window.stations["Measure"].readings.readings.rows_model
    told: set[str] = set()

    def tell() -> None:
        for row in range(table.rowCount()):
            texts = "\t".join(str(table.data(table.index(row, column)) or "") for column in range(table.columnCount()))
            if texts not in told:
                told.add(texts)
                os.write(pipe, f"reading\t{texts}\n".encode())

    def append() -> None:
        number, file = chance.randrange(10**9), session.document.file
        command = chance.choice(("adopted", "sent", "copied"))
        if command == "adopted":
            file.adopt(msgspec.structs.replace(file.adoptions()[0], run=str(number), uid=""))
        elif command == "sent":
            held = HeldRecord("E", number, 1)
            file.add_send(SendRecord(0, "workshop-board", "03", "pitch-a", str(number), held, held))
        else:
            file.copy_to(path.with_name(f"copy {path.stem}.dynamis"))
        os.write(pipe, f"{command}\t{number}\n".encode())

    def edit() -> None:
        if chance.random() < 0.4:
            append()
            return
        command, name = chance.choice(("rename", "rename", "undo", "redo")), f"Bench {chance.randrange(10**9)}"
        os.write(pipe, f"about\t{name if command == 'rename' else ''}\n".encode())
        if command == "rename":
            session.document.apply(rename(session.bench, name))
        elif command == "undo" and session.document.file.undo_label():
            session.document.undo()
        elif command == "redo" and session.document.file.redo_label():
            session.document.redo()
        os.write(pipe, f"name\t{session.bench.name}\n".encode())

    timers = []
    for milliseconds, work in ((5, tell), (60, edit)):
        timer = QTimer()
        timer.timeout.connect(work)
        timer.start(milliseconds)
        timers.append(timer)
    window.course.take_the_rest()
    os.write(pipe, b"ready\n")
    app.exec()
    os._exit(3)  # it was to be killed


def _heard(pipe: int, until: float, pid: int, first: bytes) -> list[list[str]]:
    """All that the window tells, until it is killed at a moment counted from the first line that begins so."""
    heard, rest = bytearray(), None
    os.set_blocking(pipe, False)
    while rest is None or time.monotonic() < rest:
        try:
            heard += os.read(pipe, 65536)
        except BlockingIOError:
            time.sleep(0.002)
        if rest is None and first in heard:
            rest = time.monotonic() + until
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    os.set_blocking(pipe, True)
    while data := os.read(pipe, 65536):
        heard += data
    lines = heard.decode().split("\n")[:-1]  # a line cut by the kill was not told
    return [line.split("\t") for line in lines]


def _lost(path: Path, heard: list[list[str]]) -> list[str]:
    """What of all that was told is not in the file; sentences, none where nothing is lost."""
    from dynamis.files.store import BenchFile

    lost = []
    shown = {(float(line[2]), line[4]) for line in heard if line[0] == "reading"}
    names = [line for line in heard if line[0] in ("about", "name")]
    with BenchFile.open(path) as opened:
        if opened.read_only:
            lost.append(f"it is not free for writing: {opened.read_only}")
        stored = {(row.note, f"{row.value:.4f} V") for row in opened.readings(_RUN)}
        if shown - stored:
            lost.append(f"readings that were shown are gone: {sorted(shown - stored)}")
        name, last = opened.bench().name, names[-1] if names else ["name", "The Lantern House"]
        before = [line[1] for line in names if line[0] == "name"]
        may = {before[-1] if before else "The Lantern House"} | ({last[1]} if last[0] == "about" else set())
        if last == ["about", ""]:
            may |= {"The Lantern House", *before}
        if name not in may:
            lost.append(f"the bench is called {name}, not one of {sorted(may)}")
        if opened.undo_label():
            opened.undo()
            if opened.bench().name == name:
                lost.append("an undo did nothing")
            opened.redo()
        if opened.bench().name != name:
            lost.append("an undo cannot be redone")
        for command, there in (
            ("adopted", {one.run for one in opened.adoptions()}),
            ("sent", {one.at for one in opened.sends()}),
        ):
            gone = {line[1] for line in heard if line[0] == command} - there
            if gone:
                lost.append(f"what was {command} is gone: {sorted(gone)}")
    copy = path.with_name(f"copy {path.stem}.dynamis")
    if copy.exists():
        with BenchFile.open(copy) as opened:
            opened.readings(_RUN)
    elif any(line[0] == "copied" for line in heard):
        lost.append("a copy that was saved is gone")
    return lost


def _upgrade(path: Path, pipe: int) -> None:
    """The child: bring an older file to this version, until killed."""
    from dynamis.files.store import BenchFile

    os.write(pipe, b"ready\n")
    with BenchFile.open(path):
        os.write(pipe, b"name\tdone\n")
    time.sleep(5.0)
    os._exit(3)


def _lost_in_upgrade(path: Path, old: bytes, readings: int) -> list[str]:
    from dynamis.files.contents import everything
    from dynamis.files.store import BenchFile

    with BenchFile.open(path) as opened:
        held = everything(opened)
    kept = [one for one in path.parent.iterdir() if one.name.startswith(f"{path.stem} (version")]
    lost = [] if len(held.readings) == readings else [f"{len(held.readings)} of {readings} readings are there"]
    return (
        lost
        + [f"{one.name} is not the old file" for one in kept if one.read_bytes() != old]
        + ([] if kept else ["the old file was not kept"])
    )


def main() -> int:
    import dynamis.ui.window  # noqa: F401  # loaded once; each window is a fork of this process
    from dynamis.demo.lantern import write_demo
    from dynamis.files.contents import everything
    from dynamis.files.store import BenchFile

    kills = int(sys.argv[1]) if len(sys.argv) > 1 else _KILLS
    chance = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else _SEED)
    shown, edits, failures, mid_edit, appended, upgrades = 0, 0, 0, 0, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        write_demo(fresh := Path(folder) / "fresh.dynamis")
        aged = Path(__file__).resolve().parents[1] / "tests" / "files" / "old" / "version-2.dynamis"
        with BenchFile.open(Path(shutil.copy(aged, Path(folder) / "aged.dynamis"))) as opened:
            readings = len(everything(opened).readings)
        for k in range(kills):
            older = k % 10 == 9
            path = Path(shutil.copy(aged if older else fresh, Path(folder) / f"{k}.dynamis"))
            receives, sends = os.pipe()
            pid = os.fork()
            if pid == 0:
                os.close(receives)
                _upgrade(path, sends) if older else _window(path, sends, chance.randrange(10**6))
            os.close(sends)
            first = b"reading\t" if k % 2 and not older else b"ready\n"
            heard = _heard(receives, chance.uniform(0.0, _UPGRADE_SECONDS if older else _LATEST_SECONDS), pid, first)
            os.close(receives)
            lost = _lost_in_upgrade(path, aged.read_bytes(), readings) if older else _lost(path, heard)
            upgrades += older
            appended += sum(line[0] in ("adopted", "sent", "copied") for line in heard)
            shown += len({line[2] for line in heard if line[0] == "reading"})
            edits += sum(line[0] == "name" for line in heard)
            mid_edit += bool(heard) and heard[-1][0] == "about"
            failures += bool(lost)
            for sentence in lost:
                print(f"kill {k + 1}: {sentence}")
    print(
        f"{kills} kills, {shown} readings shown, {edits} edits told, {appended} adoptions, sendings and copies, "
        f"{mid_edit} kills within an edit, {upgrades} in an upgrade: {failures} with a loss"
    )
    return 1 if failures else 0


if __name__ == "__main__":
    sys.exit(main())
