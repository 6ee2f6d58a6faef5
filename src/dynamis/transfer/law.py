"""Transfers at the two ends of a pitch chain: what is wanted, and what an oscillator makes of volts."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.pitch.laws import ExponentialLaw, Law, law_text, parse_law
from dynamis.pitch.tuning import EqualTemperament, Tuning
from dynamis.transfer.limited import Limited
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class WantedPitch:
    """Note -> wanted octaves (log2 of hertz), by the tuning."""

    id: str = "wanted"
    tuning: Tuning = field(default_factory=EqualTemperament)
    input: Quantity = Quantity("note", "note")
    output: Quantity = Quantity("octaves", "wanted")
    believes: bool = True

    def parameters(self) -> tuple[Parameter, ...]:
        return ()

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return np.log2(self.tuning.hertz(x))

    exact = forward

    def backward(self, y: ArrayLike, world: World) -> Reached:
        octaves = np.asarray(y, float) - np.log2(self.tuning.hertz(69.0))
        return Reached(self.tuning.notes(octaves, 69.0), np.full(np.shape(octaves), Reason.EXACT, np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(-np.inf), np.array(np.inf)


@dataclass(frozen=True)
class Oscillator:
    """Volts at the input -> octaves (log2 of hertz): a pitch law with its errors.

    scale_limit : data-sheet limit of the scale, a fraction.  offset_limit_volts : of the offset at the input.
    scale_per_kelvin : drift of the scale, a fraction per kelvin.  tuned_octaves : what its tune knob adds.
    """

    id: str
    law: Law
    tuning: Tuning = field(default_factory=EqualTemperament)
    label: str = "sounds"
    scale_limit: float = 0.0
    offset_limit_volts: float = 0.0
    scale_per_kelvin: float = 0.0
    tuned_octaves: float = 0.0
    believes: bool = False

    @property
    def input(self) -> Quantity:
        return Quantity("volts", "at the input")

    @property
    def output(self) -> Quantity:
        return Quantity("octaves", self.label)

    def parameters(self) -> tuple[Parameter, ...]:
        return self._scale, self._offset

    @property
    def _scale(self) -> Parameter:
        key = f"{self.id}.scale"
        return Parameter(
            key,
            "Scale of the oscillator",
            "",
            1.0,
            self.scale_limit,
            True,
            "uniform",
            key,
            per_kelvin=self.scale_per_kelvin,
        )

    @property
    def _offset(self) -> Parameter:
        key = f"{self.id}.offset"
        return Parameter(key, "Tune of the oscillator", "V", 0.0, self.offset_limit_volts, False, "uniform", key)

    def _reference_octaves(self) -> float:
        return float(np.log2(self.tuning.hertz(self.law.reference_note))) + self.tuned_octaves

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        volts = np.asarray(x, float) + self._offset.value(world)
        scale = self._scale.value(world)
        octaves = self.law.octaves(volts, strict=False)
        # A scale 1 % wide makes 1 % more of every interval under V/oct, 1 % more hertz under Hz/V.
        octaves = octaves * scale if isinstance(self.law, ExponentialLaw) else octaves + np.log2(scale)
        return self._reference_octaves() + octaves

    exact = forward

    def backward(self, y: ArrayLike, world: World) -> Reached:
        octaves = np.asarray(y, float) - self._reference_octaves()
        scale = self._scale.value(world)
        octaves = octaves / scale if isinstance(self.law, ExponentialLaw) else octaves - np.log2(scale)
        volts = self.law.volts(octaves) - self._offset.value(world)
        return Reached(volts, np.full(np.shape(volts), Reason.EXACT, np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(-np.inf), np.array(np.inf)

    def stored(self) -> StoredTransfer:
        values: dict[str, Any] = {"law": law_text(self.law)}
        for key in ("scale_limit", "offset_limit_volts", "scale_per_kelvin"):
            if getattr(self, key):
                values[key] = getattr(self, key)
        return StoredTransfer("oscillator", 1, values)


@dataclass(frozen=True)
class PitchSource(Limited):
    """Note -> volts at the jack, open: an output that follows a law without a converter of ours, as a keyboard does.

    scale_limit : data-sheet limit of the scale, a fraction; under V/oct of the interval from the reference
    note, under Hz/V of the voltage.  offset_limit_volts : of the whole.  low_volts, high_volts : what it
    reaches, None where it is not known.
    """

    id: str
    law: Law
    tuning: Tuning = field(default_factory=EqualTemperament)
    scale_limit: float = 0.0
    offset_limit_volts: float = 0.0
    low_volts: float | None = None
    high_volts: float | None = None
    input: Quantity = Quantity("note", "note")
    output: Quantity = Quantity("volts", "at the jack")
    believes: bool = False

    def parameters(self) -> tuple[Parameter, ...]:
        return self._scale, self._offset

    @property
    def _scale(self) -> Parameter:
        key = f"{self.id}.scale"
        return Parameter(key, "Scale of the output", "", 1.0, self.scale_limit, True, "uniform", key)

    @property
    def _offset(self) -> Parameter:
        key = f"{self.id}.offset"
        return Parameter(key, "Offset of the output", "V", 0.0, self.offset_limit_volts, False, "uniform", key)

    @property
    def _pivot(self) -> float:
        return self.law.reference_volts if isinstance(self.law, ExponentialLaw) else self.law.offset_volts

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        volts = self.law.volts(self.tuning.octaves(x, self.law.reference_note))
        return self._pivot + (volts - self._pivot) * self._scale.value(world) + self._offset.value(world)

    def backward(self, y: ArrayLike, world: World) -> Reached:
        volts = np.asarray(y, float)
        inside = np.clip(volts, *self.limits(world))
        nominal = self._pivot + (inside - self._offset.value(world) - self._pivot) / self._scale.value(world)
        notes = self.tuning.notes(self.law.octaves(nominal, strict=False), self.law.reference_note)
        return Reached(notes, np.where(inside != volts, Reason.CLAMP, Reason.EXACT).astype(np.int8))

    def stored(self) -> StoredTransfer:
        kept = ("scale_limit", "offset_limit_volts", "low_volts", "high_volts")
        values = {
            key: getattr(self, key) for key in kept if getattr(self, key) not in (None, 0.0) or key == "low_volts"
        }
        values = {key: value for key, value in values.items() if value is not None}
        return StoredTransfer("pitch-source", 1, {"law": law_text(self.law), **values})


def _make_oscillator(transfer_id: str, values: dict[str, Any]) -> Oscillator:
    return Oscillator(transfer_id, **{**values, "law": parse_law(values["law"])})


def _make_source(transfer_id: str, values: dict[str, Any]) -> PitchSource:
    return PitchSource(transfer_id, **{**values, "law": parse_law(values["law"])})


REGISTRY.register("oscillator", 1, _make_oscillator)
REGISTRY.register("pitch-source", 1, _make_source)
