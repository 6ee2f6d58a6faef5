"""Names with values, a row each: settings and where they stand, knobs and their marks."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from dynamis.ui.widgets.quantity_edit import QuantityEdit

_LEAST_WIDTH = 70
Pairs = tuple[tuple[str, str], ...]


class PairRows(QWidget):
    """take : is given all pairs when one was changed; an emptied name takes its row away, the last row adds one.

    hints : what the two fields of an empty row are for.
    """

    def __init__(self, hints: tuple[str, str], take: Callable[[Pairs], None], said: Callable[[str], None]) -> None:
        super().__init__()
        self._hints, self._take, self._said = hints, take, said
        self._pairs: Pairs = ()
        self.rows: list[tuple[QuantityEdit, QuantityEdit]] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(3)
        self.show_pairs(())

    def show_pairs(self, pairs: Sequence[tuple[str, str]]) -> None:
        """Show pairs, and an empty row under them."""
        self._pairs = tuple(pairs)
        while len(self.rows) <= len(self._pairs):
            self._add_row()
        for k, (name, value) in enumerate(self.rows):
            shown = self._pairs[k] if k < len(self._pairs) else ("", "")
            name.show_text(shown[0])
            value.show_text(shown[1])
            for one in (name, value):
                one.setVisible(k <= len(self._pairs))

    def _add_row(self) -> None:
        k, row = len(self.rows), QHBoxLayout()
        row.setSpacing(4)
        pairs = []
        for side, hint in enumerate(self._hints):
            edit = QuantityEdit(f"{hint} {k + 1}", str, self._taker(k, side))
            edit.setPlaceholderText(hint)
            edit.setMinimumWidth(_LEAST_WIDTH)
            edit.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            edit.refused.connect(self._said)
            pairs.append(edit)
            row.addWidget(edit, 1)
        self.rows.append((pairs[0], pairs[1]))
        self._column.addLayout(row)

    def _taker(self, k: int, side: int) -> Callable[[object], None]:
        return lambda text: self._changed(k, side, str(text).strip())

    def _changed(self, k: int, side: int, text: str) -> None:
        pairs = [list(one) for one in self._pairs]
        if k == len(pairs):
            pairs.append(["", self.rows[k][1].text().strip()])
        pairs[k][side] = text
        if side == 1 and not pairs[k][0]:
            return  # the name comes first; the value is taken with it
        self._take(tuple((name, value) for name, value in pairs if name))
