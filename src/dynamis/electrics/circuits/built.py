"""A circuit between as a transfer: the sender's own volts -> volts at its output, open."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.circuit import SOURCE, STEPS_PER_TURN, TURNS, Circuit, Fitted, Reference, trimmer_name
from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.network import Values
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import OUT, TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting, varied_in
from dynamis.errors import InputError
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]
# A trimmer is left within half of the least step that a hand makes.
_HALF_STEP: Final = 0.5 / (TURNS * STEPS_PER_TURN)


@dataclass(frozen=True)
class BuiltCircuit:
    """A circuit with its trimmers where they stand.

    travel : of trimmers by name, the middle where one is absent.  trimmed : they were set by readings, so that what
    they take out no longer counts; drift and half a step of each stay.  source : the sender's own resistance as a
    parameter of the sender.
    """

    id: str
    circuit: Circuit
    travel: tuple[tuple[str, float], ...] = ()
    trimmed: bool = False
    source: Parameter | None = None
    input: Quantity = field(default=Quantity("volts", "at the circuit"))
    output: Quantity = field(default=Quantity("volts", "after the circuit"))
    believes: bool = False

    @cached_property
    def _set(self) -> dict[str, Values]:
        return dict(self.travel)

    @cached_property
    def takes_out(self) -> frozenset[str]:
        """The roles of the trimmers that were set."""
        if not self.trimmed:
            return frozenset()
        topology = self.circuit.topology
        roles = {trimmer_name(topology.scale_slot): "scale", trimmer_name(topology.offset_slot): "offset"}
        return frozenset(roles[name] for name in self.circuit.trimmers if name in roles)

    @cached_property
    def _parameters(self) -> dict[str, Parameter]:
        """By the name that the circuit's values have for it."""
        parameters: dict[str, Parameter] = {}
        for varied in varied_in(self.circuit, Counting(kelvin=1.0)):
            kept = not self.takes_out or (varied.key in _adds_only(self.circuit) and "offset" not in self.takes_out)
            limit, key = varied.limit if kept else 0.0, f"{self.id}.{varied.key}"
            if not (limit or varied.drift):
                continue
            parameters[varied.key] = Parameter(
                key,
                varied.label,
                "",
                varied.nominal,
                limit,
                False,
                "uniform",
                key,
                per_kelvin_limit=varied.drift,
            )
        for name in self.circuit.trimmers if self.trimmed else ():
            key = f"{self.id}.{name}"
            set_to = float(dict(self.travel).get(name, 0.5))
            parameters[name] = Parameter(key, f"Setting of {name}", "", set_to, _HALF_STEP, False, "uniform", key)
        if self.source is not None and self.source.nominal > 0 and "scale" not in self.takes_out:
            parameters[SOURCE] = self.source
        return parameters

    def parameters(self) -> tuple[Parameter, ...]:
        return tuple(self._parameters.values())

    def _values(self, world: World) -> dict[str, Values]:
        values: dict[str, Values] = dict(self._set)
        for name, one in self._parameters.items():
            deviates = one.source in world.deviations or one.drift_source in world.deviations
            if deviates or world.celsius != one.at_celsius:
                values[name] = one.value(world)
        return values

    def _line(self, world: World) -> tuple[FloatArray, FloatArray]:
        values = self._values(world)
        if values == self._set:
            return self._nominal
        line = self.circuit.line(values, loaded=False)
        return line.gain, line.offset

    @cached_property
    def _nominal(self) -> tuple[FloatArray, FloatArray]:
        line = self.circuit.line(self._set, loaded=False)
        return line.gain, line.offset

    @property
    def gain(self) -> float:
        """With nominal parts and nothing on its output."""
        return float(self._nominal[0])

    @property
    def offset_volts(self) -> float:
        return float(self._nominal[1])

    def out_ohms(self, world: World) -> FloatArray:
        """What the inputs hang on; 0 behind an op-amp."""
        return self.circuit.out_ohms(self._values(world))

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        gain, offset = self._line(world)
        return gain * np.asarray(x, float) + offset

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return np.clip(self.exact(x, world), *self.limits(world))

    def backward(self, y: ArrayLike, world: World) -> Reached:
        gain, offset = self._line(world)
        volts = np.asarray(y, float)
        inside = np.clip(volts, *self.limits(world))
        return Reached((inside - offset) / gain, np.where(inside != volts, Reason.CLAMP, Reason.EXACT).astype(np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        low, high = self.circuit.clamp.ends(amplified=bool(self.circuit.topology.amplifiers))
        ends = self._ends
        return np.array(max(low, ends[0])), np.array(min(high, ends[1]))

    @cached_property
    def _ends(self) -> tuple[float, float]:
        """Volts at its output where the first of its op-amps leaves its range, with nominal parts."""
        if not self.circuit.topology.amplifiers:
            return -np.inf, np.inf
        inputs = self.circuit.limits
        if not np.isfinite(inputs[0] - inputs[1]):
            return tuple(float(one) for one in self.circuit.op_amp.swing(self.circuit.supply))  # type: ignore[return-value]
        first, last = sorted(float(self._nominal[0] * one + self._nominal[1]) for one in inputs)
        return first, last

    def stored(self) -> StoredTransfer:
        circuit, bare = self.circuit, Circuit(self.circuit.topology)
        values: dict[str, Any] = {
            "topology": circuit.topology.name,
            "slots": {name: _stored_slot(one) for name, one in circuit.slots},
            "supply": [circuit.supply.low, circuit.supply.high],
        }
        for key, value, default in (
            ("supply_tolerance", circuit.supply.tolerance, 0.0),
            ("op_amp", circuit.op_amp.name, "ideal"),
            ("source_ohms", circuit.source_ohms, bare.source_ohms),
            ("load_ohms", circuit.load_ohms, bare.load_ohms),
            ("resistor_tolerance", circuit.resistor_tolerance_fraction, bare.resistor_tolerance_fraction),
            ("resistor_per_kelvin", circuit.resistor_per_kelvin, bare.resistor_per_kelvin),
            ("travel", dict(self.travel), {}),
            ("trimmed", self.trimmed, False),
            ("low_volts", circuit.clamp.low, None),
            ("high_volts", circuit.clamp.high, None),
            ("closed", sorted(circuit.closed), []),
        ):
            if value != default:
                values[key] = value
        if circuit.uses_reference:
            reference = circuit.reference
            values["reference"] = {
                "node": reference.node,
                "volts": reference.volts,
                "tolerance": reference.tolerance,
                "per_kelvin": reference.per_kelvin,
            }
        return StoredTransfer(KIND, 1, values)

    def loaded(self, ohms: float | None) -> Circuit:
        """The circuit with all inputs on it."""
        return replace(self.circuit, load_ohms=ohms)

    def driven_by(self, ohms: float, source: Parameter | None) -> BuiltCircuit:
        """The same circuit behind a sender of other ohms."""
        return replace(self, circuit=replace(self.circuit, source_ohms=ohms), source=source)


KIND: Final = "circuit"


def _adds_only(circuit: Circuit) -> frozenset[str]:
    """What moves the offset only, and so stays where just the scale is trimmed: op-amps' own errors."""
    return frozenset(key for one in circuit.topology.amplifiers for key in (one.name, f"{one.name}.bias"))


def _stored_slot(fitted: Fitted) -> dict[str, Any]:
    made: dict[str, Any] = {"ohms": list(fitted.ohms)}
    if len(fitted.ohms) > 1:
        made["joined"] = fitted.joined
    if fitted.trimmer_ohms:
        made["trimmer_ohms"] = fitted.trimmer_ohms
    return made


def _make(transfer_id: str, values: dict[str, Any]) -> BuiltCircuit:
    name, op_amp = values["topology"], values.get("op_amp", "ideal")
    if name not in TOPOLOGIES or op_amp not in OP_AMPS:
        raise InputError(
            f"The circuit {transfer_id!r} is a {name!r} with a {op_amp!r} op-amp; one of {', '.join(TOPOLOGIES)} with "
            f"{', '.join(OP_AMPS)} was expected."
        )
    low, high = values["supply"]
    slots = {
        slot: Fitted(tuple(map(float, one["ohms"])), one.get("joined", "series"), one.get("trimmer_ohms", 0.0))
        for slot, one in values["slots"].items()
    }
    circuit = Circuit(
        TOPOLOGIES[name],
        (),
        Supply(low, high, values.get("supply_tolerance", 0.0)),
        OP_AMPS[op_amp],
        Reference(**values.get("reference", {})),
        values.get("source_ohms", 0.0),
        values.get("load_ohms"),
        values.get("resistor_tolerance", 0.01),
        values.get("resistor_per_kelvin", 0.0),
        Clamp(values.get("low_volts"), values.get("high_volts")),
        frozenset(values.get("closed", ())),
    )
    unknown = [slot for slot in slots if slot not in {one.name for one in circuit.topology.slots}]
    if unknown:
        raise InputError(f"{circuit.topology.title} has no place {unknown[0]}.")
    travel = tuple((name, float(one)) for name, one in values.get("travel", {}).items())
    built_circuit = BuiltCircuit(transfer_id, circuit.fitting(**slots), travel, bool(values.get("trimmed", False)))
    built_circuit.circuit.line(node=OUT)  # refused here where a node hangs in the air
    return built_circuit


REGISTRY.register(KIND, 1, _make)
