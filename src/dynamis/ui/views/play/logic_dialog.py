"""A signal that is made of others, asked for: its numbers, and the steps of a row, drawn or recorded."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from dynamis.bench.document.bench import Bench
from dynamis.bench.gear.fields import Field
from dynamis.bench.playing.logic import line_fields, line_words, recordable, recorded_row, with_line_value
from dynamis.control.logic import LogicLine, Row
from dynamis.converter.playing.rendering import Rendered
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.theme.palette import Colours
from dynamis.ui.views.play.row_picture import RowPicture
from dynamis.ui.widgets.field_form import FieldForm
from dynamis.ui.widgets.form import choice
from dynamis.ui.widgets.panel import label, set_text


class LogicDialog(FormDialog[LogicLine]):
    """Gives a line; the signals that it can be made of are those of what is played."""

    def __init__(
        self, parent: QWidget, style: Style, colours: Colours, rendered: Rendered, bench: Bench, line: LogicLine
    ) -> None:
        known = any(one.name == line.name for one in bench.logic)
        title, ok = (f"Change {line.name}", "Change it") if known else (f"Make {line.name}", "Make it")
        super().__init__(parent, title, ok, width=500)
        self._style, self._rendered, self._bench, self.made = style, rendered, bench, line
        self._first = line
        self.fields = FieldForm(self._changed, self.say)
        self.form.addRow(self.fields)
        self.row_picture: RowPicture | None = None
        if isinstance(line, Row):
            self._add_row(colours, line)
        self.words = label("", "small", wrap=True)
        self.form.addRow(self.words)
        self._show()

    def _add_row(self, colours: Colours, line: Row) -> None:
        picture = self.row_picture = RowPicture(colours, self._style)
        picture.drawn.connect(self._drawn)
        self.form.addRow(picture)
        across = QHBoxLayout()
        self.source = choice("Recorded from", [(name, name) for name in recordable(self._rendered, line)])
        self.record = QPushButton("Record")
        self.record.setToolTip("Each step takes what that signal stands at when it begins, in what is played")
        self.record.clicked.connect(lambda _=False: self._guard(self._record))
        self.record.setEnabled(self.source.count() > 0)
        across.addWidget(self.source, 1)
        across.addWidget(self.record)
        self.form.addRow("From a signal", across)

    def _show(self) -> None:
        fields = line_fields(self.made, self._rendered, self._bench, self._first.name)
        self.fields.show_values(fields, [getattr(self.made, one.path) for one in fields], self._style, self.made.name)
        set_text(self.words, line_words(self.made, self._style))
        self.words.setVisible(bool(self.words.text()))
        if self.row_picture is not None and isinstance(self.made, Row):
            self.row_picture.show_volts(self.made.volts)

    def _guard(self, work: Callable[[], None]) -> None:
        try:
            work()
            self.say("")
        except InputError as error:
            self.say(str(error))

    def _changed(self, field: Field, value: object) -> None:
        self.made = with_line_value(self.made, field, value)
        self.say("")
        self._show()

    def _drawn(self, volts: tuple[float, ...]) -> None:
        field = next(one for one in line_fields(self.made, self._rendered, self._bench) if one.path == "volts")
        self._guard(lambda: self._changed(field, volts))

    def _record(self) -> None:
        assert isinstance(self.made, Row)
        self.made = recorded_row(self.made, self._rendered, self._bench, self.source.currentData())
        self._show()

    def read(self) -> LogicLine:
        return self.made
