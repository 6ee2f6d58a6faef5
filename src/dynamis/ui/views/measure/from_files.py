"""Readings of the run looked at from elsewhere: a table, the clipboard, a recording."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Final

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QWidget

from dynamis.bench.document.records import RunRecord
from dynamis.errors import InputError
from dynamis.files.text import read_text
from dynamis.ui.dialogs.working import in_background
from dynamis.ui.session.session import Session

RECORDINGS: Final = (".wav", ".flac", ".aif", ".aiff")
_KINDS = "Tables and recordings (*.csv *.tsv *.txt *.wav *.flac *.aif *.aiff);;All files (*)"


class FromFiles:
    """begin : asks for a new run, where there is none."""

    def __init__(self, parent: QWidget, session: Session, begin: Callable[[], None]) -> None:
        self._parent, self._session, self._begin = parent, session, begin

    def open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self._parent, "Open readings", "", _KINDS)
        if name:
            self.take(Path(name))

    def take(self, path: Path) -> None:
        """Readings from a file, after a look at what is in it; a sentence where there are none."""
        try:
            if path.suffix.lower() in RECORDINGS:
                self._listen(path)
            else:
                self._take_text(read_text(path), path.name)
        except InputError as error:
            self._session.said.emit(str(error), True)

    def paste(self) -> None:
        text = QGuiApplication.clipboard().text()
        if not text.strip():
            self._session.said.emit("The clipboard holds no text to take readings from.", True)
            return
        try:
            self._take_text(text, "the clipboard")
        except InputError as error:
            self._session.said.emit(str(error), True)

    def _run(self) -> RunRecord | None:
        if self._session.selection.run is None:
            self._begin()
        return self._session.selection.run

    def _take_text(self, text: str, where: str) -> None:
        run = self._run()
        if run is None:
            return
        from dynamis.ui.views.measure.csv_dialog import CsvDialog

        dialog = CsvDialog(self._parent, text, where, run.quantity, self._session.style)
        if dialog.exec():
            self._session.runs.take_all([(row.note, row.value, row.own) for row in dialog.value])

    def _listen(self, path: Path) -> None:
        """The steady tones of a recording, listened to beside the window, on the notes of the run."""
        run = self._run()
        judged = self._session.runs.analysis()
        if run is None or judged is None:
            return
        from dynamis.bench.runs.sweep import Sweep, match_sweep
        from dynamis.files.recording import read_recording
        from dynamis.tuner.tones import steady_tones
        from dynamis.ui.views.measure.recording_dialog import RecordingDialog

        def work() -> Sweep:
            sound = read_recording(path)
            return match_sweep(judged, steady_tones(sound.samples, sound.rate))

        sweep = in_background(self._parent, f"Listening to {path.name}…", work, threading.Event())
        if sweep is None:
            self._session.said.emit("The recording was not listened to its end; nothing was taken.", False)
            return
        dialog = RecordingDialog(self._parent, judged, sweep, path.name, self._session.style)
        if dialog.exec():
            self._take(dialog.value)

    def _take(self, rows: Sequence[tuple[float, float, float]]) -> None:
        self._session.runs.take_all(list(rows))
        count = len(rows)
        self._session.said.emit(f"{count} reading{'' if count == 1 else 's'} taken from the recording.", False)
