"""Find an action by its name."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class ActionPalette(QDialog):
    """Type a part of a name, Enter does it.  `chosen` is the action, None when it was closed."""

    def __init__(self, parent: QWidget | None, actions: list[QAction]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find an action")
        self.chosen: QAction | None = None
        self._actions = actions
        column = QVBoxLayout(self)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Type a part of its name")
        self.search.setAccessibleName("Find an action")
        self.list = QListWidget()
        self.list.setAccessibleName("Actions")
        column.addWidget(self.search)
        column.addWidget(self.list)
        self.search.textChanged.connect(self._fill)
        self.search.returnPressed.connect(self._take)
        self.list.itemActivated.connect(lambda _: self._take())
        self.resize(460, 360)
        self._fill("")

    def _fill(self, typed: str) -> None:
        self.list.clear()
        words = typed.lower().split()
        for action in self._actions:
            text = action.text().replace("&", "")
            if all(word in text.lower() for word in words):
                key = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
                item = QListWidgetItem(f"{text}    {key}" if key else text)
                item.setData(Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _take(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.chosen = item.data(Qt.ItemDataRole.UserRole)
            self.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.list.count():
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow((self.list.currentRow() + step) % self.list.count())
        else:
            super().keyPressEvent(event)
