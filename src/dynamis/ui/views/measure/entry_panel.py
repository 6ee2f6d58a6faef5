"""What to play, what is expected, and the field that takes the reading."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.records import KIND_WORDS
from dynamis.bench.gear.instruments import instrument_facts
from dynamis.bench.runs.advice import progress_words
from dynamis.bench.runs.analysis import RunAnalysis, as_read
from dynamis.bench.runs.planning import planned_words
from dynamis.calibration.slips import Slip, beyond_range, find_slip
from dynamis.calibration.words import proof_sentences
from dynamis.devices.taking import Progress
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import plain, tied
from dynamis.pitch.laws import law_words
from dynamis.pitch.notes import note_label, note_name
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import SignShape, shape_pixmap
from dynamis.ui.views.measure.taking_row import TakingRow
from dynamis.ui.widgets.dashes import Dashes
from dynamis.ui.widgets.panel import Panel, label, restyle, rule, scrolling, set_text
from dynamis.ui.widgets.quantity_edit import BenchEdit

UNITS = {"volts": "V", "hertz": "Hz", "cents": "ct"}


class EntryPanel(Panel):
    """The guided run's left column.  asked_for_run, asked_for_csv : buttons pressed."""

    asked_for_run = Signal()
    asked_for_csv = Signal()

    def __init__(self, session: Session, course: CourseRunner, colours: Colours) -> None:
        super().__init__("Reading")
        self._session, self._course, self.colours = session, course, colours
        self.retake_id: int | None = None
        self._slip: Slip | None = None
        self._beyond_asked: float | None = None
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(7)
        self.body.addWidget(scrolling(inner), 1)
        self.channel = QComboBox()
        self.channel.setAccessibleName("Channel of a unit")
        self.channel.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.channel.setMinimumContentsLength(12)
        self.channel.activated.connect(self._channel_picked)
        column.addWidget(self.channel)
        self.what = label("", "small")
        column.addWidget(self.what)
        big = QHBoxLayout()
        big.setSpacing(10)
        self.number, self.name = label("", "big"), label("", "bigmuted")
        for one in (self.number, self.name):
            big.addWidget(one, 0, Qt.AlignmentFlag.AlignBaseline)
        big.addStretch(1)
        column.addLayout(big)
        self.expect = label("", wrap=True)
        column.addWidget(self.expect)
        row = QHBoxLayout()
        self.entry = BenchEdit()
        self.entry.setProperty("entry", True)
        self.entry.setAccessibleName("Reading")
        self.entry.returnPressed.connect(self.take)
        self.entry.textEdited.connect(lambda: self._ask(None))
        row.addWidget(self.entry, 1)
        self.unit = label("", "muted")
        row.addWidget(self.unit)
        column.addLayout(row)
        self.question = label("", "question", wrap=True)
        column.addWidget(self.question)
        answers = QHBoxLayout()
        self.meant, self.typed = QPushButton(), QPushButton("Take it as typed")
        self.meant.setAccessibleName("Take what was probably meant")
        self.meant.clicked.connect(self._take_meant)
        self.typed.clicked.connect(self._take_typed)
        answers.addWidget(self.meant)
        answers.addWidget(self.typed)
        answers.addStretch(1)
        column.addLayout(answers)
        self.hint = label("Enter takes it · Ctrl+Shift+Backspace voids the last", "small", wrap=True)
        column.addWidget(self.hint)
        column.addWidget(rule())
        self.progress = label("", wrap=True)
        self.dashes = Dashes()
        column.addWidget(self.progress)
        column.addWidget(self.dashes)
        column.addWidget(rule())
        self.meter_name, self.meter_words = label("", "small"), label("", wrap=True)
        proof = QHBoxLayout()
        self.proof_sign, self.proof = label(""), label("", wrap=True)
        proof.addWidget(self.proof_sign, 0, Qt.AlignmentFlag.AlignTop)
        proof.addWidget(self.proof, 1)
        column.addWidget(self.meter_name)
        column.addWidget(self.meter_words)
        column.addLayout(proof)
        column.addWidget(rule())
        self.conditions = label("", "muted", wrap=True)
        column.addWidget(self.conditions)
        column.addStretch(1)
        self.taking = TakingRow(session, course)
        self.body.addWidget(self.taking)
        course.devices.progressed.connect(self._went_on)
        course.devices.asked.connect(self.refresh)
        buttons = QHBoxLayout()
        self.new_run, self.from_csv = QPushButton("New run…"), QPushButton("Open CSV…")
        self.new_run.clicked.connect(self.asked_for_run)
        self.from_csv.clicked.connect(self.asked_for_csv)
        buttons.addWidget(self.new_run)
        buttons.addWidget(self.from_csv)
        buttons.addStretch(1)
        self.body.addLayout(buttons)
        self._ask(None)

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self, *_: object) -> None:
        """Show the run looked at and the thread's note."""
        session, style = self._session, self._session.style
        self._show_channels()
        judged = session.runs.analysis()
        by_itself = self._course.devices.progress is not None
        had_focus = self.entry.hasFocus()
        for part in (self.entry, self.from_csv, self.channel):
            part.setEnabled(judged is not None and not by_itself)
        if by_itself and self._wanted_by_hand():
            self.entry.setEnabled(True)
            self.entry.setFocus()
            had_focus = False
        self.new_run.setEnabled(not by_itself)
        self.taking.refresh()
        if by_itself and had_focus:
            self.taking.pause.setFocus()
        if judged is None:
            self._show_nothing()
            return
        note = session.selection.note
        code = dict(zip(judged.run.plan, judged.run.codes, strict=False)).get(note)
        shown = plain(note) if float(note).is_integer() else style.number(note, 2)
        set_text(self.number, shown if code is None else str(code))
        set_text(self.name, (note_name(note, style) or "") if code is None else "code")
        set_text(self.what, self._what(judged, note))
        why = planned_words(judged.planned, style) if judged.planned is not None else ""
        told = [self._expectation(judged, note), *([why] if why and note == (judged.next_note or note) else [])]
        set_text(self.expect, tied(" ".join(told)))
        set_text(self.unit, UNITS[judged.run.quantity])
        read = {row.note for row in judged.valid}
        set_text(self.progress, progress_words(judged))
        self.dashes.show_notes([(n in read, n == note) for n in judged.run.plan], self.colours)
        self._show_meter(judged)
        self._show_conditions(judged)

    def _show_channels(self) -> None:
        session = self._session
        channels = session.bench.channels
        shown = [self.channel.itemText(k) for k in range(self.channel.count())]
        names = [f"{session.bench.label(ref)} · unit {serial}" for ref, serial in channels]
        if names != shown:
            self.channel.clear()
            for channel, name in zip(channels, names, strict=True):
                self.channel.addItem(name, channel)
        if session.selection.channel in channels:
            self.channel.setCurrentIndex(channels.index(session.selection.channel))
        self.channel.setVisible(bool(channels))

    def _channel_picked(self, index: int) -> None:
        self._session.selection.set_channel(self.channel.itemData(index))

    def _went_on(self, progress: Progress) -> None:
        judged = self._session.runs.analysis()
        if judged is not None and progress.state in ("connecting", "settling", "paused"):
            set_text(self.what, self._what(judged, self._session.selection.note))

    def _what(self, judged: RunAnalysis, note: float) -> str:
        progress = self._course.devices.progress
        if progress is not None:
            return {"connecting": "Asking who is there", "paused": "Paused, the output is safe"}.get(
                progress.state, "On the jack now, read by itself"
            )
        if self.retake_id is not None:
            return "Take this reading again; the old one is voided"
        if note == judged.next_note:
            return "Next reading: play"
        if any(row.note == note for row in judged.valid):
            return "Read once more" if judged.next_note is not None else "All notes are read; read once more"
        return "Read besides the plan"

    def _expectation(self, judged: RunAnalysis, note: float) -> str:
        style = self._session.style
        wanted = float(judged.model.expected_shown(note))
        if judged.run.quantity == "volts":
            sentence = f"Wanted {style.volts(wanted)}"
            return f"{sentence}, expect about {style.volts(judged.expect(note), 3)}." if judged.fit else f"{sentence}."
        if judged.run.quantity == "hertz":
            return f"Wanted {style.hertz(wanted)}, expect about {style.hertz(judged.expect(note))}."
        return f"Wanted {style.hertz(wanted)}; type how many cents off it is, sharp is positive."

    def _show_meter(self, judged: RunAnalysis) -> None:
        style, run = self._session.style, judged.run
        spec = judged.meter
        if spec is None or run.meter is None:
            set_text(self.meter_name, "Instrument")
            set_text(
                self.meter_words,
                {
                    "volts": "No meter is specified: nothing is known of what a reading is worth.",
                    "hertz": "No counter is specified: nothing is known of what a reading is worth.",
                    "cents": "No tuner is specified: nothing is known of what a reading is worth.",
                }[run.quantity],
            )
            set_text(self.proof, "")
            self.proof_sign.clear()
            return
        set_text(self.meter_name, KIND_WORDS[run.meter.kind].capitalize())
        set_text(self.meter_words, tied(" · ".join(instrument_facts(run, spec, style))))
        if judged.proof is None:
            set_text(self.proof, "")
            self.proof_sign.clear()
            return
        set_text(self.proof, tied(" ".join(proof_sentences(judged.proof, style))))
        sign: SignShape = "disc" if judged.proof.enough else "triangle"
        colour = self.colours.blue if judged.proof.enough else self.colours.vermilion
        self.proof_sign.setPixmap(shape_pixmap(sign, colour, 12, self.devicePixelRatioF()))

    def _show_conditions(self, judged: RunAnalysis) -> None:
        run, style, bench = judged.run, self._session.style, self._session.bench
        law = judged.model.law
        parts = [law_words(law, note_label(law.reference_note, style))]
        where = {"jack": "at the jack", "input": "at the input", "oscillator": "at the oscillator"}[run.where]
        plugged = ", ".join(bench.label(ref) for ref in run.plugged) or "nothing"
        parts.append(f"read {where}, {plugged} plugged")
        warm = []
        if run.warm_minutes is not None:
            warm.append(f"warmed up {style.number(run.warm_minutes, 0)} min")
        if run.celsius is not None:
            warm.append(f"{style.number(run.celsius, 1)} °C")
        if warm:
            parts.append(", ".join(warm))
        head = {"nominal": "nominal codes", "constants": "constants in force", "table": "a table in force"}
        if run.converter is not None:
            parts.append(head[run.head.kind])
        set_text(self.conditions, tied(" · ".join(parts)))

    def _show_nothing(self) -> None:
        empty = not self._session.bench.channels
        set_text(self.what, "Nothing to read yet")
        for part in (
            self.number,
            self.name,
            self.unit,
            self.progress,
            self.meter_name,
            self.meter_words,
            self.proof,
            self.conditions,
        ):
            set_text(part, "")
        self.proof_sign.clear()
        self.dashes.show_notes([], self.colours)
        set_text(
            self.expect,
            "Begin a run: it asks for the board, its law and your meter, then says what to play and what to read."
            if empty
            else "This channel has no run yet. Begin one, or choose another channel.",
        )

    # -- taking ------------------------------------------------------------------------------------

    def take(self) -> None:
        """Take what is typed; a probable slip is asked about first."""
        judged = self._session.runs.analysis()
        if judged is None:
            return
        try:
            value = parse_quantity(
                self.entry.text(),
                UNITS[judged.run.quantity],
                "The reading",
                decimal_comma=self._session.style.decimal_comma,
            )
        except InputError as error:
            self._refuse(str(error))
            return
        slip = self._find_slip(judged, value)
        if slip is not None and self._slip is None:
            self._ask(slip)
            return
        beyond = beyond_range(judged.meter, value, self._session.style)
        if beyond and self._slip is None and self._beyond_asked != value:
            self._beyond_asked = value
            self._refuse(beyond)
            return
        self._store(value)

    def _wanted_by_hand(self) -> bool:
        """Whether what takes the run by itself waits for a reading that is typed."""
        question = self._course.devices.question
        return question is not None and question.wants != "play"

    def _note_asked(self) -> float:
        """The note whose reading is typed: the one that is waited for, else the one that is looked at."""
        question = self._course.devices.question
        return self._session.selection.note if question is None else question.note

    def _find_slip(self, judged: RunAnalysis, value: float) -> Slip | None:
        note = self._note_asked()
        value = float(as_read(judged.run, judged.model, [note], [value])[0])
        return find_slip(value, judged.expect(note), note, judged.model)

    def _ask(self, slip: Slip | None) -> None:
        self._slip = slip
        restyle(self.entry, "wrong", False)
        for part in (self.question, self.meant, self.typed):
            part.setVisible(slip is not None)
        self.hint.setVisible(slip is None)
        if slip is None:
            return
        self.question.setText(self._question(slip))
        self.meant.setVisible(slip.meant is not None or slip.note is not None)
        if slip.meant is not None:
            self.meant.setText(f"Take {self._shown(slip.meant)}")
        elif slip.note is not None:
            self.meant.setText(f"It is note {note_label(slip.note, self._session.style)}")
        (self.meant if self.meant.isVisibleTo(self) else self.typed).setFocus()

    def _question(self, slip: Slip) -> str:
        style, typed = self._session.style, self.entry.text().strip()
        shown = f"{typed} {self.unit.text()}" if typed[-1:].isdigit() else typed
        if slip.meant is not None:
            return f"{shown}: did you mean {self._shown(slip.meant)}?"
        far = f"{style.cents(slip.off_cents, sign=True)} ct from what is expected"
        if slip.note is not None:
            return f"{shown} is {far}; it is what note {note_label(slip.note, style)} should read. Is that what plays?"
        return f"{shown} is {far}. Is it right?"

    def _shown(self, value: float) -> str:
        judged = self._session.runs.analysis()
        if judged is not None and judged.model.quantity == "volts":
            return self._session.style.volts(value, 3)
        return self._session.style.hertz(value)

    def _take_meant(self) -> None:
        slip = self._slip
        if slip is None:
            return
        if slip.meant is not None:
            self._store(self._as_typed(slip.meant))
        elif slip.note is not None:
            self._session.selection.set_note(slip.note)
            self._store(self._as_typed(slip.value))

    def _as_typed(self, value: float) -> float:
        """A value in V or Hz in the run's own quantity."""
        judged = self._session.runs.analysis()
        return value if judged is None else judged.as_typed(self._note_asked(), value)

    def _take_typed(self) -> None:
        self.take()

    def _store(self, value: float) -> None:
        retaken = self.retake_id
        if self._wanted_by_hand():
            self._course.devices.answer(value)
            self._ask(None)
            self.entry.clear()
            return
        try:
            self._session.runs.take(self._session.selection.note, value)
            if retaken is not None:
                self._session.runs.void([retaken], "taken again")
        except InputError as error:
            self._refuse(str(error))
            return
        self.retake_id = None
        self._ask(None)
        self.entry.clear()
        self.entry.setFocus()
        self.refresh()

    def _refuse(self, sentence: str) -> None:
        self._ask(None)
        restyle(self.entry, "wrong", True)
        self.question.setText(sentence)
        self.question.show()
        self.hint.hide()
        self.entry.selectAll()

    def retake(self, reading_id: int, note: float) -> None:
        """The next reading takes the place of this one."""
        self.retake_id = reading_id
        self._session.selection.set_note(note)
        self.refresh()
        self.entry.setFocus()
