"""One thing that can be done about a pair that does not fit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from msgspec.structs import replace

from dynamis.bench.chains.branches import branched, own_part, with_part
from dynamis.bench.chains.remembered import with_scaling
from dynamis.bench.document.bench import Bench, GateStageRecord, Link
from dynamis.bench.document.commands import Change, join
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.commands import put_link
from dynamis.bench.judging.pairs import PairFit
from dynamis.transfer.registry import StoredTransfer

Command = Callable[[Bench], Change]
RemedyKind = Literal["knob", "circuit", "patch", "setting", "calibrate", "table", "advice"]


@dataclass(frozen=True)
class Remedy:
    """title : what to do.  text : how, with its numbers.  leaves : the pair as it would be afterwards, None where
    nothing is changed on the bench.  deed : makes the change.  by : the output that drives the input afterwards, where
    it is another one.  circuit : the topology of a circuit of gain and offset, "" for any other remedy."""

    kind: RemedyKind
    title: str
    text: str
    command: Command | None = None
    leaves: PairFit | None = None
    by: PortRef | None = None
    circuit: str = ""


@dataclass(frozen=True)
class LinkChange:
    """Joins the pair where it is not joined yet, and changes its link.

    values : fields of the link.  adds, stage : a circuit that is put behind what stands ahead of the input already, on
    its branch or ahead of all inputs; on_branch : on a branch of the input's own.
    """

    link: Link
    sink: PortRef
    words: str
    values: Mapping[str, Any] = field(default_factory=dict)
    adds: StoredTransfer | None = None
    stage: GateStageRecord | None = None
    on_branch: bool = False

    def __call__(self, bench: Bench) -> Change:
        for sink in self.link.inputs:
            joined = bench.link_from(self.link.output)
            if joined is None or sink not in joined.inputs:
                bench = join(bench, self.link.output, sink).bench
        link = replace(bench.link_from(self.link.output) or self.link, **self.values)
        if self.on_branch:
            link = branched(link, self.sink)
        part = own_part(link, self.sink)
        if self.adds is not None:
            link = with_part(link, self.sink, between=with_scaling(part.between, self.adds))
        if self.stage is not None:
            link = with_part(link, self.sink, gate_stages=(*part.gate_stages, self.stage))
        return put_link(bench, link, self.words)

    @property
    def places(self) -> bool:
        """Whether it puts a circuit between."""
        return self.adds is not None or self.stage is not None


def changed_link(link: Link, sink: PortRef, words: str, **values: object) -> LinkChange:
    """Joins the pair where it is not joined yet, and gives its link other values."""
    return LinkChange(link, sink, words, values)
