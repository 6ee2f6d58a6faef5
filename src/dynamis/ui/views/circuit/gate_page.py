"""The Circuit station for a gate, trigger or clock link: circuits side by side, the chosen one's parts, drawn."""

from __future__ import annotations

from dataclasses import replace as with_choice

from msgspec.structs import replace as with_
from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document import GateStageRecord, Link
from dynamis.bench.gate_choices import GateChoice, choice, gate_choices, meets_words, use_stage, with_stage
from dynamis.bench.judging.pairs import trial_link
from dynamis.bench.ports import PortRef
from dynamis.electrics.circuits.parts import parts_csv, parts_list, pieces_from
from dynamis.electrics.gates.schematic import gate_schematic
from dynamis.electrics.part import Part
from dynamis.electrics.series import values_between
from dynamis.errors import InputError
from dynamis.files.spice import stage_spice
from dynamis.notation.numbers import parse_quantity
from dynamis.ui.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.drawing import SchematicView
from dynamis.ui.views.circuit.parts_panel import ValueEdit
from dynamis.ui.views.circuit.saving import save_text
from dynamis.ui.views.circuit.words import gate_row, gate_words
from dynamis.ui.widgets.panel import Panel, Sentences, clear, holding, label, scrolling, set_refusal
from dynamis.ui.widgets.table import Column, Row, Table
from dynamis.ui.widgets.tabs import Tabs

_COLUMNS = (
    Column("circuit", left=True, stretch=2, fits=False), Column("parts", stretch=0.3), Column("low", stretch=0.3),
    Column("high", stretch=0.3), Column("on spare", stretch=0.3), Column("off spare", stretch=0.3),
    Column("verdict", left=True, stretch=0.3),
)  # fmt: skip
_SERIES = "E24"


class GatePage(QWidget):
    """looked_at : another circuit is looked at."""

    looked_at = Signal()

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__()
        self._session, self.colours = session, colours
        self._pair: tuple[PortRef, PortRef] | None = None
        self._link: Link | None = None
        self._choices: dict[str, GateChoice] = {}
        self.chosen: GateChoice | None = None
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(13)
        across.addWidget(self._make_wish(), 0)
        across.addWidget(self._make_middle(), 1)
        across.addWidget(self._make_side(), 0)

    def _make_wish(self) -> Panel:
        self._wish_panel = Panel("What meets what", "What meets what")
        self.meets = Sentences(spacing=9)
        self._wish_panel.body.addWidget(scrolling(holding(self.meets)), 1)
        return self._wish_panel

    def _make_middle(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(11)
        panel = Panel("Circuits", "Circuits for gates")
        self.table = Table("Circuits for gates", _COLUMNS)
        self.table.on_activate = self.look_at
        self.table.clicked.connect(lambda index: self.look_at(self.table.rows_model.rows[index.row()].key))
        panel.body.addWidget(self.table)
        column.addWidget(panel, 4)
        under = Panel("Schematic", "Schematic")
        self.drawing = SchematicView(self.colours, self._session.style)
        self.drawing.slot_chosen.connect(self._slot_chosen)
        under.body.addWidget(self.drawing, 1)
        column.addWidget(under, 5)
        return middle

    def _make_side(self) -> Panel:
        self._side = Panel("The chosen circuit")
        row = QHBoxLayout()
        self.tabs = Tabs(("Parts", "SPICE"), row)
        row.addStretch(1)
        self._side.body.addLayout(row)
        self._side.body.addWidget(self.tabs, 1)
        parts = QWidget()
        column = QVBoxLayout(parts)
        column.setContentsMargins(0, 0, 6, 0)
        self._grid = QGridLayout()
        self._grid.setColumnStretch(1, 1)
        self._grid.setVerticalSpacing(3)
        column.addLayout(self._grid)
        self.words = Sentences("small")
        column.addLayout(self.words)
        column.addStretch(1)
        self.edits: dict[str, ValueEdit] = {}
        self.tabs.addWidget(scrolling(parts))
        self.spice = QPlainTextEdit()
        self.spice.setReadOnly(True)
        self.spice.setAccessibleName("SPICE text")
        self.spice.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.tabs.addWidget(self.spice)
        self.refusal = label("", "question", wrap=True)
        set_refusal(self.refusal, "")
        self._side.body.addWidget(self.refusal)
        saves = QHBoxLayout()
        self.save_parts, self.save_spice = QPushButton("Parts list…"), QPushButton("SPICE…")
        saves.addWidget(self.save_parts)
        saves.addWidget(self.save_spice)
        self._side.body.addLayout(saves)
        self.use = QPushButton("Use this in the link (Ctrl+Shift+I)")
        self.use.setProperty("primary", True)
        self._side.body.addWidget(self.use)
        saved = {
            self.save_parts: ("Save the parts list", "parts.csv", self.parts_text),
            self.save_spice: ("Save the SPICE text", "circuit.cir", self.spice.toPlainText),
        }
        for button, what in saved.items():
            button.clicked.connect(lambda _=False, what=what: save_text(self, self._session, *what))
        return self._side

    def sides(self, wish: int, side: int) -> tuple[tuple[QWidget, int], ...]:
        """The panels at both sides with the widths they should have."""
        return (self._wish_panel, wish), (self._side, side)

    def dress(self, colours: Colours, *, zigzag: bool) -> None:
        self.colours = colours
        self.drawing.colours, self.drawing.number_style = colours, self._session.style
        self.drawing.zigzag = zigzag
        self.table.rows_model.current_colour = QColor(colours.thread_wash)

    # -- what is shown -----------------------------------------------------------------------------

    def show_pair(self, output: PortRef, sink: PortRef) -> None:
        """Show what could stand between; what was changed by hand stays while the pair is the same."""
        session, style = self._session, self._session.style
        link = trial_link(session.bench.link_from(output), output, sink)
        found = gate_choices(session.bench, link, sink, style)
        tried = self.chosen if (output, sink) == self._pair and link == self._link else None
        self._pair, self._link = (output, sink), link
        self._choices = {one.key: one for one in found.choices}
        told = [*meets_words(session.bench, link, sink, style), *gate_words(found, style)]
        self.meets.show_sentences(told)
        self.chosen = tried if tried is not None else next(iter(found.choices), None)
        self._show_table()
        self._show_chosen()

    def look_at(self, key: str) -> None:
        self.chosen = self._choices[key]
        set_refusal(self.refusal, "")
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
        made, style, bench = self.chosen, self._session.style, self._session.bench
        for one in (self.use, self.save_parts, self.save_spice):
            one.setEnabled(made is not None)
        if made is None or self._pair is None or self._link is None:
            self._build(())
            self.words.show_sentences([])
            self.drawing.show_drawing(None, "")
            self.spice.setPlainText("")
            return
        stage = made.stage
        self._build(stage.parts)
        for part in stage.parts:
            if part.name in self.edits:
                self.edits[part.name].show_text(style.engineering(part.ohms, "Ω"))
        others = [one for one in pieces_from(stage.parts, style) if one.ohms is None]
        told = [f"{one.name}  {one.value}, {one.role}".rstrip(", ") for one in others]
        self.words.show_sentences([*told, *made.spoils])
        output, sink = self._pair
        ends = [bench.label(output)], [bench.label(sink)]
        gate = bench.port(output).gate
        contact = gate is not None and gate.kind == "switch"
        drawn = gate_schematic(stage.circuit, stage.parts, style, contact=contact, sender=ends[0], receiver=ends[1])
        spoken = ", ".join(f"{one.name} {one.value}" for one in pieces_from(stage.parts, style))
        self.drawing.show_drawing(drawn, f"{stage.circuit}: {spoken}")
        self.spice.setPlainText(stage_spice(bench, with_stage(self._link, stage), sink, stage))

    def _build(self, parts: tuple[Part, ...]) -> None:
        """A field for each resistor that steps through the preferred values."""
        resistors = [one for one in parts if one.ohms is not None]
        if [(one.name, one.role) for one in resistors] == self._built():
            return
        clear(self._grid)
        self.edits = {}
        for k, part in enumerate(resistors):
            name = part.name
            edit = ValueEdit(f"{name}, {part.role}", lambda text, name=name: self._read(name, text), self._changed)
            edit.setProperty("role_words", part.role)
            edit.set_hint("Up and Down step through the series")
            edit.refused.connect(lambda text: set_refusal(self.refusal, text))
            edit.stepped.connect(lambda way, name=name: self.step(name, way))
            head = label(name, "heading")
            head.setBuddy(edit)
            self._grid.addWidget(head, 2 * k, 0)
            self._grid.addWidget(edit, 2 * k, 1)
            self._grid.addWidget(label(part.role, "small", wrap=True), 2 * k + 1, 1)
            self.edits[name] = edit

    def _built(self) -> list[tuple[str, str]]:
        return [(name, edit.property("role_words")) for name, edit in self.edits.items()]

    # -- changing it -------------------------------------------------------------------------------

    def _read(self, name: str, text: str) -> tuple[str, float]:
        ohms = parse_quantity(text, "Ω", name, decimal_comma=self._session.style.decimal_comma)
        if ohms <= 0:
            raise InputError(f"{name} is {text.strip()}; more than 0 Ω was expected.")
        return name, ohms

    def step(self, name: str, way: int) -> None:
        """The next preferred value up or down."""
        ohms = next(one.ohms for one in self.chosen.stage.parts if one.name == name)
        span = (ohms * 1.0001, ohms * 1.5) if way > 0 else (ohms / 1.5, ohms / 1.0001)
        values = values_between(*span, _SERIES)
        self._changed((name, values[0] if way > 0 else values[-1]))

    def _changed(self, what: tuple[str, float]) -> None:
        name, ohms = what
        stage = self.chosen.stage
        parts = tuple(with_(one, ohms=ohms) if one.name == name else one for one in stage.parts)
        tried = choice(self._session.bench, self._link, self._pair[1], with_(stage, parts=parts), self._session.style)
        self.chosen = with_choice(tried, key=self.chosen.key)
        set_refusal(self.refusal, "")
        self._show_table()
        self._show_chosen()

    def _slot_chosen(self, name: str) -> None:
        self.drawing.choose(name)
        self.tabs.show_page(0)
        if name in self.edits:
            self.edits[name].setFocus()
            self.edits[name].selectAll()

    def use_in_link(self) -> None:
        """Put the chosen circuit into the link; one revision, taken back by undo."""
        if self.chosen is None or self._pair is None:
            raise InputError("No circuit is chosen; nothing was put between.")
        stage: GateStageRecord = self.chosen.stage
        self.chosen = None
        self._session.apply(use_stage(self._session.bench, *self._pair, stage))
        self._session.said.emit(f"A {stage.circuit} stands in the link now.", False)

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        return parts_csv(parts_list(pieces_from(self.chosen.stage.parts)), {})

    def first(self) -> QWidget:
        return self.table
