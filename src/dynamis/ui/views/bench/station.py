"""The Bench station: every output against every input, and the findings of the pair that is chosen."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from dynamis.bench.commands import join, part
from dynamis.bench.judging.matrix import Matrix, could_drive, ports_of
from dynamis.bench.judging.pairs import PairFit, between
from dynamis.bench.ports import PortRef
from dynamis.electrics.finding import CODES
from dynamis.errors import InputError
from dynamis.notation.style import tied
from dynamis.ui.course import CourseRunner
from dynamis.ui.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import VERDICT_WORDS, shape_pixmap, verdict_colour, verdict_pixmap
from dynamis.ui.views.bench.pairs_model import PairsModel, number_text
from dynamis.ui.widgets.panel import Panel, clear, label, rule, scrolling, set_css, set_text
from dynamis.ui.widgets.table import Column, Row, Table
from dynamis.ui.widgets.thread_strip import Field

_ROLES = (("all roles", ""), ("pitch", "pitch"), ("gates, triggers, clocks", "gate trigger clock"))
_SIGNS = {"danger": ("cross", "violet"), "fault": ("triangle", "vermilion"), "marginal": ("half", "amber"),
          "note": ("ring", "grey")}  # fmt: skip
_OTHERS = (Column("what could drive it", left=True, stretch=3, fits=False), Column("verdict", left=True), Column(""))


class BenchStation(QWidget):
    """What would happen if an output met an input."""

    title = "Bench"
    plot = None
    KEYS = (
        ("Arrow keys, in the table", "another pair"),
        ("Ctrl+J", "join the chosen pair, or part it"),
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__()
        self._session, self.colours = session, colours
        self._matrix = Matrix()
        self._fits: dict[PortRef, dict[PortRef, PairFit]] = {}
        self.model = PairsModel(colours)
        self.pairs = QTableView()
        self.pairs.setModel(self.model)
        self.pairs.setAccessibleName("Outputs against inputs")
        self.pairs.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.pairs.setShowGrid(False)
        self.pairs.setTabKeyNavigation(False)
        self.pairs.setCornerButtonEnabled(False)
        self.pairs.setFrameShape(QTableView.Shape.NoFrame)
        self.pairs.verticalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.pairs.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.pairs.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap
        )
        self.pairs.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.pairs.selectionModel().currentChanged.connect(lambda *_: self.show_pair())
        left = Panel("What meets what", "What meets what")
        self.role = QComboBox()
        self.role.setAccessibleName("Roles shown")
        for words, roles in _ROLES:
            self.role.addItem(words, roles)
        self.role.activated.connect(lambda _: self.refresh())
        left.head.addWidget(self.role)
        left.body.addWidget(label("The number that decides: the worst note in cents, or the smaller margin in volts. "
                                  "Joined pairs are in ink.", "small", wrap=True))  # fmt: skip
        left.body.addWidget(self.pairs, 1)
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        across.addWidget(left, 3)
        across.addWidget(self._make_findings(), 2)
        session.bench_changed.connect(self.refresh)

    def _make_findings(self) -> Panel:
        panel = Panel("Findings")
        self.names = label("", "heading", wrap=True)
        panel.body.addWidget(self.names)
        row = QHBoxLayout()
        self.sign, self.verdict = label(), label("", wrap=True)
        row.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.verdict, 1)
        panel.body.addLayout(row)
        inner = QWidget()
        self._findings = QVBoxLayout(inner)
        self._findings.setContentsMargins(0, 0, 6, 0)
        self._findings.setSpacing(9)
        panel.body.addWidget(scrolling(inner), 1)
        buttons = QHBoxLayout()
        self.join = QPushButton("Join")
        self.join.clicked.connect(self.join_or_part)
        buttons.addWidget(self.join)
        buttons.addStretch(1)
        panel.body.addLayout(buttons)
        panel.body.addWidget(rule())
        self.others = Table("What could drive this input", _OTHERS)
        self.others.setMaximumHeight(170)
        self.others.on_activate = lambda key: self.choose(*key)
        panel.body.addWidget(self.others)
        panel.body.addWidget(label("Check limits and the common return before you join two powered things; never ±12 V "
                                   "on a pin of 3.3 V or 5 V.", "small", wrap=True))  # fmt: skip
        return panel

    # -- showing -----------------------------------------------------------------------------------

    def dress(self, colours: Colours, points: float) -> None:
        self.colours = self.model.colours = colours
        self.pairs.setPalette(QApplication.palette(self.pairs))
        self.others.rows_model.current_colour = QColor(colours.thread_wash)
        self.refresh()

    def focus_first(self) -> None:
        self.pairs.setFocus()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Judge what has changed, and show it; a station out of sight waits until it is shown."""
        if not self.isVisible():
            return
        session = self._session
        self._fits = self._matrix.judge(session.bench, session.adoptions, session.style)
        roles = self.role.currentData().split()
        outputs = [ref for ref, port in ports_of(session.bench, "output") if not roles or port.role in roles]
        inputs = [ref for ref, port in ports_of(session.bench, "input") if not roles or port.role in roles]
        self.model.style = session.style
        self.model.show_fits(session.bench, self._fits, outputs, inputs)
        self._share_width()
        if not self.pairs.currentIndex().isValid() or self.model.fit_at(self.pairs.currentIndex()) is None:
            self._choose_first()
        self.show_pair()

    def _share_width(self) -> None:
        measure = self.pairs.horizontalHeader().fontMetrics()
        for column, ref in enumerate(self.model.inputs):
            lines = self._session.bench.label(ref).split(" · ", 1)
            self.pairs.setColumnWidth(column, max(92, *(measure.horizontalAdvance(line) + 16 for line in lines)))
        self.pairs.horizontalHeader().setFixedHeight(2 * measure.height() + 10)
        self.pairs.verticalHeader().setDefaultSectionSize(measure.height() + 12)

    def _choose_first(self) -> None:
        """The first that is joined, else the first that there is."""
        cells = [self.model.index(row, column) for row in range(self.model.rowCount())
                 for column in range(self.model.columnCount())]  # fmt: skip
        cells = [cell for cell in cells if self.model.fit_at(cell) is not None]
        joined = [cell for cell in cells if self.model.joined(self.model.fit_at(cell))]
        if cells:
            self._set_current((joined or cells)[0])

    def _set_current(self, index) -> None:
        self.pairs.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def choose(self, output: PortRef, sink: PortRef) -> None:
        """Go to a pair."""
        if output in self.model.outputs and sink in self.model.inputs:
            self._set_current(self.model.index(self.model.outputs.index(output), self.model.inputs.index(sink)))

    @property
    def fit(self) -> PairFit | None:
        """The pair that is chosen."""
        return self.model.fit_at(self.pairs.currentIndex())

    def show_pair(self) -> None:
        """Show the findings of the pair that is chosen."""
        fit, bench, style = self.fit, self._session.bench, self._session.style
        clear(self._findings)
        self.join.setEnabled(fit is not None)
        if fit is None:
            set_text(self.names, "Nothing to judge yet" if not self._fits else "Choose a pair")
            set_text(self.verdict, "Begin a run on Measure: it asks for a board and what it plays into.")
            self.sign.clear()
            self.others.set_rows([])
            return
        unit = f", unit {fit.serial}" if fit.serial else ""
        set_text(self.names, f"{bench.label(fit.output)}{unit} → {bench.label(fit.input)}")
        words = VERDICT_WORDS[fit.verdict]
        number = f": {number_text(fit, style)}" if fit.value is not None else ""
        set_text(self.verdict, f"{words[0].upper()}{words[1:]}{number}.")
        set_css(self.verdict, f"color: {verdict_colour(fit.verdict, self.colours)}; font-weight: 600;")
        self.sign.setPixmap(verdict_pixmap(fit.verdict, self.colours, 14, self.devicePixelRatioF()))
        for finding in fit.findings:
            shape, colour = _SIGNS[finding.severity]
            row = QHBoxLayout()
            sign = label()
            sign.setPixmap(shape_pixmap(shape, getattr(self.colours, colour), 11, self.devicePixelRatioF()))
            sign.setAccessibleName(finding.severity)
            sign.setToolTip(f"{finding.severity}: {CODES[finding.code]}")
            row.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(label(tied(finding.text), wrap=True, selectable=True), 1)
            self._findings.addLayout(row)
        remedy = between(bench, fit, style)
        if remedy is not None:
            self._findings.addWidget(label(tied(remedy), wrap=True, selectable=True))
        self._findings.addStretch(1)
        self.join.setText("Part (Ctrl+J)" if self.model.joined(fit) else "Join (Ctrl+J)")
        self.others.set_rows([
            Row((bench.label(one.output), VERDICT_WORDS[one.verdict], number_text(one, style)), (one.output, one.input),
                "current" if one.output == fit.output else "")
            for one in could_drive(self._fits, fit.input)
        ])  # fmt: skip

    # -- doing -------------------------------------------------------------------------------------

    def join_or_part(self) -> None:
        """Plug the chosen pair together, or apart; a change of the bench, with undo."""
        fit = self.fit
        if fit is None:
            return
        deed = part if self.model.joined(fit) else join
        try:
            self._session.apply(deed(self._session.bench, fit.output, fit.input))
        except InputError as error:
            self._session.said.emit(str(error), True)

    def thread_fields(self) -> tuple[list[Field], Field | None] | None:
        return None

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.others
