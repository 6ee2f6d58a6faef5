"""The Circuit station with a switched jack: what an input gets while nothing is plugged in."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QWidget

from dynamis.bench.designing.jack import TITLE, feed_jack, jack_figures, jack_for, jack_sentences
from dynamis.bench.document.ports import PortRef
from dynamis.electrics.circuits.parts import parts_csv, parts_list, pieces_from
from dynamis.electrics.switched_jack import JackFeed
from dynamis.errors import InputError
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.link_page import LinkPage
from dynamis.ui.views.circuit.memory_page import FIGURE_COLUMNS
from dynamis.ui.widgets.panel import Sentences
from dynamis.ui.widgets.table import Row, Table


class JackPage(LinkPage):
    """The output that feeds the switch, the resistor ahead of it, and the way onto the bench."""

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__(session, colours, "What it does", "At the jack", ())

    def _fill(self) -> None:
        self._asked: tuple[object, ...] = ()
        self.chosen: JackFeed | None = None
        self.told = Sentences(spacing=9)
        self.requirement_panel.body.addLayout(self.told)
        self.requirement_panel.body.addStretch(1)
        self.table = Table("What stands at the jack", FIGURE_COLUMNS)
        self.over.body.addWidget(self.table)

    def show_pair(self, output: PortRef, sink: PortRef) -> None:
        """Show the jack for a pair; what was changed stays while its ports are the same."""
        bench = self._session.bench
        asked = output, sink, bench.port(output), bench.port(sink), bench.link_from(output)
        anew, self._asked, self._pair = asked != self._asked, asked, (output, sink)
        try:
            if self.chosen is None or anew:
                self.chosen = jack_for(bench, output, sink)
            self._show_chosen()
        except InputError as error:
            self._show_none(str(error))

    def _show_none(self, why: str) -> None:
        self.chosen = None
        self.told.show_sentences([])
        self.side.words.show_sentences([])
        self.side.values.show_values((), self._session.style)
        self.table.set_rows([])
        self.drawing.show_drawing(None, "")
        self.spice.setPlainText("")
        self.side.endings.allow(False)
        self.side.refuse(why)

    def _show_chosen(self) -> None:
        feed, session = self.chosen, self._session
        assert feed is not None  # it was worked out
        assert self._pair is not None
        bench, style, (output, sink) = session.bench, session.style, self._pair
        names = bench.label(output), bench.label(sink)
        self.side.refuse("")
        self.told.show_sentences(jack_sentences(bench, output, sink, feed, style))
        self.side.values.show_values([("R1", "spares the sender", feed.ohms)], style)
        self.side.words.show_sentences([f"{one.name}  {one.role}" for one in feed.parts if one.ohms is None])
        self.table.set_rows([Row(row, row[0]) for row in jack_figures(feed, style)])
        spoken = ", ".join(one.name for one in feed.parts)
        self.drawing.show_drawing(feed.schematic(style, *names), f"{TITLE}: {spoken}")
        self.spice.setPlainText(feed.netlist(f"{names[0]} > {names[1]}"))
        self.side.endings.allow(True)

    def _changed(self, name: str, ohms: float) -> None:
        guarded(self._session, lambda: self._take(ohms))

    def _take(self, ohms: float) -> None:
        assert self.chosen is not None  # its resistor is what is changed
        self.chosen = replace(self.chosen, ohms=ohms)
        self._show_chosen()

    def use_in_link(self) -> None:
        """Feed the jack; one revision, taken back by undo."""
        if self.chosen is None or self._pair is None:
            raise InputError("Nothing is known to feed the jack with; nothing was changed.")
        bench, (output, sink) = self._session.bench, self._pair
        self._session.document.apply(feed_jack(bench, output, sink, self.chosen))
        self._session.said.emit(f"{bench.label(output)} feeds {bench.label(sink)} while nothing is plugged in.", False)

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        if self.chosen is None:
            raise InputError("Nothing is known to feed the jack with.")
        return parts_csv(parts_list(pieces_from(self.chosen.parts)), {})

    def first(self) -> QWidget:
        return self.table
