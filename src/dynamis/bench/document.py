"""The document's types: frozen records, as they are stored and published as JSON.

What undo covers (gear, links, meters, names) is in `Bench`.  Runs, readings, voids and adoptions are
append-only and stand beside it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, TypeVar

import msgspec

from dynamis.converter.firmware import BoardCorrection
from dynamis.errors import InputError
from dynamis.pitch.laws import parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.registry import StoredTransfer

Trimmers = Literal["none", "scale", "scale-and-offset"]
Role = Literal["pitch", "gate", "trigger", "clock", "modulation"]
Quantity = Literal["volts", "hertz", "cents"]
Where = Literal["jack", "input", "oscillator"]


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A frozen record; a field that is not known is refused rather than lost."""


class PortRef(Record, frozen=True):
    """A port by its gear's and its own id."""

    gear: str
    port: str


class VoltSpan(Record, frozen=True):
    """From the least volts to the most; None: not known, or no limit."""

    low: float | None = None
    high: float | None = None


class GateRecord(Record, frozen=True):
    """What a gate, trigger or clock is at a port; None where a value is not known.

    kind : an output is "driven" between two levels or a "switch" to ground; an input is "positive" or
    "shorting".  seconds : length of an output's pulse, None for as long as a key is held.
    min_seconds : the shortest that an input takes.  edge : an input acts on a rise, not on a level.
    """

    kind: Literal["driven", "switch", "positive", "shorting"]
    low_volts: float | None = None
    high_volts: float | None = None
    on_volts: float | None = None
    off_volts: float | None = None
    pullup_volts: float | None = None
    seconds: float | None = None
    min_seconds: float | None = None
    edge: bool = False


class Port(Record, frozen=True):
    """An output or input.

    gate : levels or thresholds of a gate, trigger or clock.
    works, bears : the range of volts it is made for, and what it survives.
    silent_below_volts : an input under which its voice falls silent.  tune_semitones : how far its own
    tune knob reaches either way, 0 without one.
    law : what it should follow, in the form `voct:…` or `hzv:…`.
    ohms : output or input resistance, None where it is not known; ohms_limit : its tolerance, a fraction.
    transfers : what the port does, e.g. a DAC or an oscillator.  trimmers : what can be turned.
    """

    id: str
    name: str
    direction: Literal["output", "input"]
    role: Role = "pitch"
    law: str | None = None
    ohms: float | None = None
    ohms_limit: float = 0.0
    transfers: tuple[StoredTransfer, ...] = ()
    trimmers: Trimmers = "none"
    gate: GateRecord | None = None
    works: VoltSpan = VoltSpan()
    bears: VoltSpan = VoltSpan()
    silent_below_volts: float | None = None
    tune_semitones: float = 0.0


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


class MeterRecord(Record, frozen=True):
    """One range of a meter, entered once in its data sheet's numbers.

    input_ohms : what the meter hangs on the jack.
    """

    id: str
    name: str
    range_name: str
    percent: float
    counts: float
    resolution_volts: float
    full_scale_volts: float | None = None
    percent_of_range: float = 0.0
    input_ohms: float = 10e6


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


class HeadRecord(Record, frozen=True):
    """What turns notes into codes: nominal, two constants, or a table upon them.

    offset : in volts, octaves or hertz, as the constants were found.  sixteenths : for each note from
    `first_note` on, how far its code lies from where the constants aim, in sixteenths of a code.
    """

    kind: Literal["nominal", "constants", "table"] = "nominal"
    quantity: Literal["volts", "hertz"] = "volts"
    offset: float = 0.0
    gain: float = 1.0
    first_note: int = 0
    sixteenths: tuple[int, ...] = ()


class RunRecord(Record, frozen=True):
    """One series of readings, with a copy of everything it was taken with.

    law, tolerance, a4_hertz : as they stood.  quantity : what is read; cents are a tuner's.
    meter : the range, None for hertz and cents.  where, plugged : where it was read and what hung on it.
    head : what turned notes into codes.  converter : the channel's DAC, None where no code is known.
    plan : notes to read, in order.  held_hash : of the correction that the board held, where it was asked.
    meter_identity : the meter in its own words, where it was read by itself.
    """

    id: str
    title: str
    gear: str
    serial: str
    port: str
    created: str
    law: str
    tolerance: str
    quantity: Quantity = "volts"
    meter: MeterRecord | None = None
    where: Where = "jack"
    plugged: tuple[PortRef, ...] = ()
    plugged_ohms: tuple[float, ...] = ()
    output_ohms: float | None = None
    celsius: float | None = None
    warm_minutes: float | None = None
    a4_hertz: float = 440.0
    head: HeadRecord = HeadRecord()
    converter: StoredTransfer | None = None
    trimmers: Trimmers = "none"
    plan: tuple[float, ...] = ()
    held_hash: str | None = None
    meter_identity: str = ""

    @property
    def channel(self) -> PortRef:
        return PortRef(self.gear, self.port)

    @property
    def model(self) -> PitchModel:
        """Law and quantity for the mathematics; cents are turned into hertz on the way in."""
        quantity: Literal["volts", "hertz"] = "volts" if self.quantity == "volts" else "hertz"
        return PitchModel(parse_law(self.law), quantity, EqualTemperament(self.a4_hertz))


class ReadingRecord(Record, frozen=True):
    """One reading as it was taken; never edited.  value is in V, Hz or ct as the run's quantity says.

    range_volts : full scale of the range that the meter stood on, where it told.
    """

    id: int
    run: str
    number: int
    note: float
    value: float
    taken: str
    code: int | None = None
    own: float = 0.0
    voided: bool = False
    void_reason: str = ""
    range_volts: float | None = None


class AdoptionRecord(Record, frozen=True):
    """A correction that was adopted for a channel of a unit; the last one for a channel is in force."""

    id: int
    gear: str
    serial: str
    port: str
    run: str
    kind: Literal["trimmer", "constants", "table", "withdrawn"]
    head: HeadRecord
    leaves_cents: float
    expanded_cents: float
    adopted: str


class HeldRecord(Record, frozen=True):
    """A correction as a board holds it, in whole numbers; see `converter/firmware.py`."""

    law: Literal["E", "L"]
    base: int
    scale: int
    first_note: int = 0
    sixteenths: tuple[int, ...] = ()

    @property
    def correction(self) -> BoardCorrection:
        return BoardCorrection(self.law, self.base, self.scale, self.first_note, self.sixteenths)

    @classmethod
    def of(cls, one: BoardCorrection) -> HeldRecord:
        return cls(one.law, one.base, one.scale, one.first_note, one.sixteenths)


class SendRecord(Record, frozen=True):
    """A correction that was sent to a channel of a board; undo never takes it back.

    before : what the channel held until then, read back and stored first.  head : what the bench sent it
    for, None where an older one was put back.  verified : whether the board was found to hold it afterwards;
    each sending has a row of its own for its beginning, and one for its success.
    """

    id: int
    gear: str
    serial: str
    port: str
    at: str
    before: HeldRecord
    after: HeldRecord
    head: HeadRecord | None = None
    verified: bool = False


def in_force(adoptions: Sequence[AdoptionRecord], channel: PortRef, serial: str) -> AdoptionRecord | None:
    """The correction in force for a channel of a unit; None where nominal values hold."""
    mine = [one for one in adoptions if (one.gear, one.port, one.serial) == (channel.gear, channel.port, serial)]
    return mine[-1] if mine and mine[-1].kind != "withdrawn" else None


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
