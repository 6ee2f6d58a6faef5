"""The instruments of a bench: added, changed, put away; a meter's ranges as one thing."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.commands import Change, add_meter, archive_instrument, change_instrument
from dynamis.bench.document.records import KIND_WORDS, InstrumentRecord
from dynamis.bench.gear.instruments import accuracy_words, check_sentences, editable
from dynamis.errors import InputError
from dynamis.notation.style import tied
from dynamis.ui.devices.devices import Devices
from dynamis.ui.dialogs.instrument import InstrumentDialog
from dynamis.ui.dialogs.meter_check import MeterCheckDialog
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.panel import label, set_refusal, set_text
from dynamis.ui.widgets.table import Column, Row, Table

_COLUMNS = (
    Column("instrument", left=True, stretch=3.0),
    Column("kind", left=True),
    Column("range"),
    Column("accuracy", left=True, stretch=2.0),
    Column("", "whether it is put away", left=True),
)


class InstrumentsDialog(QDialog):
    """Every change is one of the bench, with undo."""

    def __init__(self, parent: QWidget | None, session: Session, devices: Devices | None = None) -> None:
        super().__init__(parent)
        self._session, self._devices = session, devices
        self.setWindowTitle("Instruments")
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(10)
        column.addWidget(label("What readings are taken with. Runs keep a copy of what they were taken with.", "muted"))
        self.table = Table("Instruments", _COLUMNS)
        self.table.on_activate = lambda _: self.change()
        column.addWidget(self.table, 1)
        self.told = label("", "small", wrap=True)
        column.addWidget(self.told)
        self.refusal = label("", "question", wrap=True)
        self.refusal.hide()
        column.addWidget(self.refusal)
        row = QHBoxLayout()
        self.add, self.add_range, self.edit, self.check, self.archive, self.close_button = (
            QPushButton(text) for text in ("Add…", "Add a range…", "Edit…", "Check…", "Archive", "Close")
        )
        for button, does in (
            (self.add, self.new),
            (self.add_range, self.new_range),
            (self.edit, self.change),
            (self.check, self.check_one),
            (self.archive, self.put_away),
            (self.close_button, self.accept),
        ):
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, does=does: does())
            row.addWidget(button)
        row.insertStretch(5, 1)
        column.addLayout(row)
        self.table.selectionModel().selectionChanged.connect(lambda *_: self._enable())
        self.resize(660, 380)
        self._show()

    def _show(self) -> None:
        chosen = self._chosen()
        meters = sorted(self._session.bench.meters, key=lambda one: (one.archived, one.name))
        rows = []
        for one in meters:
            away = "archived" if one.archived else "checked" if one.check is not None else ""
            cells = (one.name, KIND_WORDS[one.kind], one.range_name, accuracy_words(one), away)
            rows.append(Row(cells, one.id, "muted" if one.archived else "", tip=one.label))
        self.table.set_rows(rows)
        ids = [one.id for one in meters]
        if ids:
            self.table.selectRow(ids.index(chosen.id) if chosen is not None and chosen.id in ids else 0)
        self._enable()

    def _chosen(self) -> InstrumentRecord | None:
        keys = self.table.selected_keys()
        known = {one.id: one for one in self._session.bench.meters}
        return known.get(str(keys[0])) if keys else None

    def _enable(self) -> None:
        chosen = self._chosen()
        self.edit.setEnabled(chosen is not None and editable(chosen))
        self.add_range.setEnabled(chosen is not None and chosen.kind == "meter")
        self.check.setEnabled(chosen is not None and chosen.kind == "meter")
        told = [] if chosen is None else check_sentences(chosen, self._session.style)
        set_text(self.told, tied(" ".join(told)))
        self.archive.setEnabled(chosen is not None)
        self.archive.setText("Take out" if chosen is not None and chosen.archived else "Archive")

    def _taken(self) -> set[str]:
        return {one.id for one in self._session.bench.meters}

    def new(self) -> None:
        """Ask for an instrument."""
        dialog = InstrumentDialog(self, self._session.style, self._taken())
        if dialog.exec():
            self._do(lambda: add_meter(self._session.bench, dialog.value))

    def new_range(self) -> None:
        """Ask for another range of the meter that is chosen."""
        chosen = self._chosen()
        if chosen is None:
            return
        dialog = InstrumentDialog(self, self._session.style, self._taken(), kinds=("meter",), like=chosen)
        if dialog.exec():
            self._do(lambda: add_meter(self._session.bench, dialog.value))

    def change(self) -> None:
        """Ask for other values of the instrument that is chosen."""
        chosen = self._chosen()
        if chosen is None or not editable(chosen):
            return
        dialog = InstrumentDialog(self, self._session.style, self._taken(), kinds=(chosen.kind,), old=chosen)
        if dialog.exec():
            self._do(lambda: change_instrument(self._session.bench, dialog.value))

    def check_one(self) -> None:
        """Check the meter's range that is chosen against known volts."""
        chosen = self._chosen()
        if chosen is None:
            return
        known = [one for one in self._session.bench.meters if one.kind == "known-voltage" and not one.archived]
        dialog = MeterCheckDialog(self, self._session.style, chosen, known, self._devices)
        if dialog.exec():
            self._do(lambda: change_instrument(self._session.bench, dialog.value))

    def put_away(self) -> None:
        """Archive the instrument that is chosen, with all its ranges, or take it out."""
        chosen = self._chosen()
        if chosen is not None:
            self._do(lambda: archive_instrument(self._session.bench, chosen.id, not chosen.archived))

    def _do(self, make: Callable[[], Change]) -> None:
        try:
            self._session.document.apply(make())
            set_refusal(self.refusal, "")
        except InputError as error:
            set_refusal(self.refusal, str(error))
        self._show()
