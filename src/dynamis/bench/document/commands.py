"""The commands that change the document: pure functions bench -> bench, each with the words for undo."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, TypedDict, Unpack

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Gear, Item, Link, Unit
from dynamis.bench.document.checks import check_gear, check_link, check_port, named
from dynamis.bench.document.ports import PortRef, PotRecord, Trimmers, VoltSpan
from dynamis.bench.document.records import InstrumentRecord
from dynamis.bench.document.tuning import TuningRecord
from dynamis.electrics.gates.candidate import Rails, rail_words
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.registry import StoredTransfer


@dataclass(frozen=True)
class Change:
    """A changed bench, and what the change was in words for the undo menu."""

    label: str
    bench: Bench


class LinkValues(TypedDict, total=False):
    """What of a link can be changed by itself."""

    tolerance: str
    low_note: float
    high_note: float


class PortValues(TypedDict, total=False):
    """What of a port can be changed by itself."""

    name: str
    law: str | None
    ohms: float | None
    ohms_limit: float
    trimmers: Trimmers
    transfers: tuple[StoredTransfer, ...]
    bears: VoltSpan
    pot: PotRecord | None


def rename(bench: Bench, name: str) -> Change:
    return Change(f"rename the bench to {named(name, 'bench')}", replace(bench, name=named(name, "bench")))


def set_a4(bench: Bench, hertz: float) -> Change:
    """Tune the bench: the frequency of note 69.  Runs keep the one they were taken with."""
    EqualTemperament(hertz)
    return Change(f"A4 to {plain(hertz)} Hz", replace(bench, a4_hertz=hertz))


def set_rails(bench: Bench, rails: tuple[Rails, ...]) -> Change:
    """Say which supplies are at hand for circuits between; none at all is an answer too."""
    words = " and ".join(rail_words(one) for one in rails) or "none"
    return Change(f"rails at hand: {words}", replace(bench, rails=rails))


def set_tuning(bench: Bench, tuning: TuningRecord | None) -> Change:
    """Tune the bench key by key, or equally again."""
    words = "equal temperament" if tuning is None else tuning.name
    return Change(f"tune the bench: {words}", replace(bench, tuning=tuning))


def add_gear(bench: Bench, *added: Gear, link: Link | None = None) -> Change:
    """Add gear, and the link between its ports where there is one."""
    for gear in added:
        name = named(gear.name, "gear")
        if any(one.name == name for one in bench.gear):
            raise InputError(f"There is gear called {name!r} already; give it another name.")
        check_gear(gear)
        bench = replace(bench, gear=(*bench.gear, gear))
    links = bench.links if link is None else (*bench.links, link)
    return Change(f"add {' and '.join(gear.name for gear in added)}", replace(bench, links=links))


def add_unit(bench: Bench, gear_id: str, serial: str) -> Change:
    gear = bench.gear_by(gear_id)
    serial = named(serial, "unit")
    if any(unit.serial == serial for unit in gear.units):
        raise InputError(f"{gear.name} has a unit {serial!r} already.")
    changed = replace(gear, units=(*gear.units, Unit(serial)))
    return Change(f"add unit {serial} of {gear.name}", bench.with_gear(changed))


def add_meter(bench: Bench, meter: InstrumentRecord) -> Change:
    """Add an instrument, or put a changed one in the place of the one with its id."""
    known = any(one.id == meter.id for one in bench.meters)
    meters = _put(bench.meters, meter) if known else (*bench.meters, meter)
    word = "change" if known else "add"
    what = "meter" if meter.kind == "meter" else "instrument"
    return Change(f"{word} the {what} {meter.label}", replace(bench, meters=meters))


def change_instrument(bench: Bench, meter: InstrumentRecord) -> Change:
    """Put a changed instrument in the place of the one with its id: its name and input resistance are those of all its
    ranges."""
    old = bench.meter(meter.id)
    ranges = {one.id for one in ranges_of(bench, old)}
    shared = {"name": meter.name, "input_ohms": meter.input_ohms}
    meters = tuple(
        meter if one.id == meter.id else replace(one, **shared) if one.id in ranges else one for one in bench.meters
    )
    return Change(f"change the instrument {meter.label}", replace(bench, meters=meters))


def archive_instrument(bench: Bench, meter_id: str, archived: bool = True) -> Change:
    """Put an instrument away with all its ranges, or take it out again; runs keep their copies of it."""
    one = bench.meter(meter_id)
    mine = {each.id for each in ranges_of(bench, one)}
    meters = tuple(replace(each, archived=archived) if each.id in mine else each for each in bench.meters)
    return Change(f"{'archive' if archived else 'take out'} {one.name}", replace(bench, meters=meters))


def ranges_of(bench: Bench, meter: InstrumentRecord) -> list[InstrumentRecord]:
    """All ranges of an instrument; itself, where it has only one."""
    return [one for one in bench.meters if (one.name, one.kind) == (meter.name, meter.kind)]


def set_link(bench: Bench, link_id: str, **values: Unpack[LinkValues]) -> Change:
    """Change fields of a link."""
    link = bench.link(link_id)
    changed = replace(link, **values)
    check_link(bench, changed)
    what = ", ".join(f"{key.replace('_', ' ')} to {_shown(value)}" for key, value in values.items())
    return Change(f"{bench.label(link.output)}: {what}", replace(bench, links=_put(bench.links, changed)))


def join(bench: Bench, output: PortRef, sink: PortRef, *, beside: bool = False) -> Change:
    """Plug an input into an output.  It leaves the output that it hung on, unless it shall hang `beside` it."""
    link, words = bench.link_from(output), f"join {bench.label(output)} and {bench.label(sink)}"
    if link is not None and sink in link.inputs:
        raise InputError(f"{bench.label(output)} and {bench.label(sink)} are joined already.")
    links = list(bench.links)
    others = bench.links_into(sink)
    if others and not beside:
        links = [
            one.keeping(tuple(ref for ref in one.inputs if ref != sink)) if one in others else one for one in links
        ]
        words += f", parting {' and '.join(bench.label(one.output) for one in others)} from it"
    if link is None:
        links.append(Link(new_id(bench.label(output), {one.id for one in links}), output, (sink,)))
    else:
        links = [replace(one, inputs=(*one.inputs, sink)) if one.id == link.id else one for one in links]
    return Change(words, replace(bench, links=tuple(links)))


def part(bench: Bench, output: PortRef, sink: PortRef) -> Change:
    """Unplug an input; the link stays, with its tolerance and its notes."""
    link = bench.link_from(output)
    if link is None or sink not in link.inputs:
        raise InputError(f"{bench.label(output)} and {bench.label(sink)} are not joined.")
    inputs = tuple(one for one in link.inputs if one != sink)
    label = f"part {bench.label(output)} and {bench.label(sink)}"
    return Change(label, replace(bench, links=_put(bench.links, link.keeping(inputs))))


def set_port(bench: Bench, ref: PortRef, **values: Unpack[PortValues]) -> Change:
    """Change fields of a port."""
    port = replace(bench.port(ref), **values)
    check_port(port)
    what = ", ".join(f"{key.replace('_', ' ')} to {_told(value)}" for key, value in values.items())
    return Change(f"{bench.label(ref)}: {what}", bench.with_port(ref, port))


def set_transfer(bench: Bench, ref: PortRef, kind: str, **values: float | str | list[float] | None) -> Change:
    """Change values of the transfer of a kind that a port has; None takes a value away."""
    port = bench.port(ref)
    index = next((k for k, stored in enumerate(port.transfers) if stored.kind == kind), None)
    if index is None:
        raise InputError(f"{bench.label(ref)} has no {kind}.")
    old = port.transfers[index]
    merged = {key: value for key, value in {**old.values, **values}.items() if value is not None}
    stored = StoredTransfer(old.kind, old.version, merged)
    changed = replace(port, transfers=(*port.transfers[:index], stored, *port.transfers[index + 1 :]))
    check_port(changed)
    what = ", ".join(f"{key.replace('_', ' ')} to {_told(value)}" for key, value in values.items())
    return Change(f"{bench.label(ref)}: {what}", bench.with_port(ref, changed))


def new_id(name: str, taken: set[str]) -> str:
    """A short id made of a name, unlike those taken."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "item"
    candidate, number = base, 2
    while candidate in taken:
        candidate, number = f"{base}-{number}", number + 1
    return candidate


def _put(items: tuple[Item, ...], changed: Item) -> tuple[Item, ...]:
    return tuple(changed if item.id == changed.id else item for item in items)


def _told(value: object) -> str:
    """A value in the words of an undo; a table is only counted."""
    return f"a table of {len(value)}" if isinstance(value, list) else _shown(value)


def _shown(value: Any) -> str:
    if value is None:
        return "not known"
    return plain(value) if isinstance(value, int | float) else str(value)
