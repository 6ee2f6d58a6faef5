"""The Codes station: a channel's converter, what each note gets, and for which uses that is enough."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QColor, QKeySequence, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from dynamis.bench.chains.codes import ChannelCodes, both_codes, channel_codes, codes_sentences, use_words
from dynamis.bench.chains.summed import summed_with
from dynamis.bench.document.ports import PortRef
from dynamis.bench.runs.measured_linearity import linearity_words, measured_linearity
from dynamis.errors import InputError
from dynamis.notation.style import plain, tied
from dynamis.pitch.laws import law_words
from dynamis.pitch.notes import note_label, note_name
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.ui.course import CourseRunner
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import verdict_pixmap
from dynamis.ui.views.codes.fields import ConverterFields
from dynamis.ui.widgets.note_plot import NotePlot, PlotPoints
from dynamis.ui.widgets.panel import Panel, Sentences, label, rule, scrolling, set_text
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.table import Column, Row, Table
from dynamis.ui.widgets.thread_strip import ThreadField

_COLUMNS = (
    Column("", "name", left=True, stretch=0.8),
    Column("note", stretch=0.7),
    Column("wanted V", "wanted volts", stretch=1.2),
    Column("code", stretch=0.9),
    Column("fine", "code of the fine one", stretch=0.8),
    Column("at the jack V", "volts at the jack", stretch=1.3),
    Column("off by ct", "error in cents", stretch=1.1),
    Column("", "mark", left=True, stretch=1.6),
)
_PICTURES = ("Error of each note's code", "Linearity at each note's code")


class CodesStation(Station):
    """The board's DAC scaling."""

    title = "Codes"
    KEYS = (
        ("Enter, in a field", "take the value"),
        ("Esc, in a field", "put the old value back"),
        ("Ctrl+C, in the table", "copy the selected rows"),
        *NotePlot.KEYS,
    )

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 14, 18, 13)
        row.setSpacing(13)
        self.converter = ConverterFields(session, self.refresh)
        self.fields, self.law, self.law_label = self.converter.fields, self.converter.law, self.converter.law_label
        self.refusal = self.converter.refusal
        row.addWidget(self.converter)
        row.addWidget(self._make_middle(colours, points), 1)
        row.addWidget(self._make_words())
        self._connect()

    def _make_middle(self, colours: Colours, points: float) -> QSplitter:
        self.plot = NotePlot("Error of each note's code in cents against note", colours, self._session.style, points)
        plot_panel = Panel("Error of each note's code")
        self.picture = QComboBox()
        self.picture.setAccessibleName("What is drawn")
        for text in _PICTURES:
            self.picture.addItem(text)
        self.unit_words = label("", "small")
        plot_panel.head.addWidget(self.picture)
        plot_panel.head.addWidget(self.unit_words)
        plot_panel.head.addStretch(1)
        plot_panel.body.addLayout(plot_panel.head)
        plot_panel.body.addWidget(self.plot, 1)
        self.linearity_said = label("", "small", wrap=True, selectable=True)
        plot_panel.body.addWidget(self.linearity_said)
        plot_panel.body.setContentsMargins(17, 11, 14, 6)
        table_panel = Panel("Codes", "Codes")
        self.as_law = QComboBox()
        self.as_law.setAccessibleName("The law that is shown")
        table_panel.head.addWidget(self.as_law)
        self.codes = Table("Codes", _COLUMNS)
        copy_row = QPushButton("Copy table")
        copy_row.clicked.connect(lambda: self.codes.copy(whole=True))
        table_panel.head.addWidget(copy_row)
        table_panel.body.addWidget(self.codes, 1)
        action = QAction("Copy", self.codes)
        action.setShortcut(QKeySequence.StandardKey.Copy)
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(lambda: self.codes.copy())
        self.codes.addAction(action)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setHandleWidth(13)
        middle.addWidget(plot_panel)
        middle.addWidget(table_panel)
        middle.setSizes([280, 360])
        return middle

    def _make_words(self) -> Panel:
        words = Panel("What the converter gives", "Is it enough?")
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        self._uses = QGridLayout()
        self._uses.setColumnStretch(1, 1)
        self._uses.setHorizontalSpacing(7)
        self.uses: list[tuple[QLabel, QLabel, QLabel]] = []
        column.addLayout(self._uses)
        column.addWidget(rule())
        column.addWidget(label("What the converter gives", "heading"))
        self.said = Sentences()
        column.addLayout(self.said)
        column.addStretch(1)
        words.body.addWidget(scrolling(inner), 1)
        words.setFixedWidth(312)
        return words

    def _connect(self) -> None:
        session = self._session
        session.bench_changed.connect(self.refresh)
        self._course.changed.connect(self._board_changed)
        session.note_changed.connect(self.note_changed)
        self.plot.note_picked.connect(session.selection.set_note)
        self.codes.on_activate = lambda key: session.selection.set_note(float(str(key)))
        self.picture.activated.connect(lambda _: self.refresh())
        self.as_law.activated.connect(lambda _: self.refresh())

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        self.plot.dress(colours, self._session.style, points)
        model = self.codes.rows_model
        model.off_colour, model.current_colour = QColor(colours.vermilion), QColor(colours.thread_wash)
        self.refresh()

    def focus_first(self) -> None:
        self.fields["bits"].setFocus()

    # -- showing -----------------------------------------------------------------------------------

    def codes_now(self) -> ChannelCodes | None:
        """The codes of the channel looked at, by the law that is chosen; None where it has no converter."""
        channel = self._session.selection.channel
        if channel is None:
            return None
        try:
            other = self.as_law.currentIndex() == 1
            if self.as_law.currentIndex() == 2:
                both = both_codes(self._session.bench, channel[0], self._session.runs.heads(channel[1]))
                if both is not None:
                    return both
            return channel_codes(self._session.bench, channel[0], self._session.runs.head(), as_other_law=other)
        except InputError:
            return None

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def _board_changed(self) -> None:
        if self._course.devices.progress is None:  # the codes do not change while a run is taken
            self.refresh()

    def refresh(self) -> None:
        """Show the channel looked at; a station out of sight waits until it is shown."""
        if not self.isVisible():
            return
        session, style = self._session, self._session.style
        channel, codes = session.selection.channel, self.codes_now()
        self.converter.show_channels()
        self.converter.enable(codes is not None)
        self.plot.begin()
        if channel is None or codes is None:
            self.converter.law_label.setText("Begin a run on Measure: it asks for the board and its converter.")
            self.codes.set_rows([])
            self.said.show_sentences([])
            self._show_uses(None)
            return
        law = codes.model.law
        self.converter.law_label.setText(law_words(law, note_label(law.reference_note, style)))
        self._show_laws(channel[0])
        self.converter.show_channel(channel[0])
        difference = self._course.difference()
        self.said.show_sentences(
            [*codes_sentences(codes, style, session.bench.label), *([difference] if difference else [])]
        )
        self._show_uses(codes)
        self.codes.show_column("fine", codes.fine is not None)
        self.codes.set_rows(self._rows(codes))
        if self.picture.currentIndex() == 1:
            self._draw_linearity(codes)
        else:
            self.linearity_said.setText("")
            self._draw(codes, channel[0])

    def _show_laws(self, ref: PortRef) -> None:
        """The port's own law, and what the other one would come to."""
        own = self._session.bench.port(ref).law or ""
        texts = [
            f"by its law, {'V/oct' if own.startswith('voct') else 'Hz/V'}",
            f"as {'Hz/V' if own.startswith('voct') else 'V/oct'} would be",
        ]
        pair = summed_with(self._session.bench, ref)
        if pair is not None:
            other = pair.fine if pair.coarse == ref else pair.coarse
            texts.append(f"as one source with {self._session.bench.label(other)}")
        if [self.as_law.itemText(k) for k in range(self.as_law.count())] != texts:
            chosen = max(0, self.as_law.currentIndex())
            chosen = chosen if chosen < len(texts) else 0
            self.as_law.clear()
            for text in texts:
                self.as_law.addItem(text)
            self.as_law.setCurrentIndex(chosen)

    def _show_uses(self, codes: ChannelCodes | None) -> None:
        """For which uses it is enough, by numbers."""
        uses = () if codes is None else codes.uses
        while len(self.uses) < len(uses):
            k = len(self.uses)
            sign, name, words = label(), label("", "heading"), label("", wrap=True, selectable=True)
            self._uses.addWidget(sign, 2 * k, 0, Qt.AlignmentFlag.AlignVCenter)
            self._uses.addWidget(name, 2 * k, 1)
            self._uses.addWidget(words, 2 * k + 1, 1)
            self.uses.append((sign, name, words))
        for k, (sign, name, words) in enumerate(self.uses):
            for one in (sign, name, words):
                one.setVisible(k < len(uses))
            if k < len(uses):
                use = uses[k]
                sign.setPixmap(verdict_pixmap(use.verdict, self.colours, 12, self.devicePixelRatioF()))
                sign.setAccessibleName(use.verdict.replace("-", " "))
                set_text(name, f"{use.name[0].upper()}{use.name[1:]}")
                set_text(words, tied(use_words(use, self._session.style)))

    def _rows(self, codes: ChannelCodes) -> list[Row]:
        style, table, rows = self._session.style, codes.table, []
        lsb = codes.converter.dac.lsb_volts if codes.fine is None else codes.fine.summed.both.step_volts
        decimals = 4 if lsb > 2e-4 else 5
        gap = "dead band" if codes.fine is None else "between codes"
        for k, note in enumerate(table.notes):
            mark = "clipped" if table.clipped[k] else gap if table.dead[k] else ""
            code = table.codes[k]
            cells = (
                note_name(float(note), style) or "",
                style.typed(float(note)),
                style.number(table.wanted_volts[k], decimals),
                plain(float(code)) if np.isfinite(code) else "–",
                "" if codes.fine is None else plain(float(codes.fine.fine_codes[k])),
                style.number(table.volts[k], decimals),
                style.number(table.error_cents[k], 2, sign=True),
                mark,
            )
            raw = (
                cells[0],
                plain(float(note)),
                repr(float(table.wanted_volts[k])),
                cells[3],
                cells[4],
                repr(float(table.volts[k])),
                repr(float(table.error_cents[k])),
                mark,
            )
            current = "current" if note == self._session.selection.note else ""
            rows.append(Row(cells, float(note), current, raw))
        return rows

    def _draw(self, codes: ChannelCodes, ref: PortRef) -> None:
        table, link, c = codes.table, self._session.bench.link_from(ref), self.colours
        set_text(self.unit_words, "cents")
        low, high = float(table.notes[0]), float(table.notes[-1])
        self.plot.tolerance(parse_tolerance(link.tolerance if link else "5"), low, high)
        lost = table.clipped | table.dead
        self.plot.points(PlotPoints(table.notes[~lost], table.error_cents[~lost], "disc", c.ink, size=5.5))
        if np.any(lost):
            self.plot.points(PlotPoints(table.notes[lost], table.error_cents[lost], "diamond", c.vermilion))
        self.plot.finish(low, high, table.error_cents, self._session.selection.note)

    def _draw_linearity(self, codes: ChannelCodes) -> None:
        """The linearity by code where it is known, in LSB at the notes' codes; and its limit as the tolerance."""
        inl, table = codes.inl_at_notes, codes.table
        limit = codes.converter.inl_limit_lsb
        low, high = float(table.notes[0]), float(table.notes[-1])
        if limit:
            self.plot.tolerance(parse_tolerance(plain(limit)), low, high)
        known, c, sentences = [], self.colours, []
        if inl is not None:
            known.append(inl)
            self.plot.curve(table.notes, inl, c.ink)
            self.plot.points(PlotPoints(table.notes, inl, "disc", c.ink, size=4.5))
            sentences.append("the line as it is counted on")
        read = measured_linearity(self._session.runs.analysis())
        if not isinstance(read, str):
            known.append(read.inl_lsb)
            self.plot.points(PlotPoints(read.notes, read.inl_lsb, "ring", c.blue, read.expanded_lsb, 7.0))
            sentences.append("rings as the run was read")
        unknown = "not known by code; take it from a table or a run"
        set_text(self.unit_words, f"LSB: {', '.join(sentences)}" if sentences else unknown)
        self.linearity_said.setText(linearity_words(read, limit, self._session.style))
        self.plot.finish(low, high, np.concatenate(known) if known else np.zeros(0), self._session.selection.note)

    def note_changed(self) -> None:
        if not self.isVisible():
            return
        codes = self.codes_now()
        if codes is not None:
            self.codes.set_rows(self._rows(codes))
            near = np.flatnonzero(codes.table.notes == self._session.selection.note)
            if near.size:
                self.codes.show_row(int(near[0]))
        self.plot.mark_note(self._session.selection.note)

    def thread_fields(self) -> tuple[list[ThreadField], ThreadField | None] | None:
        return None

    def shown_picture(self) -> Picture:
        return self.plot

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.codes
