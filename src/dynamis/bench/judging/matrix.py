"""Every output of a bench against every input: what would happen if they met.

Both sides of each pair are worked out once and kept for as long as the records they came from stand; so after
one value has changed, only what depends on it is judged anew.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from dynamis.bench.chains import rivals_of
from dynamis.bench.document import Bench
from dynamis.bench.judging.pairs import BEST_FIRST, PairFit, judge_pair, makes_sense, trial_link
from dynamis.bench.judging.pitch_sides import SideCache
from dynamis.bench.ports import Port, PortRef
from dynamis.bench.records import AdoptionRecord
from dynamis.notation.style import Style


class Matrix:
    """Judges all pairs, and remembers what it judged.

    judged : how many pairs the last `judge` had to judge anew.
    """

    def __init__(self) -> None:
        self._sides, self._style = SideCache(), Style()
        self._parts: dict[PortRef, tuple[object, ...]] = {}
        self._known: dict[PortRef, dict[PortRef, PairFit]] = {}
        self.judged = 0

    def judge(
        self, bench: Bench, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style()
    ) -> dict[PortRef, dict[PortRef, PairFit]]:
        """The fits of all pairs that make sense, by output and input; another style of numbers is told anew."""
        if style != self._style:
            self._known, self._style = {}, style
        outputs, inputs = list(ports_of(bench, "output")), list(ports_of(bench, "input"))
        parts: dict[PortRef, tuple[object, ...]] = {ref: _input_parts(bench, ref) for ref, _ in inputs}
        parts |= {ref: _output_parts(bench, ref, adoptions) for ref, _ in outputs}
        changed = {ref for ref, now in parts.items() if not _same(self._parts.get(ref), now)}
        before, self._known, self._parts, self.judged = self._known, {}, parts, 0
        for output, sends in outputs:
            row: dict[PortRef, PairFit] = {}
            kept = {} if output in changed else before.get(output, {})
            for sink, takes in inputs:
                if output.gear == sink.gear or not makes_sense(sends, takes):
                    continue
                fit = None if sink in changed else kept.get(sink)
                if fit is None:
                    link = trial_link(bench.link_from(output), output, sink)
                    fit = judge_pair(bench, link, sink, adoptions, style, sides=self._sides)
                    self.judged += 1
                row[sink] = fit
            self._known[output] = row
        return self._known


def _input_parts(bench: Bench, ref: PortRef) -> tuple[object, ...]:
    """All that a verdict about an input hangs on: itself, its gear, and what is joined to that gear."""
    gear = bench.gear_by(ref.gear)
    return gear.port_by(ref.port), gear.name, gear.settings, gear.power, bench.a4_hertz, *bench.links_of(gear.id)


def _output_parts(bench: Bench, ref: PortRef, adoptions: Sequence[AdoptionRecord]) -> tuple[object, ...]:
    """All that a verdict about an output hangs on: itself, its units and corrections, and what hangs on it already."""
    link, gear = bench.link_from(ref), bench.gear_by(ref.gear)
    hanging = () if link is None else tuple(bench.port(one) for one in link.inputs)
    rivals = () if link is None else tuple(rivals_of(bench, link))
    others = tuple(bench.port(one.output) for one in rivals)
    mine = tuple(one for one in adoptions if (one.gear, one.port) == (ref.gear, ref.port))
    return (gear.port_by(ref.port), gear.name, gear.units, gear.settings, gear.power, bench.a4_hertz, link, *hanging,
            *rivals, *others, *mine)  # fmt: skip


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


def could_drive(fits: Mapping[PortRef, Mapping[PortRef, PairFit]], sink: PortRef) -> list[PairFit]:
    """What could drive an input, the best first."""
    mine = [row[sink] for row in fits.values() if sink in row]
    return sorted(mine, key=lambda fit: (BEST_FIRST.index(fit.verdict), len(fit.findings)))
