"""The Circuit station for a gate, trigger or clock link: circuits side by side, the chosen one's parts, drawn."""

from __future__ import annotations

from dataclasses import replace as with_choice

from msgspec.structs import replace as with_
from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QPushButton, QWidget

from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.gate_choices import (
    GateChoice,
    choice,
    gate_choices,
    meets_words,
    unpowered_words,
    use_stage,
    with_parts,
    with_stage,
)
from dynamis.bench.designing.gate_words import gate_row, gate_words, joint_words, length_words
from dynamis.bench.document.bench import GateStageRecord, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.beside import placed
from dynamis.electrics.circuits.parts import parts_csv, parts_list, pieces_from
from dynamis.electrics.gates.schematic import gate_schematic
from dynamis.errors import InputError
from dynamis.files.spice import stage_spice
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.link_page import LinkPage
from dynamis.ui.widgets.panel import Sentences, holding, scrolling
from dynamis.ui.widgets.table import Column, Row, Table

_COLUMNS = (
    Column("circuit", left=True, stretch=2, fits=False),
    Column("parts", stretch=0.3),
    Column("low", stretch=0.3),
    Column("high", stretch=0.3),
    Column("on spare", stretch=0.3),
    Column("off spare", stretch=0.3),
    Column("verdict", left=True, stretch=0.3),
)


class GatePage(LinkPage):
    """looked_at : another circuit is looked at."""

    looked_at = Signal()

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__(session, colours, "What meets what", "Circuits for gates", ())
        self.words = self.side.words
        self.clamp = QPushButton("Add the clamp")
        self.clamp.setToolTip("Diodes at the input that hold it when a joint of the circuit is bad")
        self.clamp.clicked.connect(lambda: guarded(session, self.add_clamp))
        self.clamp.hide()
        self.side.body.insertWidget(self.side.body.count() - 1, self.clamp)

    def _fill(self) -> None:
        self._link: Link | None = None
        self._choices: dict[str, GateChoice] = {}
        self.chosen: GateChoice | None = None
        self.meets = Sentences(spacing=9)
        self.requirement_panel.body.addWidget(scrolling(holding(self.meets)), 1)
        self.table = Table("Circuits for gates", _COLUMNS)
        self.table.on_activate = self.look_at
        self.table.clicked.connect(lambda index: self.look_at(self.table.rows_model.rows[index.row()].key))
        self.over.body.addWidget(self.table)

    def dress(self, colours: Colours, *, zigzag: bool) -> None:
        super().dress(colours, zigzag=zigzag)
        self.table.rows_model.current_colour = QColor(colours.thread_wash)

    # -- what is shown -----------------------------------------------------------------------------

    def show_pair(self, output: PortRef, sink: PortRef) -> None:
        """Show what could stand between; what was changed by hand stays while the pair is the same."""
        session, style = self._session, self._session.style
        link = trial_link(session.bench.link_from(output), output, sink)
        choices = gate_choices(session.bench, link, sink, style)
        tried = self.chosen if (output, sink) == self._pair and link == self._link else None
        self._pair, self._link = (output, sink), link
        self._choices = {one.key: one for one in choices.choices}
        sentences = [*meets_words(session.bench, link, sink, style), *gate_words(choices, style)]
        self.meets.show_sentences(sentences)
        self.chosen = tried if tried is not None else next(iter(choices.choices), None)
        self._show_table()
        self._show_chosen()

    def look_at(self, key: str) -> None:
        self.chosen = self._choices[key]
        self.side.refuse("")
        self._show_table()
        self._show_chosen()
        self.looked_at.emit()

    def _show_table(self) -> None:
        style, rows = self._session.style, []
        for key, one in self._choices.items():
            shown = self.chosen if self.chosen is not None and self.chosen.key == key else one
            cells, tip = gate_row(shown, style), " ".join([key, *shown.spoils])
            rows.append(Row(cells, key, "current" if shown is self.chosen else "", tip=tip))
        self.table.set_rows(rows)

    def _show_chosen(self) -> None:
        chosen, style, bench = self.chosen, self._session.style, self._session.bench
        self.side.endings.allow(chosen is not None)
        if chosen is None or self._pair is None or self._link is None:
            self.clamp.hide()
            self.side.values.show_values((), style)
            self.words.show_sentences([])
            self.drawing.show_drawing(None, "")
            self.spice.setPlainText("")
            return
        stage = chosen.stage
        resistors = [(one.name, one.role, one.ohms) for one in stage.parts if one.ohms is not None]
        self.side.values.show_values(resistors, style)
        others = [one for one in pieces_from(stage.parts, style) if one.ohms is None]
        sentences = [f"{one.name}  {one.value}, {one.role}".rstrip(", ") for one in others]
        guards = [f"{style.engineering(one.ohms, 'Ω')} {one.role}" for one in chosen.protection]
        sentences += [f"For its own protection: {', '.join(guards)}."] if guards else []
        sentences += [*length_words(stage, style), *joint_words(chosen, style)]
        sentences += unpowered_words(bench, with_stage(self._link, self._pair[1], stage), self._pair[1], style)
        self.clamp.setVisible(chosen.guarded is not None)
        output, sink = self._pair
        ends = [bench.label(output)], [bench.label(sink)]
        gate = bench.port(output).gate
        contact = gate is not None and gate.kind == "switch"
        drawn, netlist = None, ""
        try:
            drawn = gate_schematic(stage.circuit, stage.parts, style, contact=contact, sender=ends[0], receiver=ends[1])
            netlist = stage_spice(bench, with_stage(self._link, sink, stage), sink, stage)
        except KeyError as lacking:  # a circuit of an older version
            sentences.append(f"It was kept without its part {lacking}: take it out, and choose it anew.")
        self.words.show_sentences([*sentences, *chosen.spoils])
        spoken = ", ".join(f"{one.name} {one.value}" for one in pieces_from(stage.parts, style))
        self.drawing.show_drawing(drawn, f"{stage.circuit}: {spoken}")
        self.spice.setPlainText(netlist)

    def _of_chosen(self) -> GateChoice:
        if self.chosen is None:
            raise InputError("No circuit is chosen.")
        return self.chosen

    # -- changing it -------------------------------------------------------------------------------

    def add_clamp(self) -> None:
        """The circuit with diodes that hold the input when one of its joints is bad."""
        if self.chosen is None or self.chosen.guarded is None:
            raise InputError("No clamp is needed, or none is known that fits from these rails.")
        self._try(self.chosen.guarded)

    def _changed(self, name: str, ohms: float) -> None:
        stage = self._of_chosen().stage
        assert self._link is not None  # circuits are chosen for a pair with a link
        assert self._pair is not None
        parts = tuple(with_(one, ohms=ohms) if one.name == name else one for one in stage.parts)
        self._try(with_parts(self._session.bench, self._link, self._pair[1], stage, parts))

    def _try(self, stage: GateStageRecord) -> None:
        before = self._of_chosen()
        assert self._link is not None  # circuits are chosen for a pair with a link
        assert self._pair is not None
        tried = choice(self._session.bench, self._link, self._pair[1], stage, self._session.style)
        self.chosen = with_choice(tried, key=before.key, protection=before.protection)
        self.side.refuse("")
        self._show_table()
        self._show_chosen()

    def use_in_link(self) -> None:
        """Put the chosen circuit into the link; one revision, taken back by undo."""
        if self.chosen is None or self._pair is None:
            raise InputError("No circuit is chosen; nothing was put between.")
        stage: GateStageRecord = self.chosen.stage
        bench, pair = self._session.bench, self._pair
        change, where = placed(bench, *pair, lambda apart: use_stage(bench, *pair, stage, apart))
        self.chosen = None
        self._session.document.apply(change)
        self._session.said.emit(f"A {stage.circuit} stands in the link now{where or '.'}", False)

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        return parts_csv(parts_list(pieces_from(self._of_chosen().stage.parts)), {})

    def first(self) -> QWidget:
        return self.table
