"""The Circuit station with a circuit that remembers: its kind, what drives it, what it does in time, its parts."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QVBoxLayout, QWidget

from dynamis.bench.chains.remembered import driver_of, drivers
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.memory import changed, memory_figures, memory_for, use_memory
from dynamis.bench.document.bench import Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.beside import harmed, placed
from dynamis.bench.judging.remembering import judge_with
from dynamis.electrics.circuits.parts import parts_csv, parts_list, pieces_from
from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.memory.schematic import memory_schematic
from dynamis.electrics.memory.spice import memory_netlist
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.link_page import LinkPage
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.panel import Sentences, clear, scrolling
from dynamis.ui.widgets.quantity_edit import QuantityEdit
from dynamis.ui.widgets.table import Column, Row, Table

FIGURE_COLUMNS = (
    Column("what", left=True, stretch=1, fits=False),
    Column("how much", stretch=0.5),
    Column("from", left=True, stretch=1, fits=False),
)
_NOT_CHOSEN = ("", "not chosen yet")


class MemoryPage(LinkPage):
    """What it does besides passing on, and the way into the link."""

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__(session, colours, "What it does", "In time", ())

    def _fill(self) -> None:
        self._link: Link | None = None
        self.kind = ""  # chosen in the row at the top
        self._asked: tuple[object, ...] = ()
        self.chosen: Remembering | None = None
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        self.does = Sentences(spacing=9)
        column.addLayout(self.does)
        self._grid = form_grid()
        column.addSpacing(9)
        column.addLayout(self._grid)
        self.told = Sentences(spacing=9)
        column.addSpacing(9)
        column.addLayout(self.told)
        column.addStretch(1)
        self.requirement_panel.body.addWidget(scrolling(inner), 1)
        self.table = Table("What it does in time", FIGURE_COLUMNS)
        self.over.body.addWidget(self.table)

    def show_pair(self, output: PortRef, sink: PortRef) -> None:
        """Show a circuit of the kind for a pair; what was changed stays while the link is the same."""
        bench = self._session.bench
        link = trial_link(bench.link_from(output), output, sink)
        asked = self.kind, output, sink, link, bench.rails
        anew, self._asked = asked != self._asked, asked
        self._pair, self._link = (output, sink), link
        try:
            if self.chosen is None or anew:
                self.chosen = memory_for(bench, link, sink, self.kind)
            self._show_chosen()
        except InputError as error:  # such as a tree that feeds itself
            self._show_none()
            self.side.refuse(str(error))

    def _show_none(self) -> None:
        self.chosen = None
        for one in (self.does, self.told, self.side.words):
            one.show_sentences([])
        clear(self._grid)
        self.side.values.show_values((), self._session.style)
        self.table.set_rows([])
        self.drawing.show_drawing(None, "")
        self.spice.setPlainText("")
        self.side.endings.allow(False)

    def _show_chosen(self) -> None:
        circuit, session = self.chosen, self._session
        assert circuit is not None  # a kind was chosen
        assert self._pair is not None
        assert self._link is not None
        bench, style, (output, sink) = session.bench, session.style, self._pair
        kind = circuit.of
        self.side.refuse("")
        self.does.show_sentences([f"{kind.title}. {kind.does}"])
        self._show_form(circuit)
        values = [(one.name, one.role, one.ohms or one.farads) for one in circuit.parts if one.ohms or one.farads]
        self.side.values.show_values(values, style)
        others = [one for one in pieces_from(circuit.parts, style) if one.name not in self.side.values.edits]
        self.side.words.show_sentences([f"{one.name}  {one.value}, {one.role}".rstrip(", ") for one in others])
        self.table.set_rows([Row(row, row[0]) for row in memory_figures(bench, self._link, sink, circuit, style)])
        harm = harmed(bench, output, sink, use_memory(bench, output, sink, circuit))
        self.told.show_sentences([*harm, *(one.text for one in judge_with(bench, self._link, sink, circuit, style))])
        sender, receiver = (bench.label(one) for one in self._pair)
        ref = driver_of(bench, circuit)
        drawn = memory_schematic(circuit, style, sender, receiver, "" if ref is None else bench.label(ref))
        self.drawing.show_drawing(drawn, f"{kind.title}: {', '.join(one.name for one in circuit.parts)}")
        self.spice.setPlainText(memory_netlist(circuit, 1.0, 2.0, f"{sender} > {receiver}"))
        self.side.endings.allow(True)

    def _show_form(self, circuit: Remembering) -> None:
        clear(self._grid)
        assert self._link is not None  # it is shown for a pair
        row, style = 0, self._session.style
        if circuit.of.driven_by:
            words = "Other signal" if circuit.of.driven_by == "other" else circuit.of.driven_by.capitalize()
            box = choice(words, [_NOT_CHOSEN, *drivers(self._session.bench, self._link, circuit)])
            box.setCurrentIndex(max(0, box.findData(circuit.by)))
            box.activated.connect(lambda _: self._take(by=box.currentData()))
            add_row(self._grid, row, words, box)
            row += 1
        if circuit.kind == "gated-pitch":
            off = choice("Gate down", [("held", "held"), ("grounded", "grounded"), ("open", "open")])
            off.setCurrentIndex(off.findData(circuit.when_off))
            off.activated.connect(lambda _: self._take(when_off=off.currentData()))
            add_row(self._grid, row, "Gate down", off)
            row += 1
        if circuit.holds:
            comma = style.decimal_comma
            leak = QuantityEdit(
                "Leak",
                lambda text: parse_quantity(text, "A", "Leak", decimal_comma=comma),
                lambda amperes: self._take(leak_amperes=amperes),
            )
            leak.set_hint("What leaks out of C1: the switch, the follower's input, the board")
            leak.refused.connect(lambda text: self.side.refuse(text))
            leak.show_text(style.engineering(circuit.leak_amperes, "A"))
            add_row(self._grid, row, "Leak", leak)

    # -- changing it -------------------------------------------------------------------------------

    def _changed(self, name: str, ohms: float) -> None:
        self._take(**{"farads" if name.startswith("C") else "ohms": ohms})

    def _take(self, **values: Any) -> None:
        assert self.chosen is not None  # its values are what is changed
        circuit = self.chosen
        guarded(self._session, lambda: self._try(circuit, values))

    def _try(self, circuit: Remembering, values: dict[str, Any]) -> None:
        self.chosen = changed(circuit, **values)
        self._show_chosen()

    def use_in_link(self) -> None:
        """Put the circuit into the link; one revision, taken back by undo."""
        if self.chosen is None or self._pair is None:
            raise InputError("No circuit is chosen; nothing was put between.")
        bench, pair, circuit = self._session.bench, self._pair, self.chosen
        change, where = placed(bench, *pair, lambda apart: use_memory(bench, *pair, circuit, apart))
        self._link = None
        self._session.document.apply(change)
        self._session.said.emit(f"A {circuit.of.title.lower()} stands in the link now{where or '.'}", False)

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        if self.chosen is None:
            raise InputError("No circuit is chosen.")
        return parts_csv(parts_list(pieces_from(self.chosen.parts)), {})

    def first(self) -> QWidget:
        return self.table
