"""A converter's linearity from a table: `code,volts` as measured, or `code,inl_lsb` from a data sheet.

Codes that are missing lie straight between their neighbours.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from dynamis.converter.dac import MOST_BITS_WITH_INL
from dynamis.errors import InputError
from dynamis.files.text import read_text
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import MOST_QUOTED, one_line, quoted

_MOST_BYTES = 8 * 1024 * 1024
_FEWEST = 3


def read_linearity(path: Path, bits: int) -> tuple[float, ...]:
    """INL in LSB, one value a code, offset and gain taken out by end points.

    Raises `InputError` naming the file, the line, what was found and what was expected.
    """
    if bits > MOST_BITS_WITH_INL:
        raise InputError(f"{path}: a linearity by code is kept for at most {MOST_BITS_WITH_INL} bits, not {bits}.")
    lines = [(k, line.strip()) for k, line in enumerate(read_text(path, _MOST_BYTES).splitlines(), 1) if line.strip()]
    if not lines:
        raise InputError(f"{path}: it is empty; a header code,volts or code,inl_lsb was expected.")
    header = [one.strip().lower() for one in lines[0][1].split(",")]
    column = next((one for one in ("volts", "inl_lsb") if one in header), None)
    if "code" not in header or column is None:
        raise InputError(
            f"{path}: line {lines[0][0]}: the columns {quoted(lines[0][1])} were found; code and volts, or code and "
            "inl_lsb, were expected."
        )
    by_code: dict[int, float] = {}
    for number, line in lines[1:]:
        cells = [one.strip() for one in line.split(",")]
        if len(cells) < len(header):
            raise InputError(f"{path}: line {number}: {len(cells)} cells were found; {len(header)} were expected.")
        try:
            code = parse_plain(cells[header.index("code")], "The code")
            value = parse_plain(cells[header.index(column)], f"The {column}")
        except InputError as error:
            raise InputError(f"{path}: line {number}: {error}") from error
        if not (code.is_integer() and 0 <= code < 2**bits):
            said = one_line(cells[header.index("code")], MOST_QUOTED)
            raise InputError(
                f"{path}: line {number}: code {said} was found; a whole number from 0 to {2**bits - 1} was expected."
            )
        if int(code) in by_code:
            raise InputError(f"{path}: line {number}: code {int(code)} comes a second time.")
        by_code[int(code)] = value
    if len(by_code) < _FEWEST:
        raise InputError(f"{path}: {len(by_code)} codes were found; {_FEWEST} or more were expected.")
    codes = np.array(sorted(by_code), float)
    values = np.array([by_code[int(code)] for code in codes])
    if column == "volts":
        with np.errstate(over="ignore"):
            step = (values[-1] - values[0]) / (codes[-1] - codes[0])
        if step == 0 or not np.isfinite(step):
            raise InputError(f"{path}: the volts at the first and the last code are the same; they have no LSB.")
        with np.errstate(over="ignore", invalid="ignore"):
            values = (values - values[0]) / step - (codes - codes[0])
    if not np.all(np.abs(values) <= 2.0**bits):
        raise InputError(f"{path}: a code lies further than all codes from where it should; that is no linearity.")
    return tuple(float(one) for one in np.interp(np.arange(2**bits), codes, values))
