"""What is to be built between, and which supplies are at hand for it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from dynamis.bench.designing.jack import KIND as JACK
from dynamis.bench.designing.jack import TITLE as JACK_TITLE
from dynamis.bench.designing.memory import TITLES, kind_between
from dynamis.bench.document.commands import set_rails
from dynamis.bench.document.ports import PortRef
from dynamis.electrics.gates.specs import read_rails, show_rails
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.widgets.form import choice
from dynamis.ui.widgets.panel import label


class RailsRow(QWidget):
    """Shows the bench's rails, and changes them on Return.  kind_chosen : another kind of circuit is looked at."""

    kind_chosen = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._pair: tuple[PortRef, PortRef] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 8)
        self.kind = choice("Between", [("", "what the link asks"), *TITLES, (JACK, JACK_TITLE)])
        self.kind.setMinimumWidth(170)
        self.kind.setToolTip("What the link asks for, a circuit that remembers, or the switch of the jack")
        self.kind.activated.connect(lambda _: self.kind_chosen.emit())
        row.addWidget(label("Between", "small"))
        row.addWidget(self.kind)
        row.addSpacing(12)
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

    def kind_for(self, pair: tuple[PortRef, PortRef] | None) -> str:
        """The kind of circuit that remembers chosen for a pair; "" for none, or where none goes between.

        Another pair begins with what stands in its link.
        """
        if pair != self._pair:
            self._pair = pair
            link = None if pair is None else self._session.bench.link_from(pair[0])
            stands = "" if link is None or pair is None else kind_between(link, pair[1])
            normal = None if pair is None else self._session.bench.port(pair[1]).normal
            if pair is not None and normal is not None and normal.source == pair[0]:
                stands = JACK
            self.kind.setCurrentIndex(self.kind.findData(stands))
        takes = pair is not None and self._session.bench.port(pair[1]).role in ("pitch", "modulation")
        self.kind.setEnabled(takes)
        return self.kind.currentData() if takes else ""

    def show_rails(self) -> None:
        self.edit.setText(show_rails(self._session.bench.rails, self._session.style))

    def take(self) -> None:
        """Store what was typed; a sentence where it is no supply."""
        self._session.document.apply(set_rails(self._session.bench, read_rails(self.edit.text(), self._session.style)))
        self.show_rails()
