"""The chosen circuit in detail: its parts, how its trimmers are set, its spread, its SPICE text."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from dynamis.bench.reports.blocks import Report
from dynamis.electrics.circuits.parts import parts_csv, parts_list, pieces_of
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.variation import Counting, varied_in
from dynamis.electrics.design.behaviour import behaviour, behaviour_words, errors_csv
from dynamis.electrics.design.kinds import kind_words
from dynamis.electrics.design.proposal import Proposal
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import Laid, Spread, budget, spread
from dynamis.electrics.design.walk import TrimmerWalk, walk
from dynamis.electrics.design.words import budget_words, later_words, spread_words, step_words
from dynamis.electrics.potentiometer_words import NamedPot, pot_words
from dynamis.errors import InputError
from dynamis.notation.style import tied
from dynamis.ui.background import Background
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.curve import PotCurve
from dynamis.ui.views.circuit.histogram import Histogram
from dynamis.ui.views.circuit.parts_panel import PartsPanel
from dynamis.ui.views.circuit.saving import Endings
from dynamis.ui.widgets.panel import Panel, Sentences, holding, rule, scrolling
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.tabs import Tabs

TABS = ("Parts", "Trimmers", "Spread", "SPICE", "Curve")
_CURVE = 4


class ChosenPanel(Panel):
    """note_of : the note at which the sender gives some volts, in words."""

    def __init__(
        self,
        session: Session,
        colours: Colours,
        note_of: Callable[[float], str],
        played: Callable[[float, Requirement], float],
    ) -> None:
        super().__init__("The chosen circuit")
        self._session, self._note_of, self._played = session, note_of, played
        self.proposal: Proposal | None = None
        self._counting = Counting()
        self._spread: Spread | None = None
        self._compared: Laid | None = None
        self._sampling = Background()
        self._sampling.answered.connect(self._take_spread)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.pages = Tabs(TABS, row)
        row.addStretch(1)
        self.body.addLayout(row)
        self.body.addWidget(self.pages, 1)
        self._make_pages(colours)
        self.body.addWidget(rule())
        self.as_trimmed = QCheckBox("its trimmers are set by readings")
        self.as_trimmed.setChecked(True)
        self.body.addWidget(self.as_trimmed)
        self.endings = Endings(self, session, self.parts_text, self.spice_text, self.errors_text)
        self.use = self.endings.use
        self.body.addLayout(self.endings)

    def _make_pages(self, colours: Colours) -> None:
        self.parts = PartsPanel()
        self.pages.addWidget(scrolling(self.parts))
        self.steps = Sentences(spacing=9)
        self.pages.addWidget(scrolling(holding(self.steps)))
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        self.histogram = Histogram(colours, self._session.style)
        column.addWidget(self.histogram, 2)
        self.spread_words = Sentences()
        column.addWidget(scrolling(holding(self.spread_words)), 3)
        self.pages.addWidget(page)
        self.spice = QPlainTextEdit()
        self.spice.setReadOnly(True)
        self.spice.setAccessibleName("SPICE text")
        self.spice.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.pages.addWidget(self.spice)

        curve = QWidget()
        column = QVBoxLayout(curve)
        column.setContentsMargins(0, 0, 0, 0)
        self.curve, self.curve_words = PotCurve(colours, self._session.style), Sentences()
        column.addWidget(self.curve, 3)
        column.addWidget(scrolling(holding(self.curve_words)), 2)
        self.pages.addWidget(curve)
        self.show_pot(None)

    def show_pot(self, pot: NamedPot | None) -> None:
        """The potentiometer at either end of the link, with what loads it; None where there is none."""
        self.pages.buttons[_CURVE].setVisible(pot is not None)
        if pot is None and self.pages.currentIndex() == _CURVE:
            self.show_tab(0)
        self.curve.show_pot(pot)
        self.curve_words.show_sentences([] if pot is None else pot_words(pot, self._session.style))

    @property
    def picture(self) -> Picture | None:
        """The picture of the page that is shown, None where it has none."""
        return {2: self.histogram, _CURVE: self.curve}.get(self.pages.currentIndex())

    def show_tab(self, index: int) -> None:
        self.pages.show_page(index)

    def dress(self, colours: Colours) -> None:
        for one in (self.histogram, self.curve):
            one.colours, one.number_style = colours, self._session.style

    def stop(self) -> None:
        self._sampling.drop()

    def show_proposal(self, proposal: Proposal | None, counting: Counting) -> None:
        """Show a proposal; its spread is drawn beside the window."""
        self.proposal, self._counting, self._spread = proposal, counting, None
        style = self._session.style
        pieces = [] if proposal is None else pieces_of(proposal.circuit, style)
        others = [f"{one.name}  {one.value}, {one.role}" for one in pieces if one.ohms is None]
        self.parts.show_proposal(proposal, others, style)
        for one in self.endings.saving:
            one.setEnabled(proposal is not None)
        self.as_trimmed.setVisible(proposal is not None and bool(proposal.trims))
        if proposal is None:
            for column in (self.steps, self.spread_words):
                column.show_sentences([])
            self.histogram.show_spread(None)
            self.spice.setPlainText("")
            return
        sentences = step_words(proposal, self._walk(), self._note_of, style)
        self.steps.show_sentences([tied(text) for text in sentences])
        self.spice.setPlainText(self.spice_text())
        self._sampling.ask(
            lambda wanted: spread(proposal.circuit, proposal.requirement, counting, progress=lambda _: wanted())
        )
        self._show_spread()

    def compare(self, other: Laid | None) -> None:
        """Lay another circuit's spread over it, or none."""
        self._compared = other
        self._show_spread()

    def _take_spread(self, counted: Spread) -> None:
        self._spread = counted
        self._show_spread()

    def _show_spread(self) -> None:
        if self.proposal is None:
            return
        style, name = self._session.style, self.proposal.circuit.topology.title
        laid = None if self._spread is None else Laid(self._spread, name)
        self.histogram.show_spread(laid, self._compared)
        sentences = [] if self._spread is None else spread_words(self._spread, self._compared, name, style)
        if sentences and self.proposal is not None:
            sentences.append(later_words(self.proposal, style))
        circuit, requirement = self.proposal.circuit, self.proposal.requirement
        sentences += [text for text in (kind_words(circuit, requirement, style),) if text]
        sentences += behaviour_words(behaviour(circuit, requirement), circuit, requirement, style)
        sentences += budget_words(budget(circuit, requirement, self._counting), style)
        self.spread_words.show_sentences([tied(text) for text in sentences])

    def _of_proposal(self) -> Proposal:
        if self.proposal is None:
            raise InputError("No circuit is chosen.")
        return self.proposal

    def _walk(self) -> TrimmerWalk | None:
        """How the trimmers of the chosen circuit are set."""
        proposal = self._of_proposal()
        varied = varied_in(proposal.circuit, self._counting)
        return walk(proposal, varied, lambda volts: self._played(volts, proposal.requirement))

    # -- giving it away ----------------------------------------------------------------------------

    def sheet(self, title: str) -> Report:
        """The bench sheet of the chosen circuit.  title : where it stands, empty where nowhere."""
        from dynamis.bench.reports.circuit_sheet import circuit_sheet

        return circuit_sheet(
            title or self._of_proposal().title, self._of_proposal(), self._walk(), self._note_of, self._session.style
        )

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        return parts_csv(parts_list(pieces_of(self._of_proposal().circuit)), {})

    def errors_text(self) -> str:
        """All errors of the circuit, a line each."""
        proposal = self._of_proposal()
        shares = budget(proposal.circuit, proposal.requirement, self._counting)
        return errors_csv(shares, proposal.later, behaviour(proposal.circuit, proposal.requirement))

    def spice_text(self) -> str:
        proposal = self._of_proposal()
        return netlist(proposal.circuit, proposal.requirement.in_low_volts, proposal.requirement.in_high_volts)
