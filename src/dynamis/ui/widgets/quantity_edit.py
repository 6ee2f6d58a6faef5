"""A field for one number in engineering notation: Enter or leaving it takes the value, Esc puts it back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit

from dynamis.errors import InputError
from dynamis.ui.widgets.panel import restyle
from dynamis.ui.widgets.tips import plain_tip


class BenchEdit(QLineEdit):
    """A field that leaves undo and redo to the bench while nothing is being typed in it."""

    def untouched(self) -> bool:
        """Whether what is shown is what the bench holds."""
        return not self.text()

    def event(self, event: QEvent) -> bool:
        undoes = (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and (event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo))
        )
        if undoes and self.untouched():
            event.ignore()  # not claimed here, so it reaches the menu
            return False
        return super().event(event)


class QuantityEdit(BenchEdit):
    """Shows a value; a changed text is read by `read` and handed to `take`.

    read : text -> value; take : does something with it.  Either may raise `InputError`.
    refused : carries its sentence; an empty one when the text is right again.
    """

    refused = Signal(str)

    def __init__(self, name: str, read: Callable[[str], Any], take: Callable[[Any], object]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._read, self._take = read, take
        self._shown = self._hint = ""
        self.editingFinished.connect(self.commit)

    def set_hint(self, text: str) -> None:
        """What is told of the field while nothing is wrong with it."""
        self._hint = text
        self.setToolTip(plain_tip(text))

    def untouched(self) -> bool:
        return self.text() == self._shown

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
            before, self._shown = self._shown, self.text()
            try:
                self._take(value)
            except InputError:
                self._shown = before
                raise
        except InputError as error:
            self._mark(str(error))
            return False
        self._mark("")
        return True

    def _mark(self, sentence: str) -> None:
        restyle(self, "wrong", bool(sentence))
        self.setToolTip(plain_tip(sentence or self._hint))
        self.setAccessibleDescription(sentence)
        self.refused.emit(sentence)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.text() != self._shown:
            self.setText(self._shown)
            self._mark("")
        else:
            super().keyPressEvent(event)
