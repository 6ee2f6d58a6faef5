"""Resistances and rest volts of a port, from a reading with and one without a known resistor.

Each follows from the node's equation with the meter's own resistance in it; uncertainties by the partial derivatives
(JCGM 100:2008, 5.1), worked out by small steps.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from dynamis.errors import InputError
from dynamis.notation.style import plain


@dataclass(frozen=True)
class Learned:
    """A value with U = 2u, both in its unit."""

    value: float
    expanded: float

    @classmethod
    def of(cls, value: float, deviation: float) -> Learned:
        """A value of a standard uncertainty."""
        return cls(value, 2.0 * deviation)


def of_tolerance(ohms: float, share: float) -> tuple[float, float]:
    """A resistor with its standard uncertainty: its tolerance as a uniform limit."""
    return ohms, abs(ohms) * share / math.sqrt(3.0)


def output_ohms(
    open_volts: tuple[float, float], loaded_volts: tuple[float, float], load: tuple[float, float], meter_ohms: float
) -> tuple[Learned, Learned]:
    """(resistance, volts of its own) of an output, from its volts open and with a resistor to ground.

    Each is (value, standard uncertainty).  meter_ohms : of the meter, which loads it both times.

    Raises InputError where the readings make no resistance.
    """
    if load[0] <= 0:
        raise InputError(f"The load is {plain(load[0])} Ω; more than 0 Ω was expected.")
    if not abs(open_volts[0]) > 0 or loaded_volts[0] / open_volts[0] <= 0:
        raise InputError("Both readings have to be of one sign, and not 0 V: let it stand at its highest.")
    if abs(loaded_volts[0]) > abs(open_volts[0]) + 3.0 * (open_volts[1] + loaded_volts[1]):
        raise InputError("The loaded reading is the higher one: were they changed over?")

    def ohms(first: float, second: float, resistor: float) -> float:
        # Both nodes: first = e / (1 + r g), second = e / (1 + r (g + 1 / load)), g of the meter.
        ratio, conductance = first / second, 1.0 / meter_ohms
        return (ratio - 1.0) / (1.0 / resistor + conductance * (1.0 - ratio))

    found = _learned(ohms, (open_volts, loaded_volts, load))

    def own(first: float, second: float, resistor: float) -> float:
        return first * (1.0 + ohms(first, second, resistor) / meter_ohms)

    return Learned(max(0.0, found.value), found.expanded), _learned(own, (open_volts, loaded_volts, load))


def input_ohms(
    source_volts: tuple[float, float],
    input_volts: tuple[float, float],
    series: tuple[float, float],
    meter_ohms: float,
    rest_volts: tuple[float, float] = (0.0, 0.0),
) -> Learned:
    """The resistance of an input, from its volts behind a known series resistor.

    source_volts : ahead of the resistor.  rest_volts : where the input stands with nothing on it, behind its own
    resistance.  Raises InputError where the readings make no resistance.
    """
    if series[0] <= 0:
        raise InputError(f"The series resistor is {plain(series[0])} Ω; more than 0 Ω was expected.")
    through = source_volts[0] - input_volts[0]
    if abs(through) <= 2.0 * math.hypot(source_volts[1], input_volts[1]):
        raise InputError(
            "The series resistor takes no volts that can be told: the input has much more than it. Take a larger one."
        )

    def ohms(source: float, at_input: float, resistor: float, rest: float) -> float:
        amperes = (source - at_input) / resistor - at_input / meter_ohms
        return (at_input - rest) / amperes if amperes else math.inf

    found = _learned(ohms, (source_volts, input_volts, series, rest_volts))
    if not (math.isfinite(found.value) and found.value > 0):
        raise InputError("These readings make no resistance: the input drives, or the readings were changed over.")
    return found


def rest_volts(open_volts: tuple[float, float], ohms: tuple[float, float], meter_ohms: float) -> Learned:
    """Where an input stands by itself, from a meter on it with nothing plugged in, which loads it."""
    return _learned(lambda read, own: read * (1.0 + own / meter_ohms), (open_volts, ohms))


def _learned(of: Callable[..., float], inputs: Sequence[tuple[float, float]]) -> Learned:
    """A value of (value, standard uncertainty) pairs with its expanded uncertainty, k = 2."""
    values = [value for value, _ in inputs]
    here, variance = of(*values), 0.0
    for k, (value, standard) in enumerate(inputs):
        if standard > 0:
            moved = [list(values), list(values)]
            moved[0][k], moved[1][k] = value + standard, value - standard
            variance += ((of(*moved[0]) - of(*moved[1])) / 2.0) ** 2
    return Learned(here, 2.0 * math.sqrt(variance))
