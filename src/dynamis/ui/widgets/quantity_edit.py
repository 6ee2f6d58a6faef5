"""A field for one number in engineering notation: Enter or leaving it takes the value, Esc puts it back."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLineEdit

from dynamis.errors import InputError
from dynamis.ui.widgets.panel import restyle


class QuantityEdit(QLineEdit):
    """Shows a value; a changed text is read by `read` and announced by `taken`.

    read : text -> value, raises `InputError` with the sentence to show.
    refused : carries that sentence; an empty one when the text is right again.
    """

    taken = Signal(object)
    refused = Signal(str)

    def __init__(self, name: str, read: Callable[[str], object]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._read = read
        self._shown = ""
        self.editingFinished.connect(self.commit)

    def show_text(self, text: str) -> None:
        """Show a value as it is now; what is being typed is not disturbed."""
        if self.hasFocus() and self.text() != self._shown:
            return
        self._shown = text
        self.setText(text)
        self._mark("")

    def commit(self) -> bool:
        """Take what is typed; False when it was refused."""
        if self.text() == self._shown:
            self._mark("")
            return True
        try:
            value = self._read(self.text())
            self._shown = self.text()
            self.taken.emit(value)
        except InputError as error:
            self._shown = ""
            self._mark(str(error))
            return False
        self._mark("")
        return True

    def _mark(self, sentence: str) -> None:
        restyle(self, "wrong", bool(sentence))
        self.setToolTip(sentence)
        self.setAccessibleDescription(sentence)
        self.refused.emit(sentence)

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape and self.text() != self._shown:
            self.setText(self._shown)
            self._mark("")
        else:
            super().keyPressEvent(event)
