"""A circuit that remembers for a link: begun, changed, in words, and put between."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any, Final

from dynamis.bench.chains.branches import own_part, with_part
from dynamis.bench.chains.remembered import check_driver, remembering_in
from dynamis.bench.chains.tree import path_in
from dynamis.bench.designing.between import joined, op_amp_for, supply_from
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.commands import put_link
from dynamis.bench.judging.remembering import cents_per_volt
from dynamis.electrics.memory.kinds import KINDS
from dynamis.electrics.memory.remembering import KIND, Remembering, remembering
from dynamis.electrics.series import values_between
from dynamis.errors import InputError
from dynamis.notation.style import Style

# How long a note is held before the next clock, and the largest film capacitor that is handy; common practice, no
# source.
_HELD_SECONDS: Final = 1.0
_MOST_FARADS: Final = 2.2e-6


def memory_for(bench: Bench, link: Link, sink: PortRef, kind: str) -> Remembering:
    """The circuit of a kind that stands ahead of an input, or one to begin with, from the rails at hand.

    Raises InputError where there are none, or the link cannot be followed.
    """
    there = next((one for one in remembering_in(path_in(bench, link, sink)) if one.kind == kind), None)
    if there is not None:
        return there
    rails = bench.rails_for(link)
    if not rails:
        raise InputError(f"A {KINDS[kind].title.lower()} has op-amps, and no rails are at hand for them.")
    supply = supply_from(rails)
    fresh = remembering("between", kind, supply, op_amp_for(supply).name)
    return fresh if not fresh.holds else _holding(bench, link, sink, fresh)


def _holding(bench: Bench, link: Link, sink: PortRef, circuit: Remembering) -> Remembering:
    """A hold with the least capacitor that can be bought of which a second stays within the tightest tolerance."""
    path = path_in(bench, link, sink)
    worth = cents_per_volt(bench, path, sink) if bench.port(sink).role == "pitch" else None
    if worth is None or not math.isfinite(path.tightest_cents) or path.tightest_cents <= 0:
        return circuit
    least = circuit.leak_amperes * worth * _HELD_SECONDS / path.tightest_cents
    sizes = values_between(least, 10.0 * least, "E12")
    return changed(circuit, farads=min(max(sizes[0] if sizes else least, circuit.farads), _MOST_FARADS))


def kind_between(link: Link, sink: PortRef) -> str:
    """The kind of the circuit that remembers ahead of an input of a link, of the last one; "" for none."""
    part = own_part(link, sink)
    return next((one.kind for one in reversed([*remembering_in(link), *remembering_in(part)])), "")


def changed(circuit: Remembering, **values: Any) -> Remembering:
    """The circuit with other values; raises InputError where they make none."""
    now = {key: getattr(circuit, key) for key in ("ohms", "farads", "leak_amperes", "when_off", "by")} | values
    if now["when_off"] != circuit.when_off:
        now.update(ohms=None, farads=None)  # other parts, with values of their own
    return replace(remembering(circuit.id, circuit.kind, circuit.supply, circuit.op_amp, **now), id=circuit.id)


def use_memory(bench: Bench, output: PortRef, sink: PortRef, circuit: Remembering, on_branch: bool = False) -> Change:
    """The two joined with a circuit that remembers between, in the place of one of its kind."""
    bench, link = joined(bench, output, sink, on_branch)
    check_driver(bench, link, circuit)
    part = own_part(link, sink)
    stored = circuit.stored()
    kept = tuple(one for one in part.between if (one.kind, one.values.get("kind")) != (KIND, circuit.kind))
    title = circuit.of.title
    return put_link(bench, with_part(link, sink, between=(*kept, stored)), f"put a {title.lower()} between")


def memory_figures(
    bench: Bench, link: Link, sink: PortRef, circuit: Remembering, style: Style
) -> list[tuple[str, str, str]]:
    """(what, how much, where it comes from) of a circuit that would stand in a link."""
    path = path_in(bench, link, sink)
    worth = cents_per_volt(bench, path, sink) if bench.port(sink).role == "pitch" else None
    rows: list[tuple[str, str, str]] = []
    if circuit.tau_seconds and (circuit.holds or circuit.floats or circuit.kind == "glide"):
        rows.append(("time constant", style.engineering(circuit.tau_seconds, "s"), "R1 · C1"))
    if circuit.holds or circuit.kind == "glide":
        within = circuit.settles_seconds(1.0 / 1200.0)
        rows.append(("an octave's jump to 1 ct", style.engineering(within, "s"), "R1 · C1 · ln 1200"))
    if circuit.holds:
        droop = circuit.droop_volts_per_second
        rows.append(("droop", f"{style.engineering(droop, 'V')}/s", "leak / C1"))
        if worth is not None:
            rows.append(("droop in cents", f"{style.cents(droop * worth)} ct/s", "at the lowest note used"))
    if circuit.floats:
        rows.append(("down to a hundredth", style.engineering(circuit.settles_seconds(0.01), "s"), "R1 · C1 · ln 100"))
    offset = style.engineering(circuit.offset_limit_volts, "V")
    rows.append(
        (
            "offset at most",
            f"± {offset}",
            "offsets of its op-amps" + (", bias through R1" if circuit.kind == "glide" else ""),
        )
    )
    if worth is not None:
        rows.append(
            ("offset in cents", f"± {style.cents(circuit.offset_limit_volts * worth)} ct", "at the lowest note used")
        )
    for words, volts in (("from", circuit.low_volts or 0.0), ("to", circuit.high_volts or 0.0)):
        why = "ground" if circuit.rectifies and volts == 0.0 else "where its op-amps end"
        rows.append((words, style.volts(volts, 2), why))
    return rows


TITLES = tuple((one.name, one.title) for one in KINDS.values())
