"""The commands that change gear, its ports and what is joined; each a pure function with its words for undo."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Gear, Link
from dynamis.bench.document.checks import check_gear, check_link, check_port, named
from dynamis.bench.document.commands import Change, new_id
from dynamis.bench.document.ports import Knob, Port, PortRef, Through
from dynamis.bench.gear.field_values import value_of, with_value
from dynamis.bench.gear.fields import GEAR_FIELDS, Field, link_fields, port_fields
from dynamis.bench.gear.inner_fields import gear_choices, port_choices
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain


def set_port_field(bench: Bench, ref: PortRef, field: Field, value: Any, style: Style = Style()) -> Change:
    """Change one field of a port.  A change of role keeps what both roles have."""
    port = with_value(bench.port(ref), field.path, value)
    check_port(port)
    if field.path == "name":
        port = replace(port, name=_own_name(named(port.name, "port"), bench.gear_by(ref.gear), ref.port))
    changed = bench.with_port(ref, port)
    return Change(f"{bench.label(ref)}: {_to(field, value_of(port, field.path), style)}", changed)


def set_knobs(bench: Bench, ref: PortRef, shares: Mapping[str, float]) -> Change:
    """Say where knobs of a port stand, by name: shares of their turn."""
    port = bench.port(ref)
    knobs = tuple(replace(one, at=shares[one.name]) if one.name in shares else one for one in port.knobs)
    changed = replace(port, knobs=knobs)
    check_port(changed)
    words = ", ".join(f"{name} to {plain(round(100.0 * share))} %" for name, share in shares.items())
    return Change(f"{bench.label(ref)}: {words}", bench.with_port(ref, changed))


def put_knob(bench: Bench, ref: PortRef, knob: Knob, index: int | None = None) -> Change:
    """Add a knob to a port, or put a changed one in the place of the one at an index."""
    port = bench.port(ref)
    knob = replace(knob, name=named(knob.name, "knob"))
    others = [one for k, one in enumerate(port.knobs) if k != index]
    if any(one.name == knob.name for one in others):
        raise InputError(f"{bench.label(ref)} has a knob called {knob.name!r} already; give it another name.")
    if index is None:
        knobs: tuple[Knob, ...] = (*port.knobs, knob)
    else:
        knobs = tuple(knob if k == index else one for k, one in enumerate(port.knobs))
    return _put_port(bench, ref, replace(port, knobs=knobs), f"the knob {knob.name}")


def remove_knob(bench: Bench, ref: PortRef, index: int) -> Change:
    """Take a knob off a port."""
    port = bench.port(ref)
    knobs = tuple(one for k, one in enumerate(port.knobs) if k != index)
    return _put_port(bench, ref, replace(port, knobs=knobs), f"without the knob {port.knobs[index].name}")


def set_through(bench: Bench, ref: PortRef, through: Through) -> Change:
    """Say which inputs of its gear an output follows; it sends its own where it follows none."""
    port = replace(bench.port(ref), through=through if through.ways else None)
    return _put_port(bench, ref, port, "what it follows")


def _put_port(bench: Bench, ref: PortRef, port: Port, words: str) -> Change:
    check_port(port)
    changed = bench.with_port(ref, port)
    check_gear(changed.gear_by(ref.gear))
    return Change(f"{bench.label(ref)}: {words}", changed)


def set_gear_field(bench: Bench, gear_id: str, field: Field, value: Any, style: Style = Style()) -> Change:
    """Change one field of a gear."""
    before = bench.gear_by(gear_id)
    gear = with_value(before, field.path, value)
    check_gear(gear)
    if field.path == "name":
        gear = replace(gear, name=named(gear.name, "gear"))
        if any(one.name == gear.name for one in bench.gear if one.id != gear_id):
            raise InputError(f"There is gear called {gear.name!r} already; give it another name.")
    return Change(f"{before.name}: {_to(field, value_of(gear, field.path), style)}", bench.with_gear(gear))


def set_link_field(bench: Bench, output: PortRef, field: Field, value: Any, style: Style = Style()) -> Change:
    """Change one field of the link that begins at an output."""
    link = bench.link_from(output)
    if link is None:
        raise InputError(f"{bench.label(output)} is joined to nothing yet.")
    return put_link(bench, with_value(link, field.path, value), _to(field, value, style))


def put_link(bench: Bench, link: Link, words: str) -> Change:
    """Put a changed link in the place of the one from its output, or add it."""
    check_link(bench, link)
    before = bench.link_from(link.output)
    if before is None:
        link = replace(link, id=new_id(bench.label(link.output), {one.id for one in bench.links}))
        links = (*bench.links, link)
    else:
        links = tuple(replace(link, id=one.id) if one.id == before.id else one for one in bench.links)
    return Change(f"{bench.label(link.output)}: {words}", replace(bench, links=links))


def add_port(bench: Bench, gear_id: str, port: Port) -> Change:
    """Add a port; its name and id are made unlike the others."""
    gear = bench.gear_by(gear_id)
    name = _own_name(named(port.name, "port"), gear, "")
    added = replace(port, name=name, id=new_id(name, {one.id for one in gear.ports}))
    check_port(added)
    return Change(f"add {gear.name} · {name}", bench.with_gear(replace(gear, ports=(*gear.ports, added))))


def remove_port(bench: Bench, ref: PortRef) -> Change:
    """Take a port away; raises `InputError` while something hangs on it, or it is needed elsewhere."""
    gear = bench.gear_by(ref.gear)
    if bench.link_from(ref) is not None or bench.links_into(ref):
        raise InputError(f"{bench.label(ref)} is joined; part it first.")
    ports = tuple(one for one in gear.ports if one.id != ref.port)
    return Change(f"remove {bench.label(ref)}", bench.with_gear(replace(gear, ports=ports)))


def copy_gear(bench: Bench, gear_id: str) -> Change:
    """Another gear like one, with its ports and settings; its units and links stay with the first."""
    gear = bench.gear_by(gear_id)
    stem = re.sub(r" \d+$", "", gear.name)
    taken = {one.name for one in bench.gear}
    name = next(f"{stem} {k}" for k in range(2, len(taken) + 3) if f"{stem} {k}" not in taken)
    added = replace(gear, id=new_id(name, {one.id for one in bench.gear}), name=named(name, "gear"), units=())
    return Change(f"copy {gear.name}", replace(bench, gear=(*bench.gear, added)))


def archive_gear(bench: Bench, gear_id: str, archived: bool = True) -> Change:
    """Put gear away, or take it out again: its runs stay; what hangs on it is parted."""
    gear, links = bench.gear_by(gear_id), bench.links
    if archived:
        links = tuple(
            link.keeping(tuple(ref for ref in link.inputs if ref.gear != gear_id))
            for link in links
            if link.output.gear != gear_id
        )
    changed = bench.with_gear(replace(gear, archived=archived))
    return Change(f"{'archive' if archived else 'take out'} {gear.name}", replace(changed, links=links))


def dismiss(bench: Bench, caution: str, dismissed: bool = True) -> Change:
    """Show a caution no more on this bench, or again."""
    kept = tuple(one for one in bench.dismissed if one != caution)
    words = f"{'no more' if dismissed else 'again'} the caution {caution.replace('-', ' ')}"
    return Change(words, replace(bench, dismissed=(*kept, caution) if dismissed else kept))


def copy_port(bench: Bench, ref: PortRef) -> Change:
    """Another port like one, on the same gear."""
    change = add_port(bench, ref.gear, replace(bench.port(ref)))
    return Change(f"copy {bench.label(ref)}", change.bench)


def fields_of(bench: Bench, ref: PortRef) -> list[Field]:
    return port_choices(port_fields(bench.port(ref)), bench, ref)


def fields_of_gear(bench: Bench, gear_id: str) -> list[Field]:
    return gear_choices(GEAR_FIELDS, bench, gear_id)


def fields_of_link(bench: Bench, link: Link) -> list[Field]:
    return link_fields([bench.port(ref).role for ref in (link.output, *link.inputs)])


def _to(field: Field, value: Any, style: Style) -> str:
    if field.kind == "flag":
        return f"{field.label.lower()}: {'yes' if value else 'no'}"
    if field.kind == "choice":
        shown = next((words for one, words in field.choices if one == value), "")
    else:
        shown = field.show(value, style)
    return f"{field.label.lower()} to {shown or field.unknown or 'nothing'}"


def _own_name(name: str, gear: Gear, port_id: str) -> str:
    taken = {one.name for one in gear.ports if one.id != port_id}
    return name if name not in taken else next(f"{name} {k}" for k in range(2, 999) if f"{name} {k}" not in taken)
