"""The Circuit station: what has to stand between, proposals side by side, the chosen one in detail."""

from __future__ import annotations

from dataclasses import replace as with_

from msgspec.structs import replace
from PySide6.QtGui import QColor, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from dynamis.bench.chains.notes_at import note_at_volts, whole_note_volts
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.between import RESISTOR_PER_KELVIN, built, op_amp_for, supply_from, use_between
from dynamis.bench.designing.jack import KIND as JACK
from dynamis.bench.designing.law_change import law_direction
from dynamis.bench.designing.link_ask import LinkAsk, link_ask
from dynamis.bench.document.ports import SWITCHING, PortRef
from dynamis.bench.judging.beside import harmed, placed
from dynamis.bench.reports.blocks import Report
from dynamis.electrics.circuits.circuit import Fitted
from dynamis.electrics.circuits.parts import pieces_of
from dynamis.electrics.circuits.schematic import schematic
from dynamis.electrics.circuits.supply import OP_AMPS
from dynamis.electrics.circuits.variation import Counting
from dynamis.electrics.design.answer import Answer, Ask, answered, rest_anew
from dynamis.electrics.design.proposal import Proposal, with_values
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import Laid
from dynamis.electrics.gates.candidate import Rails
from dynamis.errors import InputError
from dynamis.ui.background import Background
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station, ThreadFields, guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.chosen_panel import ChosenPanel
from dynamis.ui.views.circuit.converter_page import ConverterPage
from dynamis.ui.views.circuit.drawing import SchematicView
from dynamis.ui.views.circuit.gate_page import GatePage
from dynamis.ui.views.circuit.jack_page import JackPage
from dynamis.ui.views.circuit.link_page import LinkPage
from dynamis.ui.views.circuit.memory_page import MemoryPage
from dynamis.ui.views.circuit.proposals_panel import STANDING, ProposalsPanel
from dynamis.ui.views.circuit.rails_row import RailsRow
from dynamis.ui.views.circuit.requirement_form import RequirementPanel
from dynamis.ui.widgets.panel import Panel, label, scrolling, set_refusal, set_text
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.table import Table

_START = Requirement(1.0, op_amp=OP_AMPS["jfet"], resistor_per_kelvin=RESISTOR_PER_KELVIN)
_USUAL_POINTS, _WISH_WIDTH, _SIDE_WIDTH = 9.75, 242, 336
_USUAL_WIDTH, _WISH_WIDER, _SIDE_WIDER = 1280, 90, 180


class CircuitStation(Station):
    """Gain and offset in real parts."""

    title = "Circuit"
    KEYS = (
        ("Return, in the proposals", "look at a proposal"),
        ("Space, in the proposals", "lay its spread over the one looked at"),
        ("Up / Down, in a part's field", "the next preferred value"),
        ("Ctrl+Shift+I", "use the circuit in the link"),
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.judge = session.judge
        self._pair: tuple[PortRef, PortRef] | None = None
        self._of_link: Requirement | None = None
        self._rails: tuple[Rails, ...] | None = None
        self.answer: Answer | None = None
        self._standing: Proposal | None = None
        self.chosen: Proposal | None = None
        self._chosen_key, self._compared_key = "", ""
        self._design, self._again = Background(), Background()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(18, 14, 18, 13)
        self.pages, self.gates = QStackedWidget(), GatePage(session, colours)
        self.converter, self.memory = ConverterPage(session, colours), MemoryPage(session, colours)
        self.rails = RailsRow(session)
        outer.addWidget(self.rails)
        outer.addWidget(self.pages)
        gain = QWidget()
        self.pages.addWidget(gain)
        self.jack = JackPage(session, colours)
        self.link_pages: tuple[LinkPage, ...] = (self.gates, self.converter, self.memory, self.jack)
        for page in self.link_pages:
            self.pages.addWidget(page)
        across = QHBoxLayout(gain)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(13)
        self._requirement_panel = RequirementPanel(session.style)
        self.form, self.names = self._requirement_panel.form, self._requirement_panel.names
        self.refusal, self.from_link = self._requirement_panel.refusal, self._requirement_panel.from_link
        across.addWidget(self._requirement_panel, 0)
        across.addWidget(self._make_middle(), 1)
        self.side = ChosenPanel(session, colours, self._note_of, self._played)
        across.addWidget(self.side, 0)
        self._connect()

    def _make_middle(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(11)
        self.panel = ProposalsPanel()
        self.proposals, self.state, self.why_not = self.panel.table, self.panel.state, self.panel.why_not
        column.addWidget(self.panel, 4)
        under = Panel("Schematic", "Schematic")
        self.title_words = label("", "small")
        under.head.addWidget(self.title_words)
        self.zigzag = QCheckBox("zig-zag")
        self.zigzag.setToolTip("Draw resistors as zig-zags rather than boxes")
        under.head.addWidget(self.zigzag)
        self.drawing = SchematicView(self.colours, self._session.style)
        under.body.addWidget(scrolling(self.drawing, across=True), 1)
        column.addWidget(under, 5)
        return middle

    def _connect(self) -> None:
        session = self._session
        session.bench_changed.connect(self.refresh)
        session.pair_changed.connect(self.refresh)
        self.form.changed.connect(self._ask)
        for refused in (self.form.refused, self.side.parts.refused):
            refused.connect(lambda text: set_refusal(self.refusal, text))
        self.from_link.clicked.connect(lambda: self.refresh(anew=True))
        self._design.answered.connect(self._take_answer)
        self._design.refused.connect(self._no_answer)
        self._again.answered.connect(self._take_again)
        self._again.refused.connect(lambda text: set_refusal(self.refusal, text))
        for one in (self._design, self._again):
            one.busy.connect(lambda on: set_text(self.state, "working it out…" if on else self._state_words()))
        self.panel.looked_at.connect(self.look_at)
        self.panel.compared.connect(self._compare_shown)
        self.panel.said.connect(lambda text: session.said.emit(text, False))
        self.side.parts.changed.connect(self._part_changed)
        self.side.parts.anew.connect(self._rest_anew)
        self.side.use.clicked.connect(lambda: guarded(session, self.use_in_link))
        self.drawing.slot_chosen.connect(self._slot_chosen)
        self.rails.kind_chosen.connect(self.refresh)
        for page in self.link_pages:
            page.use.clicked.connect(lambda: guarded(session, self.use_in_link))
        self.zigzag.clicked.connect(self._draw_zigzag)

    def shut_down(self) -> None:
        for one in (self._design, self._again):
            one.drop()
        self.side.stop()

    def shown_picture(self) -> Picture:
        """The picture that is copied, saved and printed: the schematic, or the spread while it is shown."""
        if self.page is not None:
            return self.page.drawing
        return self.side.picture or self.drawing

    @property
    def page(self) -> LinkPage | None:
        """The page of gates, of V/oct into Hz/V, of what remembers or of a jack; None for gain and offset."""
        return next((one for one in self.link_pages if self.pages.currentWidget() is one), None)

    # -- what is asked -----------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_width()

    def _share_width(self) -> None:
        """The panels at both sides as wide as the size of the text asks, and wider where the window is."""
        larger, spare = max(1.0, self._points / _USUAL_POINTS), max(0, self.width() - _USUAL_WIDTH)
        requirement = int(_WISH_WIDTH * larger) + min(_WISH_WIDER, spare // 6)
        side = int(_SIDE_WIDTH * min(larger, 1.15)) + min(_SIDE_WIDER, spare // 3)
        for one, width in (
            (self._requirement_panel, requirement),
            (self.side, side),
            *(one for page in self.link_pages for one in page.sides(requirement, side)),
        ):
            one.setFixedWidth(width)

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        self._points = points
        self._share_width()
        self.drawing.colours, self.drawing.number_style = colours, self._session.style
        self.side.dress(colours)
        for page in self.link_pages:
            page.dress(colours, zigzag=self._session.settings.preferences.zigzag)
        self.proposals.rows_model.current_colour = QColor(colours.thread_wash)
        self.drawing.zigzag = self._session.settings.preferences.zigzag
        self.zigzag.setChecked(self.drawing.zigzag)
        if self.isVisible():
            self.refresh()
            self._show_chosen()

    def focus_first(self) -> None:
        (self.form if self.page is None else self.page).first().setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def pair(self) -> tuple[PortRef, PortRef] | None:
        """The pair that is looked at; without one the link of the channel that is measured."""
        return self._session.selection.followed_pair()

    def refresh(self, *, anew: bool = False) -> None:
        """Show what the link asks for; what was typed stays while the link asks the same."""
        if not self.isVisible():
            return
        pair, session = self.pair(), self._session
        self.memory.kind = self.rails.kind_for(pair)
        page = None if pair is None else self._page_for(*pair)
        if pair is not None and page is not None:
            self.pages.setCurrentWidget(page)
            page.show_pair(*pair)
            self.thread_wanted.emit()
            return
        self.pages.setCurrentIndex(0)
        ask = LinkAsk("No link is looked at: the requirement below is yours.")
        if pair is not None:
            link = trial_link(session.bench.link_from(pair[0]), *pair)
            start = _START if self.answer is None else self.form.ask.requirement
            rails = session.bench.rails_for(link)
            if rails and rails != self._rails:
                supply = supply_from(rails, start.supply.tolerance)
                start = with_(start, supply=supply, op_amp=op_amp_for(supply))
                anew, self._rails = anew or self._rails is not None, rails
            fresh = anew or pair != self._pair or self.answer is None
            ask = link_ask(session.bench, link, pair[1], start, session.style, fresh=fresh)
        requirement = ask.requirement
        set_text(self.names, ask.sentence)
        self.side.show_pot(ask.pot)
        self.from_link.setEnabled(requirement is not None)
        same = pair == self._pair and (requirement and requirement.of_link) == (self._of_link and self._of_link.of_link)
        self._pair, self._of_link, self._standing = pair, requirement, ask.standing
        if self.answer is None or anew or not same:
            self._ask(Ask(requirement or self.form.ask.requirement, self.form.ask.kelvin, self.form.ask.adds))
        else:
            self._show_table()
            self.look_at(self._chosen_key)
        self.thread_wanted.emit()

    def _page_for(self, output: PortRef, sink: PortRef) -> LinkPage | None:
        if self.memory.kind == JACK:
            return self.jack
        if self.memory.kind or self._session.bench.port(sink).role in SWITCHING:
            return self.memory if self.memory.kind else self.gates
        return self.converter if law_direction(self._session.bench, output, sink) else None

    def _ask(self, ask: Ask) -> None:
        """Work out the proposals beside the window."""
        self.form.show_ask(ask, self._session.style)
        self._design.ask(lambda wanted: answered(ask, wanted))

    def _counting(self) -> Counting:
        return Counting(kelvin=self.form.ask.kelvin)

    def _take_answer(self, answer: Answer) -> None:
        self.answer = answer
        if self._pair is not None and not self._session.bench.may_join(*self._pair):
            self._pair = self._of_link = self._standing = None  # it was taken off the bench meanwhile
        set_refusal(self.refusal, "")
        set_text(self.state, self._state_words())
        if self._standing is not None and (answer.proposal(self._chosen_key) is None):
            self._chosen_key = STANDING
        elif answer.proposal(self._chosen_key) is None:
            self._chosen_key = answer.best_key
        self._show_table()
        self.look_at(self._chosen_key)

    def _no_answer(self, sentence: str) -> None:
        self.answer = self.chosen = None
        set_refusal(self.refusal, sentence)
        self._show_table()
        self._show_chosen()

    # -- the proposals -----------------------------------------------------------------------------

    def _state_words(self) -> str:
        return "" if self.answer is None else self.answer.words

    def _show_table(self) -> None:
        self.panel.show_answer(self.answer, self._standing, self._chosen_key, self._session.style)

    def look_at(self, key: str) -> None:
        """Look at a proposal, or at what stands in the link."""
        if self.answer is None:
            return
        proposal = self._standing if key == STANDING else self.answer.proposal(key)
        if proposal is None:
            return
        self._chosen_key, self.chosen = key, proposal
        self._show_table()
        self._show_chosen()
        bench, harm = self._session.bench, []
        if self._pair is not None and self._of_link is not None:
            output, sink = self._pair
            harm = harmed(bench, output, sink, use_between(bench, output, sink, built(proposal)))
        self.panel.warn(proposal, self._session.style, harm)

    def compare(self, key: str) -> None:
        """Lay the spread of another proposal over the one looked at, or no longer."""
        self._compared_key = "" if key == self._compared_key else key
        self._lay_over()

    def _compare_shown(self, key: str) -> None:
        self.compare(key)
        self.side.show_tab(2)

    def _lay_over(self) -> None:
        laid, key = None, self._compared_key
        if self.answer is not None and key in self.answer.spreads and key != self._chosen_key:
            proposal = self.answer.proposal(key)
            laid = None if proposal is None else Laid(self.answer.spreads[key], proposal.title)
        self.side.compare(laid)

    # -- the chosen one ----------------------------------------------------------------------------

    def _show_chosen(self) -> None:
        chosen, style = self.chosen, self._session.style
        self.side.show_proposal(chosen, self._counting())
        self.side.use.setEnabled(chosen is not None and self._of_link is not None)
        self._lay_over()
        if chosen is None:
            self.drawing.show_drawing(None, "")
            set_text(self.title_words, "")
            return
        ends = ("sender", "receiver") if self._pair is None else (self._session.bench.label(one) for one in self._pair)
        drawn = schematic(chosen.circuit, style, *ends)
        spoken = ", ".join(f"{one.name} {one.value}" for one in pieces_of(chosen.circuit, style))
        self.drawing.show_drawing(drawn, f"{chosen.circuit.topology.title}: {spoken}")
        line = chosen.circuit.line()
        offset = style.volts(float(line.offset), 4, sign=True)
        set_text(self.title_words, f"nominal gain {style.number(float(line.gain), 5)}, offset {offset}")

    def _note_of(self, volts: float) -> str:
        if self._pair is None:
            return ""
        return note_at_volts(self._session.bench, self._pair[0], volts, self._session.style)

    def _played(self, volts: float, requirement: Requirement) -> float:
        """The volts of a whole note that the sender plays near these."""
        if self._pair is None:
            return volts
        return whole_note_volts(
            self._session.bench, self._pair[0], volts, requirement.in_low_volts, requirement.in_high_volts
        )

    def _part_changed(self, slot: str, fitted: Fitted) -> None:
        assert self.chosen is not None  # its parts are what is changed
        self.chosen = with_values(self.chosen, Counting(), **{slot: fitted})
        set_refusal(self.refusal, "")
        self._show_chosen()

    def _rest_anew(self) -> None:
        """Work out the other parts round those that are kept, beside the window."""
        chosen, locked = self.chosen, self.side.parts.locked()
        if chosen is not None:
            self._again.ask(lambda _: rest_anew(chosen, locked))

    def _take_again(self, proposal: Proposal) -> None:
        set_refusal(self.refusal, "")
        self.chosen = proposal
        self._show_chosen()

    def _slot_chosen(self, slot: str) -> None:
        self.drawing.choose(slot)
        self.side.show_tab(0)
        self.side.parts.focus(slot)

    def _draw_zigzag(self, on: bool) -> None:
        self.drawing.zigzag = on
        self.drawing.update()
        self._session.settings.change(replace(self._session.settings.preferences, zigzag=on))

    def use_in_link(self) -> None:
        """Put the chosen circuit into the link; one revision, taken back by undo."""
        if self.page is not None:
            self.page.use_in_link()
            return
        if self.chosen is None or self._pair is None or self._of_link is None:
            raise InputError("There is no pitch or modulation link to put the circuit in; choose a pair on Bench.")
        if self._chosen_key != STANDING and self.answer is not None:
            self.answer.check_delivered(self._session.style)
        session, title = self._session, self.chosen.circuit.topology.title
        built_circuit = built(self.chosen, trimmed=self.side.as_trimmed.isChecked())
        bench, pair = session.bench, self._pair
        change, where = placed(bench, *pair, lambda apart: use_between(bench, *pair, built_circuit, apart))
        self._chosen_key = STANDING
        session.document.apply(change)
        session.said.emit(f"{title} stands in the link now{where or '.'}", False)

    def sheet(self) -> Report | None:
        ends = [] if self._pair is None else [self._session.bench.label(one) for one in self._pair]
        return None if self.page is not None or self.chosen is None else self.side.sheet(" to ".join(ends))

    def thread_fields(self) -> ThreadFields | None:
        return None

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.proposals if self.page is None else self.page.table
