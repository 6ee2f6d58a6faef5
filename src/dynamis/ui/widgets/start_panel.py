"""The empty bench: three ways to start."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.ui.widgets.panel import Panel, label


class StartPanel(QWidget):
    """Signals say which way was chosen."""

    begin_run = Signal()
    open_demo = Signal()
    open_bench = Signal()

    def __init__(self) -> None:
        super().__init__()
        panel = Panel("Ways to start", "This bench is empty")
        panel.setFixedWidth(620)
        panel.body.setContentsMargins(28, 22, 28, 24)
        panel.body.setSpacing(12)
        self.buttons: list[QPushButton] = []
        for text, told, signal in (
            (
                "Begin a run…",
                "Put a board on the bench, say which law it should follow and which meter reads it; "
                "then it says what to play and what to read.",
                self.begin_run,
            ),
            (
                "Open the demo",
                "The Lantern House, an invented puppet theatre: a board, a voice, and three past runs.",
                self.open_demo,
            ),
            ("Open a bench…", "One that was kept as a file; it can also be dropped on this window.", self.open_bench),
        ):
            row = QHBoxLayout()
            row.setSpacing(18)
            button = QPushButton(text)
            button.setFixedWidth(150)
            button.setProperty("primary", not self.buttons)
            button.setAccessibleDescription(told)
            button.clicked.connect(signal)
            self.buttons.append(button)
            row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(label(told, "muted", wrap=True), 1)
            panel.body.addLayout(row)
        panel.body.addWidget(
            label(
                "To see whether two things fit, add them on Bench (Ctrl+1, then Ctrl+Shift+G).",
                "muted",
                wrap=True,
            )
        )
        panel.body.addWidget(
            label(
                "Check limits before you connect, turn monitors down, and check the common return; equipment that "
                "carries mains inside is for licensed people.",
                "small",
                wrap=True,
            )
        )
        column = QVBoxLayout(self)
        column.addStretch(2)
        across = QHBoxLayout()  # an alignment flag would give the panel its hint, not the height its words need
        across.addStretch(1)
        across.addWidget(panel)
        across.addStretch(1)
        column.addLayout(across)
        column.addStretch(3)
