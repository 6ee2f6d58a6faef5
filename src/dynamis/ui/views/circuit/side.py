"""What stands at the right of a circuit that is looked at: its pages, what can be saved, and the way into the link."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from dynamis.ui.session.session import Session
from dynamis.ui.views.circuit.saving import Endings
from dynamis.ui.views.circuit.values import ValueGrid
from dynamis.ui.widgets.panel import Panel, Sentences, label, scrolling, set_refusal
from dynamis.ui.widgets.tabs import Tabs


class SidePanel(Panel):
    """The first page holds the parts, the last the SPICE text; between them pages of sentences, one for each name."""

    def __init__(self, session: Session, pages: Sequence[str], parts_text: Callable[[], str]) -> None:
        super().__init__("The chosen circuit")
        row = QHBoxLayout()
        self.tabs = Tabs(("Parts", *pages, "SPICE"), row)
        row.addStretch(1)
        self.body.addLayout(row)
        self.body.addWidget(self.tabs, 1)
        self.values, self.words = ValueGrid(), Sentences("small")
        self._add_page(self.values, self.words)
        self.sentences = [Sentences(spacing=9) for _ in pages]
        for one in self.sentences:
            self._add_page(None, one)
        self.spice = QPlainTextEdit()
        self.spice.setReadOnly(True)
        self.spice.setAccessibleName("SPICE text")
        self.spice.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.tabs.addWidget(self.spice)
        self.refusal = label("", "question", wrap=True)
        self.refuse("")
        self.values.refused.connect(self.refuse)
        self.body.addWidget(self.refusal)
        self.endings = Endings(self, session, parts_text, self.spice.toPlainText)
        self.body.addLayout(self.endings)

    def _add_page(self, over: QWidget | None, sentences: Sentences) -> None:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 6, 0)
        if over is not None:
            column.addWidget(over)
        column.addLayout(sentences)
        column.addStretch(1)
        self.tabs.addWidget(scrolling(page))

    def refuse(self, text: str) -> None:
        """Tell what is wrong, or that nothing is any more."""
        set_refusal(self.refusal, text)
