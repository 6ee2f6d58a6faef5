"""What the converter of the Play station is set to: its law, its voices, its triggers and clocks, and its levels."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QVBoxLayout, QWidget

from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.ports import PortRef
from dynamis.bench.playing.arriving import setting_for
from dynamis.control.stepped import Level
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.voices import MOST_VOICES, VoiceRules
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity, parse_share
from dynamis.notation.safe import quoted
from dynamis.pitch.laws import law_text, parse_law
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.law_row import LawRow

_PRIORITIES = (
    ("last", "the last key"),
    ("low", "the lowest key"),
    ("high", "the highest key"),
    ("first", "the first key"),
)
_ALLOCATIONS = (("rotate", "the next in turn"), ("reuse", "the one that played it"), ("lowest", "the lowest free"))
_FIRES = (("every-press", "every press"), ("new-pitch", "a new pitch"))
# Outputs that are up or down, and how they do it.
_SWITCHING = ("gate", "trigger", "clock")
_GATE_KINDS = ((False, "driven"), (True, "a contact to ground"))


def _level_text(level: Level) -> str:
    return f"{level.low:g} V" if level.shorting else f"{level.low:g} … {level.high:g} V"


# Longer than any clock's pulse, where a share counts.
_LONGEST_CLOCK = 60.0
_CONTROLLERS = 120


class ConverterForm(QWidget):
    """changed : something is set otherwise."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._law, self._zone = law_text(ConverterSetting().law), False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self._make_converter(column)
        self.output.activated.connect(lambda _: self._take_output())
        for box in (self.priority, self.voices, self.allocation, self.fires):
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
        self.wheel, self.clocks, self.more = QLineEdit("2"), QLineEdit("1, 4"), QLineEdit()
        self.pulse, self.swing = self._line("Clock pulse", usual.clock_seconds), QLineEdit("50 %")
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
            ("Controllers", self.more),
            ("Clocks", self.clocks),
            ("Clock pulse", self.pulse),
            ("Swing", self.swing),
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
        self.pulse.setToolTip("A time, or a share of the time to the next pulse such as 50 %")
        self.swing.setToolTip("Where between its neighbours every second pulse comes; 50 % is even")
        self.more.setPlaceholderText("74 0 … 5 V; 11")
        self.more.setToolTip("Controllers besides modulation that have a jack, each with its levels")
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

    def choose_priority(self, priority: str) -> None:
        """Choose which of the held keys sounds."""
        self.priority.setCurrentIndex(self.priority.findData(priority))
        self._something()

    def show_rules(self, zone: bool | None = None) -> None:
        """What hangs on something else is there only with it.  zone : whether one of MPE is played, as before where it
        is None."""
        self._zone = self._zone if zone is None else zone
        self.law.show_law(self._law, self._session.style)
        self.law.clear.setVisible(False)
        for field in (self.voices, self.wheel):  # a zone has a voice for each member, and wheels of its own reach
            field.setEnabled(not self._zone)
        self.allocation.setEnabled(self.voices.currentData() > 1 and not self._zone)
        self.lead.setEnabled(self.transport.isChecked())

    # -- kept from one time to the next --------------------------------------------------------------

    def _fields(self) -> dict[str, QLineEdit | QComboBox | QCheckBox]:
        """What is kept, by name; not which output it is, which belongs to a bench."""
        fields: dict[str, QLineEdit | QComboBox | QCheckBox] = {
            "voices": self.voices,
            "priority": self.priority,
            "allocation": self.allocation,
            "fires": self.fires,
            "trigger": self.length,
            "gap": self.gap,
            "wheel": self.wheel,
            "controllers": self.more,
            "clocks": self.clocks,
            "pulse": self.pulse,
            "swing": self.swing,
            "lead": self.lead,
            "bends": self.bends,
            "cable": self.cable,
            "transport": self.transport,
        }
        fields |= {f"{name} levels": edit for name, edit in self.levels.items()}
        return fields | {f"{name} kind": box for name, box in self.kinds.items()}

    def state(self) -> dict[str, str]:
        """All of it as texts."""
        found = {"law": self._law}
        for name, field in self._fields().items():
            if isinstance(field, QComboBox):
                found[name] = str(field.currentData())
            else:
                found[name] = field.text() if isinstance(field, QLineEdit) else str(field.isChecked())
        return found

    def restore(self, state: Mapping[str, str]) -> None:
        """As it was; what cannot be read any more stays as it is."""
        before = self.state()
        self._put(state)
        try:
            self.setting(None)
        except InputError:
            self._put(before)
        self.show_rules()

    def _put(self, state: Mapping[str, str]) -> None:
        self._law = state.get("law", self._law)
        for name, field in self._fields().items():
            text = state.get(name)
            if text is None:
                continue
            blocked = field.blockSignals(True)
            if isinstance(field, QComboBox):
                words = [str(field.itemData(k)) for k in range(field.count())]
                field.setCurrentIndex(words.index(text) if text in words else field.currentIndex())
            elif isinstance(field, QLineEdit):
                field.setText(text)
            else:
                field.setChecked(text == str(True))
            field.blockSignals(blocked)

    # -- reading -------------------------------------------------------------------------------------

    def setting(self, channel: int | str | None) -> ConverterSetting:
        """channel : from 1 to 16, None for all, or a zone of MPE.  Raises `InputError` naming the field that cannot be
        read."""
        number = self._number
        levels = {name: self._level(edit, name) for name, edit in self.levels.items()}
        parts = [one for one in self.clocks.text().replace(";", ",").split(",") if one.strip()]
        zone = channel if isinstance(channel, str) else None
        seconds, share = self._width()
        return ConverterSetting(
            law=parse_law(self._law),
            tuning=tuning_of(self._session.bench),
            channel=channel if isinstance(channel, int) else None,
            rules=VoiceRules(
                self.voices.currentData(),
                self.priority.currentData(),
                self.allocation.currentData(),
                self.fires.currentData(),
            ),
            trigger_seconds=number(self.length, "s", "The trigger"),
            gap_seconds=number(self.gap, "s", "The gap"),
            bend_semitones=number(self.wheel, "", "The wheel's range"),
            bend_into_pitch=self.bends.isChecked(),
            gate=levels["gate"],
            trigger=levels["trigger"],
            velocity=levels["velocity"],
            bend=levels["bend"],
            modulation=levels["mod"],
            clock=levels["clock"],
            clocks=tuple(parse_quantity(one, "", "A clock", decimal_comma=False) for one in parts),
            clock_seconds=seconds,
            clock_share=share,
            swing=parse_share(self.swing.text(), "The swing"),
            more_controllers=self._controllers(),
            zone=zone,  # type: ignore[arg-type]  # the choices hold nothing else
            by_cable=self.cable.isChecked(),
            transport=self.transport.isChecked(),
            reset_leads_seconds=number(self.lead, "s", "What the reset is ahead by"),
        )

    def _number(self, edit: QLineEdit, unit: str, what: str) -> float:
        return parse_quantity(edit.text(), unit, what, decimal_comma=self._session.style.decimal_comma)

    def _width(self) -> tuple[float, float]:
        """(seconds, share of the time until the next) of a clock's pulse, of which the shorter counts."""
        usual = ConverterSetting()
        if "%" in self.pulse.text():
            return _LONGEST_CLOCK, parse_share(self.pulse.text(), "A clock's pulse")
        return self._number(self.pulse, "s", "A clock's pulse"), usual.clock_share

    def _controllers(self) -> tuple[tuple[int, Level], ...]:
        """Controllers besides modulation that have a jack: `74 0 … 5 V; 11`."""
        found = []
        for one in self.more.text().split(";"):
            number, _, levels = one.strip().partition(" ")
            if not number:
                continue
            if not (number.isascii() and number.isdigit() and int(number) < _CONTROLLERS):
                raise InputError(f"A controller is {quoted(number)}; a number from 0 to 119 was expected, such as 74.")
            level = ConverterSetting().modulation
            if levels.strip():
                level = self._level(QLineEdit(levels), f"controller {number}")
            found.append((int(number), level))
        return tuple(found)

    def _level(self, edit: QLineEdit, name: str) -> Level:
        """The two levels of an output; of a contact what it is pulled up to."""
        parts = edit.text().replace("…", ":").replace("..", ":").split(":")
        if name in self.kinds and bool(self.kinds[name].currentData()):
            pulled = [self._number(QLineEdit(part), "V", f"What {name} is pulled up to") for part in parts]
            return Level(max(pulled), 0.0, shorting=True)
        if len(parts) != 2:
            raise InputError(f"The levels of {name} are {quoted(edit.text())}; two were expected, such as 0 … 5 V.")
        low, high = (self._number(QLineEdit(part), "V", f"A level of {name}") for part in parts)
        return Level(low, high)
