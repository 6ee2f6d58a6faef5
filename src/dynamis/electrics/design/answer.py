"""What is asked of a circuit of gain and offset, and all that is worked out for it: proposals and their spreads."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from dynamis.electrics.circuits.circuit import Fitted
from dynamis.electrics.circuits.variation import Counting
from dynamis.electrics.design.proposal import Proposal, Proposals, propose, propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import Spread, spread
from dynamis.electrics.design.summer import propose_summer
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain

# Enough for a column of a table; the chosen one is sampled wholly.
_TABLE_SAMPLES = 20_000
Adds = tuple[int, float, float]
NOTHING: Adds = (1, 0.0, 0.0)


@dataclass(frozen=True)
class Ask:
    """A requirement and at what temperature it has to hold.

    kelvin : away from 25 °C.  adds : inputs, and the octaves and semitones that switches add.
    """

    requirement: Requirement
    kelvin: float = 10.0
    adds: Adds = NOTHING


@dataclass(frozen=True, eq=False)
class Answer:
    """Proposals, and the spread of each by its key."""

    proposals: Proposals
    spreads: dict[str, Spread]

    def proposal(self, key: str) -> Proposal | None:
        return next((one for one in self.proposals.suitable if one.key == key), None)

    @property
    def best_key(self) -> str:
        """The smallest whose output hangs neither on its load nor on a rail that moves it too far: the first."""
        return self.proposals.suitable[0].key

    @property
    def nothing_does_it(self) -> bool:
        """Whether these are only the nearest, and none of them does what was asked."""
        return not self.proposals.delivered and self.proposals.reached_in_volts is None

    @property
    def words(self) -> str:
        proposals = self.proposals
        if proposals.reached_in_volts is not None:
            low, high = (plain(round(volts, 3)) for volts in proposals.reached_in_volts)
            return f"{proposals.requested.supply.words} keeps gain and offset from {low} to {high} V of the sender only"
        if not proposals.delivered:
            return f"{proposals.requested.supply.words} cannot deliver it; what comes nearest does not do it"
        known = {one.circuit.topology.name for one in proposals.suitable}
        return f"{len(known)} of {len(known) + len(proposals.rejected)} topologies do it; 95 % within"

    def check_delivered(self, style: Style) -> None:
        """Raise `InputError`, with what was asked for, where none of these does it."""
        if not self.nothing_does_it:
            return
        asked = self.proposals.requested
        low, high = (style.volts(volts, 2) for volts in sorted(asked.ends))
        raise InputError(
            f"{asked.supply.words} cannot give {low} to {high}, which is asked: ask for less gain or less of the "
            "input's range, or take other rails."
        )


def answered(ask: Ask, wanted: Callable[[], bool]) -> Answer:
    """The proposals for a requirement and the spread of each.  wanted : whether to go on; else what there
    is is given."""
    counting = Counting(kelvin=ask.kelvin)
    proposals = (
        propose(ask.requirement, Counting(), wanted=wanted)
        if ask.adds == NOTHING
        else propose_summer(ask.requirement, *ask.adds, Counting())
    )
    spreads = {}
    for one in proposals.suitable:
        if wanted():
            spreads[one.key] = spread(one.circuit, one.requirement, counting, samples=_TABLE_SAMPLES)
            _ = one.later  # worked out here, and kept
    return Answer(proposals, spreads)


def rest_anew(proposal: Proposal, locked: Mapping[str, Fitted]) -> Proposal:
    """The other parts of a proposal worked out round those that are kept; raises `InputError` where that fails."""
    topology = proposal.circuit.topology
    try:
        return propose_one(topology, proposal.requirement, Counting(), locked)
    except InputError as error:
        raise InputError(f"{topology.title}: {error}.") from error
