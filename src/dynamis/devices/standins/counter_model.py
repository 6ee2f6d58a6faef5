"""A simulated counter of an old sort: it knows other words than a meter does, and does not tell its setting."""

from __future__ import annotations

import math

from dynamis.devices.standins.scpi_model import ScpiModel, commands, formatted
from dynamis.devices.standins.world import SimulatedWorld

# What is said to it instead of a meter's words.
WORDS = {"volts": "", "hertz": "FUNC FREQ", "read": "FETC?", "setting": "", "error": ""}
_DIGITS = 8


class CounterModel(ScpiModel):
    """Counts the voice whatever the probe of the meter is on.  ppm : how much too slow its clock runs."""

    IDENTITY = "Simulated,Counter,0,1.0"

    def __init__(self, world: SimulatedWorld, ppm: float = 0.4) -> None:
        super().__init__()
        self._world, self._ppm = world, ppm

    def _function(self, parameters: list[str]) -> str | None:
        if parameters != ["FREQ"]:
            self._error(-224, "Illegal parameter value")
        return None

    def _fetch(self, parameters: list[str]) -> str | None:
        true = self._world.voice_hertz()
        return formatted(math.nan if true is None else float(f"{true * (1.0 + self._ppm * 1e-6):.{_DIGITS}g}"))

    COMMANDS = commands(("FUNCtion", _function), ("FETCh?", _fetch))
