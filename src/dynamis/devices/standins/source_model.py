"""A simulated voltage source: what it gives is what was set, less its own gain and zero."""

from __future__ import annotations

import numpy as np

from dynamis.devices.standins.scpi_model import ScpiModel, commands, formatted
from dynamis.devices.standins.world import SimulatedWorld

MOST_VOLTS = 12.0
_STEP_VOLTS = 1e-4
# ± percent of what is set ± volts, as its data sheet would have it.
PERCENT, ZERO_VOLTS = 0.02, 0.3e-3


class SourceModel(ScpiModel):
    """Between its line and the jack that it drives.  seed : of its hidden errors, half of the limits at most."""

    IDENTITY = "Simulated,Voltage source,0,1.0"

    def __init__(self, world: SimulatedWorld, *, seed: int) -> None:
        super().__init__()
        self._world = world
        generator = np.random.default_rng(seed)
        self.gain_error = float(generator.uniform(-0.5, 0.5)) * PERCENT / 100.0
        self.zero_error = float(generator.uniform(-0.5, 0.5)) * ZERO_VOLTS
        self.set_volts, self.on = 0.0, False

    def _drive(self) -> None:
        true = self.set_volts * (1.0 + self.gain_error) + self.zero_error
        self._world.source_volts = true if self.on else None

    def _set(self, parameters: list[str]) -> str | None:
        try:
            volts = float(parameters[0])
        except (ValueError, IndexError):
            self._error(-104, "Data type error")
            return None
        if not abs(volts) <= MOST_VOLTS:
            self._error(-222, "Data out of range")
            return None
        self.set_volts = round(volts / _STEP_VOLTS) * _STEP_VOLTS
        self._drive()
        return None

    def _stands(self, parameters: list[str]) -> str | None:
        return formatted(self.set_volts)

    def _switch(self, parameters: list[str]) -> str | None:
        if parameters not in (["ON"], ["OFF"], ["1"], ["0"]):
            self._error(-224, "Illegal parameter value")
            return None
        self.on = parameters[0] in ("ON", "1")
        self._drive()
        return None

    COMMANDS = commands(("SOURce:VOLTage", _set), ("SOURce:VOLTage?", _stands), ("OUTPut", _switch))
