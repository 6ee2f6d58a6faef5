"""The Chain station: one pitch link as a nomogram, its error over the range, what it is made of, what to do first."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from dynamis.bench.chains.nomogram import Nomogram, nomogram
from dynamis.bench.chains.scale_words import budget_sentence, parse_value, value_words
from dynamis.bench.chains.shares import cure_of
from dynamis.bench.chains.tree import trial_link
from dynamis.bench.chains.what_if import FloatArray, changed_error, what_if_words, what_ifs
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.designing.remedy import Remedy
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import judge_pair
from dynamis.errors import InputError
from dynamis.notation.style import tied
from dynamis.pitch.notes import note_label
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.quantity import Quantity
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.stations import STATION_OF, Station, ThreadFields
from dynamis.ui.theme.palette import Colours
from dynamis.ui.thread import traced_fields
from dynamis.ui.views.bench.remedy_card import RemedyCard
from dynamis.ui.views.chain.budget import BudgetBars, ShareRow
from dynamis.ui.views.chain.picture import NomogramPicture
from dynamis.ui.widgets.note_plot import NotePlot
from dynamis.ui.widgets.panel import Panel, clear, label, rule, scrolling, set_refusal, set_text
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.quantity_edit import QuantityEdit
from dynamis.ui.widgets.table import Column, Row, Table

_COLUMNS = (Column("share", left=True, stretch=3), Column("cents"), Column("standard"), Column("where", left=True))
_FIELD_WIDTH, _FIELD_TOP = 96, 38


class ChainStation(Station):
    """station_wanted : a share or a remedy leads to another station."""

    title = "Chain"
    KEYS = (*NomogramPicture.KEYS, *BudgetBars.KEYS)

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.judge = session.judge
        self._now: tuple[PortRef, PortRef] | None = None
        self.nomogram: Nomogram | None = None
        self._shares: list[ShareRow] = []
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        self.pages = QStackedWidget()
        across.addWidget(self.pages, 5)
        self.pages.addWidget(self._make_left(points))
        self.pages.addWidget(self._make_empty())
        self.side = self._make_side()
        across.addWidget(self.side, 2)
        self._remedy_turn = QTimer(self)
        self._remedy_turn.setSingleShot(True)
        self._remedy_turn.timeout.connect(self._show_remedy)
        session.bench_changed.connect(self.refresh)
        session.runs_changed.connect(self.refresh)
        session.pair_changed.connect(self.refresh)
        session.note_changed.connect(self._follow)

    def _make_left(self, points: float) -> QWidget:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(11)
        top = Panel("The chain")
        self.picture = NomogramPicture(self.colours, self._session.style)
        self.fields: list[QuantityEdit] = []
        self._quantities: list[Quantity] = []
        top.body.addWidget(self.picture, 1)
        self.refusal = label("", "question", wrap=True)
        set_refusal(self.refusal, "")
        top.body.addWidget(self.refusal)
        column.addWidget(top, 5)
        under = Panel("Error over the range", "Error over the range")
        self.allowed_words = label("", "small")
        self.laid_over = QComboBox()
        self.laid_over.setAccessibleName("Laid over the error")
        self.laid_over.activated.connect(lambda _: self._show_chain())
        under.head.addWidget(self.laid_over)
        under.head.addWidget(self.allowed_words)
        self.errors = NotePlot("Error over the range", self.colours, self._session.style, points)
        self.errors.setMinimumHeight(120)
        under.body.addWidget(self.errors, 1)
        self.moved_words = label("", "small", wrap=True)
        self.moved_words.hide()
        under.body.addWidget(self.moved_words)
        column.addWidget(under, 2)
        self.picture.dragged.connect(self._session.selection.set_note)
        self.errors.note_picked.connect(self._session.selection.set_note)
        self.picture.laid_out.connect(self._place_fields)
        return left

    def _make_empty(self) -> QWidget:
        empty = Panel("Nothing to draw yet")
        empty.body.addStretch(1)
        self._other_station = "Bench"
        self.why, self.elsewhere = label("", "heading", wrap=True), QPushButton("Go to Bench (Ctrl+1)")
        self.elsewhere.clicked.connect(lambda: self.station_wanted.emit(self._other_station))
        empty.body.addWidget(self.why)
        row = QHBoxLayout()
        row.addWidget(self.elsewhere)
        row.addStretch(1)
        empty.body.addLayout(row)
        empty.body.addStretch(2)
        return empty

    def _make_side(self) -> Panel:
        side = Panel("What the error is made of", "What the error is made of")
        side.head.addWidget(label("at the followed note", "small"))
        self.bars = BudgetBars(self.colours, self._session.style)
        side.body.addWidget(scrolling(self.bars), 1)
        side.body.addWidget(rule())
        side.body.addWidget(label("Do this first", "heading"))
        self._first = QVBoxLayout()
        side.body.addLayout(self._first)
        self.bars.pointed.connect(lambda gap: self.picture.light(None if gap < 0 else gap))
        self.bars.chosen.connect(self.station_wanted)
        return side

    def shown_picture(self) -> Picture:
        """The picture that is copied, saved, printed and zoomed: the one with the focus, else the chain."""
        return self.errors if self.errors.hasFocus() else self.picture

    # -- showing -----------------------------------------------------------------------------------

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        for one in (self.picture, self.bars):
            one.colours, one.number_style = colours, self._session.style
        self.errors.dress(colours, self._session.style, points)
        self.refresh()

    def focus_first(self) -> None:
        (self.picture if self.nomogram is not None else self.elsewhere).setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def pair(self) -> tuple[PortRef, PortRef] | None:
        """The pair that is looked at; without one the link of the channel that is measured."""
        return self._session.selection.followed_pair()

    def refresh(self) -> None:
        """Show the chain of the pair as the bench is now."""
        if not self.isVisible():
            return
        self._now = self.pair()
        self.nomogram = None
        sentence, self._other_station = self._why_not()
        if not sentence:
            try:
                self.nomogram = self._made()
            except InputError as error:
                sentence = str(error)
        self.pages.setCurrentIndex(0 if self.nomogram is not None else 1)
        set_text(self.why, sentence)
        self.elsewhere.setText(f"Go to {self._other_station}")
        self._show_chain()
        self._remedy_turn.start(0)
        self.thread_wanted.emit()

    def _why_not(self) -> tuple[str, str]:
        """Why there is no chain to draw, and the station that leads on; empty where there may be one."""
        bench = self._session.bench
        if self._now is None:
            return "No link is looked at. Choose a pitch output and an input on Bench, and join them.", "Bench"
        sink = bench.port(self._now[1])
        if sink.role in ("gate", "trigger", "clock"):
            return f"{bench.label(self._now[1])} takes a {sink.role}: its levels are drawn on Levels.", "Levels"
        if sink.role != "pitch":
            return f"{bench.label(self._now[1])} takes {sink.role}, no pitch: it has no notes to follow.", "Circuit"
        return "", "Bench"

    @property
    def _pair(self) -> tuple[PortRef, PortRef]:
        """The pair that is drawn, where there is one."""
        assert self._now is not None
        return self._now

    @property
    def _drawn(self) -> Nomogram:
        """The chain that is drawn, where there is one."""
        assert self.nomogram is not None
        return self.nomogram

    def _made(self) -> Nomogram:
        session, (output, sink) = self._session, self._pair
        bench = session.bench
        link = trial_link(bench.link_from(output), output, sink)
        link_chain = session.chain_of(output, sink)
        notes = link.whole_notes
        if notes.size < 2:
            raise InputError("Fewer than two whole notes are used on this link; give it a lowest and a highest note.")
        self._link = link
        self._allowed = link.allowed_cents(notes)
        return nomogram(bench, link, link_chain, notes, sink)

    def _show_chain(self) -> None:
        nomogram, style = self.nomogram, self._session.style
        self.picture.show_chain(nomogram, self._allowed if nomogram is not None else np.zeros(0))
        if nomogram is None:
            self._make_fields()
            self.bars.show_shares([], "")
            return
        low, high = float(nomogram.notes[0]), float(nomogram.notes[-1])
        self.errors.begin()
        self.errors.tolerance(parse_tolerance(self._link.tolerance), low, high)
        self.errors.curve(nomogram.notes, nomogram.error_cents, self.colours.ink)
        shown = self._lay_over(nomogram)
        self.errors.finish(low, high, shown, self._session.selection.note)
        set_text(self.allowed_words, f"tolerance {parse_tolerance(self._link.tolerance).words(style)}")
        self._make_fields()
        self._follow()

    def _lay_over(self, nomogram: Nomogram) -> FloatArray:
        """Draw the error as it would be with one thing changed, and say what that moves; gives all that is shown."""
        session, (output, sink) = self._session, self._pair
        head = session.runs.head((output, session.bench.unit_looked_at(output, session.selection.channel)))
        changes = {one.key: one for one in what_ifs(session.bench, self._link, sink, head)}
        chosen = self.laid_over.currentData()
        self.laid_over.clear()
        self.laid_over.addItem("nothing laid over", None)
        for key, one in changes.items():
            self.laid_over.addItem(one.words, key)
        self.laid_over.setVisible(bool(changes))
        self.laid_over.setCurrentIndex(max(0, self.laid_over.findData(chosen) if chosen else 0))
        change = changes.get(self.laid_over.currentData())
        self.moved_words.setVisible(change is not None)
        if change is None:
            return nomogram.error_cents
        try:
            then = changed_error(session.bench, change, sink, nomogram.notes)
        except InputError as error:
            set_text(self.moved_words, str(error))
            return nomogram.error_cents
        self.errors.curve(nomogram.notes, then, self.colours.blue)
        words = what_if_words(change, nomogram.notes, nomogram.error_cents, then, session.style)
        set_text(self.moved_words, tied(words))
        return np.concatenate([nomogram.error_cents, then])

    def _make_fields(self) -> None:
        """One field on each scale: the followed note's value there, and where to type another."""
        count = 0 if self.nomogram is None else len(self.nomogram.scales)
        labels = [] if self.nomogram is None else [scale.quantity for scale in self.nomogram.scales]
        if self._quantities != labels:
            self._quantities = labels
            for field in self.fields:
                field.hide()
                field.deleteLater()
            self.fields = []
            for k in range(count):
                words = f"{labels[k].label}, of the followed note"
                quantity_edit = QuantityEdit(words, partial(self._read, k), partial(self._go, k))
                quantity_edit.setParent(self.picture)
                quantity_edit.refused.connect(lambda text: set_refusal(self.refusal, text))
                quantity_edit.show()
                self.fields.append(quantity_edit)
        self._place_fields()

    def _place_fields(self) -> None:
        for k, field in enumerate(self.fields):
            if self.nomogram is not None and k < len(self.nomogram.scales):
                high = field.sizeHint().height()
                field.setGeometry(int(self.picture.x_of(k) - _FIELD_WIDTH / 2), _FIELD_TOP, _FIELD_WIDTH, high)

    def _read(self, k: int, text: str) -> float:
        return parse_value(self._drawn.scales[k].quantity, text, self._session.style)

    def _go(self, k: int, value: float) -> None:
        note = self._drawn.note_at(k, value)
        self._session.selection.set_note(note)
        self._follow()

    def _follow(self) -> None:
        """Show the followed note, wherever it was moved."""
        nomogram = self.nomogram
        if nomogram is None or not self.isVisible():
            return
        note = self._session.selection.note
        self.picture.show_note(note)
        self.errors.mark_note(note)
        values, error = nomogram.traced(note)
        for field, scale, value in zip(self.fields, nomogram.scales, values, strict=True):
            field.show_text(value_words(scale.quantity, float(value), self._session.style))
        self._show_budget(note, error)
        spoken = (
            f"note {note_label(note, self._session.style)}, {self._session.style.cents(error, sign=True)} cents off"
        )
        self.picture.setAccessibleDescription(spoken)

    def _show_budget(self, note: float, error: float) -> None:
        nomogram, style = self._drawn, self._session.style
        budget = nomogram.budget_at(note)
        self._shares = []
        for part in budget.shares:
            cure = cure_of(part.share, nomogram.chain, self._link)
            self._shares.append(
                ShareRow(part.share.label, part.cents, part.known, cure.words, STATION_OF[cure.kind], cure.gap)
            )
        self.bars.show_shares(self._shares, tied(budget_sentence(budget, error, style)))

    # -- what to do --------------------------------------------------------------------------------

    def _show_remedy(self) -> None:
        clear(self._first)
        session, remedy = self._session, None
        if self._now is not None and self.isVisible():
            link = trial_link(session.bench.link_from(self._now[0]), *self._now)
            fit = judge_pair(session.bench, link, self._now[1], session.runs.adoptions, session.style)
            remedies = remedies_for(session.bench, fit, session.runs.adoptions, session.style)
            remedy = next(iter(remedies), None)
            if remedy is None:
                words = "Nothing: it fits." if fit.verdict == "fits" else "Its findings on Bench say what is known."
                self._first.addWidget(label(words, "muted", wrap=True))
        if remedy is not None:
            button = {"calibrate": "Go to Measure"}.get(remedy.kind, "Apply")
            work = (
                (lambda: self._apply(remedy))
                if remedy.command is not None
                else ((lambda: self.station_wanted.emit("Measure")) if remedy.kind == "calibrate" else None)
            )
            design = lambda: self.station_wanted.emit("Circuit")  # noqa: E731
            self.card = RemedyCard(remedy, session.style, self.colours, button, work, design)
            self._first.addWidget(self.card)

    def _apply(self, remedy: Remedy) -> None:
        try:
            if remedy.command is not None:
                self._session.document.apply(remedy.command(self._session.bench))
        except InputError as error:
            self._session.said.emit(str(error), True)

    def thread_fields(self) -> ThreadFields | None:
        """The thread of the pair that is drawn."""
        if self.nomogram is None:
            return None
        nomogram, note, style = self.nomogram, self._session.selection.note, self._session.style
        values, error = nomogram.traced(note)
        wanted = float(nomogram.chain.wanted.forward(np.array([note]), NOMINAL)[0])
        return traced_fields(nomogram.chain, values.tolist(), wanted, error, style)

    def table(self) -> Table:
        """The budget at the followed note, for Copy and Save CSV."""
        style, table = self._session.style, Table("What the error is made of", _COLUMNS)
        k = 0 if self.nomogram is None else int(np.argmin(np.abs(self.nomogram.notes - self._session.selection.note)))
        shares = [] if self.nomogram is None else self.nomogram.budget
        table.set_rows(
            [
                Row(
                    (
                        one.label,
                        style.cents(float(one.cents[k]), sign=True),
                        style.cents(float(one.standard_cents[k])),
                        row.station,
                    ),
                    one.source,
                )
                for one, row in zip(shares, self._shares, strict=False)
            ]
        )
        return table
