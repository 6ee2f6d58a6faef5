"""Benches on the command line: reading one, and picking a channel of a unit by the names people gave."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from dynamis.bench.chains.branches import own_part
from dynamis.bench.document.bench import Bench, Gear, Link, Unit
from dynamis.bench.document.ports import Port, PortRef
from dynamis.errors import InputError
from dynamis.files.bench_json import read_json
from dynamis.files.contents import Contents, everything
from dynamis.files.store import BenchFile
from dynamis.notation.safe import quoted

Named = TypeVar("Named", Gear, Unit, Port)


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
    serial = pick_unit(chosen, unit)
    port = _pick("--channel", channel, _outputs(chosen), lambda one: one.name, f"pitch output of {chosen.name}")
    return PortRef(chosen.id, port.id), serial.serial


def pick_gear(contents: Contents, gear: str | None) -> Gear:
    """The gear with units that an option names; where none is named, the only one with runs, or the only one."""
    every = [one for one in contents.bench.gear if one.units]
    read = [one for one in every if any(run.gear == one.id for run in contents.runs)]
    return _pick("--gear", gear, read if gear is None and read else every, lambda one: one.name, "gear with units")


def pick_unit(gear: Gear, unit: str | None) -> Unit:
    return _pick("--unit", unit, gear.units, lambda one: one.serial, f"unit of {gear.name}")


def pick_link(contents: Contents, name: str | None) -> tuple[Link, PortRef]:
    """The link and its input that `GEAR / PORT > GEAR / PORT` names, among those with a circuit between.

    One that there is only once need not be named; raises `InputError` with the choices there are.
    """
    bench = contents.bench
    every = {
        f"{_named(bench, link.output)} > {_named(bench, sink)}": (link, sink)
        for link in bench.links
        for sink in link.inputs
    }
    built = {text: pair for text, pair in every.items() if _has_circuit(*pair)}
    choices = ", ".join(repr(text) for text in built)
    if not built:
        raise InputError("--link: no link of this bench has a circuit between.")
    if name is None:
        if len(built) > 1:
            raise InputError(f"--link is missing; there are {choices}.")
        return next(iter(built.values()))
    wanted = _plain(name)
    found = next((pair for text, pair in built.items() if _plain(text) == wanted), None)
    if found is not None:
        return found
    if any(_plain(text) == wanted for text in every):
        raise InputError(f"--link: nothing stands between {quoted(name)}; links with a circuit are {choices}.")
    raise InputError(f"--link: there is no link {quoted(name)}; those with a circuit are {choices}.")


def _has_circuit(link: Link, sink: PortRef) -> bool:
    """Whether a circuit stands ahead of an input: ahead of all, or on its branch."""
    return any(part.between or part.gate_stages for part in (link, own_part(link, sink)))


def _plain(text: str) -> str:
    return " ".join(text.replace("/", " / ").replace(">", " > ").split()).casefold()


def _named(bench: Bench, ref: PortRef) -> str:
    return f"{bench.gear_by(ref.gear).name} / {bench.port(ref).name}"


def _outputs(gear: Gear) -> list[Port]:
    return [port for port in gear.ports if port.direction == "output" and port.role == "pitch"]


def _pick(option: str, name: str | None, items: Sequence[Named], named: Callable[[Named], str], what: str) -> Named:
    choices = ", ".join(repr(named(item)) for item in items)
    if not items:
        raise InputError(f"{option}: there is no {what} on this bench.")
    if name is None:
        if len(items) > 1:
            raise InputError(f"{option} is missing; there are {choices}.")
        return items[0]
    matching = [item for item in items if named(item) == name]
    matching = matching or [item for item in items if named(item).casefold() == name.strip().casefold()]
    if len(matching) == 1:
        return matching[0]
    if matching:
        raise InputError(f"{option}: there are {len(matching)} called {quoted(name)}.")
    raise InputError(
        f"{option}: there is no {what} called {quoted(name)}; there {'is' if len(items) == 1 else 'are'} {choices}."
    )
