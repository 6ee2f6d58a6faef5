"""What stands at the cursors, why an edge comes, what is found, and what is written of it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.playing.lanes import Played, at_cursors
from dynamis.converter.playing.findings import PlayFinding
from dynamis.notation.style import Style, plain
from dynamis.ui.widgets.panel import Panel, Sentences, label, rule, scrolling, set_text
from dynamis.ui.widgets.table import Column, LazyRows, Row, Table

_AT = (
    Column("", "signal", left=True, stretch=1.3, fits=False),
    Column("first V", "volts at the first cursor", stretch=1.0),
    Column("second V", "volts at the second cursor", stretch=1.1),
    Column("apart", "between them", stretch=1.2),
)
# Eight signals and their heading.
_TABLE_PIXELS = 232


class SidePanel(Panel):
    """looked_at : a signal and an instant that a finding is about.  wav_wanted, events_wanted : write them.
    out_wanted, stop_wanted : play them by the computer's outputs."""

    looked_at = Signal(str, float)
    wav_wanted = Signal()
    events_wanted = Signal()
    out_wanted = Signal()
    stop_wanted = Signal()

    def __init__(self) -> None:
        super().__init__("At the cursors and what is found")
        self.times = label("", "muted", wrap=True)
        self.table = Table("At the cursors", _AT)
        self.table.setFixedHeight(_TABLE_PIXELS)
        self.why = label("", "", wrap=True, selectable=True)
        self.body.addWidget(label("At the cursors", "heading"))
        self.body.addWidget(self.times)
        self.body.addWidget(self.table)
        self.body.addWidget(label("Why", "heading"))
        self.body.addWidget(self.why)
        self.body.addWidget(rule())
        self.body.addWidget(label("What is found", "heading"))
        inner = QWidget()
        self.found = QVBoxLayout(inner)
        self.found.setContentsMargins(0, 0, 6, 0)
        self.sentences = Sentences()
        self.found.addLayout(self.sentences)
        self.found.addStretch(1)
        self.body.addWidget(scrolling(inner), 1)
        self.next, self.wav, self.events = (
            QPushButton("Look there"),
            QPushButton("Save WAV…"),
            QPushButton("Save events…"),
        )
        self.body.addWidget(self.next)
        row = QHBoxLayout()
        for button in (self.wav, self.events):
            row.addWidget(button, 1)
        self.body.addLayout(row)
        row = QHBoxLayout()
        self.out, self.stop = QPushButton("Play it out…"), QPushButton("Stop")
        for button in (self.out, self.stop):
            row.addWidget(button, 1)
        self.body.addLayout(row)
        self.stop.setEnabled(False)
        self.out.clicked.connect(self.out_wanted)
        self.stop.clicked.connect(self.stop_wanted)
        self.next.setToolTip("Put the first cursor where the next thing that was found happens")
        self.next.clicked.connect(lambda _=False: self.look_on())
        self.wav.clicked.connect(self.wav_wanted)
        self.events.clicked.connect(self.events_wanted)
        self._found: list[PlayFinding] = []
        self._turn = -1

    def show_findings(self, findings: list[PlayFinding]) -> None:
        self._found, self._turn = [one for one in findings if one.seconds is not None], -1
        told = [one.text for one in findings]
        self.sentences.show_sentences(told or ["Nothing: gate and trigger do what the keys do."])
        self.next.setEnabled(bool(self._found))

    def show_cursors(self, played: Played, cursors: list[float], style: Style) -> None:
        first, second = cursors
        between = style.engineering(abs(second - first), "s")
        set_text(self.times, f"{style.number(first, 4)} s and {style.number(second, 4)} s, {between} apart")
        rows = at_cursors(played, first, second)

        def row(k: int) -> Row:
            one = rows[k]
            apart = style.number(one.volts_between, 3, sign=True)
            if one.cents is not None:
                apart = f"{style.cents(one.cents, sign=True)} ct"
            cells = (one.name, style.number(one.first_volts, 3), style.number(one.second_volts, 3), apart)
            raw = (
                one.name,
                plain(one.first_volts),
                plain(one.second_volts),
                plain(one.cents if one.cents is not None else one.volts_between),
            )
            return Row(cells, one.name, "", raw)

        self.table.set_rows(LazyRows(len(rows), row))

    def show_why(self, sentence: str) -> None:
        set_text(self.why, sentence)

    def look_on(self) -> None:
        """Lead to the next thing that was found."""
        self._turn = (self._turn + 1) % len(self._found)
        found = self._found[self._turn]
        assert found.seconds is not None
        self.looked_at.emit(found.signal, found.seconds)
