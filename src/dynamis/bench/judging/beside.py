"""What a change to a link does to its other inputs: all of them hang behind what stands between."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import judge_pair
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.errors import InputError

_GOOD = ("fits", "marginal")


def placed(bench: Bench, output: PortRef, sink: PortRef, use: Callable[[bool], Change]) -> tuple[Change, str]:
    """What puts a circuit ahead of an input: ahead of all inputs of its link, or on a branch of its own where it would
    spoil another one there.

    use : puts it there, on a branch where that is asked for.  With the change comes where it stands, "" for ahead of
    all, else with what it would do there.  Raises `InputError`, with what it would do, where it
    spoils another one even so.
    """
    ahead = use(False)
    spoils = harmed(bench, output, sink, ahead)
    if not spoils:
        return ahead, ""
    apart = use(True)
    harm = harmed(bench, output, sink, apart)
    if harm:
        raise InputError(f"It is not put there, since it would spoil what fits: {' '.join(harm)}")
    where = f", on a branch of its own, since ahead of all it would spoil what fits: {' '.join(spoils)}"
    return replace(apart, label=f"{apart.label}, on a branch of its own"), where


def harmed(bench: Bench, output: PortRef, sink: PortRef, change: Change) -> list[str]:
    """A sentence for each other input of a link that a change would spoil."""
    after = change.bench.link_from(output)
    return [] if after is None else spoiled(bench, after, sink)


def spoiled(bench: Bench, after: Link, sink: PortRef) -> list[str]:
    """A sentence for each other input of a link that fits as the link is on the bench, and would not as `after`."""
    before, findings = bench.link_from(after.output), []
    for other in () if before is None else before.inputs:
        if other == sink or other not in after.inputs:
            continue
        now, then = (judge_pair(bench, link, other).verdict for link in (before, after) if link is not None)
        if now in _GOOD and then not in _GOOD:
            words = VERDICT_WORDS[then]
            findings.append(f"{bench.label(other)} on the same link fits now and would not then: {words}.")
    return findings
