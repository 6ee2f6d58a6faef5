"""What a change to a link does to its other inputs: all of them hang behind what stands between."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Final

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import PairFit, judge_pair
from dynamis.electrics.finding import VERDICT_WORDS
from dynamis.errors import InputError
from dynamis.notation.style import Style

_GOOD: Final = ("fits", "marginal")
# So many times as far off is worse, whatever it was.
_FAR: Final = 1.5


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
    """A sentence for each other input of a link that would be worse off as `after` than as the link is on the bench."""
    before, findings = bench.link_from(after.output), []
    for other in () if before is None else before.inputs:
        if other == sink or other not in after.inputs or before is None:
            continue
        now, then = (judge_pair(bench, link, other) for link in (before, after))
        if _worse(now, then):
            findings.append(f"{bench.label(other)} on the same link {_stands(now, then)}.")
    return findings


def _worse(now: PairFit, then: PairFit) -> bool:
    """Whether a pair loses what it had: it fitted, or bore it, or was nearer by far."""
    if now.verdict in _GOOD:
        return then.verdict not in _GOOD
    if then.verdict == "unsafe":
        return now.verdict != "unsafe"
    cents = [one.value for one in (now, then) if one.unit == "ct" and one.value is not None]
    return len(cents) == 2 and now.verdict != "unsafe" and abs(cents[1]) > _FAR * abs(cents[0]) + 1.0


def _stands(now: PairFit, then: PairFit) -> str:
    if now.verdict in _GOOD:
        return f"fits now and would not then: {VERDICT_WORDS[then.verdict]}"
    if then.verdict == "unsafe":
        return "bears it now and would not then"
    style = Style()
    off = [style.cents(one.value, sign=True) for one in (now, then)]
    return f"is {off[0]} ct off now and would be {off[1]} ct off then"
