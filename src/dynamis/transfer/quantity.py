"""What stands on one scale of the picture, and why a wanted value could not be reached."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Quantity:
    """One scale: its kind decides the unit and how it is shown, its label says where it is read.

    kind : "note", "code", "volts", "octaves", "seconds", "bpm", or one that an added transfer brings.
    """

    kind: str
    label: str


class Reason(IntEnum):
    """Why `backward` gave what it gave."""

    EXACT = 0
    STEP = 1
    DEAD_BAND = 2
    CLAMP = 3
    CUT_OFF = 4

    @property
    def words(self) -> str:
        return ("exact", "rounded to a step", "in the dead band", "out of reach", "below the cut-off")[self]


@dataclass(frozen=True, eq=False)
class Reached:
    """The nearest reachable input for a wanted output.

    x : array, the input.
    reason : array of the same shape, small integers of `Reason`.
    """

    x: NDArray[np.float64]
    reason: NDArray[np.int8]
