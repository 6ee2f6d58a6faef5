"""A voltage source that is spoken to in words, SCPI unless somebody wrote others."""

from __future__ import annotations

import contextlib
from typing import Final

from dynamis.devices.command_words import SourceWords
from dynamis.devices.dialogue import Dialogue
from dynamis.devices.interface import DeviceError
from dynamis.devices.scpi import parse_error, parse_number, shortened
from dynamis.devices.visa_line import READ_SECONDS, VisaLine
from dynamis.notation.style import plain

# A source rounds to its own steps; further off than this it did something else.
_STEP_VOLTS: Final = 5e-3


class ScpiSource:
    """One source, connected, its output let go until volts are set.  words, dialogue, library, seconds : as of a
    meter."""

    def __init__(
        self,
        address: str,
        words: SourceWords = SourceWords(),
        *,
        dialogue: Dialogue | None = None,
        library: str = "@py",
        seconds: float = READ_SECONDS,
    ) -> None:
        self._words = words
        self._line = VisaLine(
            address, what="source", asks_identity=words.identity, dialogue=dialogue, library=library, seconds=seconds
        )
        self._on = False

    @property
    def identity(self) -> str:
        return self._line.identity

    def set_volts(self, volts: float) -> None:
        """Its output at so many volts; told and read back."""
        words = self._words
        self._line.write(words.volts.replace("{volts}", f"{volts:.6f}"))
        if not self._on and words.on:
            self._line.write(words.on)
        self._on = True
        if words.error:
            number, text = parse_error(self._line.ask(words.error))
            if number != 0:
                raise DeviceError(
                    "device error", f"The source reports error {number}, {shortened(text)}: see its manual, then go on."
                )
        if words.setting:
            stands = parse_number(self._line.ask(words.setting))
            if not abs(stands - volts) <= _STEP_VOLTS:
                raise DeviceError(
                    "wrong range",
                    f"The source stands at {plain(stands)} V where {plain(volts)} V were set: look at its limits, or "
                    "whether somebody turns it, then go on.",
                )

    def make_safe(self) -> None:
        """0 V, and its output let go."""
        self._on = False
        self._line.write(self._words.volts.replace("{volts}", "0"))
        if self._words.off:
            self._line.write(self._words.off)

    def recover(self) -> None:
        self._on = False
        self._line.connect()
        if self._words.clear:
            self._line.write(self._words.clear)

    def close(self) -> None:
        with contextlib.suppress(DeviceError):
            self.make_safe()
        self._line.close()
