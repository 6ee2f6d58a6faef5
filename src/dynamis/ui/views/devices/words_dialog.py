"""The words that an instrument is told, one for each thing that is asked of it."""

from __future__ import annotations

from dataclasses import fields

from PySide6.QtWidgets import QDialogButtonBox, QWidget

from dynamis.devices.command_words import Words
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.panel import label

_NAMES = {
    "identity": "Who it is",
    "clear": "Clear it",
    "error": "Ask for its errors",
    "volts": "Volts",
    "hertz": "Hertz",
    "read": "One reading",
    "setting": "Ask what it is set to",
    "on": "Output on",
    "off": "Output off",
}


class WordsDialog(FormDialog[Words]):
    """Gives the words; usual : as SCPI has them.  shown : as they are now."""

    def __init__(self, parent: QWidget | None, usual: Words, shown: Words) -> None:
        super().__init__(parent, "Command words", "Use them")
        self._usual = usual
        self.lines = {
            one.name: self.line(_NAMES[one.name], getattr(shown, one.name), "not said") for one in fields(usual)
        }
        self.column.insertWidget(
            1,
            label(
                "An empty one is not said. {range} and {volts} stand for the number. They hold from the next "
                "connection on.",
                "small",
                wrap=True,
            ),
        )
        reset = self.buttons.addButton("As SCPI has them", QDialogButtonBox.ButtonRole.ResetRole)
        reset.setAutoDefault(False)
        reset.clicked.connect(self._reset)

    def _reset(self) -> None:
        for name, line in self.lines.items():
            line.setText(getattr(self._usual, name))

    def read(self) -> Words:
        return self._usual.with_words(**{name: line.text() for name, line in self.lines.items()})
