"""A link is a tree: from one of its inputs it is seen as a link without branches.

What hangs elsewhere on the node that a branch leaves stays in it as a load, so that all that asks a link (the chain,
the verdict, what a circuit has to do) asks the one path to its input, and counts the whole tree.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

from msgspec.structs import replace

from dynamis.bench.chains.branches import own_part
from dynamis.bench.document.bench import Bench, Branch, Link
from dynamis.bench.document.limits import MOST_INPUTS
from dynamis.bench.document.ports import PortRef
from dynamis.electrics.branch_node import BranchNode
from dynamis.electrics.net import Terminal
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.transfer.chain import Transfer
from dynamis.transfer.registry import REGISTRY, StoredTransfer

# Gears that stand behind each other.
MOST_DEEP: Final = 8
_MOST_STEPS: Final = 1000


def trial_link(link: Link | None, output: PortRef, sink: PortRef) -> Link:
    """The link of an output as it would be with an input on it; a new one where there is none."""
    if link is None:
        return Link(f"{output.gear}.{output.port}>", output, (sink,))
    if sink in link.inputs:
        return link
    return replace(link, inputs=(*link.inputs, sink))


def path_of(bench: Bench, output: PortRef, sink: PortRef) -> Link:
    """The path from an output to an input, joined or not, as a link of its own.  Raises `InputError` as `path_in`."""
    return path_in(bench, trial_link(bench.link_from(output), output, sink), sink)


def path_in(bench: Bench, link: Link, sink: PortRef, seen: tuple[PortRef, ...] = ()) -> Link:
    """The path to one input of a link as a link without branches: what stands ahead of it in its order, the inputs that
    hang on the same node, and the rest of the tree as loads.

    A passive multiple is one node with what feeds it: the path begins there then.  Raises `InputError` while a
    resistance that loads the way is not known, where nothing feeds a multiple, and where a tree feeds itself.
    """
    through = bench.port(link.output).through
    plain = not link.branches and (through is None or through.kind != "joined")
    if plain and not any(_joined_outputs(bench, ref) for ref in link.inputs):
        return link
    site, own = site_in(bench, link, sink, seen), own_part(link, sink)
    if site.ahead.gate_stages and (own.between or site.ahead.between):
        raise InputError(
            f"what stands ahead of all inputs of {bench.label(link.output)} is a circuit for gates, and a branch is "
            "reckoned behind circuits of gain and offset only; put it on the branches"
        )
    return replace(
        site.ahead,
        between=(*site.ahead.between, *own.between, *_node(f"{link.id}.node", site.loads)),
        gate_stages=(*site.ahead.gate_stages, *own.gate_stages),
    )


def why_no_path(bench: Bench, link: Link, sink: PortRef) -> str:
    """Why there is no path to an input yet; "" where there is one."""
    try:
        path_in(bench, link, sink)
        refuse_ring(bench, link.output)
    except InputError as error:
        return str(error)
    return ""


def refuse_ring(bench: Bench, output: PortRef) -> None:
    """Raises `InputError` where any way into an output comes from itself, or from too far."""
    done: set[PortRef] = set()
    trail: list[PortRef] = []

    def look(ref: PortRef) -> None:
        if ref in trail or len(trail) > MOST_DEEP:
            fed_from(bench, ref, tuple(trail))  # says which of both
            return
        if ref in done:
            return
        done.add(ref)
        trail.append(ref)
        through = bench.port(ref).through
        for way in () if through is None else through.ways:
            for feeding in bench.links_into(PortRef(ref.gear, way.input))[:1]:
                look(feeding.output)
        trail.pop()

    look(output)


@dataclass(frozen=True)
class Site:
    """Where the circuits of an input's own stand.

    ahead : the path up to there, as a link without branches; its inputs hang behind the circuits.  loads : what else
    hangs there.
    """

    ahead: Link
    loads: tuple[Terminal, ...] = ()


def site_in(bench: Bench, link: Link, sink: PortRef, seen: tuple[PortRef, ...] = ()) -> Site:
    """Where what stands ahead of an input is kept: on its branch, or ahead of all.  Raises as `path_in`."""
    branch, output, upstream = link.branch_of(sink), link.output, tuple[StoredTransfer, ...]()
    through = bench.port(output).through
    if through is not None and through.kind == "joined":
        output, upstream = _upstream(bench, link, seen)
    mine = link.inputs if branch is None else branch.inputs
    inputs = tuple(ref for ref in mine if ref == sink or not _joined_outputs(bench, ref))
    passed = [load for ref in mine if ref not in inputs for load in _hanging(bench, ref)]
    if branch is None:
        inputs = tuple(ref for ref in inputs if link.branch_of(ref) is None)
        loads = [*passed, *(load for one in link.branches for load in _entering(link, one))]
        ahead = replace(link, output=output, inputs=inputs, between=upstream, gate_stages=(), branches=())
        return Site(ahead, tuple(loads))
    trunk = [load for ref in link.inputs if link.branch_of(ref) is None for load in _hanging(bench, ref)]
    others = [load for one in link.branches if one is not branch for load in _entering(link, one)]
    between = (*upstream, *link.between, *_node(f"{link.id}.trunk", (*trunk, *others)))
    return Site(replace(link, output=output, inputs=inputs, between=between, branches=()), tuple(passed))


def _upstream(bench: Bench, link: Link, seen: tuple[PortRef, ...]) -> tuple[PortRef, tuple[StoredTransfer, ...]]:
    """(where the path to a multiple begins, all that stands between there and its node)."""
    entry = fed_from(bench, link.output, seen)
    if entry is None:
        raise InputError(
            f"nothing feeds {bench.label(link.output)}, which is one node with an input of its gear; join that first"
        )
    feeding, into = entry
    ahead = path_in(bench, feeding, into, (*seen, link.output))
    if ahead.gate_stages:
        raise InputError(
            f"a circuit for gates stands ahead of {bench.label(into)}, which is passed on; put it behind the multiple"
        )
    loads = [load for ref in ahead.inputs if ref != into for load in _hanging(bench, ref)]
    loads += [load for one in _beside(bench, link.output, into) for load in _trunk(bench, one)]
    return ahead.output, (*ahead.between, *_node(f"{link.id}.multiple", tuple(loads)))


def fed_from(bench: Bench, output: PortRef, seen: tuple[PortRef, ...] = ()) -> tuple[Link, PortRef] | None:
    """What feeds an output that follows inputs of its gear: the link into the first of them that is joined, and that
    input; None where none is.  Raises `InputError` where a tree feeds itself, or is too deep to be followed."""
    if output in seen:
        raise InputError(f"{bench.label(output)} feeds itself by what it is joined to; part a link of that ring")
    if len(seen) >= MOST_DEEP:
        raise InputError(f"more than {MOST_DEEP} gears stand behind each other ahead of {bench.label(output)}")
    through = bench.port(output).through
    for way in () if through is None else through.ways:
        entry = PortRef(output.gear, way.input)
        feeding = next(iter(bench.links_into(entry)), None)
        if feeding is not None:
            return feeding, entry
    return None


def origin_of(bench: Bench, output: PortRef) -> PortRef:
    """The output that an output follows in the end, through all gear between; itself where it follows none."""
    seen: tuple[PortRef, ...] = ()
    while (entry := fed_from(bench, output, seen)) is not None:
        seen, output = (*seen, output), entry[0].output
    return output


def fed_by(bench: Bench, output: PortRef) -> tuple[object, ...]:
    """All records that what an output sends hangs on, beyond its own port: the links into its gear, and what feeds
    them."""
    through = bench.port(output).through
    if through is None:
        return ()
    found: list[object] = []
    seen, open_refs = {output}, [output]
    while open_refs and len(seen) <= MOST_DEEP * MOST_INPUTS:
        ref = open_refs.pop()
        gear, through = bench.gear_by(ref.gear), bench.port(ref).through
        found += [gear.ports, gear.units]
        links = (
            []
            if through is None
            else [link for way in through.ways for link in bench.links_into(PortRef(ref.gear, way.input))]
        )
        if through is not None and through.kind == "joined":
            links += [link for way in through.ways for link in _beside(bench, ref, PortRef(ref.gear, way.input))]
        for link in links:
            found += [link, *(bench.port(one) for one in link.inputs)]
            if link.output not in seen:
                seen.add(link.output)
                open_refs.append(link.output)
    return tuple(found)


def hung_behind(bench: Bench, ref: PortRef) -> tuple[object, ...]:
    """All records that hang on an input through a passive multiple."""
    if not passes_on(bench, ref):
        return ()
    found: list[object] = []
    seen, open_refs = {ref}, [ref]
    while open_refs:
        for output in _joined_outputs(bench, open_refs.pop()):
            link = bench.link_from(output)
            found.append(link)
            for sink in () if link is None else link.inputs:
                found.append(bench.port(sink))
                if sink not in seen:
                    seen.add(sink)
                    open_refs.append(sink)
    return tuple(found)


def passes_on(bench: Bench, ref: PortRef) -> list[PortRef]:
    """The outputs of its gear that follow an input."""
    gear = bench.gear_by(ref.gear)
    return [
        PortRef(gear.id, port.id)
        for port in gear.ports
        if port.through is not None and any(way.input == ref.port for way in port.through.ways)
    ]


def _node(node_id: str, loads: tuple[Terminal, ...]) -> tuple[StoredTransfer, ...]:
    return (BranchNode(node_id, loads).stored(),) if loads else ()


def _joined_outputs(bench: Bench, ref: PortRef) -> list[PortRef]:
    """The outputs that are one node with an input."""
    found = []
    for one in passes_on(bench, ref):
        through = bench.port(one).through
        if through is not None and through.kind == "joined":
            found.append(one)
    return found


def _beside(bench: Bench, output: PortRef, entry: PortRef) -> list[Link]:
    """The links of the other outputs of a multiple."""
    links = [bench.link_from(one) for one in _joined_outputs(bench, entry) if one != output]
    return [one for one in links if one is not None]


class _Walk:
    """Counts what was looked at, so that a file with multiples in each other's rings ends in a sentence."""

    def __init__(self) -> None:
        self._steps = 0

    def step(self, bench: Bench, ref: PortRef) -> None:
        self._steps += 1
        if self._steps > _MOST_STEPS:
            raise InputError(f"too much hangs on {bench.label(ref)} by passive multiples; part some of it")


def _hanging(bench: Bench, ref: PortRef, walk: _Walk | None = None, deep: int = 0) -> Iterator[Terminal]:
    """An input as a load; of a passive multiple what hangs on its outputs."""
    walk = walk or _Walk()
    walk.step(bench, ref)
    outputs = _joined_outputs(bench, ref)
    if outputs:
        if deep >= MOST_DEEP:
            raise InputError(f"more than {MOST_DEEP} gears stand behind each other at {bench.label(ref)}")
        for one in outputs:
            link = bench.link_from(one)
            if link is not None:
                yield from _trunk(bench, link, walk, deep + 1)
        return
    port = bench.port(ref)
    if port.ohms is None:
        raise InputError(f"measure the resistance of {bench.label(ref)} first: it hangs on the same output")
    label = f"{bench.gear_by(ref.gear).name} {port.name}"
    yield Terminal(f"{ref.gear}.{ref.port}", label, port.ohms, False, port.ohms_limit, port.rest_volts)


def _trunk(bench: Bench, link: Link, walk: _Walk | None = None, deep: int = 0) -> Iterator[Terminal]:
    """What a link hangs on the node that it begins at."""
    if link.between or link.gate_stages:
        yield from _entering(link, Branch(link.inputs, link.between, link.gate_stages))
        return
    for ref in link.inputs:
        if link.branch_of(ref) is None:
            yield from _hanging(bench, ref, walk, deep)
    for branch in link.branches:
        yield from _entering(link, branch)


def _entering(link: Link, branch: Branch) -> Iterator[Terminal]:
    """What the first thing on a branch hangs on the node that the branch leaves."""
    from dynamis.electrics.gates.entering import entering_ohms

    index = link.branches.index(branch) if branch in link.branches else -1
    label, key = "what stands on a branch", f"{link.id}.branch{index}.in"
    if branch.between:
        ohms, rest = _entered(REGISTRY.make(key, branch.between[0]))
    elif branch.gate_stages:
        ohms, rest = entering_ohms(branch.gate_stages[0].circuit, branch.gate_stages[0].parts)
    else:
        return
    if ohms is not None:
        yield Terminal(key, label, ohms, False, 0.0, rest)


_TRIED_OHMS = 1000.0


def _entered(transfer: Transfer) -> tuple[float | None, float]:
    """(ohms, volts behind them) of a circuit's input; None where it takes no current.

    A resistance ahead of a linear input takes a share of its volts: how large a share tells what it hangs on.
    """
    from dynamis.bench.chains.node import Driven
    from dynamis.transfer.parameter import NOMINAL

    if isinstance(transfer, Stage):
        return transfer.in_ohms, 0.0
    if not isinstance(transfer, Driven):
        return None, 0.0
    stiff, soft = transfer.driven_by(0.0, None), transfer.driven_by(_TRIED_OHMS, None)
    low, high = (float(stiff.backward(soft.exact(volts, NOMINAL), NOMINAL).x) for volts in (0.0, 0.1))
    share = (high - low) / 0.1
    if not 1e-6 < share < 1.0 - 1e-9:
        return None, 0.0
    return _TRIED_OHMS * share / (1.0 - share), low / (1.0 - share)
