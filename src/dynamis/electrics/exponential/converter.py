"""An exponential converter as a transfer: the sender's own volts, V/oct -> volts of a hertz-per-volt input.

Source: Kirchhoff's current law at each op-amp's − input; the pair's currents from V_T = kT/e (`thermal.py`), with
what the emitters' bulk resistance takes off.  Early effect is nought: both collectors stand at 0 V.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.circuit import MID, STEPS_PER_TURN, TURNS
from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.exponential.parts import (
    BETA,
    BULK_LIMIT_OHMS,
    BULK_OHMS,
    PAIR_OFFSET_LIMIT_VOLTS,
    PPM_LIMIT,
    REFERENCE_LIMIT,
    REFERENCE_PER_KELVIN,
    ROLES,
    TRIMMERS,
    ExponentialParts,
)
from dynamis.electrics.exponential.thermal import thermal_volts
from dynamis.errors import InputError
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]
KIND: Final = "exponential"
_HALF_STEP: Final = 0.5 / (TURNS * STEPS_PER_TURN)
_STEPS: Final = 12
_SETTLED: Final = 1e-13
# What the trimmers cannot take out: it bends the law rather than moving or stretching it.
_STAYS: Final = ("U3", "U3.bias", "bulk")
_AMPLIFIERS: Final = ("U1", "U2", "U3")


@dataclass(frozen=True)
class Currents:
    """What the law comes to: the drive at the pair is `slope`·volts + `shift`, in units of its own e-fold; the current
    at no drive `rest`, amperes; `bulk` what a current as large takes off the drive.  Shapes () or (S, 1)."""

    slope: FloatArray
    shift: FloatArray
    rest: FloatArray
    bulk: FloatArray


@dataclass(frozen=True)
class ExponentialConverter:
    """Volts -> volts that double with every octave.

    travel : of trimmers by name, the middle where one is absent.  trimmed : they were set by readings: what moves or
    stretches the notes no longer counts, drift and half a step of each do.  source_ohms : the sender's own, `source`
    as a parameter of the sender.
    """

    id: str
    parts: ExponentialParts
    travel: tuple[tuple[str, float], ...] = ()
    trimmed: bool = False
    source_ohms: float = 0.0
    source: Parameter | None = None
    input: Quantity = field(default=Quantity("volts", "at the converter"))
    output: Quantity = field(default=Quantity("volts", "after the converter"))
    believes: bool = False

    @cached_property
    def _parameters(self) -> dict[str, Parameter]:
        found = dict(self._of_parts())
        if self.trimmed:
            for name in TRIMMERS:
                found[name] = self._made(name, f"Setting of {name}", dict(self.travel).get(name, MID), _HALF_STEP)
        if self.source is not None and self.source.nominal > 0 and not self.trimmed:
            found["source"] = self.source
        return {name: one for name, one in found.items() if one.limit or one.per_kelvin or one.per_kelvin_limit}

    def _of_parts(self) -> list[tuple[str, Parameter]]:
        parts, found = self.parts, []
        for name, role in ROLES.items():
            if name in parts.ohms and name not in ("R7", "R9", "R10"):
                grows, within = (parts.base_ppm * 1e-6, PPM_LIMIT * 1e-6) if name == "R5" and parts.base_ppm else (
                    0.0, parts.per_kelvin)  # fmt: skip
                found.append((name, self._made(name, f"{name}, {role}", parts.ohms[name], parts.limit(name), True,
                                               grows, within)))  # fmt: skip
        for name, volts in (("VR1", parts.reference_volts), ("VR2", -parts.reference_volts)):
            if name == "VR1" or "R10" in parts.ohms:
                label = f"{name}, the reference of the {'+' if volts > 0 else '−'} rail"
                found.append((name, self._made(name, label, volts, REFERENCE_LIMIT, True, 0.0, REFERENCE_PER_KELVIN)))
        found.append(("pair", self._made("pair", "Offset of the pair", 0.0, PAIR_OFFSET_LIMIT_VOLTS)))
        found.append(("bulk", self._made("bulk", "Bulk resistance of the emitters", BULK_OHMS, BULK_LIMIT_OHMS)))
        amp = parts.op_amp
        for name in _AMPLIFIERS:
            found.append((name, self._made(name, f"Offset of {name}", 0.0, amp.offset_limit_volts, False, 0.0,
                                           amp.offset_per_kelvin)))  # fmt: skip
            found.append((f"{name}.bias", self._made(f"{name}.bias", f"Bias current of {name}", 0.0, amp.bias_amperes)))
        return found

    def _made(self, name: str, label: str, nominal: float, limit: float, relative: bool = False, grows: float = 0.0,
              within: float = 0.0) -> Parameter:  # fmt: skip
        kept = limit if not self.trimmed or name in _STAYS or name in TRIMMERS else 0.0
        key = f"{self.id}.{name}"
        return Parameter(key, label, "", nominal, kept, relative, "uniform", key, per_kelvin=grows,
                         per_kelvin_limit=within)  # fmt: skip

    def parameters(self) -> tuple[Parameter, ...]:
        return tuple(self._parameters.values())

    def _value(self, name: str, otherwise: float, world: World) -> FloatArray:
        one = self._parameters.get(name)
        return np.asarray(otherwise) if one is None else one.value(world)

    def _currents(self, world: World) -> Currents:
        """The law in a world, by what each part does."""
        ohms, parts, travel = self.parts.ohms, self.parts, dict(self.travel)
        value = {name: self._value(name, ohms[name], world) for name in ohms}
        set_to = {name: self._value(name, travel.get(name, MID), world) for name in TRIMMERS}
        offsets = {name: self._value(name, 0.0, world) for name in _AMPLIFIERS}
        bias = {name: self._value(f"{name}.bias", 0.0, world) for name in _AMPLIFIERS}
        above = self._value("VR1", parts.reference_volts, world)
        source = self._value("source", self.source_ohms, world)
        into = 1.0 / (source + value["R1"])
        middle = 0.0 if "R3" not in value else 1.0 / value["R3"]
        held = above if parts.middle_below else self._value("VR2", -parts.reference_volts, world)
        # U1: what R2 has to carry, with its own offset amplified.
        gain = -value["R2"] * into
        shift = -value["R2"] * held * middle + offsets["U1"] * (1.0 + value["R2"] * (into + middle))
        shift = shift + bias["U1"] * value["R2"]
        # U2 holds the collector of Q1 at its own offset.
        rest = (above - offsets["U2"]) / (value["R6"] + set_to["RV6"] * parts.trimmers["RV6"]) - bias["U2"]
        drive = value["R4"] + set_to["RV4"] * parts.trimmers["RV4"]
        share = value["R5"] / (drive + value["R5"])
        drawn = rest / BETA * drive * share
        thermal = thermal_volts(world.celsius)
        pair = self._value("pair", 0.0, world)
        bulk = self._value("bulk", BULK_OHMS, world) * (1.0 + 1.0 / BETA) * rest / thermal
        return Currents(-share * gain / thermal, (pair + drawn - share * shift) / thermal, rest, bulk)

    def _ends(self, world: World) -> tuple[FloatArray, FloatArray]:
        """What U3 adds, and its volts per ampere."""
        ohms = self._value("R8", self.parts.ohms["R8"], world)
        return self._value("U3", 0.0, world) + ohms * self._value("U3.bias", 0.0, world), ohms

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        law, (adds, ohms) = self._currents(world), self._ends(world)
        folds = _settled(law.slope * np.asarray(x, float) + law.shift, law.bulk)
        return np.asarray(adds + ohms * law.rest * np.exp(folds))

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return np.clip(self.exact(x, world), *self.limits(world))

    def backward(self, y: ArrayLike, world: World) -> Reached:
        law, (adds, ohms) = self._currents(world), self._ends(world)
        volts = np.asarray(y, float)
        inside = np.clip(volts, *self.limits(world))
        folds = np.log((inside - adds) / (ohms * law.rest))
        x = (folds + law.bulk * np.expm1(folds) - law.shift) / law.slope
        return Reached(np.asarray(x), np.where(inside != volts, Reason.CLAMP, Reason.EXACT).astype(np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        """Volts at its output: U3 reaches no further, and U1 ends first at the bottom."""
        first, last = (self.exact(one, world) for one in self._inputs)
        return first, np.minimum(last, self.parts.highest_volts)

    @cached_property
    def _inputs(self) -> tuple[float, float]:
        """Input volts at which U1 reaches its rails, with nominal parts."""
        low, high = self.parts.op_amp.swing(self.parts.supply)
        ohms = self.parts.ohms
        gain = -ohms["R2"] / (self.source_ohms + ohms["R1"])
        shift = -ohms["R2"] * self.parts.middle_reference / ohms["R3"] if "R3" in ohms else 0.0
        return (high - shift) / gain, (low - shift) / gain

    def out_ohms(self, world: World) -> FloatArray:
        """What the inputs hang on: an op-amp."""
        return np.array(0.0)

    @property
    def rest_amperes(self) -> float:
        """What U2 holds the current of Q1 at."""
        return float(self._currents(NOMINAL).rest)

    @property
    def pivot_volts(self) -> float:
        """The input at which RV4 moves nothing, and temperature next to nothing: the pair has no drive there."""
        law = self._currents(NOMINAL)
        return float(-law.shift / law.slope)

    def driven_by(self, ohms: float, source: Parameter | None) -> ExponentialConverter:
        """The same converter behind a sender of other ohms."""
        return replace(self, source_ohms=ohms, source=source)

    def stored(self) -> StoredTransfer:
        parts = self.parts
        values: dict[str, Any] = {
            "ohms": dict(parts.ohms), "trimmers": dict(parts.trimmers), "base_ppm": parts.base_ppm,
            "reference_volts": parts.reference_volts, "middle_below": parts.middle_below,
            "supply": [parts.supply.low, parts.supply.high], "op_amp": parts.op_amp.name, "tolerance": parts.tolerance,
            "per_kelvin": parts.per_kelvin, "load_ohms": parts.load_ohms, "low_volts": parts.clamp.low,
            "high_volts": parts.clamp.high, "travel": dict(self.travel), "trimmed": self.trimmed,
        }  # fmt: skip
        return StoredTransfer(KIND, 1, values)


def _settled(drive: FloatArray, bulk: FloatArray) -> FloatArray:
    """u of u + bulk·(e**u − 1) = drive, by Newton's method; it falls onto the answer from above or below."""
    u = np.minimum(drive, np.log1p(np.maximum(drive, 0.0) / np.maximum(bulk, 1e-30)))
    for _ in range(_STEPS):
        grown = bulk * np.exp(u)
        step = (u + grown - bulk - drive) / (1.0 + grown)
        u = u - step
        if np.all(np.abs(step) <= _SETTLED):
            break
    return np.asarray(u)


def _make(transfer_id: str, values: Mapping[str, Any]) -> ExponentialConverter:
    op_amp = values.get("op_amp", "precision")
    if op_amp not in OP_AMPS:
        raise InputError(
            f"The converter {transfer_id!r} has a {op_amp!r} op-amp; one of {', '.join(OP_AMPS)} was expected."
        )
    known = {key: values[key] for key in ("base_ppm", "reference_volts", "middle_below", "tolerance", "per_kelvin",
                                           "load_ohms") if key in values}  # fmt: skip
    ohms, trimmers = ({name: float(one) for name, one in values[key].items()} for key in ("ohms", "trimmers"))
    parts = ExponentialParts(ohms, trimmers, supply=Supply(*values.get("supply", (-12.0, 12.0))),
                             op_amp=OP_AMPS[op_amp], clamp=Clamp(values.get("low_volts"), values.get("high_volts")),
                             **known)  # fmt: skip
    travel = tuple((name, float(one)) for name, one in values.get("travel", {}).items())
    return ExponentialConverter(transfer_id, parts, travel, bool(values.get("trimmed", False)))


REGISTRY.register(KIND, 1, _make)
