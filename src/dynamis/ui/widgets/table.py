"""Tables: a model of plain rows, copied as tab-separated text and saved as CSV."""

from __future__ import annotations

import csv
import io
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QEvent, QModelIndex, QPersistentModelIndex, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QFont,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPalette,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QAbstractItemView, QApplication, QFrame, QHeaderView, QTableView

from dynamis.notation.safe import csv_row
from dynamis.ui.widgets.panel import own_viewport
from dynamis.ui.widgets.tips import plain_tip

Index = QModelIndex | QPersistentModelIndex


@dataclass(frozen=True)
class Column:
    """One column: its heading, what a screen reader says of it, and whether its text stands left.

    fits : wide enough for its texts; off for texts that may be elided.
    """

    heading: str
    spoken: str = ""
    left: bool = False
    stretch: float = 1.0
    hint: str = ""
    fits: bool = True


@dataclass(frozen=True)
class Row:
    """One row of shown texts; `key` finds the record behind it, `mark` is current, off (struck
    out), muted or plain.

    raw : the cells as they go into CSV (full precision), where they differ from what is shown.
    """

    cells: tuple[str, ...]
    key: object = None
    mark: str = ""
    raw: tuple[str, ...] | None = None
    tip: str = ""


class LazyRows(Sequence[Row]):
    """Rows that are made when they are first looked at, so that thousands cost no more than those in sight."""

    def __init__(self, count: int, make: Callable[[int], Row]) -> None:
        self._count, self._make = count, make
        self._made: dict[int, Row] = {}

    def __len__(self) -> int:
        return self._count

    def __getitem__(self, index: int) -> Row:  # type: ignore[override]  # a slice is never asked for
        if not -self._count <= index < self._count:
            raise IndexError(index)
        index %= self._count
        if index not in self._made:
            self._made[index] = self._make(index)
        return self._made[index]


class RowsModel(QAbstractTableModel):
    """Rows as they are, replaced together."""

    def __init__(self, columns: Sequence[Column]) -> None:
        super().__init__()
        self.columns = tuple(columns)
        self.rows: Sequence[Row] = ()
        self.off_colour, self.current_colour = QColor("#888888"), QColor("#eeeeee")

    def set_rows(self, rows: Sequence[Row]) -> None:
        """Show other rows; a selection stays while rows are changed or added at the end."""
        before = len(self.rows)
        if len(rows) < before or not before:
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
            return
        if len(rows) > before:
            self.beginInsertRows(QModelIndex(), before, len(rows) - 1)
            self.rows = rows
            self.endInsertRows()
        self.rows = rows
        self.dataChanged.emit(self.index(0, 0), self.index(before - 1, len(self.columns) - 1))

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        row, column = self.rows[index.row()], self.columns[index.column()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return row.cells[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if column.left else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and row.mark in ("off", "muted"):
            return self.off_colour
        if role == Qt.ItemDataRole.BackgroundRole and row.mark == "current":
            return self.current_colour
        if role == Qt.ItemDataRole.FontRole and row.mark == "off":
            font = QFont()
            font.setStrikeOut(index.column() != len(self.columns) - 1)
            return font
        if role == Qt.ItemDataRole.ToolTipRole and row.tip:
            return plain_tip(row.tip)
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{column.spoken or column.heading}: {row.cells[index.column()]}"
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.columns[section].heading
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if self.columns[section].left else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.columns[section].hint or None
        return None


class Table(QTableView):
    """A table of rows: whole rows are selected, Ctrl+C copies them as tab-separated text."""

    def __init__(self, name: str, columns: Sequence[Column]) -> None:
        super().__init__()
        self.rows_model = RowsModel(columns)
        self.setModel(self.rows_model)
        self.setAccessibleName(name)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setFrameStyle(QFrame.Shape.Box | QFrame.Shadow.Plain)
        self._viewport = own_viewport(self)
        # In a column that scrolls the frame would take the colour of text.
        self.setForegroundRole(QPalette.ColorRole.WindowText)
        self._edge(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.horizontalHeader().setHighlightSections(False)
        self.horizontalHeader().setMinimumSectionSize(16)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self.on_activate: Callable[[Any], None] | None = None
        self.on_space: Callable[[Any], None] | None = None
        self.activated.connect(self._activated)

    def _activated(self, index: QModelIndex) -> None:
        if self.on_activate is not None and index.isValid():
            self.on_activate(self.rows_model.rows[index.row()].key)

    def set_rows(self, rows: Sequence[Row]) -> None:
        self.rows_model.set_rows(rows)
        self._share_width()

    def show_column(self, heading: str, shown: bool) -> None:
        """Show or hide a column by its heading; what is hidden is neither copied nor saved."""
        self.setColumnHidden([one.heading for one in self.rows_model.columns].index(heading), not shown)

    def _seen(self, cells: Sequence[str]) -> list[str]:
        return [cell for k, cell in enumerate(cells) if not self.isColumnHidden(k)]

    def selected_keys(self) -> list[object]:
        """Keys of the selected rows, top down."""
        chosen = sorted({index.row() for index in self.selectionModel().selectedRows()})
        return [self.rows_model.rows[k].key for k in chosen if k < len(self.rows_model.rows)]

    def show_row(self, index: int) -> None:
        """Scroll to a row."""
        self.scrollTo(self.rows_model.index(index, 0))

    def copy(self, *, whole: bool = False) -> str:
        """Put the selected rows (all of them where none is selected) on the clipboard; returns the text."""
        chosen = sorted({index.row() for index in self.selectionModel().selectedRows()})
        rows = self.rows_model.rows if whole or not chosen else [self.rows_model.rows[k] for k in chosen]
        lines = ["\t".join(self._seen([column.heading for column in self.rows_model.columns]))]
        lines += ["\t".join(self._seen(row.cells)) for row in rows]
        text = "\n".join(lines) + "\n"
        QGuiApplication.clipboard().setText(text)
        return text

    def as_csv(self) -> str:
        """The whole table as CSV, full precision where the rows have it."""
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(self._seen([column.spoken or column.heading for column in self.rows_model.columns]))
        writer.writerows(csv_row(self._seen(row.raw or row.cells)) for row in self.rows_model.rows)
        return out.getvalue()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._edge(True)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._edge(False)

    def _edge(self, focused: bool) -> None:
        """The frame in the colour of links while the table has the focus, else in that of what is behind it."""
        palette = QPalette(QApplication.palette(self))
        role = QPalette.ColorRole.Link if focused else QPalette.ColorRole.Base
        palette.setColor(QPalette.ColorRole.WindowText, palette.color(role))
        self.setPalette(palette)
        self._viewport.setPalette(palette)  # it has one of its own, which keeps the colours of an earlier theme

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.key() == Qt.Key.Key_Space and self.on_space is not None and self.selected_keys():
            self.on_space(self.selected_keys()[0])
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_width()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._edge(self.hasFocus())  # a page that was hidden has not heard of its theme
        self._share_width()

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.StyleChange:  # comes when a theme has been put on wholly
            self._edge(self.hasFocus())
        self.verticalHeader().setDefaultSectionSize(self.fontMetrics().height() + 7)

    def _share_width(self) -> None:
        """Share the width out; no column gets narrower than what it holds, then the table scrolls.

        A table that nobody sees waits for it: its rows may not be worked out yet.
        """
        if not self.isVisible():
            return
        columns = self.rows_model.columns
        measure = self.horizontalHeader().fontMetrics()
        widths, wanted = [], []
        for k, column in enumerate(columns):
            cells = [row.cells[k] for row in itertools.islice(self.rows_model.rows, 12)]
            whole = max(map(measure.horizontalAdvance, (column.heading, *cells)), default=0) + 14
            widths.append(whole if column.fits else measure.horizontalAdvance(column.heading) + 14)
            wanted.append(whole - widths[-1])
        hidden = sum(width for k, width in enumerate(widths) if self.isColumnHidden(k))
        spare = max(0, self.viewport().width() - sum(widths) + hidden)
        for k, more in enumerate(wanted):  # what may be elided is shown whole first, as far as there is room
            given = min(spare, more)
            widths[k], spare = widths[k] + given, spare - given
        total = sum(column.stretch for k, column in enumerate(columns) if not self.isColumnHidden(k))
        for k, column in enumerate(columns):
            if self.isColumnHidden(k):
                continue
            width = widths[k] + int(spare * column.stretch / total)
            if width != self.columnWidth(k):
                self.setColumnWidth(k, width)

    def sizeHint(self) -> QSize:
        return QSize(300, 120)

    def minimumSizeHint(self) -> QSize:
        return QSize(160, 60)
