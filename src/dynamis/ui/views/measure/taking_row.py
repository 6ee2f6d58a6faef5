"""The buttons that take a run by itself: begin, pause and go on, cancel; and what it is doing."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.devices.taking import Progress
from dynamis.errors import InputError
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.panel import label, set_text

_WORDS = {
    "connecting": "asking board and meter",
    "settling": "settling",
    "reading": "reading",
    "stored": "stored",
    "paused": "paused",
}


class TakingRow(QWidget):
    """Shown while a run can be taken by itself."""

    def __init__(self, session: Session, course: CourseRunner) -> None:
        super().__init__()
        self._session, self._course = session, course
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        self.words = label("", "small", wrap=True)
        column.addWidget(self.words)
        row = QHBoxLayout()
        self.take, self.pause = QPushButton("Take the rest by itself"), QPushButton("Pause")
        self.cancel = QPushButton("Cancel")
        self.take.setProperty("primary", True)
        self.take.clicked.connect(self.take_the_rest)
        self.pause.clicked.connect(self.pause_or_go_on)
        self.cancel.clicked.connect(course.devices.cancel)
        for button in (self.take, self.pause, self.cancel):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        course.devices.progressed.connect(self.went_on)
        course.devices.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        progress, judged = self._course.devices.progress, self._session.runs.analysis()
        left = judged is not None and judged.next_note is not None and judged.run.quantity != "cents"
        self.take.setVisible(progress is None)
        self.take.setEnabled(left and not self._course.devices.busy)
        for button in (self.pause, self.cancel):
            button.setVisible(progress is not None)
        if progress is None:
            set_text(self.words, "")
            self.words.setVisible(False)
        else:
            self.show_progress(progress)

    def show_progress(self, progress: Progress) -> None:
        """Show how far it is, and what is done now."""
        self.words.setVisible(True)
        note = "" if progress.note is None else f", note {self._session.style.typed(progress.note)}"
        doing = _WORDS.get(progress.state, "")
        set_text(self.words, f"Reading {min(progress.done + 1, progress.count)} of {progress.count}{note}: {doing}")
        set_text(self.pause, "Go on" if self._course.devices.paused else "Pause")

    def went_on(self, progress: Progress) -> None:
        self.show_progress(progress)
        if progress.state == "paused" and progress.sentence:
            self._session.said.emit(progress.sentence, True)

    def take_the_rest(self) -> None:
        try:
            self._course.take_the_rest()
        except InputError as error:
            self._session.said.emit(str(error), True)

    def pause_or_go_on(self) -> None:
        devices = self._course.devices
        if devices.progress is None:
            self._session.said.emit("Nothing is being taken by itself now.", True)
        elif devices.paused:
            devices.go_on()
            self._session.said.emit("", False)
        else:
            devices.pause()
        self.refresh()
