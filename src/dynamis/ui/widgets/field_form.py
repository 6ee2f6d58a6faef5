"""A form made of a table of fields: one row each, taken when it is left or Enter is pressed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QWidget

from dynamis.bench.document.bench import Gear, Link
from dynamis.bench.document.ports import Port
from dynamis.bench.gear.field_values import value_of
from dynamis.bench.gear.fields import Field
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.ui.widgets.law_row import LawRow
from dynamis.ui.widgets.pair_rows import PairRows
from dynamis.ui.widgets.panel import clear, label
from dynamis.ui.widgets.quantity_edit import QuantityEdit


class FieldForm(QFormLayout):
    """take : (field, value) -> None, may raise `InputError`.  said : shows its sentence, an empty one when it is "
    "over."""

    def __init__(self, take: Callable[[Field, object], None], said: Callable[[str], None]) -> None:
        super().__init__()
        self._take, self._said = take, said
        self._rows: list[tuple[Field, QWidget]] = []
        self._style = Style()
        self.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.setVerticalSpacing(4)
        self.setHorizontalSpacing(10)

    def show_record(self, fields: Sequence[Field], record: Port | Gear | Link | None, style: Style, name: str) -> None:
        """Show the fields of a record; rows stay where they are the same."""
        self.show_values(
            fields, [None if record is None else value_of(record, one.path) for one in fields], style, name
        )

    def show_values(self, fields: Sequence[Field], values: Sequence[Any], style: Style, name: str) -> None:
        """Show fields with their values."""
        self._style = style
        if [one for one, _ in self._rows] != list(fields):
            clear(self)
            self._rows = [(field, self._editor(field)) for field in fields]
            for field, editor in self._rows:
                text = label(field.label)
                text.setProperty("role", "muted")
                text.setBuddy(editor)
                self.addRow(text, editor)
        for (field, editor), value in zip(self._rows, values, strict=True):
            editor.setAccessibleName(f"{field.label}, {name}")
            if isinstance(editor, QComboBox):
                editor.setCurrentIndex(max(0, editor.findData(value)))
            elif isinstance(editor, QCheckBox):
                editor.setChecked(bool(value))
            elif isinstance(editor, PairRows):
                editor.show_pairs(value or ())
            elif isinstance(editor, LawRow):
                editor.show_law(value, style)
            elif isinstance(editor, QuantityEdit):
                editor.setPlaceholderText(field.unknown or "")
                editor.show_text(field.show(value, style))

    def _editor(self, field: Field) -> QWidget:
        if field.kind == "choice":
            box = QComboBox()
            for value, words in field.choices:
                box.addItem(words or "not known", value)
            box.activated.connect(lambda _: self._apply(field, box.currentData()))
            return box
        if field.kind == "flag":
            flag = QCheckBox()
            flag.clicked.connect(lambda on: self._apply(field, on))
            return flag
        if field.kind == "law":
            return LawRow(lambda text: self._apply(field, text))
        if field.kind == "pairs" and "=" in (field.unknown or ""):
            name, _, value = (field.unknown or "").partition(" = ")
            return PairRows((name, value), lambda pairs: self._take(field, pairs), self._said)
        quantity_edit = QuantityEdit(
            field.label, lambda text: field.read(text, self._style), lambda value: self._take(field, value)
        )
        quantity_edit.refused.connect(self._said)
        return quantity_edit

    def _apply(self, field: Field, value: object) -> None:
        try:
            self._take(field, value)
            self._said("")
        except InputError as error:
            self._said(str(error))

    def editor(self, path: str) -> QWidget:
        """The editor of a field."""
        return next(editor for field, editor in self._rows if field.path == path)
