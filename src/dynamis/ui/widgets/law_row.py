"""A pitch law in one row of a form."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from dynamis.notation.style import Style
from dynamis.pitch.laws import law_text, law_words, parse_law
from dynamis.pitch.notes import note_label


class LawRow(QWidget):
    """A pitch law in the trade's words; a press opens its form.  take : is given the law as it is stored, or None."""

    def __init__(self, take: Callable[[str | None], None]) -> None:
        super().__init__()
        self._take, self._text, self._style = take, "", Style()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.button, self.clear = QPushButton(), QPushButton("–")
        self.button.setStyleSheet("text-align: left;")
        self.clear.setToolTip("The law is not known")
        self.clear.setAccessibleName("The law is not known")
        self.button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.button.clicked.connect(lambda _=False: self.ask())
        self.clear.clicked.connect(lambda _=False: self._take(None))
        row.addWidget(self.button, 1)
        row.addWidget(self.clear)
        self.setFocusProxy(self.button)

    def show_law(self, text: str | None, style: Style) -> None:
        """Show a law as it is stored."""
        self._text, self._style = text or "", style
        law = parse_law(text) if text else None
        words = "not known" if law is None else law_words(law, note_label(law.reference_note, style))
        self.button.setText(words)
        self.button.setToolTip(f"{words}: press for its form")
        self.button.setAccessibleName(f"Law: {words}")
        self.clear.setVisible(law is not None)

    def ask(self) -> None:
        """Its form."""
        from dynamis.ui.dialogs.law import LawDialog

        dialog = LawDialog(self, self._style, parse_law(self._text) if self._text else None)
        if dialog.exec():
            self._take(law_text(dialog.value))
