"""A pitch law asked for."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from dynamis.notation.style import Style
from dynamis.pitch.laws import Law
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.law_edit import LawEdit


class LawDialog(FormDialog[Law]):
    """Gives a `Law`."""

    def __init__(self, parent: QWidget | None, style: Style, law: Law | None) -> None:
        super().__init__(parent, "The law it should follow", "Take this law")
        self.edit = LawEdit(style)
        if law is not None:
            self.edit.show_law(law)
        self.form.addRow(self.edit)

    def read(self) -> Law:
        return self.edit.law()
