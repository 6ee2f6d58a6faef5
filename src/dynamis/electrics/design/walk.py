"""Setting the trimmers by readings: what to send, what to read, how much a turn is, and when it is done."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from dynamis.electrics.circuits.circuit import MID
from dynamis.electrics.circuits.network import Values
from dynamis.electrics.circuits.variation import Varied
from dynamis.electrics.design.proposal import Proposal
from dynamis.electrics.design.spread import cents_off
from dynamis.electrics.design.trims import Trim, Trimming, corner_values

_MOST_ROUNDS = 8
_NEAR_VOLTS = 0.02


@dataclass(frozen=True)
class TrimmerStep:
    """Send `send_volts`, turn `trim` until the receiver gets `read_volts`; a turn moves that by `volts_per_turn`.

    at_pivot : the other trimmer moves next to nothing at this input.
    """

    trim: Trim
    send_volts: float
    read_volts: float
    volts_per_turn: float
    at_pivot: bool


@dataclass(frozen=True)
class TrimmerWalk:
    """steps : one round.  rounds : how many of them the worst parts need.  left_cents : what is then left at most."""

    steps: tuple[TrimmerStep, ...]
    rounds: int
    left_cents: float


def walk(
    proposal: Proposal, varied: Sequence[Varied], playable: Callable[[float], float] = lambda volts: volts
) -> TrimmerWalk | None:
    """How the trimmers of a proposal are set, None where it has none.

    playable : the volts that the sender can give nearest to those that would be best, such as those of a whole note.
    """
    if not proposal.trims:
        return None
    bench, requirement = Trimming(proposal.circuit, proposal.requirement), proposal.requirement
    steps = tuple(_step(bench, proposal.trims, one, playable) for one in proposal.trims)
    values = corner_values(varied, proposal.circuit) if varied else {}
    travel: dict[str, Values] = dict.fromkeys(bench.names, MID)
    rounds, left = 0, float("inf")
    while rounds < _MOST_ROUNDS:
        for step in steps:
            travel = {**travel, step.trim.name: _turned(bench, values, travel, step)}
        rounds += 1
        off_cents = float(np.max(cents_off(bench, {**values, **travel})))
        if off_cents <= 0.1 * requirement.tolerance_cents or off_cents > 0.9 * left:
            left = min(left, off_cents)
            break
        left = off_cents
    return TrimmerWalk(steps, rounds, left)


def _step(bench: Trimming, trims: Sequence[Trim], trim: Trim, playable: Callable[[float], float]) -> TrimmerStep:
    """Where a trimmer is set: the offset where the scale trimmer does nothing, the scale furthest from there."""
    requirement = bench.requirement
    scale = next(one for one in trims if one.role == "scale")
    pivot = scale.pivot_volts
    reachable = (
        pivot is not None and requirement.in_low_volts - _NEAR_VOLTS <= pivot <= requirement.in_high_volts + _NEAR_VOLTS
    )
    fixed = pivot if reachable and pivot is not None else requirement.in_low_volts
    if trim.role == "offset":
        send = fixed
    else:
        send = max(
            (requirement.in_low_volts, requirement.in_high_volts),
            key=lambda volts: abs(volts - (pivot if pivot is not None else fixed)),
        )
    send = playable(send)
    ends = bench.slopes[trim.name]
    share = (send - requirement.in_low_volts) / (requirement.in_high_volts - requirement.in_low_volts)
    moves = ends[0] + (ends[1] - ends[0]) * share
    return TrimmerStep(trim, send, requirement.out(send), moves / trim.turns, reachable and trim.role == "offset")


def _turned(bench: Trimming, values: dict[str, Values], travel: dict[str, Values], step: TrimmerStep) -> Values:
    """The travel at which the reading is right, the other trimmer standing as it is."""
    name = step.trim.name
    at = travel[name]
    for _ in range(4):
        line = bench.circuit.line({**values, **travel, name: at})
        off = line.gain * step.send_volts + line.offset - step.read_volts
        at = np.clip(at - off / (step.volts_per_turn * step.trim.turns), 0.0, 1.0)
    return at
