"""A new run: which unit and channel, which law, what is read, with what, where, and what is plugged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.commands import add_gear, add_meter, add_unit
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import RunRecord
from dynamis.bench.runs.beginning import new_run
from dynamis.bench.runs.planning import WHICH, notes_to_read, usual_enough
from dynamis.bench.runs.who import PLAYER_WORDS, READER_WORDS, players_for, readers_for, usual_player, usual_reader
from dynamis.errors import InputError
from dynamis.files.stored import now
from dynamis.notation.numbers import parse_quantity
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import Naming, parse_note_list
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.ui.dialogs.board import BoardDialog
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.dialogs.instrument import InstrumentDialog
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.law_edit import LawEdit
from dynamis.ui.widgets.panel import clear, label

_QUANTITIES = (
    ("volts", "volts, by a meter"),
    ("hertz", "hertz, by a counter, tuner or sound"),
    ("cents", "cents, by a tuner"),
)
_FIRST = "01"
_PLACES = (("jack", "at the output jack"), ("input", "at the receiver's input"), ("oscillator", "at the oscillator"))


class RunDialog(FormDialog[RunRecord]):
    """Gives a `RunRecord`; boards, units and meters that it adds are changes of the bench, with undo."""

    def __init__(self, parent: QWidget | None, session: Session) -> None:
        super().__init__(parent, "A new run", "Begin the run", width=600)
        self._session = session
        self.channel = QComboBox()
        self.form.addRow(
            "Channel", _beside(self.channel, ("Add a board…", self._add_board), ("Add a unit…", self._add_unit))
        )
        self.channel.setAccessibleName("Channel")
        self.title = self.line("Title", "As found")
        self.law = LawEdit(session.style)
        self.form.addRow(label("It should follow"), self.law)
        self.quantity = self._choice("What is read", _QUANTITIES)
        self.meter = QComboBox()
        self.meter.setAccessibleName("Instrument")
        self.form.addRow("Instrument", _beside(self.meter, ("Add one…", self._add_meter)))
        self.reader = self._choice("Read by", ())
        self.player = self._choice("Played by", ())
        self.source = self._choice("What feeds it", ())
        self.where = self._choice("Where it is read", _PLACES)
        self._plugs = QVBoxLayout()
        self._plugs.setSpacing(2)
        plugs = QWidget()
        plugs.setLayout(self._plugs)
        self._plugs.setContentsMargins(0, 3, 0, 0)
        self.form.addRow("Plugged meanwhile", plugs)
        self.celsius = self.line("Temperature", "", "°C, where it is known")
        self.warm = self.line("Warmed up", "", "minutes, where it is known")
        self.plan = self.line("Notes to read", "36:96:12", "36:96:12, or 36,48,60")
        self.which = self._choice("Of them", tuple(WHICH.items()))
        self.enough = self.line("Enough, cents", "", "by how much another reading may still change the correction")
        self.which.currentIndexChanged.connect(self._which_changed)
        self.tolerance = self.line("Tolerance, cents", "5", "5, or 36:41=10,42:90=5,91:96=10")
        self.column.insertWidget(
            1,
            label(
                "Read after warming up and settling, on one range; check limits before you connect.", "small", wrap=True
            ),
        )
        self.channel.currentIndexChanged.connect(self._channel_changed)
        self.quantity.currentIndexChanged.connect(self._quantity_changed)
        self.meter.currentIndexChanged.connect(self._fill_readers)
        self._fill_channels(session.selection.channel)
        self._quantity_changed()
        self._which_changed()

    def _choice(self, text: str, choices: tuple[tuple[str, str], ...]) -> QComboBox:
        box = QComboBox()
        for key, words in choices:
            box.addItem(words, key)
        self.row(text, box)
        return box

    def _fill_channels(self, chosen: tuple[PortRef, str] | None, *, keep: bool = False) -> None:
        """keep : what was typed of the channel stays."""
        self.channel.blockSignals(True)
        self.channel.clear()
        bench = self._session.bench
        for ref, serial in bench.measurable:
            side = "" if bench.port(ref).direction == "output" else ", its own tracking"
            unit = f"unit {serial}" if serial else f"its first unit, {_FIRST}"
            self.channel.addItem(f"{bench.label(ref)} · {unit}{side}", (ref, serial))
        self.channel.blockSignals(False)
        index = next((k for k in range(self.channel.count()) if self.channel.itemData(k) == chosen), 0)
        self.channel.blockSignals(keep)
        self.channel.setCurrentIndex(index)
        self.channel.blockSignals(False)
        if not keep:
            self._channel_changed()

    def _fill_meters(self, chosen: str | None = None) -> None:
        self.meter.clear()
        quantity = self.quantity.currentData()
        for meter in self._session.bench.meters:
            if quantity in meter.reads and meter.kind != "known-voltage" and not meter.archived:
                self.meter.addItem(meter.label, meter.id)
        self.meter.addItem("not specified", None)
        index = self.meter.findData(chosen) if chosen else 0
        self.meter.setCurrentIndex(max(0, index))
        self._fill_readers()

    def _fill_readers(self) -> None:
        """What may read, the usual one for the instrument first."""
        quantity, meter_id = self.quantity.currentData(), self.meter.currentData()
        instrument = None if meter_id is None else self._session.bench.meter(meter_id)
        _fill(self.reader, readers_for(quantity), READER_WORDS, usual_reader(quantity, instrument))

    def _fill_players(self, port: Port) -> None:
        side = port.direction
        _fill(self.player, players_for(side), PLAYER_WORDS, usual_player(port))
        self.source.clear()
        for one in self._session.bench.meters:
            if one.kind == "known-voltage" and not one.archived:
                self.source.addItem(one.label, one.id)
        self.source.addItem("not specified", None)
        self.form.setRowVisible(self.source, side == "input")

    def _channel_changed(self) -> None:
        chosen = self.channel.currentData()
        clear(self._plugs)
        self.plugs: list[tuple[QCheckBox, PortRef]] = []
        self.ok.setEnabled(chosen is not None)
        if chosen is None:
            self._plugs.addWidget(label("Add a board here, or gear with a pitch port on Bench.", "muted"))
            return
        bench, ref = self._session.bench, chosen[0]
        port = bench.port(ref)
        takes = port.direction == "input"
        self._fill_players(port)
        into = next(iter(bench.links_into(ref)), None)
        link = into if takes else bench.link_from(ref)
        if takes and self.quantity.currentData() == "volts":
            self.quantity.setCurrentIndex(1)
        if port.law is not None:
            self.law.show_law(parse_law(port.law))
        if link is not None:
            self.tolerance.setText(link.tolerance)
            self.plan.setText(f"{link.low_note:g}:{link.high_note:g}:{6 if link.high_note - link.low_note > 24 else 3}")
        for sink in link.inputs if link and not takes else ():
            box = QCheckBox(bench.label(sink))
            self.plugs.append((box, sink))
            self._plugs.addWidget(box)
        if not self.plugs:
            words = "it is read by what it plays" if takes else "nothing on this bench hangs on it"
            self._plugs.addWidget(label(words, "muted"))

    def _which_changed(self) -> None:
        self.form.setRowVisible(self.enough, self.which.currentData() == "few")

    def _quantity_changed(self) -> None:
        volts = self.quantity.currentData() == "volts"
        self._fill_meters()
        if not volts:
            self.where.setCurrentIndex(2)
        elif self.where.currentIndex() == 2:
            self.where.setCurrentIndex(0)

    def _add_board(self) -> None:
        dialog = BoardDialog(self, self._session.style, {gear.id for gear in self._session.bench.gear})
        if not dialog.exec():
            return
        try:
            self._session.document.apply(add_gear(self._session.bench, *dialog.value.gear, link=dialog.value.link))
        except InputError as error:
            self.say(str(error))
            return
        ref = dialog.value.link.output
        self._fill_channels((ref, dialog.value.board.units[0].serial))

    def _add_unit(self) -> None:
        chosen = self.channel.currentData()
        if chosen is None:
            self.say("Add a board first; a unit is one specimen of it.")
            return
        from PySide6.QtWidgets import QInputDialog

        serial, taken = QInputDialog.getText(self, "Add a unit", "Serial number of the unit:")
        if not taken:
            return
        try:
            self._session.document.apply(add_unit(self._session.bench, chosen[0].gear, serial))
        except InputError as error:
            self.say(str(error))
            return
        self._fill_channels((chosen[0], " ".join(serial.split())))

    def _add_meter(self) -> None:
        kinds = {"volts": ("meter",), "hertz": ("counter", "tuner", "sound"), "cents": ("tuner",)}[
            self.quantity.currentData()
        ]
        taken = {meter.id for meter in self._session.bench.meters}
        dialog = InstrumentDialog(self, self._session.style, taken, kinds=kinds)
        if dialog.exec():
            self._session.document.apply(add_meter(self._session.bench, dialog.value))
            self._fill_meters(dialog.value.id)

    def read(self) -> RunRecord:
        session = self._session
        channel, serial = self.channel.currentData()
        law = self.law.law()
        if not serial:
            change = add_unit(session.bench, channel.gear, _FIRST)
            session.document.apply(change)
            serial = _FIRST
            self._fill_channels((channel, serial), keep=True)
        naming = Naming(session.style.middle_c)
        meter_id, which = self.meter.currentData(), self.which.currentData()
        source_id = self.source.currentData() if session.bench.port(channel).direction == "input" else None
        tolerance = parse_tolerance(self.tolerance.text(), naming)
        plan = notes_to_read(which, parse_note_list(self.plan.text(), naming))
        enough = self._optional(self.enough.text(), "", "What is enough") or usual_enough(tolerance, plan)
        return new_run(
            session.bench,
            session.runs.in_force((channel, serial)),
            run_id=session.runs.fresh_id(f"{serial} {self.title.text()}"),
            title=self.title.text(),
            created=now(),
            channel=channel,
            serial=serial,
            law=law,
            tolerance=tolerance,
            plan=plan,
            quantity=self.quantity.currentData(),
            meter=None if meter_id is None else session.bench.meter(meter_id),
            where=self.where.currentData(),
            plugged=tuple(sink for box, sink in self.plugs if box.isChecked()),
            celsius=self._optional(self.celsius.text(), "°C", "The temperature"),
            warm_minutes=self._optional(self.warm.text(), "", "The minutes warmed up"),
            enough_cents=enough if which == "few" else None,
            player=self.player.currentData(),
            reader=self.reader.currentData(),
            source=None if source_id is None else session.bench.meter(source_id),
        )

    def _optional(self, text: str, unit: str, what: str) -> float | None:
        if not text.strip():
            return None
        return parse_quantity(text, unit, what, decimal_comma=self._session.style.decimal_comma)


def _fill(box: QComboBox, kinds: Sequence[str], words: Mapping[Any, str], chosen: str) -> None:
    box.clear()
    for kind in kinds:
        box.addItem(words[kind], kind)
    box.setCurrentIndex(max(0, box.findData(chosen)))


def _beside(box: QComboBox, *buttons: tuple[str, object]) -> QWidget:
    """A choice with what adds to it."""
    widget = QWidget()
    row = QHBoxLayout(widget)
    row.setContentsMargins(0, 0, 0, 0)
    row.addWidget(box, 1)
    for text, slot in buttons:
        button = QPushButton(text)
        button.setAutoDefault(False)
        button.clicked.connect(slot)
        row.addWidget(button)
    return widget
