"""Circuits that remember in a link: which there are, and what clocks, gates or meets them."""

from __future__ import annotations

from collections.abc import Iterator

from dynamis.bench.chains.branches import parts_of
from dynamis.bench.chains.node import between_of
from dynamis.bench.document.bench import Bench, Branch, Link
from dynamis.bench.document.ports import SWITCHING, Port, PortRef
from dynamis.electrics.memory.remembering import GROUND, KIND, Remembering
from dynamis.errors import InputError
from dynamis.transfer.chain import Transfer
from dynamis.transfer.registry import REGISTRY, StoredTransfer


def remembering_in(link: Link | Branch) -> Iterator[Remembering]:
    """Those of a link or a path, from the output on."""
    for k, stored in enumerate(link.between):
        if stored.kind == KIND:
            transfer = REGISTRY.make(f"remembering.{k}", stored)
            if isinstance(transfer, Remembering):
                yield transfer


def scaled_in(part: Link | Branch) -> bool:
    """Whether a circuit that changes its volts stands there already; one that remembers passes them as they are."""
    return any(stored.kind != KIND for stored in part.between)


def with_scaling(between: tuple[StoredTransfer, ...], stored: StoredTransfer) -> tuple[StoredTransfer, ...]:
    """What stands between with one more circuit: behind all that is there, but ahead of those that remember, which are
    to get volts that are right; one that remembers behind all."""
    first = next((k for k, one in enumerate(between) if one.kind == KIND), len(between))
    place = len(between) if stored.kind == KIND else first
    return (*between[:place], stored, *between[place:])


def entering_ohms(part: Link | Branch) -> float | None:
    """The resistance of the first circuit that remembers there, for what stands ahead of it; None where none does."""
    first = next(remembering_in(part), None)
    return None if first is None else first.in_ohms


def driver_of(bench: Bench, circuit: Remembering) -> PortRef | None:
    """The port that clocks or gates a circuit, or is the other signal; None where none was chosen, or it is gone."""
    gear, _, port = circuit.by.partition("/")
    ref = PortRef(gear, port)
    return ref if bench.has(ref) else None


def behind_gate(bench: Bench, link: Link) -> tuple[Transfer, ...] | None:
    """What stands behind the last gated pitch between that lets go of its pitch; None where there is none."""
    if not any(stored.kind == KIND for stored in link.between):
        return None
    transfers = between_of(bench, link) or ()
    gates = [k for k, one in enumerate(transfers) if isinstance(one, Remembering) and one.lets_go]
    return transfers[gates[-1] + 1 :] if gates else None


def drivers_in(bench: Bench, link: Link) -> Iterator[object]:
    """All that verdicts about a link hang on for its circuits that remember: the ports that drive them, and names."""
    for part in parts_of(link):
        if not any(stored.kind == KIND for stored in part.between):
            continue
        for circuit in remembering_in(part):
            ref = driver_of(bench, circuit)
            if ref is not None:
                yield bench.port(ref)
                yield bench.gear_by(ref.gear).name


def drivers(bench: Bench, link: Link, circuit: Remembering) -> list[tuple[str, str]]:
    """(value, words) of the outputs that may drive a circuit in a link: gates, triggers and clocks, or any voltage."""
    found = [(GROUND, "0 V: a rectifier")] if circuit.of.driven_by == "other" else []
    for gear in bench.gear:
        if gear.archived:
            continue
        for port in gear.ports:
            ref = PortRef(gear.id, port.id)
            if port.direction == "output" and ref != link.output and _drives(port, circuit):
                found.append((f"{gear.id}/{port.id}", bench.label(ref)))
    return found


def _drives(port: Port, circuit: Remembering) -> bool:
    if circuit.of.driven_by == "other":
        return port.role in ("pitch", "modulation")
    return port.role in SWITCHING or port.role == "modulation"


def check_driver(bench: Bench, link: Link, circuit: Remembering) -> None:
    """Raises InputError where something else than a port that may drive it is named."""
    if circuit.by and circuit.by not in {value for value, _ in drivers(bench, link, circuit)}:
        raise InputError(
            f"{circuit.by} is no output that can be the {circuit.of.driven_by} of a {circuit.of.title.lower()}."
        )
