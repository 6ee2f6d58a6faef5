"""The forms of SCPI that a meter's answers come in, and the special numbers.

Sources: IEEE 488.2-1992, 8.7.2 to 8.7.4 (NR1, NR2 and NR3 numbers), 10.14 (the four fields of *IDN?);
SCPI-1999 vol. 1, 7.2.1 (9.9E37 is infinity, 9.91E37 is not a number), vol. 2, 21.8 (error/event queue).
All from memory.
"""

from __future__ import annotations

import math
import re
from typing import Final

from dynamis.devices.interface import DeviceError
from dynamis.notation.safe import MOST_TOKEN, one_line

INFINITY: Final = 9.9e37
NOT_A_NUMBER: Final = 9.91e37
_NUMBER: Final = re.compile(r"[+-]?([0-9]+(?:\.[0-9]*)?|\.[0-9]+)(\s*[eE]\s*[+-]?[0-9]+)?")
_ERROR: Final = re.compile(r'([+-]?[0-9]{1,9})\s*,\s*"((?:[^"]|"")*)"')


def parse_number(answer: str) -> float:
    """The number of an answer: infinite for an overload, NaN for not-a-number.

    Raises `DeviceError` (garbage) for what is no number.
    """
    text = answer.strip()
    if len(text) > MOST_TOKEN or not _NUMBER.fullmatch(text):
        raise DeviceError("garbage", f"The meter answered {shortened(text)}, where a number was expected.")
    number = float(re.sub(r"\s", "", text))
    if math.isclose(abs(number), INFINITY, rel_tol=1e-4):
        return math.copysign(math.inf, number)
    return math.nan if math.isclose(abs(number), NOT_A_NUMBER, rel_tol=1e-4) else number


def parse_error(answer: str) -> tuple[int, str]:
    """Number and text of an entry of the error queue; 0 is none."""
    match = _ERROR.fullmatch(answer.strip())
    if match is None:
        raise DeviceError("garbage", f"The meter answered {shortened(answer)}, where an error number was expected.")
    return int(match[1]), match[2].replace('""', '"')


def parse_setting(answer: str) -> tuple[str, tuple[float, ...]]:
    """Function (upper case, as VOLT:DC) and parameters (range, resolution) of an answer to CONF?."""
    text = answer.strip().strip('"')
    function, _, rest = text.partition(" ")
    if not re.fullmatch(r"[A-Za-z][A-Za-z0-9:]*", function):
        raise DeviceError("garbage", f"The meter answered {shortened(answer)}, where its setting was expected.")
    numbers = tuple(parse_number(part) for part in rest.split(",")) if rest.strip() else ()
    return function.upper(), numbers


def shortened(text: str, most: int = 40) -> str:
    """An answer as it can be shown in a sentence."""
    plain = " ".join(one_line(text[: 8 * most], 8 * most).split())
    if not plain:
        return "nothing"
    return repr(plain if len(plain) <= most else plain[:most] + "…")
