"""Saving what the Circuit station shows where the user says, and the way of a circuit into the link."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from dynamis.errors import InputError
from dynamis.files.writing import write_whole
from dynamis.ui.session.session import Session


def save_text(parent: QWidget, session: Session, title: str, start: str, text: Callable[[], str]) -> None:
    """Ask where, write it whole, and say so; what fails is a sentence."""
    name, _ = QFileDialog.getSaveFileName(parent, title, start)
    if not name:
        return
    try:
        write_whole(Path(name), text())
        session.said.emit(f"Saved {Path(name).name}.", False)
    except InputError as error:
        session.said.emit(str(error), True)


class Endings(QVBoxLayout):
    """The buttons under a circuit: its parts list, SPICE text and errors to a file, and itself into the link."""

    def __init__(
        self,
        parent: QWidget,
        session: Session,
        parts_text: Callable[[], str],
        spice_text: Callable[[], str],
        errors_text: Callable[[], str] | None = None,
    ) -> None:
        super().__init__()
        row = QHBoxLayout()
        self.save_parts, self.save_spice = QPushButton("Parts list…"), QPushButton("SPICE…")
        self.use = QPushButton("Use this in the link (Ctrl+Shift+I)")
        self.use.setProperty("primary", True)
        saved = {
            self.save_parts: ("Save the parts list", "parts.csv", parts_text),
            self.save_spice: ("Save the SPICE text", "circuit.cir", spice_text),
        }
        if errors_text is not None:
            saved[QPushButton("Errors…")] = ("Save the errors", "errors.csv", errors_text)
        self.saving = tuple(saved)
        for button, what in saved.items():
            row.addWidget(button)
            button.clicked.connect(lambda _=False, what=what: save_text(parent, session, *what))
        self.addLayout(row)
        self.addWidget(self.use)

    def allow(self, there: bool) -> None:
        """Whether there is a circuit that can be used and saved."""
        for one in (self.use, *self.saving):
            one.setEnabled(there)
