"""Gear or a port from the library of generic kinds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Generic, TypeVar

from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.checks import named
from dynamis.bench.document.commands import add_gear
from dynamis.bench.document.ports import Port
from dynamis.bench.gear.library import GEAR_KINDS, PORT_KINDS, GearKind, PortKind, gear_of, port_of
from dynamis.ui.dialogs.form import FormDialog, Result
from dynamis.ui.widgets.panel import label, set_text

KindT = TypeVar("KindT", GearKind, PortKind)


class _KindDialog(FormDialog[Result], Generic[KindT, Result]):
    """A name and a kind, with the sentence that says where the kind's values come from."""

    def __init__(self, parent: QWidget | None, title: str, kinds: Sequence[KindT]) -> None:
        super().__init__(parent, title, "Add it")
        self._kinds: Sequence[KindT] = kinds
        self.kind = QComboBox()
        for kind in kinds:
            self.kind.addItem(kind.name)
        self.row("Kind", self.kind)
        self.name = self.line("Name", "", "what it is called on this bench")
        self.about = label("", "small", wrap=True)
        self.form.addRow(self.about)
        self.kind.currentIndexChanged.connect(lambda _: self._told())
        self._told()

    def _told(self) -> None:
        set_text(self.about, self.described(self._kinds[self.kind.currentIndex()]))
        self.adjustSize()

    def described(self, kind: KindT) -> str:
        raise NotImplementedError


class GearDialog(_KindDialog[GearKind, Gear]):
    """Gives a `Gear` that can be added to a bench."""

    def __init__(self, parent: QWidget | None, bench: Bench) -> None:
        self._bench = bench
        super().__init__(parent, "Put gear on the bench", GEAR_KINDS)

    def described(self, kind: GearKind) -> str:
        ports = ", ".join(text for _, text in kind.ports) or "no ports yet"
        return f"With {ports}. {kind.source}"

    def read(self) -> Gear:
        name, taken = named(self.name.text(), "gear"), {gear.id for gear in self._bench.gear}
        made = gear_of(GEAR_KINDS[self.kind.currentIndex()], name, taken)
        add_gear(self._bench, made)  # refuses a name that is there already while the dialog is open
        return made


class PortDialog(_KindDialog[PortKind, Port]):
    """Gives a `Port`."""

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent, "Add a port", PORT_KINDS)

    def described(self, kind: PortKind) -> str:
        return kind.source

    def read(self) -> Port:
        kind = PORT_KINDS[self.kind.currentIndex()]
        return port_of(kind.name, named(self.name.text() or kind.port.name, "port"))
