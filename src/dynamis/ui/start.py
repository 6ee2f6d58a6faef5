"""Start the window; what heavy packages it may need later is warmed in a thread after the first paint."""

from __future__ import annotations

import gc
import logging
import signal
import socket
import sys
import threading
import traceback
from importlib.resources import files
from logging.handlers import RotatingFileHandler
from types import TracebackType
from typing import TYPE_CHECKING

from PySide6.QtCore import QSocketNotifier, QTimer
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from dynamis.errors import InputError
from dynamis.notation.safe import sentence_line
from dynamis.ui.benches import bench_to_open, opening_mark
from dynamis.ui.place import open_at
from dynamis.ui.session.preferences import data_folder, load_preferences
from dynamis.ui.session.session import Session
from dynamis.ui.theme.style import load_fonts
from dynamis.ui.window import MainWindow

if TYPE_CHECKING:
    from dynamis.ui.dialogs.help import ErrorDialog

_STANDS_MILLISECONDS = 300
_LOG = logging.getLogger("dynamis")


def make_app() -> QApplication:
    """The application with its name, fonts and icon; the one there is, where there is one."""
    there = QApplication.instance()
    # A style asked for later would be made beside the system's own, and handed to Python with all of its enumerations.
    if isinstance(there, QApplication):
        app = there
        app.setStyle("Fusion")
    else:
        app = QApplication(["dynamis", "-style", "fusion"])
    app.setApplicationName("Dynamis")
    app.setDesktopFileName("dynamis")
    load_fonts()
    app.setWindowIcon(QIcon(str(files("dynamis.ui.theme") / "icons" / "dynamis.svg")))
    return app


def run_window(arguments: list[str]) -> int:
    """Open the window on the bench that the arguments ask for; returns the exit status."""
    preferences, complaint = load_preferences()
    try:
        bench_file, sentence = bench_to_open(arguments, preferences)
    except InputError as error:
        print(f"dynamis: {sentence_line(str(error))}", file=sys.stderr)
        return 2
    app = make_app()
    keep_log()
    session = Session(bench_file, preferences)
    window = MainWindow(app, session)
    report_errors(window)
    if arguments and arguments != ["--demo"]:
        session.settings.remember(bench_file.path)
    app.aboutToQuit.connect(window.shut_down)
    watch = end_on_signals(app)
    open_at(window, preferences.window)
    (window.showMaximized if preferences.maximised else window.show)()
    QTimer.singleShot(_STANDS_MILLISECONDS, lambda: opening_mark().unlink(missing_ok=True))
    if complaint or sentence:
        window.say(" ".join(part for part in (complaint, sentence) if part), True)
    elif bench_file.read_only or bench_file.notice:
        window.say(bench_file.read_only or bench_file.notice, bool(bench_file.read_only))
    QTimer.singleShot(_STANDS_MILLISECONDS, warm)
    try:
        return app.exec()
    finally:
        watch.setEnabled(False)
        window.shut_down()


class _Watch(QSocketNotifier):
    """ends : the sockets, which live as long as it does."""

    ends: tuple[socket.socket, socket.socket]


def end_on_signals(app: QApplication) -> QSocketNotifier:
    """Let the terminal and the system end the window in order, with the outputs of a board made safe."""
    here, there = socket.socketpair()
    for one in (here, there):
        one.setblocking(False)
    signal.set_wakeup_fd(there.fileno())
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        # Quitting closes the windows at once, and Python may be in the middle of painting one: it waits for its turn.
        signal.signal(number, lambda *_: QTimer.singleShot(0, app.quit))
    # Python runs the handlers between its own steps; a byte on the socket wakes Qt up to take one.
    watch = _Watch(here.fileno(), QSocketNotifier.Type.Read, app)
    watch.activated.connect(lambda: here.recv(64))
    watch.ends = (here, there)
    return watch


def warm() -> None:
    """Leave what starting made out of later collections, and import in a thread what the next stations and dialogs
    need."""
    gc.freeze()

    def work() -> None:
        import dynamis.bench.judging.matrix
        import dynamis.devices.scpi_meter
        import dynamis.devices.serial_board
        import dynamis.files.reports.making
        import dynamis.ui.views.bench.station
        import dynamis.ui.views.chain.station
        import dynamis.ui.views.circuit.station
        import dynamis.ui.views.codes.station
        import dynamis.ui.views.devices.station
        import dynamis.ui.views.levels.station
        import dynamis.ui.views.measure.csv_dialog
        import dynamis.ui.views.measure.run_dialog  # noqa: F401

    threading.Thread(target=work, name="warm", daemon=True).start()


def keep_log() -> None:
    """Write warnings and unexpected errors to a log file beside the benches; without one where that fails."""
    try:
        folder = data_folder()
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(folder / "dynamis.log", maxBytes=500_000, backupCount=1, delay=True)
    except OSError as error:
        print(f"dynamis: no log file: {error}", file=sys.stderr)
        return
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    _LOG.addHandler(handler)


def report_errors(window: MainWindow) -> None:
    """An unexpected error is logged and shown as a report that can be copied; the window goes on.

    One report at a time: what goes wrong while it is shown is added to it.
    """
    shown: list[ErrorDialog] = []

    def show(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        report = "".join(traceback.format_exception(kind, error, trace))
        _LOG.error("unexpected error\n%s", report)
        if isinstance(error, InputError):
            window.say(str(error), True)
            return
        if shown:
            shown[0].add(report)
            return
        from dynamis.ui.dialogs.help import ErrorDialog

        shown.append(ErrorDialog(window, report))
        try:
            shown[0].exec()
        finally:
            shown.clear()

    sys.excepthook = show
