"""The Levels station: one gate, trigger or clock link in volts and in time, with its numbers beside it."""

from __future__ import annotations

import threading
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from dynamis.bench.chains.tree import trial_link
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import SWITCHING, PortRef
from dynamis.bench.gear.commands import set_port_field
from dynamis.bench.gear.fields import Field, port_fields
from dynamis.bench.judging.levels import Levels, levels_of, loaded_to_open, with_level
from dynamis.bench.judging.pairs import PairFit, judge_pair
from dynamis.electrics.finding import VERDICT_WORDS, Finding
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import tied
from dynamis.ui.course import CourseRunner
from dynamis.ui.dialogs.working import in_background
from dynamis.ui.session.session import Session
from dynamis.ui.stations import Station
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import verdict_colour, verdict_pixmap
from dynamis.ui.views.bench.pairs_model import number_text
from dynamis.ui.views.levels.pulse import PulsePlot
from dynamis.ui.views.levels.scale import Handle, LevelScale
from dynamis.ui.widgets.field_form import FieldForm
from dynamis.ui.widgets.panel import Panel, Sentences, label, rule, scrolling, set_css, set_refusal, set_text
from dynamis.ui.widgets.picture import Picture
from dynamis.ui.widgets.table import Column, LazyRows, Row, Table
from dynamis.ui.widgets.thread_strip import ThreadField

_LINKS = (Column("gate, trigger and clock links", left=True, stretch=3, fits=False), Column(""))
_SHOWN = ("ohms", "gate.", "works.", "bears.", "envelope.")

_SOUNDS = (".wav", ".flac", ".aif", ".aiff")


class LevelsStation(Station):
    """Gates, triggers and clocks."""

    title = "Levels"
    KEYS = LevelScale.KEYS
    TAKES = (".csv", ".tsv", ".txt", *_SOUNDS)

    def __init__(self, session: Session, course: CourseRunner, colours: Colours, points: float) -> None:
        super().__init__(session, course, colours, points)
        self.judge = session.judge
        self._now: tuple[PortRef, PortRef] | None = None
        across = QHBoxLayout(self)
        across.setContentsMargins(18, 14, 18, 13)
        across.setSpacing(13)
        left = Panel("Levels")
        self.names = label("", "heading", wrap=True)
        left.body.addWidget(self.names)
        row = QHBoxLayout()
        self.sign, self.verdict = label(), label("", wrap=True)
        row.addWidget(self.sign, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.verdict, 1)
        left.body.addLayout(row)
        self.scale, self.pulse = LevelScale(colours, session.style), PulsePlot(colours, session.style)
        left.body.addWidget(self.scale, 5)
        left.body.addWidget(rule())
        left.body.addWidget(self.pulse, 3)
        across.addWidget(left, 3)
        across.addWidget(self._make_side(), 2)
        self.scale.dragged.connect(self._dragged)
        self.scale.dropped.connect(self._dropped)
        session.bench_changed.connect(self.refresh)
        session.pair_changed.connect(self.refresh)
        session.judge.progressed.connect(self._show_links)

    def _make_side(self) -> Panel:
        side = Panel("Its numbers", "Numbers")
        self.refusal = label("", "question", wrap=True)
        side.body.addWidget(self.refusal)
        said = lambda text: set_refusal(self.refusal, text)  # noqa: E731
        self.forms = [FieldForm(partial(self._take, k), said) for k in (0, 1)]
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        self.said = Sentences()
        column.addLayout(self.said)
        self.ends = [label("", "muted", wrap=True), label("", "muted", wrap=True)]
        for shown, form in zip(self.ends, self.forms, strict=True):
            column.addWidget(rule())
            column.addWidget(shown)
            column.addLayout(form)
        column.addStretch(1)
        side.body.addWidget(scrolling(inner), 1)
        self.links = Table("Gate, trigger and clock links", _LINKS)
        self.links.setMaximumHeight(150)
        self.links.on_activate = lambda key: self._session.selection.look_at_pair(*key)
        side.body.addWidget(self.links)
        return side

    # -- showing -----------------------------------------------------------------------------------

    def dress(self, colours: Colours, points: float) -> None:
        super().dress(colours, points)
        for one in (self.scale, self.pulse):
            one.colours, one.number_style = colours, self._session.style
        self.links.rows_model.current_colour = QColor(colours.thread_wash)
        self.refresh()

    def focus_first(self) -> None:
        self.scale.setFocus()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Show the pair that is looked at, or the first joined one that switches."""
        if not self.isVisible():
            return
        joined = self._joined()
        pair = self._session.selection.pair
        if pair is None or self._session.bench.port(pair[1]).role not in SWITCHING:
            pair = joined[0] if joined else None
        self._now = pair
        self._show(self._session.bench)
        self._show_forms()
        self._show_links()
        self.thread_wanted.emit()

    def _joined(self) -> list[tuple[PortRef, PortRef]]:
        bench = self._session.bench
        return [pair for pair in self.judge.matrix.joined_pairs() if bench.port(pair[1]).role in SWITCHING]

    def _show_links(self) -> None:
        if not self.isVisible():
            return
        joined = self._joined()
        self.links.set_rows(LazyRows(len(joined), lambda k: self._link_row(joined[k])))

    def _link_row(self, pair: tuple[PortRef, PortRef]) -> Row:
        bench, fit = self._session.bench, self.judge.matrix.known(*pair)
        sentence = "…" if fit is None else f"{VERDICT_WORDS[fit.verdict]}, {number_text(fit, self._session.style)}"
        mark = "current" if pair == self._now else ""
        return Row((f"{bench.label(pair[0])} → {bench.label(pair[1])}", sentence), pair, mark)

    def _show(self, bench: Bench) -> None:
        """The picture and the verdict, of the bench as it is or as it would be while something is dragged."""
        style = self._session.style
        if self._now is None:
            self._say(
                "No gate, trigger or clock to look at", "Join two on Bench (Ctrl+1), or choose such a pair there.", []
            )
            return
        link = trial_link(bench.link_from(self._now[0]), *self._now)
        fit = judge_pair(bench, link, self._now[1], self._session.runs.adoptions, style)
        levels = levels_of(bench, link, self._now[1])
        self._say(f"{bench.label(self._now[0])} → {bench.label(self._now[1])}", "", [one.text for one in fit.findings])
        self._show_verdict(fit, levels)
        if not isinstance(levels, Levels):
            self.scale.show_levels(None, [], "")
            self.pulse.show_levels(None, "")
            return
        words = (
            f"low {style.volts(levels.fit.low_volts, 2)}, high {style.volts(levels.fit.high_volts, 2)}, "
            f"on at {style.volts(levels.on_volts, 2)}, off at {style.volts(levels.off_volts, 2)}"
        )
        self.scale.show_levels(levels, self._handles(bench, levels), words)
        length = style.engineering(levels.seconds, "s") if levels.seconds else "as long as a key is held"
        self.pulse.show_levels(levels, f"a pulse of {length}")

    def _say(self, names: str, verdict: str, sentences: list[str]) -> None:
        set_text(self.names, names)
        set_text(self.verdict, verdict)
        self.sign.clear()
        self.said.show_sentences([tied(text) for text in sentences])
        if self._now is None:
            self.scale.show_levels(None, [], "")
            self.pulse.show_levels(None, "")

    def _show_verdict(self, fit: PairFit, levels: Levels | list[Finding]) -> None:
        words = VERDICT_WORDS[fit.verdict]
        met = levels.fit if isinstance(levels, Levels) else None
        margin = met is not None and fit.value == min(met.on_margin_volts, met.off_margin_volts)
        sentence = "at the smaller margin" if margin else "decides"
        number = "" if fit.value is None else f": {number_text(fit, self._session.style)} {sentence}"
        set_text(self.verdict, f"{words[0].upper()}{words[1:]}{number}.")
        set_css(self.verdict, f"color: {verdict_colour(fit.verdict, self.colours)}; font-weight: 600;")
        self.sign.setPixmap(verdict_pixmap(fit.verdict, self.colours, 14, self.devicePixelRatioF()))

    def _show_forms(self) -> None:
        bench, style = self._session.bench, self._session.style
        for k, form in enumerate(self.forms):
            if self._now is None:
                form.show_record([], None, style, "")
                set_text(self.ends[k], "")
                continue
            ref = self._now[k]
            port = bench.port(ref)
            fields = [one for one in port_fields(port) if one.path.startswith(_SHOWN)]
            set_text(self.ends[k], bench.label(ref))
            form.show_record(fields, port, style, bench.label(ref))

    def _handles(self, bench: Bench, levels: Levels) -> list[Handle]:
        """What can be moved: the sender's levels where it has some and nothing stands between, and the thresholds."""
        handles = []
        output, _ = self._pair
        link, port = bench.link_from(output), bench.port(output)
        bare = link is None or not link.gate_stages
        if port.gate is not None and port.gate.kind == "driven" and bare:
            handles += [
                Handle("output", "high_volts", "high level", levels.fit.high_volts),
                Handle("output", "low_volts", "low level", levels.fit.low_volts),
            ]
        handles += [
            Handle("input", "on_volts", "on threshold", levels.on_volts),
            Handle("input", "off_volts", "off threshold", levels.off_volts),
        ]
        return handles

    @property
    def _pair(self) -> tuple[PortRef, PortRef]:
        """The pair that is drawn; nothing can be dragged or entered where there is none."""
        assert self._now is not None
        return self._now

    # -- changing ----------------------------------------------------------------------------------

    def _value(self, side: str, volts: float) -> float:
        """What is entered for a level that is dragged at the input: an output's stands ahead of what loads it."""
        if side == "input":
            return volts
        return round(loaded_to_open(self._session.bench, *self._pair, volts), 3)

    def _dragged(self, side: str, key: str, volts: float) -> None:
        ref = self._pair[0 if side == "output" else 1]
        try:
            self._show(with_level(self._session.bench, ref, key, self._value(side, volts)))
            set_refusal(self.refusal, "")
        except InputError as error:
            set_refusal(self.refusal, str(error))

    def _dropped(self, side: str, key: str, volts: float | None) -> None:
        refusal = ""
        if volts is not None:
            session, ref = self._session, self._pair[0 if side == "output" else 1]
            field = next(one for one in port_fields(session.bench.port(ref)) if one.path == f"gate.{key}")
            try:
                session.document.apply(
                    set_port_field(session.bench, ref, field, self._value(side, volts), session.style)
                )
            except InputError as error:
                refusal = str(error)
        self.refresh()
        set_refusal(self.refusal, refusal)

    def _take(self, end: int, field: Field, value: object) -> None:
        session = self._session
        session.document.apply(set_port_field(session.bench, self._pair[end], field, value, session.style))

    def thread_fields(self) -> tuple[list[ThreadField], ThreadField | None] | None:
        """The levels along the link."""
        if self._now is None or self.scale.levels is None or not self._session.bench.may_join(*self._now):
            return None
        levels, style, bench = self.scale.levels, self._session.style, self._session.bench
        shown = (
            ("low", levels.fit.low_volts),
            ("high", levels.fit.high_volts),
            ("on", levels.on_volts),
            ("off", levels.off_volts),
        )
        volts = [ThreadField(name, style.volts(one, 2)) for name, one in shown]
        names = [bench.label(ref) for ref in self._now]
        return [ThreadField("output", names[0]), *volts, ThreadField("input", names[1])], None

    # -- against time ------------------------------------------------------------------------------

    def take_file(self, path: Path) -> None:
        """What an oscilloscope saved, or a recording, measured beside the window, and taken into a port on wish."""
        from dynamis.files.recording import recorded_traces
        from dynamis.files.scope_csv import read_traces
        from dynamis.ui.views.levels.trace_dialog import TraceDialog
        from dynamis.waveform.pulse import measure
        from dynamis.waveform.words import Seen

        cancelled, session = threading.Event(), self._session
        recorded = path.suffix.lower() in _SOUNDS
        volts = self._full_scale() if recorded else 0.0
        if volts is None:
            return

        def work() -> list[Seen]:
            stop = cancelled.is_set
            traces = recorded_traces(path, volts, stop) if recorded else read_traces(path, stop)
            return [Seen(trace, measure(trace)) for trace in traces]

        seen = in_background(self, f"Reading {path.name}…", work, cancelled)
        if seen is None:
            session.said.emit("The trace was not read to its end; nothing was taken.", False)
            return
        dialog = TraceDialog(self, seen, path.name, session.bench, session.style, self.colours)
        if self._now is not None:
            dialog.look_at(self._now[0])
        if dialog.exec():
            session.document.apply(dialog.value)

    def _full_scale(self) -> float | None:
        """The volts that the full scale of a recording stands for; None where nobody says."""
        text, taken = QInputDialog.getText(
            self,
            "Volts at full scale",
            "A recording knows no volts. How many stand at its full scale? An input that blocks direct current "
            "keeps no level: what it shows of droop is its own.",
        )
        if not taken:
            return None
        return parse_quantity(text, "V", "The full scale", decimal_comma=self._session.style.decimal_comma)

    def open_trace(self) -> None:
        kinds = "Oscilloscope CSV (*.csv *.txt *.tsv);;Recordings (*.wav *.flac *.aif *.aiff)"
        name, _ = QFileDialog.getOpenFileName(self, "Open a trace", "", kinds)
        if name:
            self.take_file(Path(name))

    def shown_picture(self) -> Picture:
        return self.scale

    def table(self) -> Table:
        """The table that Copy and Save CSV work on."""
        return self.links
