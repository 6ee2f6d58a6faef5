"""The node that a link ends in: what drives it, what stands between, what hangs on it."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.records import InstrumentRecord
from dynamis.electrics.net import Net, Terminal
from dynamis.electrics.stage import Stage
from dynamis.transfer.chain import Transfer
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.registry import REGISTRY

FloatArray = NDArray[np.float64]
# Circuits of parts are imported when a link has one.
REGISTRY.later("dynamis.electrics.circuits.built", "circuit")
REGISTRY.later("dynamis.electrics.exponential.converter", "exponential", "logarithmic")
REGISTRY.later("dynamis.electrics.memory.remembering", "remembering")


@runtime_checkable
class Driven(Transfer, Protocol):
    """A circuit of parts between, which its sender's own resistance belongs to."""

    def driven_by(self, ohms: float, source: Parameter | None) -> Driven: ...
    def out_ohms(self, world: World) -> FloatArray: ...


def between_of(bench: Bench, link: Link) -> tuple[Transfer, ...] | None:
    """What stands between, each circuit with what it hangs on the one before; None while that cannot be told."""
    transfers: list[Transfer] = []
    port = bench.port(link.output)
    ohms, limit = 0.0 if port.ohms is None and port.pot is not None else port.ohms, port.ohms_limit
    source = f"{link.output.gear}.{link.output.port}"
    label = f"{bench.gear_by(link.output.gear).name} {port.name}"
    for k, stored in enumerate(link.between):
        transfer = REGISTRY.make(f"{link.id}.{k}", stored)
        if isinstance(transfer, Driven):
            if ohms is None:
                return None
            own = Terminal(source, label, ohms, True, limit).parameter if ohms and k == 0 else None
            transfer = transfer.driven_by(ohms, own)
            ohms, limit = float(transfer.out_ohms(NOMINAL)), 0.0
        if isinstance(transfer, Stage):
            if ohms is None:
                return None
            before = Terminal(f"{link.id}.{k}.before", "the output", ohms, True, limit)
            after = Terminal(f"{link.id}.{k}.in", "the circuit", transfer.in_ohms, False)
            transfers.append(Net(f"{link.id}.{k}.node", (before, after)).transfer(before.id, after.id))
            ohms, limit = transfer.out_ohms, 0.0
        transfers.append(transfer)
    return tuple(transfers)


def driving(bench: Bench, link: Link) -> Terminal | None:
    """What the inputs of a link hang on: its output, or the last circuit between; None while that is not known."""
    ref, port = link.output, bench.port(link.output)
    terminal_id, label = f"{ref.gear}.{ref.port}", f"{bench.gear_by(ref.gear).name} {port.name}"
    if all(REGISTRY.knows(stored) for stored in link.between):
        for one in reversed(between_of(bench, link) or ()):
            if isinstance(one, Stage):
                return Terminal(terminal_id, label, one.out_ohms, True)
            if isinstance(one, Driven):
                return Terminal(terminal_id, label, float(one.out_ohms(NOMINAL)), True, behind=one)
    return None if port.ohms is None else Terminal(terminal_id, label, port.ohms, True, port.ohms_limit)


METER = "meter"


def link_net(bench: Bench, link: Link, meter: InstrumentRecord | None = None) -> Net | None:
    """The node of a link, other outputs on it included; None while a resistance is not known.

    meter : hangs on it too, as the terminal `METER`, while it is plugged.
    """
    terminals: list[Terminal] = []
    for one in (link, *rivals_of(bench, link)):
        output = driving(bench, one)
        if output is None:
            return None
        terminals.append(output)
    for ref in link.inputs:
        port = bench.port(ref)
        if port.ohms is None:
            return None
        label = f"{bench.gear_by(ref.gear).name} {port.name}"
        terminals.append(Terminal(f"{ref.gear}.{ref.port}", label, port.ohms, False, port.ohms_limit, port.rest_volts))
    if meter is not None:
        terminals.append(Terminal(METER, meter.name, meter.input_ohms, False))
    return Net(f"{link.id}.node", tuple(terminals))


def missing_ohms(bench: Bench, link: Link) -> str:
    """The port, in words, whose resistance a link's node lacks."""
    outputs = [one.output for one in (link, *rivals_of(bench, link)) if driving(bench, one) is None]
    inputs = [ref for ref in link.inputs if bench.port(ref).ohms is None]
    return " and ".join(bench.label(ref) for ref in (*outputs, *inputs))


def rivals_of(bench: Bench, link: Link) -> list[Link]:
    """The other links whose outputs drive an input that hangs on this one's output now.

    link : or a path that goes through a multiple, whose output is that which feeds the multiple.
    """
    now = bench.link_from(link.output)
    joined = set(() if now is None else now.inputs)
    if now is not None and now.id != link.id:
        joined |= {sink for sink in link.inputs if any(one.id == link.id for one in bench.links_into(sink))}
    own = {now.id if now is not None else "", link.id}
    rivals = {one.id: one for sink in joined for one in bench.links_into(sink) if one.id not in own}
    return [rivals[key] for key in sorted(rivals)] if len(rivals) > 1 else list(rivals.values())
