"""What every simulated instrument that speaks SCPI has: headers, an error queue, its name."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar

from dynamis.devices.scpi import INFINITY, NOT_A_NUMBER


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


Command = tuple[re.Pattern[str], Callable[["ScpiModel", list[str]], str | None]]


class ScpiModel:
    """An instrument between its line and whatever it does; `say` takes a line and gives the answers."""

    IDENTITY: ClassVar[str] = "Simulated,Instrument,0,1.0"
    COMMANDS: ClassVar[tuple[Command, ...]] = ()

    def __init__(self) -> None:
        self._errors: list[tuple[int, str]] = []

    def say(self, line: str) -> str | None:
        """Take one line of commands; the answers of its queries are joined by semicolons, None without one."""
        answers = [answer for part in line.split(";") if part.strip() for answer in [self._one(part.strip())]]
        given = [answer for answer in answers if answer is not None]
        return ";".join(given) if given else None

    def _one(self, command: str) -> str | None:
        header, _, parameters = command.partition(" ")
        for pattern, work in self.COMMANDS:
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
        return self.IDENTITY

    def _clear(self, parameters: list[str]) -> str | None:
        self._errors.clear()
        return None

    def _complete(self, parameters: list[str]) -> str | None:
        return "1"

    def _next_error(self, parameters: list[str]) -> str | None:
        number, text = self._errors.pop(0) if self._errors else (0, "No error")
        return f'{number},"{text}"'

    def _version(self, parameters: list[str]) -> str | None:
        return "1999.0"


def commands(*pairs: tuple[str, Callable[..., str | None]]) -> tuple[Command, ...]:
    """The commands of a model by their headers in the long form, those that all have included."""
    common = (
        ("*IDN?", ScpiModel._identity),
        ("*CLS", ScpiModel._clear),
        ("*OPC?", ScpiModel._complete),
        ("SYSTem:ERRor[:NEXT]?", ScpiModel._next_error),
        ("SYSTem:VERSion?", ScpiModel._version),
    )
    return tuple((header_pattern(form), work) for form, work in (*common, *pairs))


def formatted(value: float) -> str:
    """A number in the form NR3; overload and not-a-number by their special values."""
    if math.isinf(value):
        value = math.copysign(INFINITY, value)
    return f"{NOT_A_NUMBER if math.isnan(value) else value:+.8E}"
