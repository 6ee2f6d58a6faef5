"""The simulated board and meter without wires between: for spreads over many units, where ports would cost hours."""

from __future__ import annotations

import math
from collections.abc import Callable

from dynamis.converter.firmware import BoardCorrection, pitch_steps
from dynamis.devices.interface import BoardIdentity, DeviceError, Measurand, Shown
from dynamis.devices.standins.board_logic import BoardDesign
from dynamis.devices.standins.meter_model import MeterModel
from dynamis.devices.standins.world import SimulatedWorld


class DirectBoard:
    """A board by its arithmetic alone."""

    def __init__(self, design: BoardDesign, world: SimulatedWorld) -> None:
        self._design, self._world = design, world
        self._held = dict.fromkeys(design.channels, design.shipped)

    @property
    def identity(self) -> BoardIdentity:
        design = self._design
        return BoardIdentity(design.design, design.unit, design.channels, design.bits, 1)

    def set_code(self, channel: str, code: int) -> int:
        self._world.put_out(channel, code)
        return code

    def play(self, channel: str, note: float) -> int:
        return self.set_code(channel, int(self._held[channel].codes(pitch_steps(note), self._design.bits)))

    def make_safe(self) -> None:
        for channel in self._design.channels:
            self.set_code(channel, self._design.safe_code)

    def held(self, channel: str) -> BoardCorrection:
        return self._held[channel]

    def held_hash(self, channel: str) -> str:
        return self._held[channel].hash

    def send(self, channel: str, correction: BoardCorrection, progress: Callable[[float], None]) -> None:
        self._held[channel] = correction
        progress(1.0)

    def keep_alive(self) -> None:
        pass

    def recover(self) -> None:
        pass

    def close(self) -> None:
        self.make_safe()


class DirectMeter:
    """A meter by its model alone."""

    def __init__(self, model: MeterModel) -> None:
        self._model = model

    @property
    def identity(self) -> str:
        return "simulated meter"

    tells_steady = False

    def prepare(self, quantity: Measurand, full_scale_volts: float | None) -> None:
        self._model.say("CONF:FREQ" if quantity == "hertz" else f"CONF:VOLT:DC {full_scale_volts}")

    def read(self) -> Shown:
        value = self._model.reading()
        if not math.isfinite(value):
            raise DeviceError("overload", "The simulated meter shows no number.")
        return Shown(value, self._model.range.full_scale_volts if self._model.function == "VOLT" else None)

    def recover(self) -> None:
        pass

    def close(self) -> None:
        pass
