"""The simulated bench beside the window: its process, and the hands that do things to it."""

from __future__ import annotations

import json
import sys
from typing import Any

from PySide6.QtCore import QObject, QProcess, Signal

from dynamis.ui.benches import simulated_boards_path
from dynamis.ui.session.preferences import data_folder


class SimulatedBench(QObject):
    """changed : it was started or ended, or something on it is another.  said : what it refused."""

    changed = Signal()
    started = Signal(object)
    said = Signal(str, bool)

    def __init__(self) -> None:
        super().__init__()
        self._process: QProcess | None = None
        self._waiting = b""
        self.state: dict[str, Any] = {}

    @property
    def running(self) -> bool:
        return bool(self.state)

    def start(self) -> None:
        """Start it; `started` tells where each of its devices answers."""
        if self._process is not None:
            return
        process = self._process = QProcess(self)
        process.setProcessChannelMode(QProcess.ProcessChannelMode.ForwardedErrorChannel)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._finished)
        process.errorOccurred.connect(self._failed)
        data_folder().mkdir(parents=True, exist_ok=True)
        process.start(sys.executable, ["-m", "dynamis.demo.standins", str(simulated_boards_path())])

    def do(self, what: str, value: Any = None) -> None:
        """Do something on the simulated bench, as a hand would."""
        if self._process is not None:
            self._process.write((json.dumps({"do": what, "value": value}) + "\n").encode())

    def stop(self) -> None:
        """End it; it goes when its input ends."""
        process, self._process = self._process, None
        if process is None:
            return
        process.finished.disconnect(self._finished)
        process.closeWriteChannel()
        if not process.waitForFinished(3000):
            process.kill()
            process.waitForFinished(1000)
        self._finished()

    def _read(self) -> None:
        if self._process is None:
            return
        self._waiting += bytes(self._process.readAllStandardOutput().data())
        while b"\n" in self._waiting:
            line, _, self._waiting = self._waiting.partition(b"\n")
            answer = json.loads(line)
            if "error" in answer:
                self.said.emit(answer["error"], True)
                continue
            self.state = {**self.state, **answer}
            if "board" in answer:
                self.started.emit(answer)
            self.changed.emit()

    def _failed(self, error: QProcess.ProcessError) -> None:
        if self._process is not None:
            self.said.emit(f"The simulated bench could not be started: {self._process.errorString()}.", True)

    def _finished(self, *_: object) -> None:
        self._process, self.state, self._waiting = None, {}, b""
        self.changed.emit()
