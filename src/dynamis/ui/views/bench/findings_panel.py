"""The pair that is looked at: verdict, findings, cautions, remedies, and what else could drive the input."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QColor, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.designing.remedy import Remedy
from dynamis.bench.gear.commands import dismiss
from dynamis.bench.judging.cautions import cautions_for
from dynamis.bench.judging.pairs import PairFit
from dynamis.electrics.finding import CODES, VERDICT_WORDS, Finding
from dynamis.errors import InputError
from dynamis.notation.style import tied
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import SignShape, shape_pixmap, verdict_colour, verdict_pixmap
from dynamis.ui.views.bench.pairs_model import number_text
from dynamis.ui.views.bench.remedy_card import RemedyCard
from dynamis.ui.widgets.panel import WrappedColumn, clear, label, rule, scrolling, set_css, set_text
from dynamis.ui.widgets.table import Column, Row, Table

_SIGNS: dict[str, tuple[SignShape, str]] = {
    "danger": ("cross", "violet"),
    "fault": ("triangle", "vermilion"),
    "marginal": ("half", "amber"),
    "note": ("ring", "grey"),
}
_OTHERS = (Column("what could drive it", left=True, stretch=3, fits=False), Column("verdict", left=True), Column(""))
# What could drive an input: four rows at least.
_LEAST_OTHERS = 4
_OPENS = {"calibrate": ("Go to Measure", "Measure")}


class FindingsPanel(QWidget):
    """join_pressed : the button.  station_wanted : a remedy leads to a station."""

    join_pressed = Signal()
    wiring_pressed = Signal()
    station_wanted = Signal(str)

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__()
        self._session, self.colours = session, colours
        self.cards: list[RemedyCard] = []
        self._remedies: list[Remedy] = []
        self._sentences: list[QLabel] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.names = label("", "heading", wrap=True)
        column.addWidget(self.names)
        row = QHBoxLayout()
        self.sign, self.verdict = label(), label("", wrap=True)
        row.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.verdict, 1)
        self.join, self.wiring = QPushButton("Join"), QPushButton("Wiring card…")
        self.join.clicked.connect(self.join_pressed)
        self.wiring.clicked.connect(self.wiring_pressed)
        row.addWidget(self.wiring)
        row.addWidget(self.join)
        column.addLayout(row)
        inner = WrappedColumn()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 6, 0)
        self._list.setSpacing(8)
        self._inner, self._over = inner, scrolling(inner)
        column.addWidget(self._over, 1)
        column.addWidget(rule())
        self.others = Table("What could drive this input", _OTHERS)
        self.others.on_activate = lambda key: session.selection.look_at_pair(*key)
        column.addWidget(self.others)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_height()

    def _share_height(self) -> None:
        """Give the list what the findings do not need, as far as it has rows."""
        row, head = self.others.verticalHeader().defaultSectionSize(), self.others.horizontalHeader().height() + 4
        both = self._over.height() + self.others.height()
        width = self._over.viewport().width()
        needed = (
            self._inner.heightForWidth(width) if self._inner.hasHeightForWidth() else self._inner.sizeHint().height()
        )
        shown = max(_LEAST_OTHERS, min(self.others.rows_model.rowCount(), (both - needed - 8 - head) // max(1, row)))
        self.others.setFixedHeight(head + shown * row)

    def dress(self, colours: Colours) -> None:
        self.colours = colours
        self.others.rows_model.current_colour = QColor(colours.thread_wash)

    def show_pair(self, fit: PairFit | None, joined: bool) -> None:
        """Show a pair, or what to do while there is none."""
        bench, style = self._session.bench, self._session.style
        clear(self._list)
        self.cards, self._sentences, self._remedies = [], [], []
        self.join.setEnabled(fit is not None or not bench.gear)
        self.wiring.setEnabled(fit is not None)
        if fit is None:
            set_text(self.names, "Choose a pair" if bench.gear else "Nothing to judge yet")
            set_text(
                self.verdict,
                "Add gear with Ctrl+Shift+G, or begin a run on Measure."
                if not bench.gear
                else "A cell of the table is one output into one input.",
            )
            self.join.setText("Add gear…" if not bench.gear else "Join")
            self.sign.clear()
            self.others.set_rows([])
            return
        self._show_verdict(fit)
        cautions = cautions_for(bench, fit)
        for caution in cautions:
            if caution.key == "limits":  # before anything else is read
                self._list.addLayout(self._caution(caution.key, caution.text))
        for finding in fit.findings:
            self._list.addLayout(self._finding(finding))
        if not fit.findings:
            self._list.addWidget(label("Nothing to find fault with.", "muted", wrap=True))
        for caution in cautions:
            if caution.key != "limits":
                self._list.addLayout(self._caution(caution.key, caution.text))
        self._remedies = remedies_for(bench, fit, self._session.runs.adoptions, style)
        if self._remedies:
            self._list.addWidget(label("What would help", "heading"))
        for remedy in self._remedies:
            button, station = _OPENS.get(remedy.kind, ("Apply", ""))
            work = None
            if remedy.command is not None:
                work = lambda remedy=remedy: self.apply(remedy)  # noqa: E731  (bound to this remedy)
            elif station:
                work = lambda station=station: self.station_wanted.emit(station)  # noqa: E731
            card = RemedyCard(remedy, style, self.colours, button, work, lambda: self.station_wanted.emit("Circuit"))
            self.cards.append(card)
            self._list.addWidget(card)
        self._list.addStretch(1)
        self.join.setText("Part (Ctrl+J)" if joined else "Join (Ctrl+J)")
        self.show_others(fit)

    def show_others(self, fit: PairFit) -> None:
        """What could drive the input, as far as it has been judged."""
        bench, style = self._session.bench, self._session.style
        self.others.set_rows(
            [
                Row(
                    (bench.label(one.output), VERDICT_WORDS[one.verdict], number_text(one, style)),
                    (one.output, one.input),
                    "current" if one.output == fit.output else "",
                )
                for one in self._session.judge.matrix.could_drive(fit.input)
            ]
        )
        QTimer.singleShot(0, self, self._share_height)

    def _show_verdict(self, fit: PairFit) -> None:
        bench, style = self._session.bench, self._session.style
        unit = f", unit {fit.serial}" if fit.serial else ""
        set_text(self.names, f"{bench.label(fit.output)}{unit} → {bench.label(fit.input)}")
        words = VERDICT_WORDS[fit.verdict]
        number = f": {number_text(fit, style)}" if fit.value is not None else ""
        set_text(self.verdict, f"{words[0].upper()}{words[1:]}{number}.")
        set_css(self.verdict, f"color: {verdict_colour(fit.verdict, self.colours)}; font-weight: 600;")
        self.sign.setPixmap(verdict_pixmap(fit.verdict, self.colours, 14, self.devicePixelRatioF()))

    def _finding(self, finding: Finding) -> QHBoxLayout:
        shape, colour = _SIGNS[finding.severity]
        row, sign = QHBoxLayout(), label()
        sign.setPixmap(shape_pixmap(shape, getattr(self.colours, colour), 11, self.devicePixelRatioF()))
        sign.setAccessibleName(finding.severity)
        sign.setToolTip(f"{finding.severity}: {CODES[finding.code]}")
        row.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
        words = label(tied(finding.text), wrap=True, selectable=True)
        self._sentences.append(words)
        row.addWidget(words, 1)
        return row

    def _caution(self, key: str, text: str) -> QHBoxLayout:
        row = QHBoxLayout()
        words = label(text, wrap=True, selectable=True)
        words.setStyleSheet(f"color: {self.colours.violet};")
        row.addWidget(words, 1)
        button = QPushButton("Dismiss")
        button.setToolTip("Show this caution no more on this bench; Undo brings it back.")
        button.clicked.connect(lambda _=False: self._session.document.apply(dismiss(self._session.bench, key)))
        row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        return row

    def apply(self, remedy: Remedy) -> None:
        """Do what a remedy says; the pair that is looked at then is the one that drives the input."""
        try:
            if remedy.command is not None:
                self._session.document.apply(remedy.command(self._session.bench))
        except InputError as error:
            self._session.said.emit(str(error), True)
            return
        self.join.setFocus()  # the button that was pressed is gone with its card
        fit = self._session.judge.fit()
        if remedy.by is not None and fit is not None:
            self._session.selection.look_at_pair(remedy.by, fit.input)

    def apply_first(self) -> None:
        """Apply the best remedy that changes the bench."""
        remedy = next((one for one in self._remedies if one.command is not None), None)
        if remedy is None:
            raise InputError("There is no remedy to apply for this pair.")
        self.apply(remedy)

    def sentences(self) -> list[str]:
        """The findings as they are shown."""
        return [one.text() for one in self._sentences]
