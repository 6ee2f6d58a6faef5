"""A matched pair of transistors with what drives it: what a converter of the law is made of, whichever way it goes.

Source: Kirchhoff's current law at each op-amp's − input; the pair's currents from V_T = kT/e (`thermal.py`), with
what the emitters' bulk resistance takes off.  Early effect is nought: both collectors stand at 0 V.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, ClassVar, Final, Self

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.circuit import MID, STEPS_PER_TURN, TURNS
from dynamis.electrics.exponential.parts import (
    BETA,
    BULK_LIMIT_OHMS,
    BULK_OHMS,
    PAIR_OFFSET_LIMIT_VOLTS,
    REFERENCE_LIMIT,
    REFERENCE_PER_KELVIN,
    TRIMMERS,
    PairParts,
)
from dynamis.electrics.exponential.thermal import thermal_volts
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.quantity import Quantity
from dynamis.transfer.registry import StoredTransfer

FloatArray = NDArray[np.float64]
_HALF_STEP: Final = 0.5 / (TURNS * STEPS_PER_TURN)
_STEPS: Final = 12
_SETTLED: Final = 1e-13
_NO_CURRENT: Final = 1e-15
_AMPLIFIERS: Final = ("U1", "U2", "U3")
_NO_ERROR: Final = ("R7", "R9", "R10")


@dataclass(frozen=True)
class Currents:
    """What the drive comes to: at the pair it is `slope`·volts + `shift` of the V/oct side, in units of its own e-fold;
    the current at no drive `rest`, amperes; `bulk` what a current as large takes off the drive.  Shapes () or (S, 1).
    """

    slope: FloatArray
    shift: FloatArray
    rest: FloatArray
    bulk: FloatArray

    def folds(self, volts: FloatArray) -> FloatArray:
        """e-folds of the current above `rest`, at volts of the V/oct side."""
        return settled(self.slope * volts + self.shift, self.bulk)

    def volts(self, folds: FloatArray) -> FloatArray:
        """Volts of the V/oct side that make so many e-folds."""
        return np.asarray((folds + self.bulk * np.expm1(folds) - self.shift) / self.slope)


@dataclass(frozen=True)
class Pair:
    """A converter with its parts; what it makes of volts is up to the two kinds.

    travel : of trimmers by name, the middle where one is absent.  trimmed : they were set by readings: what moves or
    stretches the notes no longer counts, drift and half a step of each do.  source_ohms : the sender's own, `source`
    as a parameter of the sender.
    """

    kind: ClassVar[str] = ""
    # The op-amp that holds the collector which the reference feeds.
    holds: ClassVar[str] = ""
    # What trimmers cannot take out: it bends the law rather than moving or stretching it.
    stays: ClassVar[tuple[str, ...]] = ()

    id: str
    parts: PairParts
    travel: tuple[tuple[str, float], ...] = ()
    trimmed: bool = False
    source_ohms: float = 0.0
    source: Parameter | None = None
    input: Quantity = field(default=Quantity("volts", "at the converter"))
    output: Quantity = field(default=Quantity("volts", "after the converter"))
    believes: bool = False

    def __post_init__(self) -> None:
        for name, at in self.travel:
            if name not in TRIMMERS or not 0.0 <= at <= 1.0:
                raise InputError(f"{name} stands at {plain(at)}; {' or '.join(TRIMMERS)} at 0 to 1 was expected.")

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
        for name, ohms in parts.ohms.items():
            if name not in _NO_ERROR:
                grows, within = parts.growth(name)
                label = f"{name}, {parts.role(name)}"
                found.append((name, self._made(name, label, ohms, parts.limit(name), True, grows, within)))
        for name, volts in (("VR1", parts.reference_volts), ("VR2", -parts.reference_volts)):
            if name == "VR1" or "R10" in parts.ohms:
                label = f"{name}, the reference of the {'+' if volts > 0 else '−'} rail"
                found.append((name, self._made(name, label, volts, REFERENCE_LIMIT, True, 0.0, REFERENCE_PER_KELVIN)))
        found.append(("pair", self._made("pair", "Offset of the pair", 0.0, PAIR_OFFSET_LIMIT_VOLTS)))
        found.append(("bulk", self._made("bulk", "Bulk resistance of the emitters", BULK_OHMS, BULK_LIMIT_OHMS)))
        amp = parts.op_amp
        for name in _AMPLIFIERS:
            drift = amp.offset_per_kelvin
            found.append((name, self._made(name, f"Offset of {name}", 0.0, amp.offset_limit_volts, False, 0.0, drift)))
            bias = f"{name}.bias"
            found.append((bias, self._made(bias, f"Bias current of {name}", 0.0, amp.bias_amperes)))
        return found

    def _made(
        self,
        name: str,
        label: str,
        nominal: float,
        limit: float,
        relative: bool = False,
        grows: float = 0.0,
        within: float = 0.0,
    ) -> Parameter:
        kept = limit if not self.trimmed or name in self.stays or name in TRIMMERS else 0.0
        key = f"{self.id}.{name}"
        return Parameter(
            key, label, "", nominal, kept, relative, "uniform", key, per_kelvin=grows, per_kelvin_limit=within
        )

    def parameters(self) -> tuple[Parameter, ...]:
        return tuple(self._parameters.values())

    def value(self, name: str, otherwise: float, world: World) -> FloatArray:
        """Of a part by its name; `otherwise` where nothing about it varies."""
        parameter = self._parameters.get(name)
        return np.asarray(otherwise) if parameter is None else parameter.value(world)

    def currents(self, world: World) -> Currents:
        """The drive and the currents in a world, by what each part does."""
        ohms, parts, travel = self.parts.ohms, self.parts, dict(self.travel)
        value = {name: self.value(name, ohms[name], world) for name in ohms}
        set_to = {name: self.value(name, travel.get(name, MID), world) for name in TRIMMERS}
        above = self.value("VR1", parts.reference_volts, world)
        into = 1.0 / (value["R1"] + self.ahead("R1", world))
        middle = 0.0 if "R3" not in value else 1.0 / value["R3"]
        held = above if parts.middle_below else self.value("VR2", -parts.reference_volts, world)
        # U1: what R2 has to carry, with its own offset amplified.
        offset, bias = (self.value(name, 0.0, world) for name in ("U1", "U1.bias"))
        gain = -value["R2"] * into
        shift = -value["R2"] * held * middle + offset * (1.0 + value["R2"] * (into + middle)) + bias * value["R2"]
        # The reference feeds a collector that an op-amp holds at its own offset.
        offset, bias = (self.value(name, 0.0, world) for name in (self.holds, f"{self.holds}.bias"))
        rest = (above - offset) / (value["R6"] + set_to["RV6"] * parts.trimmers["RV6"]) - bias
        rest = np.maximum(rest, _NO_CURRENT)
        drive = value["R4"] + set_to["RV4"] * parts.trimmers["RV4"]
        share = value["R5"] / (drive + value["R5"])
        drawn = rest / BETA * drive * share
        thermal = thermal_volts(world.celsius)
        pair = self.value("pair", 0.0, world)
        bulk = self.value("bulk", BULK_OHMS, world) * (1.0 + 1.0 / BETA) * rest / thermal
        return Currents(-share * gain / thermal, (pair + drawn - share * shift) / thermal, rest, bulk)

    def ahead(self, name: str, world: World) -> FloatArray:
        """The sender's own ohms in series with the resistor that it drives, 0 for all others."""
        if name != self.parts.entry:
            return np.asarray(0.0)
        return self.value("source", self.source_ohms, world)

    @cached_property
    def adder_ends(self) -> tuple[float, float]:
        """Volts of the V/oct side at which U1 reaches its rails, with nominal parts."""
        low, high = self.parts.op_amp.swing(self.parts.supply)
        ohms = self.parts.ohms
        gain = -ohms["R2"] / (ohms["R1"] + float(self.ahead("R1", NOMINAL)))
        shift = -ohms["R2"] * self.parts.middle_reference / ohms["R3"] if "R3" in ohms else 0.0
        return (high - shift) / gain, (low - shift) / gain

    @property
    def pivot_volts(self) -> float:
        """Of the V/oct side, where RV4 moves nothing and temperature next to nothing: the pair has no drive there."""
        law = self.currents(NOMINAL)
        return float(-law.shift / law.slope)

    def out_ohms(self, world: World) -> FloatArray:
        """What the inputs hang on: an op-amp."""
        return np.array(0.0)

    def driven_by(self, ohms: float, source: Parameter | None) -> Self:
        """The same converter behind a sender of other ohms."""
        return replace(self, source_ohms=ohms, source=source)

    def stored(self) -> StoredTransfer:
        parts = self.parts
        values: dict[str, Any] = {
            "ohms": dict(parts.ohms),
            "trimmers": dict(parts.trimmers),
            "base_ppm": parts.base_ppm,
            "reference_volts": parts.reference_volts,
            "middle_below": parts.middle_below,
            "supply": [parts.supply.low, parts.supply.high],
            "op_amp": parts.op_amp.name,
            "tolerance": parts.tolerance,
            "per_kelvin": parts.per_kelvin,
            "load_ohms": parts.load_ohms,
            "low_volts": parts.clamp.low,
            "high_volts": parts.clamp.high,
            "travel": dict(self.travel),
            "trimmed": self.trimmed,
        }
        return StoredTransfer(self.kind, 1, values)


def settled(drive: FloatArray, bulk: FloatArray) -> FloatArray:
    """u of u + bulk·(e**u − 1) = drive, by Newton's method; it falls onto the answer from above or below."""
    u = np.minimum(drive, np.log1p(np.maximum(drive, 0.0) / np.maximum(bulk, 1e-30)))
    for _ in range(_STEPS):
        grown = bulk * np.exp(u)
        step = (u + grown - bulk - drive) / (1.0 + grown)
        u = u - step
        if np.all(np.abs(step) <= _SETTLED):
            break
    return np.asarray(u)
