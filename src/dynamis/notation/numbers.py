"""Read numbers as people at a bench type them: `6k8`, `4R7`, `2.5 V`, `15 mV`, `440`."""

from __future__ import annotations

import math
import re
from typing import Final

from dynamis.errors import InputError
from dynamis.notation.safe import MOST_TOKEN, quoted

# Written out rather than handed to a units library: those silently misread letter codes (6k8), commas,
# and an exponent beside a prefix (1.2e3 mV), and a bench cannot afford a silent factor of a thousand.
_PLAIN: Final = re.compile(r"[+-]?([0-9]+(?:\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]+)?")
_LETTER_CODE: Final = re.compile(r"([+-]?[0-9]+)([RrKkMGmuµnp])([0-9]+)")
_WITH_UNIT: Final = re.compile(rf"({_PLAIN.pattern})\s*([^\d\s].*)?")
_BLANK_AHEAD: Final = re.compile(r"\s+(?=[+\-−.\d])")
_UNITS: Final = {
    "V": "V",
    "v": "V",
    "volt": "V",
    "volts": "V",
    "Hz": "Hz",
    "hz": "Hz",
    "HZ": "Hz",
    "hertz": "Hz",
    "ct": "ct",
    "cent": "ct",
    "cents": "ct",
    "¢": "ct",
    "Ω": "Ω",
    "ohm": "Ω",
    "ohms": "Ω",
    "Ohm": "Ω",
    "R": "Ω",
    "r": "Ω",
    "°C": "°C",
    "C": "°C",
    "degC": "°C",
    "A": "A",
    "F": "F",
    "farad": "F",
    "%": "%",
    "s": "s",
    "LSB": "LSB",
    "bit": "bit",
    "bits": "bit",
}
_EXPONENT: Final = {"T": 12, "G": 9, "M": 6, "k": 3, "K": 3, "m": -3, "u": -6, "µ": -6, "μ": -6, "n": -9, "p": -12}
_PREFIXES: Final = frozenset(_EXPONENT)
_LETTER_EXPONENT: Final = {**_EXPONENT, "R": 0, "r": 0}


def parse_plain(text: str, what: str) -> float:
    """Read a number without unit or prefix, as the command line takes them.

    Raises `InputError` when the text is no finite number; the sentence names `what` and the text.
    """
    cleaned = text.strip().replace("−", "-")
    if len(cleaned) > MOST_TOKEN or _PLAIN.fullmatch(cleaned) is None:
        raise InputError(f"{what} is {quoted(text.strip())}; a plain number without a unit was expected.")
    value = float(cleaned)
    if not math.isfinite(value):
        raise InputError(f"{what} is {quoted(text.strip())}, which is larger than a number can be here.")
    return value


def parse_quantity(text: str, unit: str, what: str = "The value", *, decimal_comma: bool = False) -> float:
    """Read a value in `unit` from engineering notation.

    Parameters
    ----------
    text : str
        `2.5`, `2.5 V`, `2500 mV`, `6k8`, `4R7`, `1.2e3`.  A comma between digits is a decimal comma
        only where `decimal_comma` is set; otherwise it is refused, never skipped.
    unit : str
        The unit the value is wanted in, as the window writes it: V, Hz, ct, Ω, F, A, °C, %, s, LSB, bit.
    what : str
        Names the value in the error's sentence.

    Returns
    -------
    float
        The value in `unit` without prefix.

    Raises
    ------
    InputError
        If the text is empty, no number, infinite, or carries another unit.
    """
    cleaned = text.strip().replace("−", "-").replace("\u00a0", " ").replace("\u2126", "Ω")
    if len(cleaned) > MOST_TOKEN:
        raise InputError(f"{what} is {quoted(cleaned)}, which is no number; type for example {_example(unit)}.")
    if not cleaned:
        raise InputError(f"{what} is empty; type a number, for example {_example(unit)}.")
    if re.search(r"\d,\d", cleaned):
        if not decimal_comma:
            raise InputError(
                f"{what} is {quoted(text.strip())} with a comma; use a point, or choose the decimal comma in "
                "Preferences."
            )
        cleaned = re.sub(r"(?<=\d),(?=\d)", ".", cleaned, count=1)
    value = _read(cleaned, unit, text, what)
    if not math.isfinite(value):
        raise InputError(f"{what} is {quoted(text.strip())}, which is larger than a number can be here.")
    return value


def last_digit(text: str, unit: str, *, decimal_comma: bool = False) -> float:
    """What the last digit of a value as it was typed stands for, in `unit`: of `2.50 V` 0.01.

    Raises `InputError` as `parse_quantity`.
    """
    value = parse_quantity(text, unit, decimal_comma=decimal_comma)
    mantissa = re.split(r"(?<=\d)[eE](?=[+-]?\d)", text)[0]
    place = max(k for k, one in enumerate(mantissa) if one.isdecimal())
    other = "8" if mantissa[place] == "9" else str(int(mantissa[place]) + 1)
    moved = parse_quantity(text[:place] + other + text[place + 1 :], unit, decimal_comma=decimal_comma)
    return float(f"{abs(moved - value):.3g}")


def parse_share(text: str, what: str = "The value", *, decimal_comma: bool = False) -> float:
    """Read per cent, with or without a ± ahead of it, as a fraction: `± 0.5 %` is 0.005."""
    return parse_quantity(text.strip().lstrip("±"), "%", what, decimal_comma=decimal_comma) / 100.0


def split_entries(text: str, what: str, *, decimal_comma: bool = False) -> list[str]:
    """The entries of a list: parted by semicolons, and by blanks ahead of a number; by commas too, where the comma is
    no decimal sign.

    Raises `InputError` where commas stand between figures and semicolons besides, which can be read in two ways, and
    where a decimal sign parts entries.
    """
    if not decimal_comma and ";" in text and re.search(r"\d,\d", text):
        raise InputError(
            f"{what}: {quoted(text.strip())} has commas between figures, and a semicolon; part the entries by one of "
            "them, or choose the decimal comma in Preferences."
        )
    if decimal_comma and re.search(r",(?!\d)", text):
        raise InputError(
            f"{what}: {quoted(text.strip())} parts entries by a comma, which is the decimal sign here; part them by "
            "semicolons or blanks."
        )
    parted = text.split(";") if decimal_comma else re.split("[;,]", text)
    return [one for part in parted for one in _BLANK_AHEAD.split(part.strip()) if one]


def parse_quantities(text: str, unit: str, what: str, *, decimal_comma: bool = False) -> tuple[float, ...]:
    """Read a list of values, as `split_entries` parts and `parse_quantity` reads them."""
    entries = split_entries(text, what, decimal_comma=decimal_comma)
    return tuple(parse_quantity(one, unit, what, decimal_comma=decimal_comma) for one in entries)


def _scaled(number: str, exponent: int) -> float:
    """A number times a power of ten, rounded once: 100 µV are 0.0001 V."""
    digits, _, own = number.lower().partition("e")
    return float(f"{digits}e{int(own or 0) + exponent}")


def _read(cleaned: str, unit: str, text: str, what: str) -> float:
    coded = _LETTER_CODE.fullmatch(cleaned.removesuffix("Ω").rstrip())
    if coded and (unit == "Ω" or coded[2] not in "Rr"):
        return _scaled(f"{coded[1]}.{coded[3]}", _LETTER_EXPONENT[coded[2]])
    taken = _WITH_UNIT.fullmatch(cleaned)
    if taken is None:
        raise InputError(f"{what} is {quoted(text.strip())}, which is no number; type for example {_example(unit)}.")
    number, suffix = taken[1], (taken[4] or "").strip()
    if not suffix:
        return float(number)
    if _UNITS.get(suffix) == unit:
        return float(number)
    prefix, rest = suffix[0], suffix[1:].strip()
    if prefix in _PREFIXES and (not rest or _UNITS.get(rest) == unit) and unit not in ("ct", "%", "°C", "LSB", "bit"):
        return _scaled(number, _EXPONENT[prefix])
    found = _UNITS.get(suffix) or (_UNITS.get(rest) if prefix in _PREFIXES else None)
    if found is not None and found != unit:
        raise InputError(f"{what} is {quoted(text.strip())}, in {found}; a value in {unit} was expected.")
    raise InputError(
        f"{what} is {quoted(text.strip())}; {quoted(suffix)} is not a unit known here, a value in {unit} was expected."
    )


def _example(unit: str) -> str:
    return {
        "V": "2.5 V or 250 mV",
        "Hz": "440 or 1.2 kHz",
        "ct": "-3.5",
        "Ω": "100k, 6k8 or 4R7",
        "F": "100n or 4n7",
        "A": "20 mA",
        "°C": "24.5",
        "%": "0.5",
        "LSB": "2",
        "bit": "12",
    }.get(unit, "1.5")
