"""Gear or a port from the library of generic kinds."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.bench.checks import named
from dynamis.bench.document import Gear
from dynamis.bench.gear.library import GEAR_KINDS, PORT_KINDS, gear_of, port_of
from dynamis.bench.ports import Port
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label, set_text


class _KindDialog(FormDialog):
    """A name and a kind, with the sentence that says where the kind's values come from."""

    def __init__(self, parent: QWidget | None, title: str, kinds) -> None:
        super().__init__(parent, title, "Add it")
        self._kinds = kinds
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


class GearDialog(_KindDialog):
    """Gives a `Gear`.  taken : ids of gear that are there."""

    def __init__(self, parent: QWidget | None, taken: set[str]) -> None:
        self._taken = taken
        super().__init__(parent, "Put gear on the bench", GEAR_KINDS)

    def described(self, kind) -> str:
        ports = ", ".join(text for _, text in kind.ports) or "no ports yet"
        return f"With {ports}. {kind.source}"

    def read(self) -> Gear:
        return gear_of(GEAR_KINDS[self.kind.currentIndex()], named(self.name.text(), "gear"), self._taken)


class PortDialog(_KindDialog):
    """Gives a `Port`."""

    def __init__(self, parent: QWidget | None) -> None:
        super().__init__(parent, "Add a port", PORT_KINDS)

    def described(self, kind) -> str:
        return kind.source

    def read(self) -> Port:
        kind = PORT_KINDS[self.kind.currentIndex()]
        return port_of(kind.name, named(self.name.text() or kind.port.name, "port"))
