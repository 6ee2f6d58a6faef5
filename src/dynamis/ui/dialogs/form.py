"""The frame of every dialog that asks for values: fields, one sentence for what is wrong, and two buttons."""

from __future__ import annotations

from typing import Generic, TypeVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from dynamis.errors import InputError
from dynamis.ui.widgets.fitting import Fitting
from dynamis.ui.widgets.panel import label

Result = TypeVar("Result")


class FormDialog(QDialog, Generic[Result]):
    """`value` holds what was asked for once the dialog was accepted.

    A subclass adds rows to `form` and gives `read()`, which returns the value or raises `InputError`; its
    sentence is shown and the dialog stays.
    """

    def __init__(self, parent: QWidget | None, title: str, ok: str, *, width: int = 460) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self._value: Result | None = None
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(20, 16, 20, 16)
        self.column.setSpacing(10)
        fields = QWidget()
        self.form = QFormLayout(fields)
        self.form.setContentsMargins(0, 0, 0, 0)
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self.form.setVerticalSpacing(6)
        self.column.addWidget(Fitting(fields))
        self.sentence = label("", "question", wrap=True)
        self.column.addWidget(self.sentence)
        self.sentence.hide()
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        for button in self.buttons.buttons():
            button.setIcon(QIcon())
        self.ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        self.ok.setText(ok)
        self.ok.setProperty("primary", True)
        self.buttons.accepted.connect(self.try_accept)
        self.buttons.rejected.connect(self.reject)
        self.column.addWidget(self.buttons)
        self.setMinimumWidth(width)
        self.resize(width, 10)

    def line(self, text: str, shown: str = "", hint: str = "") -> QLineEdit:
        """A row with a text field."""
        field = QLineEdit(shown)
        field.setPlaceholderText(hint)
        self.row(text, field)
        return field

    def row(self, text: str, field: QWidget) -> None:
        field.setAccessibleName(text)
        name = QLabel(text)
        name.setBuddy(field)
        self.form.addRow(name, field)

    @property
    def value(self) -> Result:
        """What was asked for; there is one once the dialog was accepted."""
        assert self._value is not None
        return self._value

    def read(self) -> Result:
        raise NotImplementedError

    def try_accept(self) -> None:
        try:
            self._value = self.read()
        except InputError as error:
            self.say(str(error))
            return
        self.accept()

    def say(self, sentence: str) -> None:
        self.sentence.setText(sentence)
        self.sentence.setVisible(bool(sentence))
