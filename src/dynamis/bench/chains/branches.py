"""What stands where in a link, changed: circuits ahead of all inputs or on a branch; each gives another link."""

from __future__ import annotations

from msgspec.structs import replace

from dynamis.bench.document.bench import Branch, GateStageRecord, Link
from dynamis.bench.document.ports import PortRef
from dynamis.transfer.registry import StoredTransfer


def own_part(link: Link, sink: PortRef) -> Link | Branch:
    """Where what stands ahead of an input alone is kept: its branch, or the link."""
    return link.branch_of(sink) or link


def with_part(
    link: Link,
    sink: PortRef,
    between: tuple[StoredTransfer, ...] | None = None,
    gate_stages: tuple[GateStageRecord, ...] | None = None,
) -> Link:
    """The link with something else on the part that is an input's own; None leaves it.  An emptied branch goes back to
    the trunk."""
    part = own_part(link, sink)
    changed = replace(
        part,
        between=part.between if between is None else between,
        gate_stages=part.gate_stages if gate_stages is None else gate_stages,
    )
    return _put_back(link, part, changed)


def _put_back(link: Link, part: Link | Branch, changed: Link | Branch) -> Link:
    """The link with a changed part in its place; a branch on which nothing is left goes back to the trunk."""
    if isinstance(changed, Link):
        return changed
    branches = tuple(changed if one is part else one for one in link.branches)
    return replace(link, branches=tuple(one for one in branches if one.between or one.gate_stages))


def parts_of(link: Link) -> tuple[Link | Branch, ...]:
    """Where circuits may stand in a link: ahead of all inputs, then each branch."""
    return (link, *link.branches)


def without_circuit(link: Link, part: Link | Branch, index: int) -> Link:
    """The link without one circuit of a part, counted through those for pitch and modulation, then those for gates."""
    count = len(part.between)
    between = tuple(one for k, one in enumerate(part.between) if k != index)
    stages = tuple(one for k, one in enumerate(part.gate_stages) if k + count != index)
    return _put_back(link, part, replace(part, between=between, gate_stages=stages))


def moved(link: Link, part: Link | Branch, index: int, sink: PortRef) -> Link:
    """The link with one circuit of a part elsewhere: from ahead of all to a branch of an input's own, or back."""
    count = len(part.between)
    kept = without_circuit(link, part, index)
    between = (part.between[index],) if index < count else ()
    stages = (part.gate_stages[index - count],) if index >= count else ()
    if isinstance(part, Link):
        apart = branched(kept, sink)
        own = own_part(apart, sink)
        return with_part(apart, sink, (*between, *own.between), (*stages, *own.gate_stages))
    return replace(kept, between=(*kept.between, *between), gate_stages=(*kept.gate_stages, *stages))


def branched(link: Link, sink: PortRef) -> Link:
    """The link with an input on an empty branch of its own; as it is where it has one, or is the only input."""
    own = link.branch_of(sink)
    if (own is not None and own.inputs == (sink,)) or link.inputs == (sink,):
        return link
    others = link.branches
    if own is not None:
        left = replace(own, inputs=tuple(ref for ref in own.inputs if ref != sink))
        others = tuple(left if one is own else one for one in others)
        return replace(link, branches=(*others, replace(own, inputs=(sink,))))
    return replace(link, branches=(*others, Branch((sink,))))
