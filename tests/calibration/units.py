"""Seeded units with known faults: gain, offset and linearity that walks within half a code, and one thing wrong.

The faults are invented; what each looks like in readings is common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dynamis.calibration.causes.describe import Shape, describe_shape
from dynamis.calibration.fit import Readings
from dynamis.calibration.meter import MeterRange
from dynamis.converter.dac import Dac
from dynamis.pitch import ExponentialLaw, parse_tolerance
from dynamis.pitch.model import PitchModel

LAW = ExponentialLaw(1, 36, 0.2)
VOLTS, HERTZ = PitchModel(LAW), PitchModel(LAW, "hertz")
DAC = Dac(12, 0, 4.096, 1.35)
LSB_CENTS = 1200 * DAC.lsb_volts
METER = MeterRange(0.015, 4, 0.0001)
FIVE = parse_tolerance("5")
FAULTS = ("healthy", "step", "bend", "slip", "newest slip", "clipping", "dead-band", "drift", "closing drift")


@dataclass(frozen=True, eq=False)
class Unit:
    """What was read of a unit, in the order of taking, and what is so.

    gain, offset : true.  size : of the fault, cents.  notes_at : first and last note that it concerns.
    """

    notes: np.ndarray
    volts: np.ndarray
    codes: np.ndarray
    gain: float
    offset: float
    size: float = 0.0
    notes_at: tuple[float, float] = (0.0, 0.0)

    def first(self, count: int) -> Unit:
        """As it stood after so many readings."""
        return replace(self, notes=self.notes[:count], volts=self.volts[:count], codes=self.codes[:count])

    def shape(self, *, coded: bool = True, metered: bool = True, model: PitchModel = VOLTS) -> Shape:
        """What the program says; coded : the codes are known."""
        values = self.volts if model is VOLTS else model.reference_hertz * np.exp2(LAW.octaves(self.volts))
        readings = Readings.of(self.notes, values)
        if coded and model is VOLTS:
            readings = replace(readings, expected=DAC.nominal_volts(self.codes))
        meter = METER if metered and model is VOLTS else None
        dac, codes = (DAC, self.codes) if coded else (None, None)
        return describe_shape(readings, model, FIVE, meter, dac, codes)


def walk_lsb(random: np.random.Generator, count: int) -> np.ndarray:
    """Linearity that walks from note to note, within half a code."""
    made = np.cumsum(random.normal(size=count))
    made = made - np.linspace(made[0], made[-1], count)
    return 0.5 * random.uniform(0.4, 1.0) * made / max(float(np.max(np.abs(made))), 1e-9)


def unit(fault: str, seed: int, every: int = 1, noise_volts: float = 6e-5, least: float = 1.0) -> Unit:
    """A unit read from 36 up to 96; least : the fault is this many times its smallest size or more."""
    random = np.random.default_rng([FAULTS.index(fault), seed, every])
    notes = np.arange(36.0, 97.0, every)
    count = notes.size
    gain, offset = 1.0 + random.normal(0, 0.004), random.normal(0, 0.003)
    codes = DAC.code_for(VOLTS.expected(notes)).codes
    inl = walk_lsb(random, count)
    extra, size, at = np.zeros(count), 0.0, (0.0, 0.0)
    side = float(random.choice([-1.0, 1.0]))
    if fault == "step":
        k = int(random.integers(3, count - 3))
        size = side * least * random.uniform(2.0, 4.0) * LSB_CENTS
        extra[k:] = size
        at = notes[k - 1], notes[k]
    elif fault == "bend":
        k = int(random.integers(count // 2, count - max(4, count // 5)))
        size = -least * random.uniform(8.0, 20.0)
        extra[k:] = size * ((notes[k:] - notes[k - 1]) / (notes[-1] - notes[k - 1])) ** random.integers(1, 3)
        at = notes[k], notes[-1]
    elif fault in ("slip", "newest slip"):
        k = count - 1 if fault == "newest slip" else int(random.integers(1, count - 1))
        size = side * least * random.uniform(10.0, 60.0)
        extra[k] = size
        at = notes[k], notes[k]
    volts = DAC.nominal_volts(codes) * gain + offset + inl * DAC.lsb_volts * gain + extra / 1200.0
    order = np.arange(count)
    if fault in ("clipping", "dead-band"):
        k = int(random.integers(2, max(3, count // 5)))
        if fault == "clipping":
            volts = np.minimum(volts, volts[-k] - random.uniform(0.0, 0.5) * (volts[-k] - volts[-k - 1]))
            at = notes[-k], notes[-1]
        else:
            volts = np.maximum(volts, volts[k - 1] + random.uniform(0.0, 0.5) * (volts[k] - volts[k - 1]))
            at = notes[0], notes[k - 1]
    if fault in ("drift", "closing drift"):
        again = np.arange(count)[::-1] if fault == "drift" else np.array([0])
        order = np.concatenate([order, again])
        size = side * least * random.uniform(3.0, 12.0)
        volts = volts[order] + size / 1200.0 * np.linspace(0, 1, order.size)
        at = notes[0], notes[order[-1]]
    else:
        volts = volts[order]
    volts = np.round(volts + random.normal(0, noise_volts, order.size), 4)
    return Unit(notes[order], volts, codes[order], gain, offset, size, at)


def wrong_claims(shape: Shape, fault: str, at: tuple[float, float], every: int) -> set[str]:
    """Faults told that are not there, or more than one note of the plan away from where they are."""
    kind = {"newest slip": "slip", "closing drift": "drift"}.get(fault, fault)
    told = [one for one in shape.terms if one.cause in ("slip", "step", "bend", "clipping", "dead-band", "drift")]
    return {
        one.cause
        for one in told
        if one.cause != kind
        or (kind != "drift" and kind != "bend" and max(abs(one.notes[0] - at[0]), abs(one.notes[1] - at[1])) > every)
    }
