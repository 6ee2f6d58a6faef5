"""Proposals: for each topology the parts, the trimmers that they need, and why others were rejected."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Final, Literal

import numpy as np

from dynamis.electrics.circuits.circuit import Circuit, Fitted
from dynamis.electrics.circuits.topology import TOPOLOGIES, Topology
from dynamis.electrics.circuits.variation import Counting, Varied, at, varied_in
from dynamis.electrics.design.later import Later, later, load_cents, rail_cents
from dynamis.electrics.design.requirement import GAIN_WITHIN, OFFSET_WITHIN_VOLTS, Requirement
from dynamis.electrics.design.search import Locked, choose, seed_slot
from dynamis.electrics.design.spread import cents_off
from dynamis.electrics.design.trims import (
    Trim,
    Trimming,
    corner_values,
    needed_range,
    next_size,
    reaches,
    trimmer_sizes,
)
from dynamis.errors import InputError
from dynamis.notation.style import plain

ORDER: Final = (
    "resistors",
    "follower",
    "attenuator-follower",
    "non-inverting",
    "inverting",
    "biased-non-inverting",
    "biased-inverting",
    "difference",
    "inverting-pair",
)
_MARGIN: Final = 1.1
# References that can be bought, and what they need above them; common practice, no source.
_REFERENCES: Final = (1.25, 2.5, 5.0)
# The rail may move the pitch by less than this share of the tolerance.
_OF_TOLERANCE: Final = 0.2
# Less of the input range than this is not worth a circuit.
_LEAST_PART: Final = 0.02
_LATER_SAMPLES: Final = 20_000
_REFERENCE_ROOM: Final = 1.0
_MOST_TRIES: Final = 14


@dataclass(frozen=True)
class Proposal:
    """A circuit that does the requirement, with its trimmers."""

    circuit: Circuit
    requirement: Requirement
    trims: tuple[Trim, ...]

    @property
    def key(self) -> str:
        """The topology's name; with a reference part a name of its own."""
        return self.circuit.topology.name + ("+reference" if self.takes_reference else "")

    @property
    def title(self) -> str:
        """For people."""
        volts = plain(abs(self.circuit.reference.volts))
        return self.circuit.topology.title + (f", from a {volts} V reference" if self.takes_reference else "")

    @property
    def takes_reference(self) -> bool:
        """Whether its offset is taken from a reference part rather than a rail."""
        return self.circuit.uses_reference and self.circuit.reference.node == "ref"

    @cached_property
    def rail_cents(self) -> float:
        """What the rail or the reference that the offset is taken from may add at its limit."""
        varied = [one for one in varied_in(self.circuit, Counting(op_amps=False)) if one.key in ("vp", "vn", "ref")]
        return max(
            [float(cents_off(Trimming(self.circuit, self.requirement), at([one], {one.key: 1.0}))) for one in varied]
            or [0.0]
        )

    @cached_property
    def later(self) -> Later:
        """What is left of it later: warmer, with another load, its rail or reference moved."""
        return later(self.circuit, self.requirement, _LATER_SAMPLES)

    @cached_property
    def is_soft(self) -> bool:
        """Whether the load is a part of it: resistors alone, and the load's tolerance moves more than is allowed."""
        return (
            not self.circuit.topology.amplifiers
            and load_cents(self.circuit, self.requirement) >= self.requirement.tolerance_cents
        )

    @cached_property
    def wanders(self) -> bool:
        """Whether the rail that its offset is taken from moves the pitch by a fifth of the tolerance or more."""
        if self.requirement.offset_from == "rail" or not self.circuit.uses_reference or self.takes_reference:
            return False
        return rail_cents(self.circuit, self.requirement) >= _OF_TOLERANCE * self.requirement.tolerance_cents

    @property
    def offset_from(self) -> Literal["rail", "reference"] | None:
        """What the offset is taken from, None without one."""
        return None if not self.circuit.uses_reference else "reference" if self.takes_reference else "rail"

    @cached_property
    def gain_error(self) -> float:
        """As a fraction of the requirement, with nominal parts."""
        return float(self.circuit.line().gain) / self.requirement.gain - 1.0

    @cached_property
    def offset_error_volts(self) -> float:
        return float(self.circuit.line().offset) - self.requirement.offset_volts

    @cached_property
    def nominal_cents(self) -> float:
        """The largest error over the input range with nominal parts."""
        return float(cents_off(Trimming(self.circuit, self.requirement), {}))

    @property
    def count(self) -> int:
        """Parts: resistors, op-amps, trimmers, a reference and a clamp where there are."""
        circuit = self.circuit
        most = len(circuit.resistors) + len(circuit.topology.amplifiers) + len(self.trims)
        return most + self.takes_reference + len(circuit.clamp.diodes) + bool(circuit.loop_ohms)

    @property
    def supply_amperes(self) -> float:
        return self.circuit.supply_amperes(max(abs(one) for one in self.requirement.ends))

    @property
    def misses(self) -> bool:
        """Whether the values at hand come no nearer than 0.1 % of the gain, or 1 mV."""
        return abs(self.gain_error) > GAIN_WITHIN or abs(self.offset_error_volts) > OFFSET_WITHIN_VOLTS

    @property
    def size(self) -> tuple[bool, bool, int, bool, int, float]:
        """What the smallest is found by: whether it misses where pairs were allowed, whether the load is a part of it,
        op-amps, whether a rail that moves sets its pitch, resistors, and how far the nominal parts are off."""
        misses = self.requirement.pairs and self.misses
        amplifiers = len(self.circuit.topology.amplifiers)
        return misses, self.is_soft, amplifiers, self.wanders, len(self.circuit.resistors), self.nominal_cents


@dataclass(frozen=True)
class Rejected:
    """A topology that cannot do it, and why."""

    topology: Topology
    reason: str


@dataclass(frozen=True)
class Proposals:
    """suitable : the smallest first.  rejected : the others.  requirement : what was designed for; `requested` is what
    was asked where the supply cannot deliver that: gain and offset over a part of the input range, or the nearest."""

    suitable: tuple[Proposal, ...]
    rejected: tuple[Rejected, ...]
    requirement: Requirement
    requested: Requirement

    @property
    def delivered(self) -> bool:
        return self.requirement == self.requested

    @property
    def reached_in_volts(self) -> tuple[float, float] | None:
        """The part of the input range over which the first keeps gain and offset; None where that is all of it, or
        where it keeps neither."""
        kept = (self.requirement.gain, self.requirement.offset_volts) == (
            self.requested.gain,
            self.requested.offset_volts,
        )
        return None if self.delivered or not kept else (self.requirement.in_low_volts, self.requirement.in_high_volts)


def propose(
    requirement: Requirement,
    counting: Counting = Counting(op_amps=False),
    smallest: bool = False,
    wanted: Callable[[], bool] = lambda: True,
) -> Proposals:
    """All topologies that do a requirement; where the supply cannot deliver it, the nearest that can be done.

    smallest : only those of the fewest op-amps.  wanted : asked before each topology; once it says no, the work ends
    with an `InputError`.  Raises one where nothing at all can be done, too.
    """

    def tried(requirement: Requirement) -> tuple[tuple[Proposal, ...], tuple[Rejected, ...]]:
        return _tried(requirement, counting, smallest, wanted)

    suitable, rejected = tried(requirement)
    if suitable:
        return Proposals(suitable, rejected, requirement, requirement)
    kept = [Proposals(*tried(part), part, requirement) for part in _parts_reached(requirement)]
    kept = [one for one in kept if one.suitable]
    if kept:
        return max(kept, key=lambda one: one.requirement.in_high_volts - one.requirement.in_low_volts)
    best: tuple[float, Proposals] | None = None
    for nearest in _nearest(requirement):
        suitable, _ = tried(nearest)
        if suitable:
            off = max(abs(a - b) for a, b in zip(nearest.ends, requirement.ends, strict=True))
            if best is None or off < best[0] - 1e-9:
                best = off, Proposals(suitable, rejected, nearest, requirement)
    if best is None:
        raise InputError(
            f"No circuit gives a gain of {plain(requirement.gain)} and {plain(requirement.offset_volts)} V from "
            f"{requirement.supply.words}: {_least_hopeless(rejected)}."
        )
    return best[1]


def _tried(
    requirement: Requirement, counting: Counting, smallest: bool, wanted: Callable[[], bool]
) -> tuple[tuple[Proposal, ...], tuple[Rejected, ...]]:
    proposals: list[Proposal] = []
    rejected: list[Rejected] = []
    for topology in (TOPOLOGIES[name] for name in ORDER):
        if not wanted():
            raise InputError("Something else was asked meanwhile.")
        stiff = [proposal for proposal in proposals if not proposal.misses and not proposal.is_soft]
        if smallest and any(len(proposal.circuit.topology.amplifiers) < len(topology.amplifiers) for proposal in stiff):
            break
        try:
            proposal = propose_one(topology, requirement, counting)
        except InputError as error:
            rejected.append(Rejected(topology, str(error)))
            continue
        steady = _from_reference(proposal, requirement, counting)
        if steady is not None:
            proposals.append(steady)
        if steady is None or (requirement.offset_from != "reference" and not smallest):
            proposals.append(proposal)
    return tuple(sorted(proposals, key=lambda proposal: proposal.size)), tuple(rejected)


def _from_reference(one: Proposal, requirement: Requirement, counting: Counting) -> Proposal | None:
    """The same with a reference part, where it is asked for or the rail's own change would move the pitch too far."""
    if requirement.reference_volts is not None or not one.circuit.uses_reference or one.takes_reference:
        return None
    if requirement.offset_from == "rail" or not (one.wanders or requirement.offset_from == "reference"):
        return None
    for volts in reversed([volts for volts in _REFERENCES if volts <= requirement.supply.high - _REFERENCE_ROOM]):
        try:
            proposal = propose_one(one.circuit.topology, replace(requirement, reference_volts=volts), counting)
        except InputError:
            continue
        if not proposal.misses or one.misses:
            return replace(proposal, requirement=requirement)
    return None


def _least_hopeless(rejected: Sequence[Rejected]) -> str:
    return "; ".join(dict.fromkeys(f"{one.topology.title.lower()}: {one.reason}" for one in rejected))


def _parts_reached(requirement: Requirement) -> list[Requirement]:
    """The requirement over the part of its input range that stays within reach, as op-amps and as resistors."""
    parts = []
    for low, high in (
        requirement.reach(),
        requirement.absolute_limits.within(requirement.supply.low, requirement.supply.high),
    ):
        first, last = sorted((end - requirement.offset_volts) / requirement.gain for end in (low, high))
        first, last = max(first, requirement.in_low_volts), min(last, requirement.in_high_volts)
        if last - first >= _LEAST_PART * (requirement.in_high_volts - requirement.in_low_volts):
            parts.append(replace(requirement, in_low_volts=first, in_high_volts=last))
    return list(dict.fromkeys(parts))


def _nearest(requirement: Requirement) -> list[Requirement]:
    """Lines that stay within reach, the least worst error over the input range first as op-amps, then as resistors."""
    parts = []
    for low, high in (
        requirement.reach(),
        requirement.absolute_limits.within(requirement.supply.low, requirement.supply.high),
    ):
        first, last = (float(np.clip(one, low, high)) for one in requirement.ends)
        worst = max(abs(a - b) for a, b in zip((first, last), requirement.ends, strict=True))
        if abs(last - first) < 0.01 * abs(requirement.gain) * (requirement.in_high_volts - requirement.in_low_volts):
            # All of it lies beyond one rail: the far end may give way as much as the near one, to keep the intervals.
            beyond = requirement.ends[0] > high or requirement.ends[1] > high
            room = abs(requirement.gain) * (requirement.in_high_volts - requirement.in_low_volts)
            other = max(low, high - room) if beyond else min(high, low + room)
            nearer = (requirement.gain > 0) == beyond
            first, last = (other, last) if nearer else (first, other)
            worst = max(worst, abs(other - requirement.ends[0 if nearer else 1]))
        if first != last:
            parts.append((worst, requirement.line(first, last)))
    if requirement.offset_volts:  # too slight for any resistor from this rail
        parts.append((abs(requirement.offset_volts), replace(requirement, offset_volts=0.0)))
    return [one for _, one in sorted(parts, key=lambda pair: pair[0])]


def propose_one(
    topology: Topology,
    requirement: Requirement,
    counting: Counting = Counting(op_amps=False),
    locked: Locked | None = None,
) -> Proposal:
    """A topology with parts, and trimmers where the tolerances ask for them.

    Raises `InputError` with the reason where it cannot do the requirement.
    """
    plain_one = choose(topology, requirement, locked=locked)
    varied = varied_in(plain_one, counting)
    worst = 0.0
    if varied:
        worst = float(np.max(cents_off(Trimming(plain_one, requirement), corner_values(varied, plain_one))))
    if worst <= requirement.tolerance_cents or not topology.scale_slot:
        return Proposal(plain_one, requirement, ())
    for slots in ((topology.offset_slot, topology.scale_slot), (topology.scale_slot,)):
        here = [slot for slot in slots if slot in plain_one.by_slot]
        proposal = _with_trimmers(plain_one, requirement, here, counting, locked) if here else None
        if proposal is not None:
            return proposal
    return Proposal(plain_one, requirement, ())


def _with_trimmers(
    start: Circuit, requirement: Requirement, slots: Sequence[str], counting: Counting, locked: Locked | None
) -> Proposal | None:
    """Trimmers of the least size in these slots that reach every corner; None where none do."""
    topology = start.topology
    needed = needed_range(start, requirement, varied_in(start, counting))
    sizes = {slot: _first_size(start.by_slot[slot], needed, requirement, slot == topology.scale_slot) for slot in slots}
    free = start.by_slot.get(seed_slot(topology))
    for _ in range(_MOST_TRIES):
        try:
            circuit = choose(topology, requirement, sizes, locked, None if free is None else free.total)
        except InputError:
            return None
        bench, varied = Trimming(circuit, requirement), varied_in(circuit, counting)
        if not bench.independent:
            return None
        trims = bench.describe(needed_range(circuit, requirement, varied))
        short = [one for one in trims if one.reach < _MARGIN * one.needed]
        if not short and (len(slots) == 1 or reaches(bench, varied)):
            return Proposal(circuit, requirement, tuple(trims))
        for slot in {"R" + one.name[2:] for one in short} or _tight(bench, varied):
            larger = next_size(sizes[slot])
            if larger is None:
                return None
            sizes[slot] = larger
    return None


def _first_size(fitted: Fitted, needed: Mapping[str, float], requirement: Requirement, scale: bool) -> float:
    """The least trimmer that could cover what is needed, were the gain or offset as the slot's own ohms."""
    share = needed["scale"] if scale else needed["offset"] / max(abs(requirement.offset_volts), 1e-3)
    wanted = 2.0 * min(share, 0.5) * fitted.total
    return max([one for one in trimmer_sizes() if one <= wanted] or [trimmer_sizes()[0]])


def _tight(bench: Trimming, varied: Sequence[Varied]) -> set[str]:
    """The slot of the trimmer that comes nearest to its ends."""
    travel = bench.set(corner_values(varied, bench.circuit), stepped=False)
    name = max(travel, key=lambda one: float(np.max(np.abs(np.asarray(travel[one]) - 0.5))))
    return {"R" + name[2:]}


def with_values(proposal: Proposal, counting: Counting = Counting(op_amps=False), **slots: Fitted | None) -> Proposal:
    """The same proposal with other parts in some slots; its trimmers are worked out anew."""
    circuit = proposal.circuit.fitting(**slots)
    needed = needed_range(circuit, proposal.requirement, varied_in(circuit, counting))
    return replace(proposal, circuit=circuit, trims=tuple(Trimming(circuit, proposal.requirement).describe(needed)))
