"""A simulated bench meter: ranges with a specification each, its own gain and zero, and the SCPI it speaks."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.devices.standins.scpi_model import ScpiModel, commands, formatted
from dynamis.devices.standins.world import SimulatedWorld

INPUT_OHMS: Final = 10e6
OVERRANGE: Final = 1.2


@dataclass(frozen=True)
class MeterSpec:
    """One range: ± percent of reading ± counts of resolution_volts.  Limits, uniform within."""

    full_scale_volts: float
    percent: float
    counts: float
    resolution_volts: float


RANGES: Final = (
    MeterSpec(0.1, 0.02, 5, 1e-6),
    MeterSpec(1.0, 0.015, 4, 1e-5),
    MeterSpec(10.0, 0.015, 4, 1e-4),
    MeterSpec(100.0, 0.02, 5, 1e-3),
)


class MeterModel(ScpiModel):
    """The meter between its front panel and the world; `say` takes a line and gives the answers."""

    IDENTITY = "Simulated,Bench meter,0,1.0"

    def __init__(self, world: SimulatedWorld, *, seed: int, noise_volts: float = 20e-6) -> None:
        super().__init__()
        self._world = world
        self._generator = np.random.default_rng(seed)
        # Hidden errors, half of the limits at most: a meter that is in order is well inside its data sheet.
        self.gain_error = {spec: float(self._generator.uniform(-0.5, 0.5)) * spec.percent / 100.0 for spec in RANGES}
        self.zero_error = {
            spec: float(self._generator.uniform(-0.5, 0.5)) * spec.counts * spec.resolution_volts for spec in RANGES
        }
        self._noise = noise_volts
        self.range = RANGES[2]
        self.function = "VOLT"

    # -- measuring ---------------------------------------------------------------------------------

    def volts(self) -> float:
        """A reading on the range it stands on; infinite beyond it."""
        spec = self.range
        true = self._world.probe_volts(INPUT_OHMS)
        shown = true * (1.0 + self.gain_error[spec]) + self.zero_error[spec]
        shown += float(self._generator.normal(0.0, self._noise))
        if abs(shown) > OVERRANGE * spec.full_scale_volts:
            return math.copysign(math.inf, shown)
        return round(shown / spec.resolution_volts) * spec.resolution_volts

    def hertz(self) -> float:
        """A frequency to a counter's resolution, NaN where nothing swings."""
        true = self._world.probe_hertz()
        if true is None:
            return math.nan
        return float(f"{true * (1.0 + float(self._generator.normal(0.0, 2e-7))):.7g}")

    def reading(self) -> float:
        return self.volts() if self.function == "VOLT" else self.hertz()

    # -- SCPI --------------------------------------------------------------------------------------

    def _reset(self, parameters: list[str]) -> str | None:
        self.function, self.range = "VOLT", RANGES[-1]
        return None

    def _configure_volts(self, parameters: list[str]) -> str | None:
        wanted = self._wanted_range(parameters)
        if wanted is not None:
            self.function, self.range = "VOLT", wanted
        return None

    def _wanted_range(self, parameters: list[str]) -> MeterSpec | None:
        text = parameters[0].upper() if parameters else "DEF"
        if text in ("DEF", "AUTO", "MAX"):
            return RANGES[-1] if text == "MAX" else RANGES[2]
        if text == "MIN":
            return RANGES[0]
        try:
            volts = abs(float(text))
        except ValueError:
            self._error(-104, "Data type error")
            return None
        fitting = [spec for spec in RANGES if spec.full_scale_volts >= volts * (1 - 1e-9)]
        if not fitting:
            self._error(-222, "Data out of range")
            return None
        return fitting[0]

    def _configure_hertz(self, parameters: list[str]) -> str | None:
        self.function = "FREQ"
        return None

    def _setting(self, parameters: list[str]) -> str | None:
        if self.function == "FREQ":
            return '"FREQ"'
        return f'"VOLT:DC {self.range.full_scale_volts:.6E},{self.range.resolution_volts:.6E}"'

    def _read(self, parameters: list[str]) -> str | None:
        return formatted(self.reading())

    def _measure_volts(self, parameters: list[str]) -> str | None:
        wanted = self._wanted_range(parameters)
        if wanted is None:
            return None
        self.function, self.range = "VOLT", wanted
        return formatted(self.volts())

    def _measure_hertz(self, parameters: list[str]) -> str | None:
        self.function = "FREQ"
        return formatted(self.hertz())

    COMMANDS = commands(
        ("*RST", _reset),
        ("CONFigure:VOLTage[:DC]", _configure_volts),
        ("CONFigure:FREQuency", _configure_hertz),
        ("CONFigure?", _setting),
        ("READ?", _read),
        ("MEASure:VOLTage[:DC]?", _measure_volts),
        ("MEASure:FREQuency?", _measure_hertz),
    )
