"""The exponential converter: a pair of transistors turns volts into octaves, and drifts with temperature.

Source: the SI defining constants k = 1.380649e-23 J/K and e = 1.602176634e-19 C; a transistor's current is
exponential in V/V_T with V_T = kT/e, so an octave takes V_T·ln 2.  Derived: octaves go with T0/T.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason

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


@dataclass(frozen=True)
class ExponentialConverter:
    """Volts -> octaves above its pivot: the law change from V/oct to a current, and so to Hz.

    volts_per_octave : at its input, at 25 °C.  pivot_volts, pivot_octaves : where temperature does nothing.
    scale_limit : tolerance of the attenuator ahead of the pair, a fraction.  resistor_ppm_per_kelvin : of the
    compensating resistor, resistor_ppm_limit what its data sheet allows.
    """

    id: str
    volts_per_octave: float = 1.0
    pivot_volts: float = 0.0
    pivot_octaves: float = 0.0
    scale_limit: float = 0.0
    resistor_ppm_per_kelvin: float = 0.0
    resistor_ppm_limit: float = 0.0
    input: Quantity = Quantity("volts", "at the converter")
    output: Quantity = Quantity("octaves", "converted")
    believes: bool = False

    def __post_init__(self) -> None:
        if not self.volts_per_octave > 0:
            raise InputError(f"A scale of {plain(self.volts_per_octave)} V/oct cannot be; more than 0 was expected.")

    def parameters(self) -> tuple[Parameter, ...]:
        return (self._attenuator,)

    @property
    def _attenuator(self) -> Parameter:
        key = f"{self.id}.scale"
        return Parameter(key, "Scale of the exponential converter", "", 1.0, self.scale_limit, True, "uniform", key,
                         per_kelvin=self.resistor_ppm_per_kelvin * 1e-6,
                         per_kelvin_limit=self.resistor_ppm_limit * 1e-6)  # fmt: skip

    def _octaves_per_volt(self, world: World) -> FloatArray:
        hotter = (self._attenuator.at_celsius + ZERO_CELSIUS) / (world.celsius + ZERO_CELSIUS)
        return self._attenuator.value(world) * hotter / self.volts_per_octave

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return self.pivot_octaves + (np.asarray(x, float) - self.pivot_volts) * self._octaves_per_volt(world)

    exact = forward

    def backward(self, y: ArrayLike, world: World) -> Reached:
        octaves = np.asarray(y, float)
        x = self.pivot_volts + (octaves - self.pivot_octaves) / self._octaves_per_volt(world)
        return Reached(x, np.full(np.shape(x), Reason.EXACT, np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(-np.inf), np.array(np.inf)
