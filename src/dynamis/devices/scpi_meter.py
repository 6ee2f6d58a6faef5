"""A bench meter or counter that is spoken to in words, SCPI unless somebody wrote others."""

from __future__ import annotations

import math
from typing import Final

from dynamis.devices.command_words import MeterWords
from dynamis.devices.dialogue import Dialogue
from dynamis.devices.interface import DeviceError, Measurand, Shown
from dynamis.devices.scpi import parse_error, parse_number, parse_setting, shortened
from dynamis.devices.visa_line import READ_SECONDS, VisaLine
from dynamis.notation.style import plain

# What is further above the full scale of the range than this is no reading of it; nor is such a frequency.
_MOST_OVER, _MOST_HERTZ = 1.5, 1e9
_FUNCTIONS: Final[dict[Measurand, str]] = {"volts": "VOLT", "hertz": "FREQ"}
_WORDS: Final = {"VOLT": "DC volts", "FREQ": "frequency"}


class ScpiMeter:
    """One meter, connected.  words : what it is told.  dialogue : takes down what is said.  library : the VISA library,
    `@py` for the one that is written in Python."""

    tells_steady = False

    def __init__(
        self,
        address: str,
        words: MeterWords = MeterWords(),
        *,
        dialogue: Dialogue | None = None,
        library: str = "@py",
        seconds: float = READ_SECONDS,
    ) -> None:
        self._words = words
        self._prepared: tuple[Measurand, float | None] | None = None
        self._line = VisaLine(
            address, what="meter", asks_identity=words.identity, dialogue=dialogue, library=library, seconds=seconds
        )

    @property
    def identity(self) -> str:
        return self._line.identity

    def close(self) -> None:
        self._line.close()

    def recover(self) -> None:
        """Connect anew.  A late answer stays behind with the old connection; where the line outlives it, as on a
        serial port, what still comes is read off before the meter is asked who it is."""
        self._line.connect()
        if self._prepared is not None:
            self.prepare(*self._prepared)

    def prepare(self, quantity: Measurand, full_scale_volts: float | None) -> None:
        words = self._words
        if quantity == "cents":
            raise DeviceError(
                "wrong function", "A meter reads no cents; begin a run in volts or hertz to take it by one."
            )
        if quantity == "volts" and full_scale_volts is None and "{range}" in words.volts:
            raise DeviceError(
                "wrong range", "The full scale of the meter's range is not known; give it, so that it can be held."
            )
        self._prepared = quantity, full_scale_volts
        if words.clear:
            self._line.write(words.clear)
        told = words.volts.replace("{range}", f"{full_scale_volts or 0.0:g}") if quantity == "volts" else words.hertz
        if told:
            self._line.write(told)
        self._check_errors()
        self._check_setting()

    def read(self) -> Shown:
        """One reading; refused where the function or the range is not the prepared one any more."""
        if self._prepared is None:
            raise DeviceError("wrong function", "The meter has not been told what to measure.")
        answer = self._line.ask(self._words.read)
        full_scale = self._check_setting()
        value = parse_number(answer)
        self._check_errors()
        if math.isinf(value):
            raise DeviceError(
                "overload",
                "The meter shows an overload: the voltage is beyond its range. Check what is connected, choose a "
                "higher range for the run where it is right.",
            )
        if math.isnan(value):
            raise DeviceError("no number", "The meter shows no number: check the probe and what it measures.")
        self._check_possible(value, full_scale)
        return Shown(value, full_scale)

    def _check_possible(self, value: float, full_scale: float | None) -> None:
        assert self._prepared is not None
        quantity, prepared = self._prepared
        if quantity == "hertz":
            if not 0 < value <= _MOST_HERTZ:
                raise DeviceError(
                    "no number", f"The meter shows {plain(value)} Hz, which is no frequency: check the probe."
                )
            return
        span = full_scale or prepared
        if span is not None and abs(value) > _MOST_OVER * span:
            raise DeviceError(
                "garbage",
                f"The meter shows {plain(value)} V on its {plain(span)} V range, which cannot be: look at its display.",
            )

    def _check_errors(self) -> None:
        if not self._words.error:
            return
        number, text = parse_error(self._line.ask(self._words.error))
        if number != 0:
            raise DeviceError(
                "device error", f"The meter reports error {number}, {shortened(text)}: see its manual, then go on."
            )

    def _check_setting(self) -> float | None:
        """Full scale of the range the meter stands on; refuses another function or range than was prepared.

        A meter that does not tell its setting is believed; its range is then None.
        """
        assert self._prepared is not None
        quantity, full_scale = self._prepared
        if not self._words.setting:
            return None
        function, numbers = parse_setting(self._line.ask(self._words.setting))
        wanted = _FUNCTIONS[quantity]
        if not function.startswith(wanted) or function.endswith(":AC"):
            raise DeviceError(
                "wrong function",
                f"The meter measures {_WORDS.get(function.split(':')[0], function)} instead of {_WORDS[wanted]}: "
                "somebody has pressed its keys. Go on sets it right.",
            )
        if quantity == "hertz":
            return None
        if not numbers:
            return None
        if full_scale is not None and not math.isclose(numbers[0], full_scale, rel_tol=1e-6):
            raise DeviceError(
                "wrong range",
                f"The meter stands on its {plain(numbers[0])} V range instead of {plain(full_scale)} V: readings of "
                "two ranges do not share their errors. Go on sets it back.",
            )
        return numbers[0]
