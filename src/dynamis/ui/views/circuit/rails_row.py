"""Which supplies are at hand for what is built between: one line, read and shown as they are written."""

from __future__ import annotations

import re

from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from dynamis.bench.commands import set_rails
from dynamis.electrics.circuits.supply import Supply
from dynamis.electrics.gates.specs import parse_supplies
from dynamis.ui.session import Session
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
        self.edit.returnPressed.connect(lambda: self.window().guarded(self.take))
        session.bench_changed.connect(self.show_rails)
        self.show_rails()

    def show_rails(self) -> None:
        rails = self._session.bench.rails
        typed = (Supply(*one).shown if one[1] > 0 else f"{one[0]:g}:0 V" for one in rails)
        self.edit.setText(", ".join(typed) or "none")

    def take(self) -> None:
        """Store what was typed; a sentence where it is no supply."""
        bare = self.edit.text().replace("±", "").replace("V", "").replace("−", "-")
        texts = [part for part in re.split(r"[,;\s]+", bare) if part]
        self._session.apply(set_rails(self._session.bench, parse_supplies(texts or ["none"])))
        self.show_rails()
