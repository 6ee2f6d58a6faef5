"""The link of the pair that is looked at: its tolerance and notes, its lead, and what stands between."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.commands import fields_of_link, put_link, set_link_field
from dynamis.bench.gear.fields import Field
from dynamis.bench.judging.wiring import between_words
from dynamis.ui.session.session import Session
from dynamis.ui.widgets.field_form import FieldForm
from dynamis.ui.widgets.panel import clear, label, scrolling, set_refusal, set_text


class LinkPanel(QWidget):
    """Shows the link of an output; one that is joined to nothing has none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._output: PortRef | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        self.names = label("", "heading", wrap=True)
        column.addWidget(self.names)
        self.refusal = label("", "question", wrap=True)
        self.form = FieldForm(self._take, lambda text: set_refusal(self.refusal, text))
        column.addLayout(self.form)
        column.addWidget(self.refusal)
        self.heading = label("What stands between", "heading")
        column.addWidget(self.heading)
        inner = QWidget()
        self._between = QVBoxLayout(inner)
        self._between.setContentsMargins(0, 0, 6, 0)
        column.addWidget(scrolling(inner), 1)

    def show_link(self, output: PortRef | None) -> None:
        """Show the link that begins at an output."""
        self._output = output
        bench, style = self._session.bench, self._session.style
        link = None if output is None else bench.link_from(output)
        clear(self._between)
        self.heading.setVisible(link is not None)
        if link is None:
            self.form.show_record([], None, style, "")
            sentence = "No pair is looked at." if output is None else f"{bench.label(output)} is joined to nothing yet."
            set_text(self.names, sentence)
            return
        into = ", ".join(bench.label(ref) for ref in link.inputs) or "nothing"
        set_text(self.names, f"{bench.label(link.output)} → {into}")
        self.form.show_record(fields_of_link(bench, link), link, style, bench.label(link.output))
        words, count = between_words(link, style), len(link.between)
        for k, text in enumerate(words):
            row = QHBoxLayout()
            row.addWidget(label(text, wrap=True, selectable=True), 1)
            button = QPushButton("Take out")
            button.setAccessibleName(f"Take out: {text}")
            button.clicked.connect(lambda _=False, k=k: self._take_out(k, count))
            row.addWidget(button)
            self._between.addLayout(row)
        if not words:
            self._between.addWidget(label("Nothing: they are joined by a lead.", "muted"))
        self._between.addStretch(1)

    def _take(self, field: Field, value: object) -> None:
        assert self._output is not None  # there are fields only for a link
        change = set_link_field(self._session.bench, self._output, field, value, self._session.style)
        self._session.document.apply(change)

    def _take_out(self, index: int, count: int) -> None:
        bench = self._session.bench
        link = None if self._output is None else bench.link_from(self._output)
        assert link is not None  # what stands between is shown only for a link
        if index < count:
            changed = replace(link, between=(*link.between[:index], *link.between[index + 1 :]))
        else:
            index -= count
            changed = replace(link, gate_stages=(*link.gate_stages[:index], *link.gate_stages[index + 1 :]))
        self._session.document.apply(put_link(bench, changed, "take a circuit out"))
