"""Benches on the command line: reading one, and picking a channel of a unit by the names people gave."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from dynamis.bench.document import Gear, Unit
from dynamis.bench.ports import Port, PortRef
from dynamis.errors import InputError
from dynamis.files.bench_json import read_json
from dynamis.files.contents import Contents, everything
from dynamis.files.store import BenchFile

Item = TypeVar("Item", Gear, Unit, Port)


def read_bench(path: Path) -> Contents:
    """Everything that a bench holds, from its file or from its JSON; neither is changed."""
    if path.suffix.lower() == ".json":
        return read_json(path)
    with BenchFile.open(path, write=False) as opened:
        return everything(opened)


def pick_channel(contents: Contents, gear: str | None, unit: str | None, channel: str | None) -> tuple[PortRef, str]:
    """The channel and serial that the options name; one that there is only once need not be named.

    Raises `InputError` with the choices there are for what is missing, ambiguous or not there.
    """
    boards = [one for one in contents.bench.gear if one.units and _outputs(one)]
    chosen = _pick("--gear", gear, boards, lambda one: one.name, "gear with units and a pitch output")
    serial = _pick("--unit", unit, chosen.units, lambda one: one.serial, f"unit of {chosen.name}")
    port = _pick("--channel", channel, _outputs(chosen), lambda one: one.name, f"pitch output of {chosen.name}")
    return PortRef(chosen.id, port.id), serial.serial


def _outputs(gear: Gear) -> list[Port]:
    return [port for port in gear.ports if port.direction == "output" and port.role == "pitch"]


def _pick(option: str, name: str | None, items: Sequence[Item], named: Callable[[Item], str], what: str) -> Item:
    choices = ", ".join(repr(named(item)) for item in items)
    if not items:
        raise InputError(f"{option}: there is no {what} on this bench.")
    if name is None:
        if len(items) > 1:
            raise InputError(f"{option} is missing; there are {choices}.")
        return items[0]
    found = [item for item in items if named(item) == name]
    found = found or [item for item in items if named(item).casefold() == name.strip().casefold()]
    if len(found) == 1:
        return found[0]
    if found:
        raise InputError(f"{option}: there are {len(found)} called {name!r}.")
    raise InputError(
        f"{option}: there is no {what} called {name!r}; there {'is' if len(items) == 1 else 'are'} {choices}."
    )
