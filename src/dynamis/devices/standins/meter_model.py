"""A simulated bench meter: ranges with a specification each, its own gain and zero, and the SCPI it speaks."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.devices.scpi import INFINITY, NOT_A_NUMBER
from dynamis.devices.standins.world import SimulatedWorld

IDENTITY: Final = "Simulated,Bench meter,0,1.0"
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


def header_pattern(form: str) -> re.Pattern[str]:
    """A SCPI header in its long form with the short one in capitals, as `MEASure:VOLTage[:DC]?`.

    Source: SCPI-1999 vol. 1, 6.2.1 (short and long forms, upper or lower case, nothing between), optional
    nodes in brackets; from memory.
    """

    def node(match: re.Match[str]) -> str:
        short = "".join(letter for letter in match[0] if not letter.islower())
        return re.escape(short) + (f"(?:{match[0][len(short) :].upper()})?" if len(short) < len(match[0]) else "")

    pieces = re.sub(r"\[", "(?:", re.sub(r"\]", ")?", form.replace("?", r"\?").replace("*", r"\*")))
    return re.compile(":?" + re.sub(r"[A-Z]+[a-z]+", node, pieces))


@dataclass
class Faults:
    """What goes wrong, once or until it is put right.

    answers : replies to give instead of the next ones.  late_seconds : how long the next answer waits.
    silent : nothing is answered.
    """

    answers: list[str] | None = None
    late_seconds: float = 0.0
    silent: bool = False


class MeterModel:
    """The meter between its front panel and the world; `say` takes a line and gives the answers."""

    def __init__(self, world: SimulatedWorld, *, seed: int, noise_volts: float = 20e-6) -> None:
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
        self._errors: list[tuple[int, str]] = []

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

    def say(self, line: str) -> str | None:
        """Take one line of commands; the answers of its queries are joined by semicolons, None without one."""
        answers = [answer for part in line.split(";") if part.strip() for answer in [self._one(part.strip())]]
        given = [answer for answer in answers if answer is not None]
        return ";".join(given) if given else None

    def _one(self, command: str) -> str | None:
        header, _, parameters = command.partition(" ")
        for pattern, work in _COMMANDS:
            if pattern.fullmatch(header.upper()):
                return work(self, [text.strip() for text in parameters.split(",") if text.strip()])
        self._error(-113, "Undefined header")
        return None

    def _error(self, number: int, text: str) -> None:
        if len(self._errors) >= 20:
            number, text = -350, "Queue overflow"
            self._errors.pop()
        self._errors.append((number, text))

    def _identity(self, parameters: list[str]) -> str | None:
        return IDENTITY

    def _clear(self, parameters: list[str]) -> str | None:
        self._errors.clear()
        return None

    def _reset(self, parameters: list[str]) -> str | None:
        self.function, self.range = "VOLT", RANGES[-1]
        return None

    def _complete(self, parameters: list[str]) -> str | None:
        return "1"

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

    def _next_error(self, parameters: list[str]) -> str | None:
        number, text = self._errors.pop(0) if self._errors else (0, "No error")
        return f'{number},"{text}"'

    def _version(self, parameters: list[str]) -> str | None:
        return "1999.0"


def formatted(value: float) -> str:
    """A number in the form NR3; overload and not-a-number by their special values."""
    if math.isinf(value):
        value = math.copysign(INFINITY, value)
    return f"{NOT_A_NUMBER if math.isnan(value) else value:+.8E}"


_COMMANDS: Final[tuple[tuple[re.Pattern[str], Callable[[MeterModel, list[str]], str | None]], ...]] = tuple(
    (header_pattern(form), work)
    for form, work in (
        ("*IDN?", MeterModel._identity),
        ("*CLS", MeterModel._clear),
        ("*RST", MeterModel._reset),
        ("*OPC?", MeterModel._complete),
        ("CONFigure:VOLTage[:DC]", MeterModel._configure_volts),
        ("CONFigure:FREQuency", MeterModel._configure_hertz),
        ("CONFigure?", MeterModel._setting),
        ("READ?", MeterModel._read),
        ("MEASure:VOLTage[:DC]?", MeterModel._measure_volts),
        ("MEASure:FREQuency?", MeterModel._measure_hertz),
        ("SYSTem:ERRor[:NEXT]?", MeterModel._next_error),
        ("SYSTem:VERSion?", MeterModel._version),
    )
)
