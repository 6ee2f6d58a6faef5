"""The Circuit station between V/oct and Hz/V: a converter of the law, its parts, trimmers, errors and warmth."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.chains.notes_at import note_at_volts
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.designing.law_change import (
    USUAL,
    chosen_for,
    converter_asked,
    converter_of_link,
    in_reach,
    title_of,
    use_converter,
    usual_from,
)
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.beside import harmed, placed
from dynamis.electrics.circuits.parts import parts_csv, parts_list
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.design.trims import trimmer_sizes
from dynamis.electrics.exponential.adjust import ConverterErrors, left, ordinary, walk, warmer, with_part
from dynamis.electrics.exponential.converter import Converter
from dynamis.electrics.exponential.parts import NAMES, TRIMMERS
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.exponential.schematic import pair_schematic
from dynamis.electrics.exponential.spice import pair_netlist
from dynamis.electrics.exponential.words import (
    WARMER_KELVIN,
    asks_words,
    higher_words,
    left_words,
    walk_words,
    warm_words,
)
from dynamis.electrics.series import SERIES
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity, parse_share
from dynamis.ui.session.session import Session
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.circuit.left_plot import LeftOver, LeftPlot
from dynamis.ui.views.circuit.link_page import LinkPage
from dynamis.ui.widgets.form import add_row, choice, form_grid
from dynamis.ui.widgets.panel import Sentences, label, scrolling, set_text
from dynamis.ui.widgets.quantity_edit import QuantityEdit
from dynamis.ui.widgets.table import Column, Row, Table

_ROOM = 25.0
_ROOM_FOR_BOTH = 560
_COLUMNS = (Column("adds, trimmed", left=True, stretch=2, fits=False), Column("± ct", stretch=0.3))


class ConverterPage(LinkPage):
    """What the link asks, the converter that does it, and the way into the link."""

    def __init__(self, session: Session, colours: Colours) -> None:
        super().__init__(session, colours, "What it has to do", "What is left", ("Trimmers", "Errors"))
        self.side.values.sizes = dict.fromkeys(TRIMMERS, trimmer_sizes())

    def _fill(self) -> None:
        self._options, self._high_note = USUAL, 0.0
        self.requirement: LawRequirement | None = None
        self._asked_from: tuple[object, ...] = ()
        self.chosen: Converter | None = None
        self._make_requirement()
        self.state = label("", "small")
        self.over.head.addWidget(self.state)
        self.left, self.table = LeftPlot(self.colours, self._session.style), Table("What each part adds", _COLUMNS)
        row = QHBoxLayout()
        row.addWidget(self.left, 5)
        row.addWidget(self.table, 3)
        self.over.body.addLayout(row, 1)

    def _make_requirement(self) -> None:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        self.asks = Sentences(spacing=9)
        column.addLayout(self.asks)
        grid = form_grid()
        column.addSpacing(9)
        column.addLayout(grid)
        self.supply = self._edit(grid, 0, "Supply", self._read_supply, "12 is ± 12 V, -9:12 two unlike rails")
        kinds = [(one.name, one.short_title) for one in OP_AMPS.values()]
        self.op_amp = self._choice(grid, 1, "Op-amps", kinds, "op_amp")
        self.series = self._choice(grid, 2, "Series", [(name, name) for name in SERIES], "series")
        self.tolerance = self._edit(grid, 3, "Resistors ±", self._read_tolerance, "Tolerance of the resistors")
        self.grows = self._edit(grid, 4, "R5, ppm/K", self._read_grows, "3300 compensates; 0 is an ordinary resistor")
        self.as_trimmed = QCheckBox("trimmed by readings")
        self.as_trimmed.setChecked(True)
        self.as_trimmed.setToolTip("In the link, what the trimmers take out then no longer counts")
        column.addWidget(self.as_trimmed)
        column.addStretch(1)
        self.requirement_panel.body.addWidget(scrolling(inner), 1)
        self.anew = QPushButton("Choose the parts anew")
        self.anew.clicked.connect(self.choose_anew)
        self.requirement_panel.body.addWidget(self.anew)

    def _edit(
        self, grid: QGridLayout, row: int, words: str, read: Callable[[str], LawRequirement], hint: str
    ) -> QuantityEdit:
        quantity_edit = QuantityEdit(words, read, self._take)
        quantity_edit.set_hint(hint)
        quantity_edit.setMinimumWidth(60)
        quantity_edit.refused.connect(lambda text: self.side.refuse(text))
        add_row(grid, row, words, quantity_edit)
        return quantity_edit

    def _choice(
        self, grid: QGridLayout, row: int, words: str, choices: Sequence[tuple[object, str]], field: str
    ) -> QComboBox:
        box = choice(words, choices)

        def chosen(_: int) -> None:
            value = box.currentData()
            values: dict[str, Any] = {field: OP_AMPS[value] if field == "op_amp" else value}
            try:
                self._take(replace(self._options, **values))
            except InputError as error:
                self.side.refuse(str(error))

        box.activated.connect(chosen)
        add_row(grid, row, words, box)
        return box

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the plot has it; what each part adds stands under Errors too."""
        super().resizeEvent(event)
        room = self.width() - self.requirement_panel.width() - self.side.width()
        self.table.setVisible(room >= _ROOM_FOR_BOTH)

    def dress(self, colours: Colours, *, zigzag: bool) -> None:
        super().dress(colours, zigzag=zigzag)
        self.left.colours, self.left.number_style = colours, self._session.style

    # -- what is shown -----------------------------------------------------------------------------

    def show_pair(self, output: PortRef, sink: PortRef, *, anew: bool = False) -> None:
        """Show what could stand between; what was changed by hand stays while the link asks the same.

        anew : the parts are chosen again, also where a converter stands in the link.
        """
        session = self._session
        link = trial_link(session.bench.link_from(output), output, sink)
        there = None if anew else converter_of_link(link)
        if (output, sink) != self._pair and there is not None:
            parts = there.parts
            self._options = replace(
                self._options,
                supply=parts.supply,
                op_amp=parts.op_amp,
                tolerance=parts.tolerance,
                base_ppm=parts.base_ppm,
            )
        sentences, requirement, rails = [], None, session.bench.rails_for(link)
        try:
            if there is None and (rails, output, sink) != self._asked_from:
                self._options = replace(self._options, supply=usual_from(rails).supply)
            self._asked_from = rails, output, sink
            link, highest = in_reach(session.bench, link, sink, self._options), link.high_note
            asked = converter_asked(session.bench, link, sink, self._options)
            requirement = None if isinstance(asked, str) else asked
            sentences = (
                [asked]
                if isinstance(asked, str)
                else (asks_words(asked, (session.bench.label(output), session.bench.label(sink)), session.style))
            )
            if requirement is not None and (
                requirement != self.requirement or (output, sink) != self._pair or self.chosen is None or anew
            ):
                if there is not None and there.parts.direction == requirement.direction:
                    self.chosen = replace(there, source_ohms=requirement.source_ohms)
                else:
                    self.chosen = chosen_for(requirement)
            if requirement is not None and link.high_note < highest:
                sentences.append(higher_words(requirement, link.high_note, session.style))
            self._high_note = link.high_note
            self.side.refuse("")
        except InputError as error:
            requirement = None
            self.side.refuse(str(error))
        self._pair, self.requirement = (output, sink), requirement
        if requirement is None:
            self.chosen = None
        self.asks.show_sentences(sentences)
        self._show_options()
        self._show_chosen()

    def _show_options(self) -> None:
        requirement, style = self._options, self._session.style
        self.supply.show_text(requirement.supply.shown(style))
        self.op_amp.setCurrentIndex(self.op_amp.findData(requirement.op_amp.name))
        self.series.setCurrentIndex(self.series.findData(requirement.series))
        self.side.values.series = requirement.series
        self.tolerance.show_text(style.typed_share(requirement.tolerance))
        self.grows.show_text(style.number(requirement.base_ppm, 0, sign=bool(requirement.base_ppm)))

    def _show_chosen(self) -> None:
        converter, requirement, style = self.chosen, self.requirement, self._session.style
        self.side.endings.allow(converter is not None)
        set_text(self.state, "")
        if converter is None or requirement is None or self._pair is None:
            self.side.values.show_values((), style)
            for one in (self.side.words, *self.side.sentences):
                one.show_sentences([])
            self.drawing.show_drawing(None, "")
            self.left.show_one(None, "")
            self.table.set_rows([])
            self.spice.setPlainText("")
            return
        parts, names = converter.parts, [self._session.bench.label(one) for one in self._pair]
        fitted = {**{name: parts.ohms[name] for name in NAMES if name in parts.ohms}, **parts.trimmers}
        resistors = [(name, parts.role(name), ohms) for name, ohms in fitted.items()]
        self.side.values.show_values(resistors, style)
        pieces = parts.pieces(style)
        bench = self._session.bench
        output, sink = self._pair
        harm = harmed(bench, output, sink, use_converter(bench, output, sink, converter, self._high_note))
        others = [
            f"{one.name}  {one.value}, {one.role}" for one in pieces if one.ohms is None and one.name not in TRIMMERS
        ]
        self.side.words.show_sentences([*harm, *others])
        trimmed = left(replace(converter, trimmed=True), requirement)
        sentences = left_words(left(replace(converter, trimmed=False), requirement), trimmed, style)
        self.side.sentences[0].show_sentences(walk_words(walk(converter, requirement), self._note_of, style))
        self.side.sentences[1].show_sentences([*sentences, *warm_words(converter, requirement, style)])
        self.table.set_rows([Row((name, style.cents(abs(cents))), name, tip=name) for name, cents in trimmed.shares])
        self.drawing.show_drawing(
            pair_schematic(parts, style, *names), ", ".join(f"{one.name} {one.value}" for one in pieces)
        )
        self._show_left(converter, requirement, trimmed, f"{sentences[0]} {sentences[-1]}")
        self.spice.setPlainText(
            pair_netlist(
                converter, requirement.in_low_volts, requirement.in_high_volts, f"{names[0]} > {names[1]}", _ROOM
            )
        )
        where = "in the link" if self._stands() else "not in the link yet"
        set_text(self.state, f"trimmed {style.cents(trimmed.most)} ct at most, {where}")

    def _show_left(
        self, converter: Converter, requirement: LawRequirement, trimmed: ConverterErrors, words: str
    ) -> None:
        style = self._session.style
        volts, warm = requirement.volts(), warmer(WARMER_KELVIN)
        lines = [(f"{style.number(WARMER_KELVIN, 0)} °C warmer", requirement.cents(converter, volts, warm))]
        if converter.parts.base_ppm:
            lines.append(("ordinary R5", requirement.cents(ordinary(converter), volts, warm)))
        ends = self._tick(volts[0]), self._tick(volts[volts.size // 2]), self._tick(volts[-1])
        shown = LeftOver(trimmed.nominal, trimmed.worst, tuple(lines), requirement.tolerance_cents, ends)
        self.left.show_one(shown, words)

    def _note_of(self, volts: float) -> str:
        assert self._pair is not None
        return note_at_volts(self._session.bench, self._pair[0], volts, self._session.style)

    def _tick(self, volts: float) -> str:
        return self._note_of(volts) or self._session.style.volts(volts, 2)

    def _stands(self) -> bool:
        assert self._pair is not None
        link = self._session.bench.link_from(self._pair[0])
        there = None if link is None or self._pair[1] not in link.inputs else converter_of_link(link)
        return there is not None and self.chosen is not None and there.parts == self.chosen.parts

    # -- changing it -------------------------------------------------------------------------------

    def _read_supply(self, text: str) -> LawRequirement:
        return replace(self._options, supply=Supply.parse(text, decimal_comma=self._session.style.decimal_comma))

    def _read_tolerance(self, text: str) -> LawRequirement:
        comma = self._session.style.decimal_comma
        return replace(self._options, tolerance=parse_share(text, "Resistors ±", decimal_comma=comma))

    def _read_grows(self, text: str) -> LawRequirement:
        comma = self._session.style.decimal_comma
        return replace(self._options, base_ppm=parse_quantity(text, "", "R5, ppm/K", decimal_comma=comma))

    def _take(self, options: LawRequirement) -> None:
        """Choose the parts for other means; what cannot be is told and changes nothing."""
        if self._pair is not None and self.requirement is not None:
            bench = self._session.bench
            link = trial_link(bench.link_from(self._pair[0]), *self._pair)
            try:
                requirement = converter_asked(
                    bench, in_reach(bench, link, self._pair[1], options), self._pair[1], options
                )
                if isinstance(requirement, LawRequirement):
                    chosen_for(requirement)
            except InputError:
                self._show_options()
                raise
        self._options = options
        self.choose_anew()

    def choose_anew(self) -> None:
        """The parts as they are chosen for what the link asks."""
        if self._pair is None:
            return
        self.show_pair(*self._pair, anew=True)

    def _changed(self, name: str, ohms: float) -> None:
        assert self.requirement is not None  # what is changed was chosen for it
        self.chosen = with_part(self._of_chosen(), self.requirement, name, ohms)
        self._show_chosen()

    def use_in_link(self) -> None:
        """Put the converter into the link; one revision, taken back by undo."""
        if self.chosen is None or self._pair is None:
            raise InputError("No converter is chosen; nothing was put between.")
        converter = replace(self.chosen, trimmed=self.as_trimmed.isChecked())
        bench, pair = self._session.bench, self._pair
        change, where = placed(
            bench, *pair, lambda apart: use_converter(bench, *pair, converter, self._high_note, apart)
        )
        self._session.document.apply(change)
        self._session.said.emit(f"{title_of(converter.parts.direction)} stands in the link now{where or '.'}", False)

    def _of_chosen(self) -> Converter:
        if self.chosen is None:
            raise InputError("No converter is chosen.")
        return self.chosen

    def parts_text(self) -> str:
        """The parts list with its columns of prices, to be filled in."""
        return parts_csv(parts_list(self._of_chosen().parts.pieces()), {})

    def first(self) -> QWidget:
        return self.supply
