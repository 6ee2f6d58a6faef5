"""The document's types: frozen records, as they are stored and published as JSON.

What undo covers (gear, links, meters, names) is in `Bench`; what is append-only stands beside it, in `records.py`.
"""

from __future__ import annotations

from typing import Any, TypeVar

from dynamis.bench.ports import Port, PortRef, Record
from dynamis.bench.records import MeterRecord
from dynamis.errors import InputError
from dynamis.transfer.registry import StoredTransfer


class Unit(Record, frozen=True):
    """One physical specimen."""

    serial: str
    notes: str = ""


class Gear(Record, frozen=True):
    """A thing with ports; one design, of which several units may exist."""

    id: str
    name: str
    ports: tuple[Port, ...] = ()
    units: tuple[Unit, ...] = ()
    notes: str = ""
    archived: bool = False


class Link(Record, frozen=True):
    """An output, what stands between, and the inputs that hang on it.

    tolerance : cents allowed, a number or a profile.  low_note, high_note : the notes used.
    """

    id: str
    output: PortRef
    inputs: tuple[PortRef, ...] = ()
    between: tuple[StoredTransfer, ...] = ()
    tolerance: str = "5"
    low_note: float = 36.0
    high_note: float = 96.0


class Bench(Record, frozen=True):
    """What is on the table."""

    name: str = "Untitled"
    gear: tuple[Gear, ...] = ()
    links: tuple[Link, ...] = ()
    meters: tuple[MeterRecord, ...] = ()
    a4_hertz: float = 440.0
    notes: str = ""

    def gear_by(self, gear_id: str) -> Gear:
        return _one(self.gear, gear_id, "gear")

    def port(self, ref: PortRef) -> Port:
        gear = self.gear_by(ref.gear)
        return _one(gear.ports, ref.port, f"port of {gear.name}")

    def link(self, link_id: str) -> Link:
        return _one(self.links, link_id, "link")

    def link_from(self, ref: PortRef) -> Link | None:
        """The link that starts at an output, or None."""
        return next((link for link in self.links if link.output == ref), None)

    def meter(self, meter_id: str) -> MeterRecord:
        return _one(self.meters, meter_id, "meter")

    def label(self, ref: PortRef) -> str:
        """`Workshop board · pitch A`."""
        return f"{self.gear_by(ref.gear).name} · {self.port(ref).name}"


Item = TypeVar("Item", Gear, Port, Link, MeterRecord)


# By the identity of a tuple of records: the tuple itself and its items by id.  Documents share what did not change.
_INDEXES: dict[int, tuple[tuple[Any, ...], dict[str, Any]]] = {}
_MOST_INDEXES = 256


def _one(items: tuple[Item, ...], key: str, what: str) -> Item:
    known = _INDEXES.get(id(items))
    if known is None or known[0] is not items:
        if len(_INDEXES) >= _MOST_INDEXES:
            _INDEXES.clear()
        known = _INDEXES[id(items)] = items, {item.id: item for item in reversed(items)}
    found: Item | None = known[1].get(key)
    if found is None:
        raise InputError(f"There is no {what} with the id {key!r} on this bench.")
    return found
