"""The link of the pair that is looked at: its tolerance and notes, its lead, and what stands between."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.bench.chains.branches import moved, parts_of, without_circuit
from dynamis.bench.document.bench import Link
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
        self._sink: PortRef | None = None
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

    def show_link(self, output: PortRef | None, sink: PortRef | None = None) -> None:
        """Show the link that begins at an output.  sink : the input that is looked at."""
        self._output, self._sink = output, sink
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
        nothing = True
        for k, part in enumerate(parts_of(link)):
            words = between_words(bench, part, style)
            if k and words:
                names = " and ".join(bench.label(ref) for ref in part.inputs)
                self._between.addWidget(label(f"On the branch to {names}", "muted", wrap=True))
            for index, text in enumerate(words):
                self._row(link, k, index, text)
                nothing = False
        if nothing:
            self._between.addWidget(label("Nothing: they are joined by a lead.", "muted"))
        self._between.addStretch(1)

    def _row(self, link: Link, part: int, index: int, text: str) -> None:
        """A circuit, with what can be done to it."""
        row = QHBoxLayout()
        row.addWidget(label(text, wrap=True, selectable=True), 1)
        button = QPushButton("Take out")
        button.setAccessibleName(f"Take out: {text}")
        button.clicked.connect(lambda _=False: self._take_out(part, index))
        row.addWidget(button)
        if part or (len(link.inputs) > 1 and self._sink in link.inputs):
            move = QPushButton("Ahead of all" if part else "On its branch")
            into = "" if self._sink is None else self._session.bench.label(self._sink)
            move.setToolTip("Ahead of all inputs of the link" if part else f"On a branch of its own to {into}")
            move.clicked.connect(lambda _=False: self._move(part, index))
            row.addWidget(move)
        self._between.addLayout(row)

    def _take(self, field: Field, value: object) -> None:
        assert self._output is not None  # there are fields only for a link
        change = set_link_field(self._session.bench, self._output, field, value, self._session.style)
        self._session.document.apply(change)

    def _link(self) -> Link:
        link = None if self._output is None else self._session.bench.link_from(self._output)
        assert link is not None  # what stands between is shown only for a link
        return link

    def _take_out(self, part: int, index: int) -> None:
        link = self._link()
        changed = without_circuit(link, parts_of(link)[part], index)
        self._session.document.apply(put_link(self._session.bench, changed, "take a circuit out"))

    def _move(self, part: int, index: int) -> None:
        """Put a circuit on the branch of the input that is looked at, or ahead of all."""
        link = self._link()
        changed = moved(link, parts_of(link)[part], index, self._sink or link.inputs[0])
        words = "a circuit ahead of all inputs" if part else "a circuit on a branch of its own"
        self._session.document.apply(put_link(self._session.bench, changed, words))
