"""One remedy: what to do, what it leaves, and the button that does it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QVBoxLayout

from dynamis.bench.designing.remedy import Remedy
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import verdict_pixmap
from dynamis.ui.views.bench.pairs_model import number_text
from dynamis.ui.widgets.panel import label


class RemedyCard(QFrame):
    """apply : does what the remedy says; None where that is not a change of the bench.  design : leads to where its
    circuit is designed; shown for circuits only."""

    def __init__(
        self,
        remedy: Remedy,
        style: Style,
        colours: Colours,
        button: str,
        apply: Callable[[], None] | None,
        design: Callable[[], None] | None = None,
    ) -> None:
        super().__init__()
        self.setProperty("panel", True)
        self.setAccessibleName(remedy.title)
        column = QVBoxLayout(self)
        column.setContentsMargins(11, 7, 9, 8)
        column.setSpacing(3)
        title = label(remedy.title, wrap=True)
        title.setStyleSheet("font-weight: 600;")
        column.addWidget(title)
        column.addWidget(label(remedy.text, "small", wrap=True, selectable=True))
        row = QHBoxLayout()
        row.setSpacing(5)
        if remedy.leaves is not None:
            sign = label()
            sign.setPixmap(verdict_pixmap(remedy.leaves.verdict, colours, 11, self.devicePixelRatioF()))
            row.addWidget(sign, 0, Qt.AlignmentFlag.AlignVCenter)
            number = "" if remedy.leaves.value is None else f", {number_text(remedy.leaves, style)}"
            row.addWidget(label(f"Then it {_THEN[remedy.leaves.verdict]}{number}.", wrap=True), 1)
        else:
            row.addStretch(1)
        if design is not None and remedy.circuit:
            self.design = QPushButton("Design…")
            self.design.setAccessibleName(f"Design on Circuit: {remedy.title}")
            self.design.setToolTip("Its parts, trimmers and spread, on Circuit (Ctrl+4)")
            self.design.clicked.connect(lambda _=False: design())
            row.addWidget(self.design)
        if apply is not None:
            self.button = QPushButton(button)
            self.button.setAccessibleName(f"{button}: {remedy.title}")
            self.button.clicked.connect(lambda _=False: apply())
            row.addWidget(self.button)
        column.addLayout(row)


_THEN = {
    **VERDICT_WORDS,
    "marginal": "is marginal",
    "needs-circuit": "still needs more",
    "unsafe": "is still unsafe",
    "cannot-tell": "cannot be told yet",
}
