"""How signals become a WAV: the kind of samples, the rate, and of each signal its channel and its volts at full
scale."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QSpinBox, QWidget

from dynamis.errors import InputError
from dynamis.files.wav_writer import MOST_CHANNELS, RATES, USUAL_RATE, Samples, channel_map, check_full_scale
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import Style
from dynamis.ui.dialogs.form import FormDialog
from dynamis.ui.widgets.form import choice, whole_box

_SAMPLES: tuple[tuple[Samples, str], ...] = (
    ("float32", "32-bit float"),
    ("pcm24", "24-bit whole numbers"),
    ("pcm16", "16-bit whole numbers"),
)


@dataclass(frozen=True)
class WavChoice:
    """channels : by the name of a signal, its channel from 1 (0: left out) and its volts at full scale."""

    samples: Samples
    rate: int
    channels: Mapping[str, tuple[int, float]]


class WavDialog(FormDialog[WavChoice]):
    """Gives how a WAV is to be written."""

    def __init__(self, parent: QWidget, style: Style, names: Sequence[str], kept: WavChoice | None) -> None:
        super().__init__(parent, "Save as WAV", "Save…", width=420)
        self._style = style
        self.samples = choice("Samples", _SAMPLES)
        self.rate = whole_box("Samples a second", USUAL_RATE, int(RATES[0]), int(RATES[1]))
        if kept is not None:
            self.samples.setCurrentIndex(max(0, self.samples.findData(kept.samples)))
            self.rate.setValue(kept.rate)
        self.row("Samples", self.samples)
        self.row("Samples a second", self.rate)
        self.row("Each signal", QLabel("its channel, and its volts at full scale"))
        self.boxes: dict[str, tuple[QSpinBox, QLineEdit]] = {}
        for name, (number, full) in channel_map(names, {} if kept is None else kept.channels).items():
            box = whole_box(f"{name}, channel", number, 0, MOST_CHANNELS)
            box.setSpecialValueText("left out")
            box.setPrefix("channel ")
            volts = QLineEdit(f"{style.typed(full)} V")
            volts.setAccessibleName(f"{name}, volts at full scale")
            both = QWidget()
            line = QHBoxLayout(both)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(box)
            line.addWidget(volts)
            self.boxes[name] = box, volts
            self.row(name, both)

    def read(self) -> WavChoice:
        channels: dict[str, tuple[int, float]] = {}
        for name, (box, volts) in self.boxes.items():
            scale = parse_quantity(volts.text(), "V", f"Full scale of {name}", decimal_comma=self._style.decimal_comma)
            check_full_scale(name, scale)
            channels[name] = box.value(), scale
        numbers = [number for number, _ in channels.values() if number]
        if not numbers:
            raise InputError("Give at least one signal a channel.")
        twice = next((one for one in numbers if numbers.count(one) > 1), None)
        if twice is not None:
            raise InputError(f"Channel {twice} is given to two signals; each needs one of its own.")
        return WavChoice(self.samples.currentData(), self.rate.value(), channels)
