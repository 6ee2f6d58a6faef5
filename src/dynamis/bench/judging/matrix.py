"""Every output of a bench against every input: what would happen if they met.

A pair is judged when somebody asks for it, and what it came to is kept for as long as the records it hangs on
stand; so after one value has changed, only what depends on it is judged anew.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from dynamis.bench.chains.node import rivals_of
from dynamis.bench.chains.remembered import drivers_in
from dynamis.bench.chains.tree import fed_by, hung_behind, origin_of, trial_link
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import AdoptionRecord
from dynamis.bench.judging.pairs import PairFit, any_voltage, judge_pair, makes_sense, takes_in_force
from dynamis.bench.judging.pitch_sides import SideCache
from dynamis.bench.judging.power import fed_from
from dynamis.electrics.finding import BEST_FIRST
from dynamis.errors import InputError
from dynamis.notation.style import Style


class Matrix:
    """Judges pairs, and remembers what it judged.

    outputs, inputs : of gear that is not archived.  judged : how many pairs were judged anew since `take`.
    """

    def __init__(self) -> None:
        self._sides, self._style = SideCache(), Style()
        self._bench, self._adoptions = Bench(), tuple[AdoptionRecord, ...]()
        self._parts: dict[PortRef, tuple[object, ...]] = {}
        self._known: dict[PortRef, dict[PortRef, PairFit]] = {}
        self.outputs: dict[PortRef, Port] = {}
        self.inputs: dict[PortRef, Port] = {}
        self.judged = 0

    def take(self, bench: Bench, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style()) -> None:
        """Look at a bench as it is now; what has changed is forgotten.  Another style of numbers is told anew."""
        if style != self._style:
            self._known = {}
        self._bench, self._adoptions, self._style, self.judged = bench, tuple(adoptions), style, 0
        self.outputs, self.inputs = dict(ports_of(bench, "output")), dict(ports_of(bench, "input"))
        parts: dict[PortRef, tuple[object, ...]] = {ref: _input_parts(bench, ref, adoptions) for ref in self.inputs}
        parts |= {ref: _output_parts(bench, ref, adoptions) for ref in self.outputs}
        changed = {ref for ref, now in parts.items() if not _same(self._parts.get(ref), now)}
        changed |= self._parts.keys() - parts.keys()
        self._parts = parts
        gone = [ref for ref in changed if ref not in self.outputs]
        for ref in changed:
            self._known.pop(ref, None)
        for row in self._known.values():
            for ref in gone:
                row.pop(ref, None)

    def sensible(self, output: PortRef, sink: PortRef) -> bool:
        """Whether they are meant for each other, or are joined."""
        if output.gear != sink.gear and makes_sense(self.outputs[output], self.inputs[sink]):
            return True
        return any(link.output == output for link in self._bench.links_into(sink))

    def may_meet(self, output: PortRef, sink: PortRef) -> bool:
        """Whether volts of the one mean anything to the other, or they are joined."""
        return any_voltage(self.outputs[output], self.inputs[sink]) or self.sensible(output, sink)

    def known(self, output: PortRef, sink: PortRef) -> PairFit | None:
        """What a pair came to, None while it has not been judged."""
        row = self._known.get(output)
        return None if row is None else row.get(sink)

    def fit(self, output: PortRef, sink: PortRef) -> PairFit | None:
        """What a pair comes to, judged now where it is not known; None where one of the two is not there."""
        kept = self.known(output, sink)
        if kept is None and output in self.outputs and sink in self.inputs:
            link = trial_link(self._bench.link_from(output), output, sink)
            kept = judge_pair(self._bench, link, sink, self._adoptions, self._style, sides=self._sides)
            self._known.setdefault(output, {})[sink] = kept
            self.judged += 1
        return kept

    def open_pairs(self, everything: bool = False) -> Iterator[tuple[PortRef, PortRef]]:
        """The sensible pairs that have not been judged, or all of them: those that are joined first."""
        yield from (pair for pair in self.joined_pairs() if self.known(*pair) is None)
        for output in self.outputs:
            for sink in self.inputs:
                if self.known(output, sink) is None and (
                    self.sensible(output, sink) or (everything and self.may_meet(output, sink))
                ):
                    yield output, sink

    def joined_pairs(self) -> Iterator[tuple[PortRef, PortRef]]:
        for link in self._bench.links:
            if link.output in self.outputs:
                yield from ((link.output, sink) for sink in link.inputs if sink in self.inputs)

    def judge(
        self, bench: Bench, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style()
    ) -> dict[PortRef, dict[PortRef, PairFit]]:
        """The fits of all pairs that make sense, by output and input."""
        self.take(bench, adoptions, style)
        for output, sink in self.open_pairs():
            self.fit(output, sink)
        return self._known

    def could_drive(self, sink: PortRef) -> list[PairFit]:
        """What could drive an input, as far as it has been judged, the best first."""
        mine = [row[sink] for output, row in self._known.items() if sink in row and self.sensible(output, sink)]
        return sorted(mine, key=lambda fit: (BEST_FIRST.index(fit.verdict), _off(fit), len(fit.findings)))


def _off(fit: PairFit) -> float:
    """How far a pair is off by its number: fewer cents, more volts to spare, a larger share are better."""
    if fit.value is None:
        return 0.0
    return abs(fit.value) if fit.unit == "ct" else -fit.value


def _input_parts(bench: Bench, ref: PortRef, adoptions: Sequence[AdoptionRecord]) -> tuple[object, ...]:
    """All that a verdict about an input hangs on: itself, its gear, and what is joined to that gear."""
    gear = bench.gear_by(ref.gear)
    behind = hung_behind(bench, ref)
    links = bench.links_of(gear.id)
    mine = takes_in_force(bench, ref, adoptions) if adoptions and gear.units else None
    feeding = fed_from(bench, gear)
    return (
        bench.port(ref),
        gear.name,
        gear.settings,
        gear.power,
        bench.a4_hertz,
        bench.tuning,
        links,
        mine,
        *gear.inputs("clock"),
        *feeding,
        *behind,
    )


def _output_parts(bench: Bench, ref: PortRef, adoptions: Sequence[AdoptionRecord]) -> tuple[object, ...]:
    """All that a verdict about an output hangs on: itself, its units and corrections, and what hangs on it already."""
    link, gear = bench.link_from(ref), bench.gear_by(ref.gear)
    inputs = () if link is None else link.inputs
    hanging = (*(bench.port(one) for one in inputs), *(part for one in inputs for part in hung_behind(bench, one)))
    rivals = () if link is None else tuple(rivals_of(bench, link))
    others = tuple(bench.port(one.output) for one in rivals)
    mine = _adopted(bench, ref, adoptions) if adoptions else ()
    return (
        bench.port(ref),
        gear.name,
        gear.units,
        gear.settings,
        gear.power,
        bench.a4_hertz,
        bench.tuning,
        link,
        *hanging,
        *rivals,
        *others,
        *mine,
        *fed_by(bench, ref),
        *(() if link is None else drivers_in(bench, link)),
        *fed_from(bench, gear),
    )


def _adopted(bench: Bench, ref: PortRef, adoptions: Sequence[AdoptionRecord]) -> tuple[AdoptionRecord, ...]:
    try:
        origin = origin_of(bench, ref)
    except InputError:  # it feeds itself, which the pair tells
        origin = ref
    return tuple(one for one in adoptions if (one.gear, one.port) == (origin.gear, origin.port))


def _same(before: tuple[object, ...] | None, now: tuple[object, ...]) -> bool:
    """Records are frozen and shared from one bench to the next, so most of the time identity tells."""
    if before is None or len(before) != len(now):
        return False
    return all(one is other or one == other for one, other in zip(before, now, strict=True))


def ports_of(bench: Bench, direction: str) -> Iterable[tuple[PortRef, Port]]:
    """All ports of one direction of gear that is not archived."""
    for gear in bench.gear:
        if not gear.archived:
            yield from ((PortRef(gear.id, port.id), port) for port in gear.ports if port.direction == direction)
