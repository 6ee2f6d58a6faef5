"""What a change to a link does to its other inputs: all of them hang behind what stands between."""

from __future__ import annotations

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import judge_pair
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.errors import InputError

_GOOD = ("fits", "marginal")


def refuse_spoiling(bench: Bench, after: Link | None, sink: PortRef) -> None:
    """Raise `InputError` where a link as `after` would spoil another of its inputs, with what it would do there."""
    harm = [] if after is None else spoiled(bench, after, sink)
    if harm:
        raise InputError(f"It is not put there, since it would spoil what fits: {' '.join(harm)}")


def spoiled(bench: Bench, after: Link, sink: PortRef) -> list[str]:
    """A sentence for each other input of a link that fits as the link is on the bench, and would not as `after`."""
    before, findings = bench.link_from(after.output), []
    for other in () if before is None else before.inputs:
        if other == sink or other not in after.inputs:
            continue
        now, then = (judge_pair(bench, link, other).verdict for link in (before, after) if link is not None)
        if now in _GOOD and then not in _GOOD:
            words = VERDICT_WORDS[then]
            findings.append(
                f"{bench.label(other)} on the same link fits now and would not then: {words}. Branch it off ahead of "
                "the circuit."
            )
    return findings
