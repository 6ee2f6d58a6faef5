"""How signals become a WAV: the kind of samples, the rate, and of each signal its channel and its volts at full
scale."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QSpinBox, QWidget

from dynamis.errors import InputError
from dynamis.files.wav_writer import (
    MOST_CHANNELS,
    MOST_RAMP_SECONDS,
    RATES,
    USUAL_RATE,
    Samples,
    channel_map,
    check_full_scale,
)
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
    """channels : by the name of a signal, its channel from 1 (0: left out) and its volts at full scale.

    ramp_seconds : how long the steps of what is no pulse take; 0 for jumps.  as_measured : whether channels whose gain
    and offset were measured are given what makes the volts right.
    """

    samples: Samples
    rate: int
    channels: Mapping[str, tuple[int, float]]
    ramp_seconds: float = 0.0
    as_measured: bool = False


class WavDialog(FormDialog[WavChoice]):
    """Gives how a WAV is to be written.  measured : channels whose gain and offset the bench knows."""

    def __init__(
        self, parent: QWidget, style: Style, names: Sequence[str], kept: WavChoice | None, measured: Sequence[int] = ()
    ) -> None:
        super().__init__(parent, "Save as WAV", "Save…", width=420)
        self._style = style
        self.samples = choice("Samples", _SAMPLES)
        self.rate = whole_box("Samples a second", USUAL_RATE, int(RATES[0]), int(RATES[1]))
        self.ramp = QLineEdit("0 s")
        self.ramp.setToolTip("How long a step of a pitch, a velocity or a controller takes; pulses stay sharp")
        numbers = ", ".join(str(one) for one in measured)
        self.as_measured = QCheckBox(f"Take off gain and offset of {numbers} as measured")
        self.as_measured.setVisible(bool(measured))
        if kept is not None:
            self.ramp.setText(style.engineering(kept.ramp_seconds, "s"))
            self.as_measured.setChecked(kept.as_measured and bool(measured))
            self.samples.setCurrentIndex(max(0, self.samples.findData(kept.samples)))
            self.rate.setValue(kept.rate)
        self.row("Samples", self.samples)
        self.row("Samples a second", self.rate)
        self.row("Steps take", self.ramp)
        if measured:
            self.form.addRow(self.as_measured)
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
        ramp = parse_quantity(self.ramp.text(), "s", "What a step takes", decimal_comma=self._style.decimal_comma)
        if not 0.0 <= ramp <= MOST_RAMP_SECONDS:
            raise InputError(f"A step takes {ramp:g} s; 0 to {MOST_RAMP_SECONDS:g} s was expected.")
        right = self.as_measured.isChecked()
        return WavChoice(self.samples.currentData(), self.rate.value(), channels, ramp, right)
