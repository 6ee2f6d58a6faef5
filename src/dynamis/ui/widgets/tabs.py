"""Pages behind buttons that stand in a panel's head."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QBoxLayout, QButtonGroup, QPushButton, QStackedWidget


class Tabs(QStackedWidget):
    """names : of the pages, which are added in the same order.  hints : of their buttons, none by default."""

    def __init__(self, names: Sequence[str], head: QBoxLayout, hints: Sequence[str] = ()) -> None:
        super().__init__()
        self._group = QButtonGroup(self)
        self.buttons: list[QPushButton] = []
        for k, name in enumerate(names):
            button = QPushButton(name)
            button.setProperty("tab", True)
            button.setCheckable(True)
            button.setChecked(k == 0)
            button.setToolTip(hints[k] if hints else "")
            self._group.addButton(button, k)
            self.buttons.append(button)
            head.addWidget(button)
        self._group.idClicked.connect(self.setCurrentIndex)

    def show_page(self, index: int) -> None:
        self.buttons[index].setChecked(True)
        self.setCurrentIndex(index)
