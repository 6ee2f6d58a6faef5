"""The buttons that take a run by itself: begin, pause and go on, cancel; and what it is doing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.who import PLAYER_WORDS, READER_WORDS, players_for, readers_for, to_play_words
from dynamis.devices.taking import Progress
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.pitch.notes import note_label
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.panel import label, set_text

_WORDS = {
    "connecting": "asking who is there",
    "settling": "settling",
    "reading": "reading",
    "stored": "stored",
    "paused": "paused",
}


class TakingRow(QWidget):
    """Who plays and who reads, what takes the rest by itself, and what somebody is asked to do meanwhile."""

    def __init__(self, session: Session, course: CourseRunner) -> None:
        super().__init__()
        self._session, self._course = session, course
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        grid = form_grid()
        self.player, self.reader = choice("Played by", ()), choice("Read by", ())
        for k, (words, box) in enumerate((("Played by", self.player), ("Read by", self.reader))):
            add_row(grid, k, words, box)
            box.activated.connect(self._chosen)
        self.celsius = QLineEdit()
        self.celsius.setPlaceholderText("°C, not known")
        self.celsius.setAccessibleName("Temperature now")
        self.celsius.setToolTip("Kept with each reading from now on; of an oscillator it tells what a kelvin does.")
        self.celsius.editingFinished.connect(self._warmed)
        add_row(grid, 2, "At", self.celsius)
        self.who = QWidget()
        self.who.setLayout(grid)
        column.addWidget(self.who)
        self.words = label("", "small", wrap=True)
        column.addWidget(self.words)
        self.asked = label("", "question", wrap=True)
        column.addWidget(self.asked)
        row = QHBoxLayout()
        self.take, self.pause = QPushButton("Take the rest by itself"), QPushButton("Pause")
        self.cancel, self.done = QPushButton("Cancel"), QPushButton("Done")
        self.take.setProperty("primary", True)
        self.done.setProperty("primary", True)
        self.take.clicked.connect(self.take_the_rest)
        self.pause.clicked.connect(self.pause_or_go_on)
        self.cancel.clicked.connect(course.devices.cancel)
        self.done.clicked.connect(lambda: course.devices.answer())
        for button in (self.take, self.done, self.pause, self.cancel):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        course.devices.progressed.connect(self.went_on)
        course.devices.asked.connect(self.refresh)
        course.devices.changed.connect(self.refresh)
        self.refresh()

    def refresh(self, *_: object) -> None:
        devices, judged = self._course.devices, self._session.runs.analysis()
        progress = devices.progress
        left = judged is not None and judged.next_note is not None
        self.who.setVisible(judged is not None)
        for box in (self.player, self.reader):
            box.setEnabled(progress is None)
        if judged is not None:
            self._show_who(judged.run)
        self.take.setVisible(progress is None)
        self.take.setEnabled(left and not devices.busy)
        for button in (self.pause, self.cancel):
            button.setVisible(progress is not None)
        self._show_question(None if judged is None else judged.run)
        if progress is None:
            set_text(self.words, "")
            self.words.setVisible(False)
        else:
            self.show_progress(progress)

    def _show_who(self, run: RunRecord) -> None:
        chosen = self._course.chosen(run)
        boxes: tuple[tuple[QComboBox, tuple[str, ...], Mapping[Any, str], str], ...] = (
            (self.player, players_for(run.side, codes=bool(run.codes)), PLAYER_WORDS, chosen[0]),
            (self.reader, readers_for(run.quantity), READER_WORDS, chosen[1]),
        )
        for box, kinds, words, mine in boxes:
            if [box.itemData(k) for k in range(box.count())] != list(kinds):
                box.clear()
                for kind in kinds:
                    box.addItem(words[kind], kind)
            box.setCurrentIndex(max(0, box.findData(mine)))

    def _chosen(self, *_: object) -> None:
        self._course.choose(self.player.currentData(), self.reader.currentData())

    def _warmed(self) -> None:
        runs, style = self._session.runs, self._session.style
        text = self.celsius.text().strip()
        try:
            runs.set_celsius(
                parse_quantity(text, "°C", "The temperature", decimal_comma=style.decimal_comma) if text else None
            )
        except InputError as error:
            self._session.said.emit(str(error), True)
        now = runs.celsius
        self.celsius.setText("" if now is None else f"{style.typed(now)} °C")

    def _show_question(self, run: RunRecord | None) -> None:
        """What somebody is asked for; a reading is typed above, in its field."""
        question = self._course.devices.question
        plays = question is not None and question.wants == "play"
        had_focus = self.done.hasFocus()
        self.asked.setVisible(question is not None)
        self.done.setVisible(plays)
        if question is None or run is None:
            return
        style = self._session.style
        read = f"Type the reading of {note_label(question.note, style)} above."
        set_text(self.asked, to_play_words(run, question.note, style) if plays else read)
        if plays and not had_focus:
            self.done.setFocus()

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
