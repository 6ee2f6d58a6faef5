"""What temperature does to a pair of transistors that turns volts into octaves.

Source: the SI defining constants k = 1.380649e-23 J/K and e = 1.602176634e-19 C; a transistor's current is
exponential in V/V_T with V_T = kT/e, so an octave takes V_T·ln 2.  Derived: octaves go with T0/T.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

FloatArray = NDArray[np.float64]
BOLTZMANN = 1.380649e-23
ELEMENTARY_CHARGE = 1.602176634e-19
ZERO_CELSIUS = 273.15


def thermal_volts(celsius: ArrayLike) -> FloatArray:
    """V_T = kT/e, volts; any shape."""
    return BOLTZMANN * (np.asarray(celsius, float) + ZERO_CELSIUS) / ELEMENTARY_CHARGE


def volts_per_octave(celsius: ArrayLike) -> FloatArray:
    """What doubles a transistor's current, volts between its base and emitter; any shape."""
    return thermal_volts(celsius) * np.log(2.0)


def ppm_per_kelvin(celsius: ArrayLike) -> FloatArray:
    """How fast that rises, in parts per million and kelvin: 1/T."""
    return 1e6 / (np.asarray(celsius, float) + ZERO_CELSIUS)


def drift_cents(
    octaves: ArrayLike, celsius_reference: float, kelvin_change: ArrayLike, resistor_ppm_per_kelvin: float = 0.0
) -> FloatArray:
    """What a change of temperature does to notes so many octaves above the pivot, the converter's own reference.

    resistor_ppm_per_kelvin : of a resistor that scales the drive with temperature, for compensation.
    """
    kelvin = np.asarray(kelvin_change, float)
    before = celsius_reference + ZERO_CELSIUS
    scale = (1.0 + resistor_ppm_per_kelvin * 1e-6 * kelvin) * before / (before + kelvin)
    return 1200.0 * np.asarray(octaves, float) * (scale - 1.0)
