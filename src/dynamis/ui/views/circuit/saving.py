"""Saving a text of the Circuit station where the user says."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from dynamis.errors import InputError
from dynamis.files.text import write_whole
from dynamis.ui.session import Session


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
