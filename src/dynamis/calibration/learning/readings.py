"""Readings as they are typed for learning: pairs of volts and hertz, and a walk of volts up and down."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from dynamis.calibration.learning.pulses import Length
from dynamis.calibration.learning.thresholds import Seen
from dynamis.errors import InputError
from dynamis.notation.numbers import last_digit, parse_quantity
from dynamis.notation.safe import quoted

_MOST_LINES: Final = 200
_MOST_STEPS: Final = 500
_UNITS: Final = ("v", "mv", "uv", "µv", "μv", "hz", "khz", "mhz", "s", "ms", "us", "µs", "μs")


@dataclass(frozen=True)
class TypedPair:
    """With the last digit of each."""

    volts: float
    hertz: float
    volts_step: float
    hertz_step: float

    @property
    def hertz_deviation(self) -> float:
        """The standard uncertainty of its rounding."""
        return self.hertz_step / math.sqrt(12.0)


def parse_pairs(text: str, *, decimal_comma: bool = False) -> list[TypedPair]:
    """Pairs, one a line: volts, then hertz, parted by blanks, a semicolon or a tab; units may stand behind.

    Raises InputError naming the line.
    """
    return [TypedPair(*row) for row in _pairs(text, ("V", "Hz"), "volts and then hertz", decimal_comma)]


def _pairs(
    text: str, units: tuple[str, str], expected: str, decimal_comma: bool
) -> Iterator[tuple[float, float, float, float]]:
    """(first, second, the last digit of each) of every line."""
    lines = [(k, line) for k, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) > _MOST_LINES:
        raise InputError(f"{len(lines)} pairs; at most {_MOST_LINES} were expected.")
    for number, line in lines:
        parts = _joined(line.replace(";", " ").split())
        if len(parts) != 2:
            raise InputError(f"Line {number}: {quoted(line.strip())} is no pair; {expected} were expected.")
        read = [
            (
                parse_quantity(part, unit, f"Line {number}", decimal_comma=decimal_comma),
                last_digit(part, unit, decimal_comma=decimal_comma),
            )
            for part, unit in zip(parts, units, strict=True)
        ]
        yield read[0][0], read[1][0], read[0][1], read[1][1]


def parse_walk(text: str, *, decimal_comma: bool = False) -> tuple[list[Seen], float]:
    """(what was seen, the last digit) of volts in the order of a walk, `+` behind those at which it was on."""
    parts = _joined(text.replace(";", " ").split())
    if len(parts) > _MOST_STEPS:
        raise InputError(f"{len(parts)} steps; at most {_MOST_STEPS} were expected.")
    seen, steps = [], []
    for part in parts:
        bare = part.rstrip("+").strip()
        seen.append(Seen(parse_quantity(bare, "V", "A step", decimal_comma=decimal_comma), part.endswith("+")))
        steps.append(last_digit(bare, "V", decimal_comma=decimal_comma))
    if len(seen) < 3:
        raise InputError("At least three voltages, up and down, were expected.")
    return seen, max(steps)


def parse_steps(text: str, *, decimal_comma: bool = False) -> list[tuple[float, float, float, float]]:
    """(seconds, volts, the last digit of each), a pair a line.  Raises InputError naming the line."""
    return list(_pairs(text, ("s", "V"), "seconds and then volts", decimal_comma))


def parse_lengths(text: str, *, decimal_comma: bool = False) -> list[Length]:
    """Lengths of pulses, units behind them or none for seconds, `+` behind those that fired.

    Raises InputError for one that is no time above 0.
    """
    parts = _joined(text.replace(";", " ").split())
    if len(parts) > _MOST_STEPS:
        raise InputError(f"{len(parts)} pulses; at most {_MOST_STEPS} were expected.")
    lengths = []
    for part in parts:
        bare = part.rstrip("+").strip()
        seconds = parse_quantity(bare, "s", "A length", decimal_comma=decimal_comma)
        if not seconds > 0.0:
            raise InputError(f"A length is {quoted(bare)}; a time above 0 was expected, such as 5 ms.")
        lengths.append(Length(seconds, last_digit(bare, "s", decimal_comma=decimal_comma), part.endswith("+")))
    return lengths


def _joined(parts: list[str]) -> list[str]:
    """Units that stand apart go with their numbers."""
    made: list[str] = []
    for part in parts:
        if made and part.rstrip("+").lower() in _UNITS:
            made[-1] += part
        else:
            made.append(part)
    return made
