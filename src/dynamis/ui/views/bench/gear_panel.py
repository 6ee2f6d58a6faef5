"""Gear edited in place: its settings, power and notes, and each of its ports."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.commands import (
    add_port,
    archive_gear,
    copy_gear,
    copy_port,
    fields_of,
    fields_of_gear,
    remove_port,
    set_gear_field,
    set_port_field,
)
from dynamis.bench.gear.fields import Field
from dynamis.bench.judging.power import power_words
from dynamis.errors import InputError
from dynamis.ui.session.session import Session
from dynamis.ui.views.bench.inner_rows import InnerRows
from dynamis.ui.widgets.field_form import FieldForm
from dynamis.ui.widgets.panel import Sentences, label, rule, scrolling, set_refusal


class GearPanel(QWidget):
    """One gear and one of its ports at a time."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.gear, self.port = QComboBox(), QComboBox()
        self.gear.setAccessibleName("Gear")
        self.port.setAccessibleName("Port")
        self.gear.activated.connect(lambda _: self._gear_chosen())
        self.port.activated.connect(lambda _: self._show())
        self._filled: tuple[object, ...] = ()
        self.refusal = label("", "question", wrap=True)
        said = lambda text: set_refusal(self.refusal, text)  # noqa: E731
        self.gear_form, self.port_form = FieldForm(self._take_gear, said), FieldForm(self._take_port, said)
        self.inner_rows = InnerRows(session, said)
        inner = QWidget()
        forms = QVBoxLayout(inner)
        forms.setContentsMargins(0, 0, 6, 0)
        forms.setSpacing(8)
        self.copy, self.archive = QPushButton("Copy"), QPushButton("Archive")
        self.add_gear = QPushButton("Add…")
        self.add_gear.setToolTip("Gear from the library of kinds, Ctrl+Shift+G")
        self.copy.clicked.connect(lambda _=False: self._do(copy_gear, self.gear_id))
        self.archive.clicked.connect(lambda _=False: self._do(archive_gear, self.gear_id, not self._archived))
        self.add_gear.clicked.connect(lambda _=False: self.new_gear())
        self.add_port, self.remove_port = QPushButton("Add port…"), QPushButton("Remove")
        self.copy_port = QPushButton("Copy")
        self.copy_port.setAccessibleName("Copy the port")
        self.copy_port.clicked.connect(lambda _=False: self._do(copy_port, self.ref))
        self.add_port.clicked.connect(lambda _=False: self.new_port())
        self.remove_port.clicked.connect(lambda _=False: self._do(remove_port, self.ref))
        column.addLayout(self._row(self.gear, self.add_gear, self.copy, self.archive))
        column.addWidget(self.refusal)
        forms.addLayout(self.gear_form)
        self.power = Sentences("small")
        forms.addLayout(self.power)
        forms.addWidget(rule())
        forms.addLayout(self._row(self.port, self.add_port, self.copy_port, self.remove_port))
        forms.addLayout(self.port_form)
        forms.addWidget(self.inner_rows)
        forms.addStretch(1)
        column.addWidget(scrolling(inner), 1)
        self.setFocusProxy(self.gear)

    def _row(self, *widgets: QWidget) -> QHBoxLayout:
        row = QHBoxLayout()
        for k, widget in enumerate(widgets):
            row.addWidget(widget, 1 if k == 0 else 0)
        return row

    # -- what is shown -----------------------------------------------------------------------------

    @property
    def gear_id(self) -> str | None:
        return self.gear.currentData()

    @property
    def ref(self) -> PortRef | None:
        return (
            None
            if self.gear_id is None or self.port.currentData() is None
            else PortRef(self.gear_id, self.port.currentData())
        )

    @property
    def _archived(self) -> bool:
        return self.gear_id is not None and self._session.bench.gear_by(self.gear_id).archived

    def look_at(self, ref: PortRef) -> None:
        """Show a port."""
        self.refresh()
        self.gear.setCurrentIndex(self.gear.findData(ref.gear))
        self._fill_ports()
        self.port.setCurrentIndex(self.port.findData(ref.port))
        self._show()

    def refresh(self) -> None:
        """Show the bench as it is now; what is shown stays while it is there."""
        gear_id = self.gear_id
        self.gear.clear()
        for gear in sorted(self._session.bench.gear, key=lambda one: one.archived):
            self.gear.addItem(f"{gear.name} (archived)" if gear.archived else gear.name, gear.id)
        self.gear.setCurrentIndex(max(0, self.gear.findData(gear_id)) if self.gear.count() else -1)
        self._fill_ports()
        self._show()

    def _fill_ports(self) -> None:
        ports = () if self.gear_id is None else self._session.bench.gear_by(self.gear_id).ports
        if ports is self._filled:
            return
        self._filled, chosen = ports, self.port.currentData()
        self.port.clear()
        for port in ports:
            self.port.addItem(f"{port.name}, {port.role} {port.direction}", port.id)
        self.port.setCurrentIndex(max(0, self.port.findData(chosen)) if ports else -1)

    def _gear_chosen(self) -> None:
        self._fill_ports()
        self._show()

    def _show(self) -> None:
        bench, style = self._session.bench, self._session.style
        for one in (self.copy, self.archive, self.add_port):
            one.setEnabled(self.gear_id is not None)
        for one in (self.copy_port, self.remove_port):
            one.setEnabled(self.ref is not None)
        set_refusal(self.refusal, "" if bench.gear else "There is no gear on this bench yet: add some.")
        if self.gear_id is None:
            self.gear_form.show_record([], None, style, "")
        else:
            gear = bench.gear_by(self.gear_id)
            self.archive.setText("Take out" if gear.archived else "Archive")
            self.gear_form.show_record(fields_of_gear(bench, gear.id), gear, style, gear.name)
            self.power.show_sentences(power_words(bench, gear, style))
        self.inner_rows.show_port(self.ref)
        if self.ref is None:
            self.port_form.show_record([], None, style, "")
        else:
            self.port_form.show_record(fields_of(bench, self.ref), bench.port(self.ref), style, bench.label(self.ref))

    # -- what is done ------------------------------------------------------------------------------

    def _take_gear(self, field: Field, value: object) -> None:
        session = self._session
        assert self.gear_id is not None  # the form is shown for one only
        session.document.apply(set_gear_field(session.bench, self.gear_id, field, value, session.style))

    def _take_port(self, field: Field, value: object) -> None:
        session = self._session
        assert self.ref is not None
        session.document.apply(set_port_field(session.bench, self.ref, field, value, session.style))

    def _do(self, command: Callable[..., Change], *arguments: object) -> None:
        try:
            self._session.document.apply(command(self._session.bench, *arguments))
        except InputError as error:
            set_refusal(self.refusal, str(error))

    def new_gear(self) -> None:
        """Ask for gear of a kind, and put it on the bench."""
        from dynamis.bench.document.commands import add_gear
        from dynamis.ui.dialogs.kinds import GearDialog

        dialog = GearDialog(self, self._session.bench)
        if dialog.exec():
            self._session.document.apply(add_gear(self._session.bench, dialog.value))
            self.gear.setCurrentIndex(self.gear.findData(dialog.value.id))
            self._gear_chosen()

    def new_port(self) -> None:
        """Ask for a port of a kind, and add it to the gear that is shown."""
        from dynamis.ui.dialogs.kinds import PortDialog

        if self.gear_id is None:
            raise InputError("There is no gear to add a port to; add gear first.")
        dialog = PortDialog(self)
        if dialog.exec():
            change = add_port(self._session.bench, self.gear_id, dialog.value)
            self._session.document.apply(change)
            self.port.setCurrentIndex(self.port.count() - 1)
            self._show()
