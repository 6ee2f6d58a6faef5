"""Audio levels as volts, and what AC coupling does to a held voltage.

0 dBu is 1 mW in 600 ohms, the square root of 0.6 V rms (IEC 60268-17, from memory).  0 dBFS is a full-scale sine
(AES17), so an output aligned at +18 dBu (EBU R68) peaks at 8.70 V, one at +24 dBu (SMPTE RP 155) at 17.4 V.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]
DBU_VOLTS_RMS = math.sqrt(0.6)


def sine_peak_volts(dbu: ArrayLike) -> FloatArray:
    """The peak volts of a sine at a level in dBu; any shape.  Source: definition of dBu."""
    return math.sqrt(2.0) * DBU_VOLTS_RMS * 10.0 ** (np.asarray(dbu, float) / 20.0)


def droop_left(seconds: ArrayLike, corner_hertz: float) -> FloatArray:
    """The share of a held voltage that is left behind a coupling capacitor; any shape.

    Source: exp(-t/RC) with the corner 1/(2 pi RC).
    """
    return np.exp(-2.0 * math.pi * corner_hertz * np.asarray(seconds, float))


def seconds_until(share: float, corner_hertz: float) -> float:
    """After how long a held voltage has fallen to a share of itself."""
    return -math.log(share) / (2.0 * math.pi * corner_hertz)
