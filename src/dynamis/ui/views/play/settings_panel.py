"""What is played and what plays it: the song, its channel and track, and what the converter is set to."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.playing.sources import SongSource, channel_choices, track_choices
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.ui.session.session import Session
from dynamis.ui.views.play.converter_form import ConverterForm
from dynamis.ui.views.play.logic_panel import LogicPanel
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.panel import Panel, label, scrolling, set_refusal, set_text

# What is listened to where no port is.
BY_KEYS = "the computer's keys"
_KINDS = "MIDI files (*.mid *.midi *.smf)"


class SettingsPanel(Panel):
    """changed : something is set otherwise.  file_wanted : the path of a file to play.  phrase_wanted : its index.
    live_wanted : listen, or no more."""

    changed = Signal()
    file_wanted = Signal(str)
    phrase_wanted = Signal(int)
    live_wanted = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__("Song and converter")
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
        self._from_the_left()
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
        self.converter = ConverterForm(session)
        column.addWidget(self.converter)
        self.logic = LogicPanel()
        column.addWidget(self.logic)
        column.addStretch(1)
        self.body.addWidget(scrolling(inner), 1)
        self.open.clicked.connect(self._ask_file)
        self.phrases.activated.connect(lambda _: self.phrase_wanted.emit(self.phrases.currentIndex()))
        self.converter.changed.connect(self.changed)
        for box in (self.channel, self.track):
            box.activated.connect(lambda _: self._source_chosen())

    def _ask_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a MIDI file", "", _KINDS)
        if name:
            self.file_wanted.emit(name)

    def _source_chosen(self) -> None:
        self.show_rules()
        self.changed.emit()

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
        self._from_the_left()

    def _from_the_left(self) -> None:
        """Show an address that is longer than its field from its beginning."""
        line = self.input.lineEdit()
        if line is not None:
            line.setCursorPosition(0)

    # -- showing -------------------------------------------------------------------------------------

    def show_rules(self) -> None:
        """What hangs on something else is there only with it."""
        self.converter.show_rules(isinstance(self.channel.currentData(), str))

    def show_outputs(self) -> None:
        """The outputs of the bench, as they are now."""
        self.converter.show_outputs()

    def setting(self) -> ConverterSetting:
        """Raises `InputError` naming the field that cannot be read."""
        return self.converter.setting(self.channel.currentData())

    def show_source(self, source: SongSource, phrase_names: list[str]) -> None:
        """Another song: its name, its channels and its tracks."""
        set_text(self.title, source.name)
        set_text(self.about, source.about)
        for box, choices in (
            (self.phrases, [(name, name) for name in phrase_names]),
            (self.channel, channel_choices(source)),
            (self.track, track_choices(source)),
        ):
            before = box.currentData()
            if box is self.channel and source.live and not isinstance(before, str):
                before = None  # whoever plays may do so on another channel than the song before
            box.clear()
            for value, words in choices:
                box.addItem(words, value)
            at = box.findData(before)
            box.setCurrentIndex(max(0, at))
        self.phrases.setCurrentIndex(source.phrase if source.phrase is not None else -1)
        self.track.setEnabled(self.track.count() > 1)

    def say(self, sentence: str) -> None:
        set_refusal(self.refusal, sentence)
