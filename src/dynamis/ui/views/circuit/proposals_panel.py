"""The proposals side by side, what stands in the link first, and why the other topologies cannot do it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QPushButton

from dynamis.electrics.design.answer import Answer
from dynamis.electrics.design.proposal import Proposal
from dynamis.electrics.design.words import proposal_row
from dynamis.notation.style import Style, tied
from dynamis.ui.widgets.panel import Panel, label, set_text
from dynamis.ui.widgets.table import Column, Row, Table

STANDING = "the link"
_REJECTED = "!"
_COLUMNS = (
    Column("proposal", left=True, stretch=4, fits=False),
    Column("parts", stretch=0.3),
    Column("nominal", stretch=0.3),
    Column("as built", stretch=0.3),
    Column("trimmed", stretch=0.3),
    Column("later", stretch=0.3),
    Column("mA", stretch=0.3),
    Column("trimmers", left=True, stretch=0.5),
)


class ProposalsPanel(Panel):
    """looked_at : a proposal's key, or `STANDING`.  compared : one to lay over it.  said : a sentence."""

    looked_at = Signal(str)
    compared = Signal(str)
    said = Signal(str)

    def __init__(self) -> None:
        super().__init__("Proposals", "Proposals")
        self._reasons: dict[str, str] = {}
        self._chosen = ""
        self.state = label("", "small")
        self.head.addWidget(self.state)
        self.compare_button = QPushButton("Compare")
        self.compare_button.setToolTip("Lay another selected proposal over the one looked at: Ctrl+click one, or Space")
        self.head.addWidget(self.compare_button)
        self.table = Table("Proposals", _COLUMNS)
        self.table.setMinimumHeight(120)
        self.body.addWidget(self.table)
        self.why_not = label("", "small", wrap=True, selectable=True)
        self.body.addWidget(self.why_not)
        self.table.on_activate = self._chose
        self.table.on_space = self.compared.emit
        self.table.clicked.connect(self._clicked)
        self.compare_button.clicked.connect(self._compare_selected)

    def show_answer(self, answer: Answer | None, standing: Proposal | None, chosen: str, style: Style) -> None:
        """Fill the table; `chosen` is marked."""
        rows: list[Row] = []
        self._chosen, self._reasons = chosen, {}

        def mark(key: str) -> str:
            return "current" if key == chosen else ""

        if standing is not None:
            cells = proposal_row(standing, None, style)
            rows.append(Row((f"In the link: {cells[0]}", *cells[1:]), STANDING, mark(STANDING)))
        if answer is not None:
            rows += self._answer_rows(answer, mark, style)
        self.table.set_rows(rows)

    def _answer_rows(self, answer: Answer, mark: Callable[[str], str], style: Style) -> Iterator[Row]:
        for made in answer.proposals.suitable:
            cells = proposal_row(made, answer.spreads.get(made.key), style)
            if answer.nothing_does_it:
                cells = (*cells[:2], *("–",) * 5, "cannot")
                yield Row(cells, made.key, mark(made.key) or "muted", tip=made.title)
            else:
                yield Row(cells, made.key, mark(made.key), tip=made.title)
        for rejected in answer.proposals.rejected:
            key, title = _REJECTED + rejected.topology.name, rejected.topology.title
            self._reasons[key] = f"{title}: {rejected.reason}."
            yield Row((title, "–", "–", "–", "–", "–", "–", "cannot"), key, "muted", tip=rejected.reason)

    def warn(self, proposal: Proposal, style: Style, spoils: Sequence[str] = ()) -> None:
        """Say what moves the chosen one, where its rail does, and which other inputs it would spoil."""
        sentences = list(spoils)
        if proposal.rail_cents > proposal.requirement.tolerance_cents and not proposal.takes_reference:
            sentences.append(
                f"The rail that its offset is taken from may move it by {style.cents(proposal.rail_cents)} ct "
                "within its "
                "tolerance: take the offset from a reference."
            )
        set_text(self.why_not, tied(" ".join(sentences)))

    def _chose(self, key: str) -> None:
        if key in self._reasons:
            set_text(self.why_not, self._reasons[key])
        else:
            self.looked_at.emit(key)

    def _clicked(self, index: QModelIndex) -> None:
        """A click looks at a proposal; with Ctrl it is laid over."""
        key = str(self.table.rows_model.rows[index.row()].key)
        if QGuiApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier:
            self.compared.emit(key)
        else:
            self._chose(key)

    def _compare_selected(self) -> None:
        other = next((key for key in self.table.selected_keys() if key != self._chosen), None)
        if other is None:
            self.said.emit("Select another proposal first: Ctrl+click it, then Compare.")
        else:
            self.compared.emit(other)
