"""What is played and what plays it: the song, its channel and track, and what the converter is set to."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.ports import PortRef
from dynamis.bench.playing.arriving import setting_for
from dynamis.bench.playing.sources import SongSource, channel_choices, track_choices
from dynamis.control.stepped import Level
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.voices import MOST_VOICES, VoiceRules
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.safe import quoted
from dynamis.pitch.laws import law_text, parse_law
from dynamis.ui.session.session import Session
from dynamis.ui.views.play.logic_panel import LogicPanel
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.law_row import LawRow
from dynamis.ui.widgets.panel import Panel, label, scrolling, set_refusal, set_text

_PRIORITIES = (
    ("last", "the last key"),
    ("low", "the lowest key"),
    ("high", "the highest key"),
    ("first", "the first key"),
)
_ALLOCATIONS = (("rotate", "the next in turn"), ("reuse", "the one that played it"), ("lowest", "the lowest free"))
_FIRES = (("every-press", "every press"), ("new-pitch", "a new pitch"))
# What is listened to where no port is.
BY_KEYS = "the computer's keys"
_KINDS = "MIDI files (*.mid *.midi *.smf)"


# Outputs that are up or down, and how they do it.
_SWITCHING = ("gate", "trigger", "clock")
_GATE_KINDS = ((False, "driven"), (True, "a contact to ground"))


def _level_text(level: Level) -> str:
    return f"{level.low:g} V" if level.shorting else f"{level.low:g} … {level.high:g} V"


class SettingsPanel(Panel):
    """changed : something is set otherwise.  file_wanted : the path of a file to play.  phrase_wanted : its index.
    live_wanted : listen, or no more."""

    changed = Signal()
    file_wanted = Signal(str)
    phrase_wanted = Signal(int)
    live_wanted = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__("Song and converter")
        self._session = session
        self._law = law_text(ConverterSetting().law)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(7)
        self.phrases = choice("Phrase", ())
        self.open = QPushButton("Open a MIDI file…")
        self.title, self.about = label("", "heading", wrap=True), label("", "small", wrap=True)
        song = form_grid()
        self.channel, self.track = choice("Channel", ()), choice("Track", ())
        for row, (words, box) in enumerate(
            (("Phrase", self.phrases), ("Channel", self.channel), ("Track", self.track))
        ):
            add_row(song, row, words, box)
        column.addWidget(self.title)
        column.addWidget(self.about)
        column.addLayout(song)
        column.addWidget(self.open)
        self.input = QComboBox()
        self.input.setEditable(True)
        self.input.setAccessibleName("Listen to")
        self.input.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.input.addItem(BY_KEYS)
        self.live = QPushButton("Play live")
        self.live.setCheckable(True)
        self.live.setToolTip(
            "The computer's keys play on the picture: to the right a semitone, a row up a fourth, Page up and Page "
            "down an octave"
        )
        self.live.toggled.connect(self.live_wanted)
        live = form_grid()
        add_row(live, 0, "Listen to", self.input)
        column.addLayout(live)
        self.out_too = QCheckBox("Straight out as well")
        self.out_too.setToolTip("By the computer's outputs, a board or a MIDI port, whichever is connected")
        column.addWidget(self.out_too)
        column.addWidget(self.live)
        column.addWidget(label("The converter", "heading"))
        self.refusal = label("", "question", wrap=True)
        column.addWidget(self.refusal)
        self._make_converter(column)
        self.logic = LogicPanel()
        column.addWidget(self.logic)
        column.addStretch(1)
        self.body.addWidget(scrolling(inner), 1)
        self.open.clicked.connect(self._ask_file)
        self.phrases.activated.connect(lambda _: self.phrase_wanted.emit(self.phrases.currentIndex()))
        self.output.activated.connect(lambda _: self._take_output())
        for box in (self.channel, self.track, self.priority, self.voices, self.allocation, self.fires):
            box.activated.connect(lambda _: self._something())

    def _make_converter(self, column: QVBoxLayout) -> None:
        grid = form_grid()
        usual = ConverterSetting()
        self.law, self.output = LawRow(self._take_law), choice("Converter", ())
        self.priority, self.allocation = choice("Sounds", _PRIORITIES), choice("A new key gets", _ALLOCATIONS)
        self.voices = choice("Voices", [(k, str(k)) for k in range(1, MOST_VOICES + 1)])
        self.fires = choice("Trigger fires at", _FIRES)
        self.length, self.gap = (
            self._line("Trigger", usual.trigger_seconds),
            self._line("Gap in the gate", usual.gap_seconds),
        )
        self.wheel, self.clocks = QLineEdit("2"), QLineEdit("1, 4")
        self.bends = QCheckBox("The wheel moves the pitch")
        rows: list[tuple[str, QWidget]] = [
            ("It is", self.output),
            ("Law", self.law),
            ("Voices", self.voices),
            ("Sounds", self.priority),
            ("New key gets", self.allocation),
            ("Fires at", self.fires),
            ("Trigger", self.length),
            ("Gate gap", self.gap),
            ("Wheel ±", self.wheel),
            ("Clocks", self.clocks),
        ]
        self.levels: dict[str, QLineEdit] = {}
        self.kinds: dict[str, QComboBox] = {}
        for name, level in (("gate", usual.gate), ("trigger", usual.trigger), ("velocity", usual.velocity),
                            ("bend", usual.bend), ("mod", usual.modulation), ("clock", usual.clock)):  # fmt: skip
            edit = QLineEdit(_level_text(level))
            self.levels[name] = edit
            rows.append((f"{name.capitalize()}, V", edit))
            if name in _SWITCHING:
                kind = self.kinds[name] = choice(f"{name.capitalize()} is", _GATE_KINDS)
                kind.activated.connect(lambda _: self._something())
                rows.append((f"{name.capitalize()} is", kind))
        for row, (words, field) in enumerate(rows):
            field.setAccessibleName(words)
            add_row(grid, row, words, field)
            if isinstance(field, QLineEdit):
                field.editingFinished.connect(self._something)
        self.clocks.setToolTip("Pulses a quarter note, commas between")
        self.wheel.setToolTip("Semitones, until the song sets its own range")
        self.gap.setToolTip("How long the gate goes down at a press while it is up; 0 for legato")
        column.addLayout(grid)
        self.cable, self.transport = QCheckBox("Through a MIDI cable"), QCheckBox("Run and reset jacks")
        self.lead = QLineEdit("0 s")
        self.lead.editingFinished.connect(self._something)
        ahead = form_grid()
        self.lead.setAccessibleName("Reset ahead by")
        add_row(ahead, 0, "Reset ahead by", self.lead)
        for box in (self.bends, self.cable, self.transport):
            column.addWidget(box)
            box.toggled.connect(lambda _: self._something())
        column.addLayout(ahead)

    def _line(self, name: str, seconds: float) -> QLineEdit:
        edit = QLineEdit(self._session.style.engineering(seconds, "s"))
        edit.setAccessibleName(name)
        return edit

    def _take_law(self, text: str | None) -> None:
        if text is not None:
            self._law = text
            self._something()

    def show_outputs(self) -> None:
        """The pitch outputs of the bench, behind a law of its own."""
        before, bench = self.output.currentData(), self._session.bench
        self.output.clear()
        self.output.addItem("one by its law alone", None)
        at = 0
        for gear in bench.gear:
            for port in () if gear.archived else gear.ports:
                if port.direction == "output" and port.role == "pitch" and port.law is not None:
                    ref = PortRef(gear.id, port.id)
                    self.output.addItem(bench.label(ref), ref)
                    at = self.output.count() - 1 if ref == before else at
        self.output.setCurrentIndex(at)

    def _take_output(self) -> None:
        """What a gear's ports say stands in the fields from now on."""
        ref, style = self.output.currentData(), self._session.style
        if ref is not None:
            setting = setting_for(self._session.bench, ref, ConverterSetting())
            self._law = law_text(setting.law)
            self.length.setText(style.engineering(setting.trigger_seconds, "s"))
            for name, level in (("gate", setting.gate), ("trigger", setting.trigger)):
                self.levels[name].setText(_level_text(level))
                self.kinds[name].setCurrentIndex(self.kinds[name].findData(level.shorting))
        self._something()

    def _something(self) -> None:
        self.show_rules()
        self.changed.emit()

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a MIDI file", "", _KINDS)
        if name:
            self.file_wanted.emit(name)

    def choose_priority(self, priority: str) -> None:
        """Choose which of the held keys sounds."""
        self.priority.setCurrentIndex(self.priority.findData(priority))
        self._something()

    def listens_to(self) -> str | None:
        """The address of a MIDI input, None for the computer's keys."""
        text = self.input.currentText().strip()
        return None if text in ("", BY_KEYS) else text

    def show_listening(self, listening: bool) -> None:
        """Whether it is listened."""
        set_text(self.live, "Stop listening" if listening else "Play live")

    def offer_inputs(self, addresses: list[str]) -> None:
        """MIDI inputs that were found; what is typed stays."""
        typed = self.input.currentText()
        self.input.clear()
        self.input.addItems([BY_KEYS, *addresses])
        self.input.setEditText(typed)
        line = self.input.lineEdit()
        if line is not None:
            line.setCursorPosition(0)

    # -- showing -------------------------------------------------------------------------------------

    def show_rules(self) -> None:
        """What hangs on something else is there only with it."""
        self.law.show_law(self._law, self._session.style)
        self.law.clear.setVisible(False)
        zone = isinstance(self.channel.currentData(), str)
        self.voices.setEnabled(not zone)
        self.allocation.setEnabled(self.voices.currentData() > 1 and not zone)
        self.lead.setEnabled(self.transport.isChecked())

    def show_source(self, source: SongSource, phrase_names: list[str]) -> None:
        """Another song: its name, its channels and its tracks."""
        set_text(self.title, source.name)
        set_text(self.about, source.about)
        for box, choices in (
            (self.phrases, [(name, name) for name in phrase_names]),
            (self.channel, channel_choices(source.song)),
            (self.track, track_choices(source)),
        ):
            before = box.currentData()
            box.clear()
            for value, words in choices:
                box.addItem(words, value)
            at = box.findData(before)
            box.setCurrentIndex(max(0, at))
        self.phrases.setCurrentIndex(source.phrase if source.phrase is not None else -1)
        self.track.setEnabled(self.track.count() > 1)

    def say(self, sentence: str) -> None:
        set_refusal(self.refusal, sentence)

    # -- reading -------------------------------------------------------------------------------------

    def setting(self) -> ConverterSetting:
        """Raises `InputError` naming the field that cannot be read."""
        comma = self._session.style.decimal_comma

        def number(edit: QLineEdit, unit: str, what: str) -> float:
            return parse_quantity(edit.text(), unit, what, decimal_comma=comma)

        levels = {name: self._level(edit, name, number) for name, edit in self.levels.items()}
        parts = [one for one in self.clocks.text().replace(";", ",").split(",") if one.strip()]
        clocks = tuple(parse_quantity(one, "", "A clock", decimal_comma=False) for one in parts)
        chosen = self.channel.currentData()
        zone = chosen if isinstance(chosen, str) else None
        return ConverterSetting(
            parse_law(self._law),
            tuning_of(self._session.bench),
            None if zone is not None else chosen,
            VoiceRules(
                self.voices.currentData(),
                self.priority.currentData(),
                self.allocation.currentData(),
                self.fires.currentData(),
            ),
            number(self.length, "s", "The trigger"),
            number(self.gap, "s", "The gap"),
            number(self.wheel, "", "The wheel's range"),
            self.bends.isChecked(),
            levels["gate"],
            levels["trigger"],
            levels["velocity"],
            levels["bend"],
            levels["mod"],
            levels["clock"],
            clocks,
            zone=zone,  # type: ignore[arg-type]  # the choices hold nothing else
            by_cable=self.cable.isChecked(),
            transport=self.transport.isChecked(),
            reset_leads_seconds=number(self.lead, "s", "What the reset is ahead by"),
        )

    def _level(self, edit: QLineEdit, name: str, number: Callable[[QLineEdit, str, str], float]) -> Level:
        """The two levels of an output; of a contact what it is pulled up to."""
        parts = edit.text().replace("…", ":").replace("..", ":").split(":")
        shorts = name in self.kinds and bool(self.kinds[name].currentData())
        if shorts:
            pulled = [number(QLineEdit(part), "V", f"What {name} is pulled up to") for part in parts]
            return Level(max(pulled), 0.0, shorting=True)
        if len(parts) != 2:
            raise InputError(f"The levels of {name} are {quoted(edit.text())}; two were expected, such as 0 … 5 V.")
        low, high = (number(QLineEdit(part), "V", f"A level of {name}") for part in parts)
        return Level(low, high)
