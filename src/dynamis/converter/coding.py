"""How a converter wants its codes written: the word on its bus for a code counted from its lowest level.

Source: the codings that converter data sheets name; straight and offset binary differ in the ends only.  Two's
complement turns the top bit over; complementary binary turns all of them; sign and magnitude counts both ways
from the middle and has no word for the lowest level.  IEEE Std 1658 (from memory).
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError

CODINGS: Final = {
    "straight": "straight or offset binary",
    "twos-complement": "two's complement",
    "complementary": "complementary binary",
    "sign-magnitude": "sign and magnitude",
}


def words(codes: ArrayLike, bits: int, coding: str = "straight") -> NDArray[np.int64]:
    """The words for codes from 0 to 2**bits − 1, any shape; raises `InputError` for an unknown coding."""
    _known(coding)
    straight = np.asarray(codes, np.int64)
    top = 1 << (bits - 1)
    if coding == "twos-complement":
        return straight ^ top
    if coding == "complementary":
        return (1 << bits) - 1 - straight
    if coding == "sign-magnitude":
        value = np.maximum(straight - top, 1 - top)
        return np.where(value < 0, top | -value, value)
    return straight


def codes_of(written: ArrayLike, bits: int, coding: str = "straight") -> NDArray[np.int64]:
    """The codes that words stand for, the other way round."""
    _known(coding)
    word = np.asarray(written, np.int64)
    top = 1 << (bits - 1)
    if coding == "sign-magnitude":
        size = word & (top - 1)
        return top + np.where(word & top, -size, size)
    return words(word, bits, coding)


def _known(coding: str) -> None:
    if coding not in CODINGS:
        raise InputError(f"{coding!r} is no coding of a converter; one of {', '.join(CODINGS)} was expected.")
