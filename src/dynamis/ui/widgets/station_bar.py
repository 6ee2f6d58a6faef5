"""The stations across the top: words in groups by what one does; a numbered menu where the window is too narrow."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFont, QFontMetrics
from PySide6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QSizePolicy, QWidget

_GAP = 6
_RULE_HEIGHT = 18


class StationBar(QWidget):
    """groups : of (title, key).  chosen : called with the title of the one that is to be shown."""

    def __init__(self, groups: Sequence[Sequence[tuple[str, str]]], chosen: Callable[[str], None]) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        self._chosen, self._room = chosen, 0
        self._groups = [list(group) for group in groups]
        self.buttons: dict[str, QPushButton] = {}
        self._words: list[QWidget] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for k, group in enumerate(self._groups):
            if k:
                row.addWidget(self._keep(self._rule()), 0, Qt.AlignmentFlag.AlignVCenter)
            for title, key in group:
                self.buttons[title] = page_button(title, key, chosen)
                row.addWidget(self._keep(self.buttons[title]))
        self.menu_button = QPushButton()
        self.menu_button.setProperty("station", True)
        self.menu_button.setAccessibleName("Stations")
        menu = QMenu(self.menu_button)
        menu.aboutToShow.connect(lambda: self._fill(menu))
        self.menu_button.setMenu(menu)
        self.menu_button.hide()
        row.addWidget(self.menu_button)

    def _keep(self, widget: QWidget) -> QWidget:
        self._words.append(widget)
        return widget

    def _rule(self) -> QWidget:
        line = QFrame()
        line.setProperty("upright", True)
        line.setFixedSize(_GAP + 1, _RULE_HEIGHT)
        line.setFrameShape(QFrame.Shape.VLine)
        return line

    # -- words or a menu -----------------------------------------------------------------------------

    @property
    def folded(self) -> bool:
        return not self.menu_button.isHidden()

    def fit(self, room: int) -> None:
        """Show words where they fit into so many pixels, else the menu."""
        self._room = room
        folded = sum(widget.sizeHint().width() for widget in self._words) > room
        if folded != self.folded:
            for widget in self._words:
                widget.setVisible(not folded)
            self.menu_button.setVisible(folded)

    def words_changed(self) -> None:
        """The text of a button is another, or another one is chosen."""
        shown = next((title for title, button in self.buttons.items() if button.isChecked()), "")
        self.menu_button.setText(self._numbered(shown) if shown else "Stations")
        self.fit(self._room)

    def _numbered(self, title: str) -> str:
        key = next(key for group in self._groups for name, key in group if name == title)
        return f"{key.rpartition('+')[2]}  {self.buttons[title].text()}"

    def _fill(self, menu: QMenu) -> None:
        menu.clear()
        for k, group in enumerate(self._groups):
            if k:
                menu.addSeparator()
            for title, key in group:
                action = menu.addAction(f"{self._numbered(title)}\t{key}")
                action.setCheckable(True)
                action.setChecked(self.buttons[title].isChecked())
                action.triggered.connect(lambda _=False, title=title: self._chosen(title))


class PageButton(QPushButton):
    """The button of a page of the window; as wide as its words are when they are chosen, and bold."""

    def sizeHint(self) -> QSize:
        hint, bold = super().sizeHint(), QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        more = QFontMetrics(bold).horizontalAdvance(self.text()) - self.fontMetrics().horizontalAdvance(self.text())
        return QSize(hint.width() + max(0, more), hint.height())


def page_button(title: str, key: str, chosen: Callable[[str], None]) -> QPushButton:
    """The button of a page of the window."""
    button = PageButton(title)
    button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
    button.setProperty("station", True)
    button.setCheckable(True)
    button.setToolTip(f"{title}, {key}")
    button.clicked.connect(lambda _=False: chosen(title))
    return button
