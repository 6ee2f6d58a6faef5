"""The pairs of a bench as a table: outputs down the side, inputs across, each cell a verdict with its number."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PySide6.QtGui import QPixmap

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import PairFit
from dynamis.electrics.finding import VERDICT_WORDS, FitVerdict
from dynamis.notation.style import Style
from dynamis.ui.session.judge import Judge
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import verdict_pixmap
from dynamis.ui.widgets.table import Index
from dynamis.ui.widgets.tips import plain_tip

# What a cell shows: its number, its verdict (empty while it is not judged) and whether the pair is joined.
Cell = tuple[str, FitVerdict | None, bool]
_WAITS: Cell = ("…", None, False)


class PairsModel(QAbstractTableModel):
    """A cell is empty where the two are not meant for each other, unless everything is asked for; what has not been
    judged is judged when it is looked at.

    only : the one verdict that is shown, empty for all.
    """

    def __init__(self, judge: Judge, colours: Colours) -> None:
        super().__init__()
        self.judge, self.colours, self.style = judge, colours, Style()
        self.outputs: Sequence[PortRef] = ()
        self.inputs: Sequence[PortRef] = ()
        self.only = ""
        self._bench = Bench()
        self._joined: frozenset[tuple[PortRef, PortRef]] = frozenset()
        self._signs: dict[str, QPixmap] = {}
        self._flags: dict[tuple[int, int], Qt.ItemFlag] = {}
        self._cells: dict[tuple[int, int], Cell | None] = {}

    def show_ports(self, bench: Bench, outputs: Sequence[PortRef], inputs: Sequence[PortRef]) -> None:
        """Show these ports; what is selected stays where they are the same."""
        same = (list(outputs), list(inputs)) == (list(self.outputs), list(self.inputs))
        if not same:
            self.beginResetModel()
        self._bench, self.outputs, self.inputs = bench, outputs, inputs
        self._joined = frozenset((link.output, sink) for link in bench.links for sink in link.inputs)
        self._signs.clear()
        self._cells.clear()
        self._flags.clear()
        if not same:
            self.endResetModel()
        elif outputs and inputs:
            self.refresh()
            for direction, ports in ((Qt.Orientation.Vertical, outputs), (Qt.Orientation.Horizontal, inputs)):
                self.headerDataChanged.emit(direction, 0, len(ports) - 1)

    def refresh(self) -> None:
        """More is known than before."""
        self._cells = {place: cell for place, cell in self._cells.items() if cell is not _WAITS}
        if self.outputs and self.inputs:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.outputs) - 1, len(self.inputs) - 1))

    def pair_at(self, index: Index) -> tuple[PortRef, PortRef] | None:
        if not index.isValid():
            return None
        pair = self.outputs[index.row()], self.inputs[index.column()]
        matrix = self.judge.matrix
        meets = matrix.may_meet(*pair) if self.judge.any_voltage else matrix.sensible(*pair)
        return pair if meets else None

    def fit_at(self, index: Index) -> PairFit | None:
        """What a cell shows; None where it is empty, or has not been judged yet."""
        pair = self.pair_at(index)
        if pair is None:
            return None
        fit = self.judge.matrix.known(*pair)
        self.judge.saw(*pair)
        if fit is None:
            self.judge.want(*pair)
        return fit

    def cell(self, row: int, column: int) -> Cell | None:
        """What a cell shows, None where it is empty; kept until something changes."""
        place = row, column
        if place in self._cells:
            return self._cells[place]
        cell: Cell | None = None
        fit = self.fit_at(self.index(row, column))
        if fit is None:
            cell = None if self.pair_at(self.index(row, column)) is None else _WAITS
        elif not self.only or fit.verdict == self.only:
            cell = number_text(fit, self.style), fit.verdict, self.joined(fit)
        self._cells[place] = cell
        return cell

    def sign(self, verdict: FitVerdict) -> QPixmap:
        """The verdict's sign, kept for one theme."""
        if verdict not in self._signs:
            self._signs[verdict] = verdict_pixmap(verdict, self.colours, 12, 2.0)
        return self._signs[verdict]

    def joined(self, fit: PairFit) -> bool:
        return (fit.output, fit.input) in self._joined

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.outputs)

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.inputs)

    def flags(self, index: Index) -> Qt.ItemFlag:
        place = index.row(), index.column()  # asked hundreds of times for each repaint
        flags = self._flags.get(place)
        if flags is None:
            flags = super().flags(index) if self.pair_at(index) is not None else Qt.ItemFlag.NoItemFlags
            self._flags[place] = flags
        return flags

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in _ROLES:
            return None
        cell, fit = self.cell(index.row(), index.column()), self.fit_at(index)
        if role == Qt.ItemDataRole.DisplayRole or cell is None or fit is None:
            return None if cell is None else cell[0]
        plugged = "joined, " if self.joined(fit) else ""
        names = f"{self._bench.label(fit.output)} into {self._bench.label(fit.input)}"
        sentence = f"{names}: {plugged}{VERDICT_WORDS[fit.verdict]}, {number_text(fit, self.style)}"
        return plain_tip(sentence) if role == Qt.ItemDataRole.ToolTipRole else sentence

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        across = orientation == Qt.Orientation.Horizontal
        ref = (self.inputs if across else self.outputs)[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self._bench.label(ref))
        return self._bench.label(ref).replace(" · ", "\n", 1) if across else self._bench.label(ref)


_ROLES = frozenset(
    {
        Qt.ItemDataRole.DisplayRole,
        Qt.ItemDataRole.AccessibleTextRole,
        Qt.ItemDataRole.ToolTipRole,
    }
)


def number_text(fit: PairFit, style: Style) -> str:
    """The number that decides, with its unit."""
    if fit.value is None:
        return "?" if fit.verdict == "cannot-tell" else "–"
    if fit.unit == "V":
        return f"{style.number(fit.value, 2, sign=True)} V"
    if fit.unit == "s":
        return style.engineering(fit.value, "s")
    if fit.unit == "%":
        return f"{style.number(fit.value, 0)} %"
    if fit.unit == "dB":
        return f"{style.number(fit.value, 1, sign=True)} dB"
    decimals = 0 if abs(fit.value) >= 1000 else 1
    return f"{style.number(fit.value, decimals, sign=fit.verdict in ('needs-circuit', 'unsafe'))} ct"
