"""The document's types: frozen records, as they are stored and published as JSON.

What undo covers (gear, links, meters, names) is in `Bench`; what is append-only stands beside it, in `records.py`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

import msgspec
import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.ports import Port, PortRef, Record, Role
from dynamis.bench.document.records import InstrumentRecord
from dynamis.bench.document.tuning import TuningRecord
from dynamis.control.logic import LogicLine
from dynamis.electrics.gates.candidate import Rails
from dynamis.electrics.part import Part
from dynamis.errors import InputError
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.transfer.registry import StoredTransfer

FloatArray = NDArray[np.float64]


class Unit(Record, frozen=True):
    """One physical specimen."""

    serial: str
    notes: str = ""


Lead = Literal["", "two-pole", "three-pole", "four-pole", "ring-open", "split", "crossed"]


class Setting(Record, frozen=True):
    """A switch, jumper, mode or firmware of a gear, and where it stands; choices may be open."""

    id: str
    name: str
    value: str = ""
    choices: tuple[str, ...] = ()


class Power(Record, frozen=True):
    """Where a gear takes its power from.

    rails : volts.  amperes : what it draws at most.  fed_by : the id of the gear that feeds it, "" for none on this
    bench.  gives_amperes : what it can give others at most, where it feeds any.
    """

    source: Literal["", "none", "mains", "adapter", "battery", "bus", "usb"] = ""
    rails: tuple[float, ...] = ()
    amperes: float | None = None
    fed_by: str = ""
    gives_amperes: float | None = None


class Gear(Record, frozen=True):
    """A thing with ports; one design, of which several units may exist."""

    id: str
    name: str
    ports: tuple[Port, ...] = ()
    units: tuple[Unit, ...] = ()
    notes: str = ""
    archived: bool = False
    settings: tuple[Setting, ...] = ()
    power: Power = Power()

    def port_by(self, port_id: str) -> Port:
        return _one(self.ports, port_id, f"port of {self.name}")

    def inputs(self, role: Role) -> tuple[Port, ...]:
        """Its inputs of a role."""
        by_role: dict[Role, tuple[Port, ...]] = _kept(self.ports, _inputs_by_role)
        return by_role.get(role, ())

    def setting(self, setting_id: str) -> Setting:
        return _one(self.settings, setting_id, f"setting of {self.name}")


class GateStageRecord(Record, frozen=True):
    """A circuit for gates between.  seconds : a stretcher's pulse."""

    circuit: str
    parts: tuple[Part, ...] = ()
    seconds: float | None = None


class Branch(Record, frozen=True):
    """What stands ahead of some of a link's inputs only, behind what stands ahead of all.  inputs : of the link."""

    inputs: tuple[PortRef, ...]
    between: tuple[StoredTransfer, ...] = ()
    gate_stages: tuple[GateStageRecord, ...] = ()


class Link(Record, frozen=True):
    """An output, what stands between, and the inputs that hang on it: a tree.

    between : circuits for pitch and modulation, ahead of all inputs.  gate_stages : those for gates, triggers and
    clocks.  branches : what stands ahead of some of the inputs besides; the others hang on the node behind `between`.
    tolerance : cents allowed, a number or a profile.  low_note, high_note : the notes used; longest_seconds : how
    long one is held.  lead : its plugs, "" for any that both ends take; "ring-open" has three poles and nothing on
    the ring; "split" has a plug for each signal of a jack, "crossed" changes tip and ring.  program_channel : the
    channel that a program was told to send on.
    rails : from which what stands between may be fed, low and high volts each; None for those of the bench.
    """

    id: str
    output: PortRef
    inputs: tuple[PortRef, ...] = ()
    between: tuple[StoredTransfer, ...] = ()
    tolerance: str = "5"
    low_note: float = 36.0
    high_note: float = 96.0
    longest_seconds: float = 4.0
    lead: Lead = ""
    gate_stages: tuple[GateStageRecord, ...] = ()
    program_channel: int | None = None
    rails: tuple[Rails, ...] | None = None
    branches: tuple[Branch, ...] = ()

    def branch_of(self, sink: PortRef) -> Branch | None:
        """The branch that an input hangs on, None where it hangs on the trunk."""
        return next((one for one in self.branches if sink in one.inputs), None)

    def keeping(self, inputs: tuple[PortRef, ...]) -> Link:
        """The link with these of its inputs only; a branch that has none left goes."""
        branches = tuple(
            msgspec.structs.replace(one, inputs=kept)
            for one in self.branches
            if (kept := tuple(ref for ref in one.inputs if ref in inputs))
        )
        return msgspec.structs.replace(self, inputs=inputs, branches=branches)

    @property
    def whole_notes(self) -> FloatArray:
        """The whole notes that it is used for, rising; none where its ends lie between two."""
        return np.arange(np.ceil(self.low_note), np.floor(self.high_note) + 1e-9)

    @property
    def notes_to_show(self) -> FloatArray:
        """Its whole notes; its ends, where it has none."""
        whole = self.whole_notes
        return whole if whole.size else np.unique([self.low_note, self.high_note])

    def allowed_cents(self, notes: FloatArray | float) -> FloatArray:
        """The cents that each of these notes may be off; infinite where its profile says nothing."""
        return parse_tolerance(self.tolerance).cents_at(notes)

    @property
    def tightest_cents(self) -> float:
        """The least that any of its notes may be off; infinite where none is judged."""
        allowed = self.allowed_cents(self.notes_to_show)
        return float(np.min(allowed[np.isfinite(allowed)], initial=np.inf))


class Bench(Record, frozen=True):
    """What is on the table.  dismissed : cautions that need not be shown again for it.  tuning : None for equal
    temperament at `a4_hertz`.  rails : the supplies at hand for what is built between, low and high volts each.
    logic : signals that are made of those that are played."""

    name: str = "Untitled"
    gear: tuple[Gear, ...] = ()
    links: tuple[Link, ...] = ()
    meters: tuple[InstrumentRecord, ...] = ()
    a4_hertz: float = 440.0
    notes: str = ""
    dismissed: tuple[str, ...] = ()
    tuning: TuningRecord | None = None
    rails: tuple[Rails, ...] = ((-12.0, 12.0),)
    logic: tuple[LogicLine, ...] = ()

    @property
    def channels(self) -> list[tuple[PortRef, str]]:
        """Every pitch output of every unit of the gear that is not archived, then every pitch input with a law."""
        return [*self.outputs_of_units, *self._of_units("input")]

    @property
    def outputs_of_units(self) -> list[tuple[PortRef, str]]:
        """Every pitch output of every unit of the gear that is not archived."""
        return self._of_units("output")

    def _of_units(self, direction: str) -> list[tuple[PortRef, str]]:
        return [
            (PortRef(gear.id, port.id), unit.serial)
            for gear in self.gear
            if not gear.archived
            for unit in gear.units
            for port in gear.ports
            if (port.direction, port.role) == (direction, "pitch") and (direction == "output" or port.law is not None)
        ]

    @property
    def measurable(self) -> list[tuple[PortRef, str]]:
        """What a run can be begun of: every channel, and with an empty serial every pitch port of gear that has no unit
        yet."""
        fresh = [
            (PortRef(gear.id, port.id), "")
            for gear in self.gear
            if not gear.archived and not gear.units
            for port in gear.ports
            if port.role == "pitch" and port.through is None
        ]
        return [*self.channels, *fresh]

    def unit_looked_at(self, output: PortRef, channel: tuple[PortRef, str] | None) -> str:
        """The unit that counts for an output: that of the channel looked at where it is of the same gear, else the
        first."""
        if channel is not None and channel[0].gear == output.gear:
            return channel[1]
        return next((unit.serial for unit in self.gear_by(output.gear).units), "")

    def rails_for(self, link: Link) -> tuple[Rails, ...]:
        """The supplies at hand for what stands in a link."""
        return self.rails if link.rails is None else link.rails

    def gear_by(self, gear_id: str) -> Gear:
        return _one(self.gear, gear_id, "gear")

    def port(self, ref: PortRef) -> Port:
        port: Port | None = _kept(self.gear, _ports).get(ref)
        return self.gear_by(ref.gear).port_by(ref.port) if port is None else port

    def with_gear(self, gear: Gear) -> Bench:
        """The bench with a gear in the place of the one with its id."""
        kept = tuple(gear if one.id == gear.id else one for one in self.gear)
        return msgspec.structs.replace(self, gear=kept)

    def with_port(self, ref: PortRef, port: Port) -> Bench:
        """The bench with a port in the place of the one that `ref` names."""
        gear = self.gear_by(ref.gear)
        ports = tuple(port if one.id == ref.port else one for one in gear.ports)
        return self.with_gear(msgspec.structs.replace(gear, ports=ports))

    def has(self, ref: PortRef) -> bool:
        """Whether there is such a port."""
        return ref in _kept(self.gear, _ports)

    def may_join(self, output: PortRef, sink: PortRef) -> bool:
        """Whether both are there still, an output and an input."""
        both = self.has(output) and self.has(sink)
        return both and (self.port(output).direction, self.port(sink).direction) == ("output", "input")

    def link(self, link_id: str) -> Link:
        return _one(self.links, link_id, "link")

    def link_from(self, ref: PortRef) -> Link | None:
        """The link that starts at an output, or None."""
        return self._net.by_output.get(ref)

    def links_into(self, ref: PortRef) -> tuple[Link, ...]:
        """The links that an input hangs on: one, unless outputs share a node."""
        return self._net.by_input.get(ref, ())

    def links_of(self, gear_id: str) -> tuple[Link, ...]:
        """The links that begin or end at a gear."""
        return self._net.by_gear.get(gear_id, ())

    @property
    def _net(self) -> _Links:
        return _kept(self.links, _links)

    def meter(self, meter_id: str) -> InstrumentRecord:
        return _one(self.meters, meter_id, "meter")

    def label(self, ref: PortRef) -> str:
        """`Workshop board · pitch A`."""
        return f"{self.gear_by(ref.gear).name} · {self.port(ref).name}"


Item = TypeVar("Item", Gear, Port, Link, InstrumentRecord, Setting)


def sharing(bench: Bench, other: Bench) -> Bench:
    """The bench with the records that it has in common with another one shared, as commands leave them.

    What was judged is kept by the identity of records; a bench that was read from a file has all of them anew.
    """
    gear = {one.id: one for one in other.gear}
    kept = tuple(_shared_gear(one, gear[one.id]) if one.id in gear else one for one in bench.gear)
    same = len(kept) == len(other.gear) and all(one is two for one, two in zip(kept, other.gear, strict=True))
    links = other.links if bench.links == other.links else bench.links
    return msgspec.structs.replace(bench, gear=other.gear if same else kept, links=links)


def _shared_gear(gear: Gear, other: Gear) -> Gear:
    if gear == other:
        return other
    ports = {port.id: port for port in other.ports}
    kept = tuple(ports[port.id] if ports.get(port.id) == port else port for port in gear.ports)
    return msgspec.structs.replace(gear, ports=kept)


@dataclass(frozen=True)
class _Links:
    """The links of a bench by what they touch."""

    by_output: Mapping[PortRef, Link]
    by_input: Mapping[PortRef, tuple[Link, ...]]
    by_gear: Mapping[str, tuple[Link, ...]]


def _links(links: tuple[Link, ...]) -> _Links:
    by_input: dict[PortRef, tuple[Link, ...]] = {}
    by_gear: dict[str, tuple[Link, ...]] = {}
    for link in links:
        for sink in link.inputs:
            by_input[sink] = (*by_input.get(sink, ()), link)
        for gear in {ref.gear for ref in (link.output, *link.inputs)}:
            by_gear[gear] = (*by_gear.get(gear, ()), link)
    return _Links({link.output: link for link in reversed(links)}, by_input, by_gear)


# By the identity of a tuple of records: the tuple itself and what was made of it.  Documents share what did not change.
_KEPT: dict[tuple[int, object], tuple[tuple[Any, ...], Any]] = {}
_MOST_KEPT = 256


def _kept(items: tuple[Any, ...], make: Callable[[tuple[Any, ...]], Any]) -> Any:
    key = id(items), make
    known = _KEPT.get(key)
    if known is None or known[0] is not items:
        if len(_KEPT) >= _MOST_KEPT:
            _KEPT.clear()
        known = _KEPT[key] = items, make(items)
    return known[1]


def _inputs_by_role(ports: tuple[Port, ...]) -> dict[Role, tuple[Port, ...]]:
    roles = {port.role for port in ports}
    inputs = [port for port in ports if port.direction == "input"]
    return {role: tuple(port for port in inputs if port.role == role) for role in roles}


def _ports(gear: tuple[Gear, ...]) -> dict[PortRef, Port]:
    return {PortRef(one.id, port.id): port for one in reversed(gear) for port in reversed(one.ports)}


def _by_id(items: tuple[Any, ...]) -> dict[str, Any]:
    return {item.id: item for item in reversed(items)}


def _one(items: tuple[Item, ...], key: str, what: str) -> Item:
    item: Item | None = _kept(items, _by_id).get(key)
    if item is None:
        raise InputError(f"There is no {what} with the id {key!r} on this bench.")
    return item
