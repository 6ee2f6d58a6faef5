"""Which supplies are at hand for what is built between: one line, read and shown as they are written."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from dynamis.bench.document.commands import set_rails
from dynamis.electrics.gates.specs import read_rails, show_rails
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.widgets.panel import label


class RailsRow(QWidget):
    """Shows the bench's rails, and changes them on Return."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 8)
        row.addWidget(label("Rails at hand", "small"))
        self.edit = QLineEdit()
        self.edit.setAccessibleName("Rails at hand")
        self.edit.setToolTip("Such as 12 (± 12 V), 0:5, 0:3.3, -9:12, parted by blanks; none for no supply at all")
        self.edit.setFixedWidth(240)
        row.addWidget(self.edit)
        row.addWidget(label("12 is ± 12 V, 0:5 a single 5 V, 0:9 a battery; none for no supply", "small"))
        row.addStretch(1)
        self.edit.returnPressed.connect(lambda: guarded(session, self.take))
        session.bench_changed.connect(self.show_rails)
        self.show_rails()

    def show_rails(self) -> None:
        self.edit.setText(show_rails(self._session.bench.rails, self._session.style))

    def take(self) -> None:
        """Store what was typed; a sentence where it is no supply."""
        self._session.document.apply(set_rails(self._session.bench, read_rails(self.edit.text(), self._session.style)))
        self.show_rails()
