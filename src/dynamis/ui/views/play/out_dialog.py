"""By what it is played out, and which signal comes out where."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QWidget

from dynamis.converter.playing.streaming import in_turn
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.devices.connections import NAMES, Kind
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.form import choice

# The kinds that a song can be played out by, the one that carries every signal first.
OUT_KINDS: tuple[Kind, ...] = ("outputs", "board", "midi")


@dataclass(frozen=True)
class OutChoice:
    """channels : by the names of signals, a channel by its place from 0.  limit_volts : of a board, None for none.
    clock : of a MIDI port, whether it gets a clock too."""

    kind: Kind
    channels: Mapping[str, int] = field(default_factory=dict)
    limit_volts: float | None = None
    clock: bool = False


class OutDialog(FormDialog[OutChoice]):
    """Gives an `OutChoice`.

    offered : by kind what its channels are called; nothing for a MIDI port.  names : by kind, the signals that it can
    carry.  kept : what was chosen before, by kind, the latest last.
    """

    def __init__(
        self,
        parent: QWidget,
        style: Style,
        offered: Mapping[Kind, Sequence[str]],
        names: Mapping[Kind, Sequence[str]],
        kept: Mapping[Kind, OutChoice],
    ) -> None:
        super().__init__(parent, "Play it out", "Play", width=380)
        self._style, self._offered, self._names, self._kept = style, offered, names, kept
        self.kind = choice("By", [(one, f"the {NAMES[one]}") for one in offered])
        if kept:
            self.kind.setCurrentIndex(max(0, self.kind.findData(list(kept)[-1])))
        self.row("By", self.kind)
        self.boxes: dict[str, QComboBox] = {}
        self.limit, self.clock = QLineEdit(), QCheckBox()
        self.kind.activated.connect(lambda _: self._show())
        self._show()

    def _show(self) -> None:
        """The rows of what was chosen."""
        while self.form.rowCount() > 1:
            self.form.removeRow(1)
        kind: Kind = self.kind.currentData()
        kept = self._kept.get(kind, OutChoice(kind))
        self.boxes = {}
        if len(self._names.get(kind, ())) > len(self._offered[kind]) > 1:
            self.fill = QPushButton("Fill in turn")
            self.fill.setToolTip("The pitch and the gate of each voice, one channel after the other")
            self.fill.clicked.connect(lambda _: self._fill(kind))
            self.form.addRow("", self.fill)
        for name in self._names.get(kind, ()):
            box = choice(name, [(None, "not at all"), *enumerate(self._offered[kind])])
            box.setCurrentIndex(max(0, box.findData(kept.channels.get(name))))
            self.boxes[name] = box
            self.row(name, box)
        self._last_row(kept)

    def _fill(self, kind: Kind) -> None:
        channels = in_turn(self._names[kind], len(self._offered[kind]))
        for name, box in self.boxes.items():
            box.setCurrentIndex(max(0, box.findData(channels.get(name))))

    def _last_row(self, kept: OutChoice) -> None:
        """What else is asked of a kind."""
        if kept.kind == "board":
            self.limit = QLineEdit("" if kept.limit_volts is None else f"{self._style.typed(kept.limit_volts)} V")
            self.limit.setPlaceholderText("no limit")
            self.row("At most", self.limit)
        elif kept.kind == "midi":
            self.clock = QCheckBox("Start, clock and stop too")
            self.clock.setChecked(kept.clock)
            self.form.addRow(self.clock)

    def read(self) -> OutChoice:
        kind: Kind = self.kind.currentData()
        if kind == "midi":
            return OutChoice(kind, clock=self.clock.isChecked())
        chosen = {name: box.currentData() for name, box in self.boxes.items() if box.currentData() is not None}
        if not chosen:
            raise InputError("Give at least one signal a channel.")
        taken = list(chosen.values())
        twice = next((one for one in taken if taken.count(one) > 1), None)
        if twice is not None:
            raise InputError(f"{self._offered[kind][twice].capitalize()} is given to two signals; each needs its own.")
        limit = None
        if kind == "board" and self.limit.text().strip():
            comma = self._style.decimal_comma
            limit = abs(parse_quantity(self.limit.text(), "V", "The limit", decimal_comma=comma))
        return OutChoice(kind, chosen, limit)
