"""Which signal comes out of which channel of the computer's outputs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtWidgets import QSpinBox, QWidget

from dynamis.errors import InputError
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.form import whole_box


class ChannelsDialog(FormDialog[dict[str, int]]):
    """Gives channels, from 1, by the names of signals; those that stay in are left out."""

    def __init__(self, parent: QWidget, names: Sequence[str], channels: int, kept: Mapping[str, int]) -> None:
        super().__init__(parent, "Play it out", "Play", width=360)
        self.boxes: dict[str, QSpinBox] = {}
        for name in names:
            box = whole_box(name, min(kept.get(name, 0), channels), 0, channels)
            box.setSpecialValueText("not at all")
            box.setPrefix("channel ")
            self.boxes[name] = box
            self.row(name, box)

    def read(self) -> dict[str, int]:
        chosen = {name: box.value() for name, box in self.boxes.items() if box.value()}
        if not chosen:
            raise InputError("Give at least one signal a channel.")
        twice = next((one for one in chosen.values() if list(chosen.values()).count(one) > 1), None)
        if twice is not None:
            raise InputError(f"Channel {twice} is given to two signals; each needs one of its own.")
        return chosen
