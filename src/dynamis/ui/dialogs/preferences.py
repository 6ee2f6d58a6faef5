"""Preferences asked for."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QWidget

from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.theme.style import TEXT_POINTS


class PreferencesDialog(FormDialog[Preferences]):
    """Gives `Preferences`."""

    def __init__(self, parent: QWidget | None, now: Preferences) -> None:
        super().__init__(parent, "Preferences", "Keep", width=420)
        self._now = now
        self.middle_c = self._choice("Note 60 is called", [(f"C{k}", k) for k in (3, 4, 5)], now.middle_c)
        self.flats = self._choice("Black keys are", [("sharps, C♯", False), ("flats, D♭", True)], now.flats)
        self.comma = self._choice("Decimals", [("2.5, a point", False), ("2,5, a comma", True)], now.decimal_comma)
        self.theme = self._choice(
            "Theme", [("as the system", "system"), ("light", "light"), ("dark", "dark")], now.theme
        )
        self.text = self._choice("Text size", [(name, name) for name in TEXT_POINTS], now.text)

    def _choice(self, text: str, choices: list[tuple[str, object]], chosen: object) -> QComboBox:
        box = QComboBox()
        for words, value in choices:
            box.addItem(words, value)
        box.setCurrentIndex(next(k for k, (_, value) in enumerate(choices) if value == chosen))
        self.row(text, box)
        return box

    def read(self) -> Preferences:
        return replace(
            self._now,
            middle_c=self.middle_c.currentData(),
            flats=self.flats.currentData(),
            decimal_comma=self.comma.currentData(),
            theme=self.theme.currentData(),
            text=self.text.currentData(),
        )
