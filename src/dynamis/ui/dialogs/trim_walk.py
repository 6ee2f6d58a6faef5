"""The walk through an oscillator's trimmers, large enough to be read from the bench; with a voice to practise on."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from dynamis.bench.runs.analysis import RunAnalysis
from dynamis.bench.runs.trimming import trims_of, typed_cents
from dynamis.calibration.trimming.practice import Voice, practice_voice
from dynamis.calibration.trimming.walk import Done, Step, Trims, Walk, walk
from dynamis.calibration.trimming.words import done_words, live_words, step_words
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style, tied
from dynamis.pitch.laws import ExponentialLaw
from dynamis.pitch.notes import Naming, parse_note
from dynamis.tuner.live import HEARD_SECONDS, Heard, heard
from dynamis.ui.dialogs.hearing import Hearing
from dynamis.ui.trimming import Listening
from dynamis.ui.widgets.panel import label, set_refusal, set_text

_LARGE_POINTS, _LIVE_POINTS = 40.0, 22.0
_TRAVEL = 5000
# What a note needs from the player to the ear.
_LATE_SECONDS = 0.3
SaveSheet = Callable[[QWidget, RunAnalysis, Trims], None]
_KNOBS = (("tune", "Tuning"), ("scale", "Scale"), ("high", "High frequency"))


class TrimWalkDialog(QDialog):
    """Step by step: what to play, what to turn until which reading; what was read is typed after each."""

    def __init__(
        self,
        parent: QWidget | None,
        judged: RunAnalysis,
        style: Style,
        seed: int = 1,
        save: SaveSheet | None = None,
        listen: Callable[[], Listening] | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Trim walk")
        self.resize(1040, 660)
        self._judged, self._style, self._seed = judged, style, seed
        self._save, self._listen = save, listen
        self.listening: Listening | None = None
        self.heard: Heard | None = None
        self._hearing: Hearing | None = None
        self._plays: float | None = None
        self._since = 0.0
        self.trims: Trims = trims_of(judged)
        self.steps: list[Done] = []
        self.voice: Voice | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 18, 24, 18)
        column.addLayout(self._make_wishes())
        self.large = [label("", "", wrap=True) for _ in range(3)]
        for one in self.large:
            font = QFont(self.font())
            font.setPointSizeF(_LARGE_POINTS)
            one.setFont(font)
            column.addWidget(one)
        self.live = label("", "", wrap=True)
        font = QFont(self.font())
        font.setPointSizeF(_LIVE_POINTS)
        self.live.setFont(font)
        self.live.setAccessibleName("What is heard")
        self.live.hide()
        column.addWidget(self.live)
        self.why = label("", "", wrap=True)
        column.addWidget(self.why)
        column.addLayout(self._make_entry())
        self.refusal = label("", "question", wrap=True)
        set_refusal(self.refusal, "")
        column.addWidget(self.refusal)
        column.addWidget(self._make_practice())
        self.history = QListWidget()
        self.history.setAccessibleName("Steps that were done")
        column.addWidget(self.history, 1)
        self.refresh()
        self.entry.setFocus()

    def _make_wishes(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.notes: dict[str, QLineEdit] = {}
        for key, words in (("low_note", "Low note"), ("high_note", "High note"), ("top_note", "Top note")):
            field = self.notes[key] = QLineEdit(self._style.typed(getattr(self.trims, key)))
            field.setAccessibleName(words)
            field.setFixedWidth(64)
            field.editingFinished.connect(self._wishes_changed)
            row.addWidget(label(words, "small"))
            row.addWidget(field)
        self.pivot = QLineEdit()
        self.pivot.setAccessibleName("Pivot, volts")
        self.pivot.setPlaceholderText("not known")
        self.pivot.setFixedWidth(90)
        self.pivot.editingFinished.connect(self._wishes_changed)
        self.high = QCheckBox("a high-frequency trimmer")
        self.high.clicked.connect(lambda _: self._wishes_changed())
        exponential = isinstance(self.trims.law, ExponentialLaw)
        shown: tuple[QWidget, ...] = (label("Pivot, V", "small"), self.pivot, self.high)
        for one in shown:
            one.setVisible(exponential)
            row.addWidget(one)
        row.addStretch(1)
        return row

    def _make_entry(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.entry = QLineEdit()
        self.entry.setAccessibleName("What it reads now")
        self.entry.setFixedWidth(180)
        self.entry.returnPressed.connect(self.take)
        self.unit = label("", "muted")
        self.back, self.again = QPushButton("Back a step"), QPushButton("From the beginning")
        self.sheet, close = QPushButton("Save the bench sheet…"), QPushButton("Close")
        self.sheet.setAutoDefault(False)
        self.sheet.setEnabled(self._save is not None)
        self.sheet.clicked.connect(self._save_sheet)
        for button, slot in ((self.back, self.step_back), (self.again, self.begin_again), (close, self.accept)):
            button.setAutoDefault(False)
            button.clicked.connect(slot)
        row.addWidget(label("It reads", "small"))
        row.addWidget(self.entry)
        row.addWidget(self.unit)
        row.addStretch(1)
        for button in (self.back, self.again, self.sheet, close):
            row.addWidget(button)
        return row

    def _save_sheet(self) -> None:
        """The walk on paper, with the pivot that is known by now."""
        assert self._save is not None
        pivot = walk(self.trims, self.steps).pivot_volts
        try:
            self._save(self, self._judged, replace(self.trims, pivot_volts=pivot))
            set_refusal(self.refusal, "")
        except InputError as error:
            set_refusal(self.refusal, str(error))

    def _make_practice(self) -> QWidget:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 0)
        self.practise = QCheckBox("practise on a simulated voice")
        self.practise.clicked.connect(self._practise)
        grid.addWidget(self.practise, 0, 0, 1, 2)
        self.ears = QCheckBox("play each note and listen")
        self.ears.setToolTip("By what was chosen to play the run, with the sound of the voice connected")
        self.ears.setEnabled(self._listen is not None)
        self.ears.clicked.connect(self._listen_wanted)
        grid.addWidget(self.ears, 0, 4, 1, 2)
        self.plays = label("", "heading")
        grid.addWidget(self.plays, 0, 2)
        self.knobs: dict[str, QSlider] = {}
        for k, (key, words) in enumerate(_KNOBS):
            slider = self.knobs[key] = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(-_TRAVEL, _TRAVEL)
            slider.setAccessibleName(f"{words} trimmer of the simulated voice")
            slider.valueChanged.connect(lambda _: self._turned())
            grid.addWidget(label(words, "small"), 1, 2 * k)
            grid.addWidget(slider, 1, 2 * k + 1)
        return holder

    # -- the walk ----------------------------------------------------------------------------------

    @property
    def walked(self) -> Walk:
        return walk(self.trims, self.steps)

    @property
    def _quantity(self) -> str:
        return "ct" if self._judged.run.quantity == "cents" else "Hz"

    def take(self) -> None:
        """What it reads after the step is what was typed."""
        try:
            step = self.walked.step
            if step is None:
                return
            one = Done(step, self._read(step))
            walk(self.trims, [*self.steps, one])
        except InputError as error:
            set_refusal(self.refusal, str(error))
            return
        self.steps.append(one)
        self.entry.clear()
        self.refresh()

    def _read(self, step: Step) -> float:
        """What was typed as cents off the note; nothing typed, what is heard, or what the simulated voice plays."""
        if not self.entry.text().strip():
            if self.voice is not None:
                return self.voice.cents(step.note)
            if self.listening is not None:
                return self._heard_cents(step)
        comma = self._style.decimal_comma
        value = parse_quantity(self.entry.text(), self._quantity, "The reading", decimal_comma=comma)
        return typed_cents(self.trims, step.note, value, self._quantity)

    def step_back(self) -> None:
        if self.steps:
            self.steps.pop()
            self.refresh()

    def begin_again(self) -> None:
        self.steps.clear()
        self.refresh()

    def _wishes_changed(self) -> None:
        try:
            naming, comma = Naming(self._style.middle_c), self._style.decimal_comma
            typed = self.pivot.text().strip()
            pivot = None if not typed else parse_quantity(typed, "V", "The pivot", decimal_comma=comma)
            wanted = {key: parse_note(field.text(), naming) for key, field in self.notes.items()}
            trims = trims_of(self._judged, **wanted, pivot_volts=pivot, high=self.high.isChecked())
        except InputError as error:
            set_refusal(self.refusal, str(error))
            return
        if trims != self.trims:
            self.trims = trims
            self.steps.clear()
            self.refresh()

    def refresh(self) -> None:
        """Show the step that is next, and what was done."""
        set_refusal(self.refusal, "")
        walked, style = self.walked, self._style
        said = step_words(self.trims, walked, style)
        for one, text in zip(self.large, (said.play, said.turn, said.reading), strict=True):
            set_text(one, tied(text))
            one.setVisible(bool(text))
        set_text(self.why, tied(said.why))
        set_text(self.unit, self._quantity)
        self.entry.setEnabled(walked.step is not None)
        self.back.setEnabled(bool(self.steps))
        self.history.clear()
        self.history.addItems([tied(done_words(self.trims, one.step, one.cents, style)) for one in self.steps])
        self.history.scrollToBottom()
        self._turned()
        self._play_step()
        self._show_live()

    # -- practice ----------------------------------------------------------------------------------

    def _practise(self, on: bool) -> None:
        if on:
            self._end_listening()
        trims = self.trims
        low, high = trims.volts(trims.low_note), trims.volts(trims.high_note)
        self.voice = practice_voice(trims.law, trims.tuning, low, high, self._seed, top=trims.high) if on else None
        self._seed += 1
        for slider in self.knobs.values():
            slider.setValue(0)
        self.begin_again()

    def _turned(self) -> None:
        """What the simulated voice plays of the note that is to be played, as its trimmers stand."""
        step = self.walked.step
        simulated = None if self.listening is None else self.listening.turn
        for key, slider in self.knobs.items():
            slider.setEnabled(self.voice is not None or (simulated is not None and key != "high"))
        if simulated is not None:
            for key, slider in self.knobs.items():
                simulated(key, slider.value() / _TRAVEL)
        if self.voice is None or step is None:
            set_text(self.plays, "")
            return
        stands = {key: slider.value() / _TRAVEL for key, slider in self.knobs.items()}
        self.voice = self.voice.turned(**stands)
        cents = self.voice.cents(step.note)
        shown = self._style.hertz(self.voice.hertz(step.note))
        set_text(self.plays, tied(f"It plays {shown}, {self._style.cents(cents, sign=True)} ct"))

    # -- by the computer's ear -----------------------------------------------------------------------

    def _listen_wanted(self, on: bool) -> None:
        self._end_listening()
        if not on or self._listen is None:
            return
        try:
            self.listening = self._listen()
        except InputError as error:
            self.ears.setChecked(False)
            set_refusal(self.refusal, str(error))
            return
        self.voice = None
        self.practise.setChecked(False)
        self.ears.setChecked(True)
        self._hearing = Hearing(self.listening.sound, lambda kept, rate, first: heard(kept, rate))
        self._hearing.came.connect(self._hear)
        self._hearing.ended.connect(self._unheard)
        self._hearing.begin()
        self.refresh()

    def _play_step(self) -> None:
        """Let the note of the next step sound, once."""
        step = self.walked.step
        if self.listening is None:
            return
        if step is None:
            self.listening.rest()
            self._plays = None
        elif step.note != self._plays:
            self._plays, self.heard, self._since = step.note, None, time.monotonic()
            self.listening.play(step.note, self._unheard)

    def _heard_cents(self, step: Step) -> float:
        off = None if self.heard is None else self.heard.off_cents(self.trims.hertz(step.note))
        if off is None:
            raise InputError("Nothing steady is heard yet: wait for the note, or type what it reads.")
        return off

    def _hear(self, found: Heard) -> None:
        """What sounds now, against where the step is to come."""
        if time.monotonic() - self._since < HEARD_SECONDS + _LATE_SECONDS:
            return  # the note before is in it still
        self.heard = found
        self._show_live()

    def _show_live(self) -> None:
        step, found = self.walked.step, self.heard
        self.live.setVisible(step is not None and self.listening is not None)
        if step is None or found is None:
            set_text(self.live, "")
            return
        off = found.off_cents(self.trims.hertz(step.note))
        words = found.why_not(self._style) if off is None else live_words(self.trims, step, off, self._style)
        set_text(self.live, tied(words))

    def _unheard(self, sentence: str) -> None:
        self._end_listening()
        set_refusal(self.refusal, sentence)

    def _end_listening(self) -> None:
        """Nobody plays and nobody listens any more."""
        hearing, listening = self._hearing, self.listening
        self._hearing = self.listening = self.heard = self._plays = None
        self.ears.setChecked(False)
        self.live.hide()
        if hearing is not None:
            hearing.end()
        if listening is not None:
            listening.rest()

    def done(self, result: int) -> None:
        self._end_listening()
        super().done(result)
