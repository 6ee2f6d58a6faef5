"""The pairs of a bench as a table: outputs down the side, inputs across, each cell a verdict with its number."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QColor, QFont, QPixmap

from dynamis.bench.document import Bench
from dynamis.bench.judging.pairs import PairFit
from dynamis.bench.ports import PortRef
from dynamis.notation.style import Style
from dynamis.ui.theme.palette import Colours
from dynamis.ui.theme.verdict import VERDICT_WORDS, verdict_pixmap

Index = QModelIndex | QPersistentModelIndex
Fits = Mapping[PortRef, Mapping[PortRef, PairFit]]


class PairsModel(QAbstractTableModel):
    """A cell is empty where nobody would think of joining the two."""

    def __init__(self, colours: Colours) -> None:
        super().__init__()
        self.colours, self.style = colours, Style()
        self.outputs: Sequence[PortRef] = ()
        self.inputs: Sequence[PortRef] = ()
        self._fits: Fits = {}
        self._bench = Bench()
        self._joined: frozenset[tuple[PortRef, PortRef]] = frozenset()
        self._signs: dict[str, QPixmap] = {}

    def show_fits(self, bench: Bench, fits: Fits, outputs: Sequence[PortRef], inputs: Sequence[PortRef]) -> None:
        """Show these fits; what is selected stays where the ports are the same."""
        same = (list(outputs), list(inputs)) == (list(self.outputs), list(self.inputs))
        if not same:
            self.beginResetModel()
        self._bench, self._fits, self.outputs, self.inputs = bench, fits, outputs, inputs
        self._joined = frozenset((link.output, sink) for link in bench.links for sink in link.inputs)
        self._signs.clear()
        if not same:
            self.endResetModel()
        elif outputs and inputs:
            self.dataChanged.emit(self.index(0, 0), self.index(len(outputs) - 1, len(inputs) - 1))
            for way, ports in ((Qt.Orientation.Vertical, outputs), (Qt.Orientation.Horizontal, inputs)):
                self.headerDataChanged.emit(way, 0, len(ports) - 1)

    def fit_at(self, index: Index) -> PairFit | None:
        if not index.isValid():
            return None
        return self._fits.get(self.outputs[index.row()], {}).get(self.inputs[index.column()])

    def joined(self, fit: PairFit) -> bool:
        return (fit.output, fit.input) in self._joined

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.outputs)

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.inputs)

    def flags(self, index: Index) -> Qt.ItemFlag:
        return super().flags(index) if self.fit_at(index) is not None else Qt.ItemFlag.NoItemFlags

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        fit = self.fit_at(index)
        if fit is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return number_text(fit, self.style)
        if role == Qt.ItemDataRole.DecorationRole:
            if fit.verdict not in self._signs:
                self._signs[fit.verdict] = verdict_pixmap(fit.verdict, self.colours, 12, 2.0)
            return self._signs[fit.verdict]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        joined = self.joined(fit)
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(self.colours.ink if joined else self.colours.muted)
        if role == Qt.ItemDataRole.FontRole and joined:
            font = QFont()
            font.setBold(True)
            return font
        if role in (Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            plugged = "joined, " if joined else ""
            names = f"{self._bench.label(fit.output)} into {self._bench.label(fit.input)}"
            return f"{names}: {plugged}{VERDICT_WORDS[fit.verdict]}, {number_text(fit, self.style)}"
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        across = orientation == Qt.Orientation.Horizontal
        ref = (self.inputs if across else self.outputs)[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._bench.label(ref)
        return self._bench.label(ref).replace(" · ", "\n", 1) if across else self._bench.label(ref)


def number_text(fit: PairFit, style: Style) -> str:
    """The number that decides, with its unit."""
    if fit.value is None:
        return "?" if fit.verdict == "cannot-tell" else "–"
    if fit.unit == "V":
        return f"{style.number(fit.value, 2, sign=True)} V"
    decimals = 0 if abs(fit.value) >= 1000 else 1
    return f"{style.number(fit.value, decimals, sign=fit.verdict == 'needs-circuit')} ct"
