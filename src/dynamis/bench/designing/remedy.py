"""One thing that can be done about a pair that does not fit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change, join
from dynamis.bench.document.ports import PortRef
from dynamis.bench.gear.commands import put_link
from dynamis.bench.judging.pairs import PairFit

Command = Callable[[Bench], Change]
RemedyKind = Literal["circuit", "patch", "setting", "calibrate", "table", "advice"]


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


def changed_link(link: Link, words: str, **values: object) -> Command:
    """Joins the pair where it is not joined yet, and gives its link other values."""

    def command(bench: Bench) -> Change:
        for sink in link.inputs:
            joined = bench.link_from(link.output)
            if joined is None or sink not in joined.inputs:
                bench = join(bench, link.output, sink).bench
        return put_link(bench, replace(bench.link_from(link.output) or link, **values), words)

    return command
