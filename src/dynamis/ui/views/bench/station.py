"""The Bench station: every output against every input, and beside it the pair that is looked at, its link, its gear."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QItemSelectionModel, QModelIndex, Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
)

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.document.commands import join, part
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import PairFit
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.errors import InputError
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station
from dynamis.ui.theme.palette import Colours
from dynamis.ui.thread import chain_fields
from dynamis.ui.views.bench.findings_panel import FindingsPanel
from dynamis.ui.views.bench.gear_panel import GearPanel
from dynamis.ui.views.bench.link_panel import LinkPanel
from dynamis.ui.views.bench.pair_cell import PairCell
from dynamis.ui.views.bench.pairs_model import PairsModel, number_text
from dynamis.ui.widgets.panel import Panel, label
from dynamis.ui.widgets.table import Table
from dynamis.ui.widgets.tabs import Tabs
from dynamis.ui.widgets.thread_strip import ThreadField
from dynamis.ui.widgets.tips import plain_tip

_ROLES = (
    ("all roles", ""),
    ("pitch", "pitch"),
    ("gates, triggers, clocks", "gate trigger clock"),
    ("modulation", "modulation"),
    ("audio", "audio"),
    ("MIDI", "midi"),
)
# Beyond this many columns all are as wide as the widest: setting each takes too long.
_MOST_WIDTHS = 200
# A long name gives way, so that cells stay in sight.
_MOST_SIDE, _USUAL_POINTS = 560, 9.75
_MOST_WIDE = 280
_TABS = (("Findings", "F2"), ("Link", "F3"), ("Gear", "F4"))


class BenchStation(Station):
    """What would happen if an output met an input."""

    title = "Bench"
    KEYS = (
        ("Arrow keys, in the table", "another pair"),
        ("Enter, in the table", "join the pair, or part it"),
        ("Ctrl+J", "join the chosen pair, or part it"),
        ("Ctrl+Shift+J", "apply the first remedy"),
        *((key, name) for name, key in _TABS),
        ("Ctrl+Shift+G", "add gear"),
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.judge = session.judge
        self._widths: tuple[list[str], int] = [], 0
        self.model = PairsModel(self.judge, colours)
        self.pairs = self._make_pairs()
        left = Panel("What meets what", "What meets what")
        self.role, self.only, self.meant = QComboBox(), QComboBox(), QComboBox()
        self.role.setAccessibleName("Roles shown")
        self.only.setAccessibleName("Verdicts shown")
        for words, roles in _ROLES:
            self.role.addItem(words, roles)
        self.only.addItem("all verdicts", "")
        for verdict, words in VERDICT_WORDS.items():
            self.only.addItem(words, verdict)
        self.meant.setAccessibleName("Pairs shown")
        for words, any_voltage in (("meant for each other", False), ("everything", True)):
            self.meant.addItem(words, any_voltage)
        for combo in (self.role, self.only, self.meant):
            combo.activated.connect(lambda _: self.refresh())
            left.head.addWidget(combo)
        left.body.addWidget(
            label(
                "The number that decides: the worst note in cents, the smaller margin in volts, the "
                "share of a swing that acts, the room above full scale. Joined pairs are in ink.",
                "small",
                wrap=True,
            )
        )
        left.body.addWidget(self.pairs, 1)
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        across.addWidget(left, 3)
        self._side = self._make_side()
        across.addWidget(self._side, 2)
        session.bench_changed.connect(self.refresh)
        session.judge.progressed.connect(self._more_is_known)
        session.pair_changed.connect(self._pair_changed)

    def _make_pairs(self) -> QTableView:
        pairs = QTableView()
        pairs.setModel(self.model)
        self.cell = PairCell(self.model, self.colours)
        pairs.setItemDelegate(self.cell)
        pairs.setAccessibleName("Outputs against inputs")
        pairs.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        pairs.setShowGrid(False)
        pairs.setTabKeyNavigation(False)
        pairs.setCornerButtonEnabled(False)
        pairs.setFrameShape(QTableView.Shape.NoFrame)
        pairs.verticalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        pairs.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        pairs.verticalHeader().setMaximumWidth(_MOST_WIDE)
        pairs.verticalHeader().setTextElideMode(Qt.TextElideMode.ElideMiddle)
        pairs.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom | Qt.TextFlag.TextWordWrap
        )
        pairs.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        pairs.selectionModel().currentChanged.connect(lambda now, _: self._cell_chosen(now))
        pairs.selectionModel().currentChanged.connect(lambda now, _: self._follow(now.row(), now.column()))
        pairs.activated.connect(lambda _: self.join_or_part())
        return pairs

    def _make_side(self) -> Panel:
        side = Panel("The chosen pair")
        self.findings = FindingsPanel(self._session, self.colours)
        self.link, self.gear = LinkPanel(self._session), GearPanel(self._session)
        self.stack = Tabs([name for name, _ in _TABS], side.head, [f"{name}, {key}" for name, key in _TABS])
        for k, page in enumerate((self.findings, self.link, self.gear)):
            self.stack.buttons[k].clicked.connect(lambda _=False, k=k: self.show_tab(k))
            self.stack.addWidget(page)
        self.sides = [QPushButton("its output"), QPushButton("its input")]
        side.head.addStretch(1)
        for k, button in enumerate(self.sides):
            button.setToolTip(plain_tip(f"Show the gear of {button.text()}"))
            button.clicked.connect(partial(self._look_at_side, k))
            side.head.addWidget(button)
        side.body.addLayout(side.head)
        side.body.addWidget(self.stack, 1)
        self.findings.join_pressed.connect(self.join_or_part)
        self.findings.wiring_pressed.connect(self.show_wiring)
        self.findings.station_wanted.connect(self.station_wanted)
        self._show_sides()
        return side

    # -- showing -----------------------------------------------------------------------------------

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        self.model.colours = colours
        for one in (self.pairs, self.pairs.viewport()):
            one.setPalette(QApplication.palette(self.pairs))
        self.findings.dress(colours)
        self.cell.dress(colours)
        self._side.setMaximumWidth(int(_MOST_SIDE * max(1.0, points / _USUAL_POINTS)))
        self.refresh()

    def focus_first(self) -> None:
        self.pairs.setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.judge.all_pairs()
        self.refresh()

    def refresh(self) -> None:
        """Judge what has changed, and show it; a station out of sight waits until it is shown."""
        if not self.isVisible():
            return
        session, matrix = self._session, self.judge.matrix
        any_voltage = self.meant.currentData()
        self.judge.take_any_voltage(any_voltage)
        done = self.judge.work()
        roles = self.role.currentData().split()
        outputs = [
            ref for ref, port in matrix.outputs.items() if any_voltage or not roles or port.role in (*roles, "audio")
        ]
        inputs = [ref for ref, port in matrix.inputs.items() if not roles or port.role in roles]
        self.model.only, self.model.style = self.only.currentData(), session.style
        if self.model.only and done:
            kept = [
                (output, sink)
                for output in outputs
                for sink in inputs
                if (fit := matrix.known(output, sink)) is not None and fit.verdict == self.model.only
            ]
            outputs = [ref for ref in outputs if any(one == ref for one, _ in kept)]
            inputs = [ref for ref in inputs if any(one == ref for _, one in kept)]
        self.model.show_ports(session.bench, outputs, inputs)
        self._share_width()
        if self._session.selection.pair is None:
            self._choose_first()
        self._select()
        self.show_pair()
        if not done:
            self.judge.go_on()

    def _more_is_known(self) -> None:
        if not self.isVisible():
            return
        if self.model.only:
            self.refresh()
            return
        self.model.refresh()
        fit = self.fit
        if fit is not None:
            self.findings.show_others(fit)

    def _share_width(self) -> None:
        measure, bench = self.pairs.horizontalHeader().fontMetrics(), self._session.bench
        shown = [bench.label(ref) for ref in self.model.inputs], measure.height()
        if shown == self._widths:  # thousands of columns take a tenth of a second
            return
        self._widths = shown
        widths = [
            min(_MOST_WIDE, max(112, *(measure.horizontalAdvance(line) + 16 for line in text.split(" · ", 1))))
            for text in shown[0]
        ]
        if len(widths) > _MOST_WIDTHS:
            self.pairs.horizontalHeader().setDefaultSectionSize(max(widths))
        else:
            for column, width in enumerate(widths):
                self.pairs.setColumnWidth(column, width)
        self.pairs.horizontalHeader().setFixedHeight(2 * measure.height() + 10)
        self.pairs.verticalHeader().setDefaultSectionSize(measure.height() + 12)

    def _choose_first(self) -> None:
        """The first that is joined, else the first that there is."""
        matrix = self.judge.matrix
        first = next(matrix.joined_pairs(), None) or next(
            (
                (output, sink)
                for output in self.model.outputs
                for sink in self.model.inputs
                if matrix.sensible(output, sink)
            ),
            None,
        )
        if first is not None:
            self._session.selection.look_at_pair(*first)

    def _look_at_side(self, k: int, _: bool = False) -> None:
        if self._session.selection.pair is not None:
            self.gear.look_at(self._session.selection.pair[k])

    def _cell_chosen(self, index: QModelIndex) -> None:
        pair = self.model.pair_at(index)
        if pair is not None:
            self._session.selection.look_at_pair(*pair)

    def _select(self) -> None:
        """Select the pair that is looked at."""
        pair = self._session.selection.pair
        if pair is not None and pair[0] in self.model.outputs and pair[1] in self.model.inputs:
            cell = self.model.index(self.model.outputs.index(pair[0]), self.model.inputs.index(pair[1]))
            if cell != self.pairs.currentIndex():
                self.pairs.selectionModel().setCurrentIndex(cell, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def _follow(self, row: int, column: int) -> None:
        """Wash the row and the column of the chosen pair, so that both are found when the table is scrolled."""
        self.cell.row, self.cell.column = row, column
        self.pairs.viewport().update()

    def choose(self, output: PortRef, sink: PortRef) -> None:
        """Go to a pair."""
        self._session.selection.look_at_pair(output, sink)

    def _pair_changed(self) -> None:
        if self.isVisible():
            self._select()
            self.show_pair()
            self.thread_wanted.emit()

    @property
    def fit(self) -> PairFit | None:
        """The pair that is looked at."""
        return self.judge.fit()

    def show_pair(self) -> None:
        """Show the pair that is looked at, on the page that is open."""
        fit = self.fit
        if self.stack.currentWidget() is self.findings:
            self.findings.show_pair(fit, fit is not None and self.model.joined(fit))
        elif self.stack.currentWidget() is self.link:
            self.link.show_link(*((None, None) if fit is None else (fit.output, fit.input)))
        else:
            self.gear.refresh()
        self._show_sides()

    def _show_sides(self) -> None:
        for button in self.sides:
            button.setVisible(self.stack.currentWidget() is self.gear and self._session.selection.pair is not None)

    def show_tab(self, index: int) -> None:
        """Findings, Link or Gear."""
        self.stack.show_page(index)
        if index == 2 and self._session.selection.pair is not None and self.gear.gear_id is None:
            self.gear.look_at(self._session.selection.pair[0])
        self.show_pair()
        (self.pairs if index == 0 else (self.findings, self.link, self.gear)[index]).setFocus()

    # -- doing -------------------------------------------------------------------------------------

    def join_or_part(self, *, beside: bool = False) -> None:
        """Plug the chosen pair together, or apart; a change of the bench, with undo."""
        fit, bench = self.fit, self._session.bench
        if fit is None:
            if not bench.gear:  # the button offers what comes first
                self.show_tab(2)
                self.gear.new_gear()
            else:
                self._session.said.emit("Choose a pair in the table first; then this joins it, or parts it.", True)
            return
        try:
            change = (
                part(bench, fit.output, fit.input)
                if self.model.joined(fit)
                else (join(bench, fit.output, fit.input, beside=beside))
            )
            self._session.document.apply(change)
        except InputError as error:
            self._session.said.emit(str(error), True)

    def show_wiring(self) -> None:
        """The wiring card of the pair that is looked at."""
        from dynamis.ui.dialogs.wiring import WiringDialog

        if self._session.selection.pair is None:
            raise InputError("Choose a pair first; its wiring card is made of it.")
        WiringDialog(self, self._session, *self._session.selection.pair).exec()

    def thread_fields(self) -> tuple[list[ThreadField], ThreadField | None] | None:
        """The thread along the pair that is looked at, where it is a pitch; else what it comes to."""
        fit, session = self.fit, self._session
        if fit is None or not session.bench.may_join(fit.output, fit.input):
            return None
        link = trial_link(session.bench.link_from(fit.output), fit.output, fit.input)
        if fit.role == "pitch" and session.bench.port(fit.output).role == "pitch":
            chain = link_chain(session.bench, link, session.runs.head((fit.output, fit.serial)), fit.input)
            return chain_fields(chain, session.selection.note, session.style)
        bench = session.bench
        return [
            ThreadField("output", bench.label(fit.output)),
            ThreadField("input", bench.label(fit.input)),
            ThreadField("role", fit.role),
            ThreadField("it", VERDICT_WORDS[fit.verdict]),
            ThreadField("decides", number_text(fit, session.style)),
        ], None

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.findings.others
