"""What to put between a gate output and an input that do not fit: the smallest circuit that makes them fit.

Each circuit is worked out as the output that it becomes and is judged like any other.  It fits at its nominal rails;
and the input stays within what it bears with rails or sender 5 % up, parts 1 % off, and either rail missing.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

from dynamis.electrics.finding import Finding
from dynamis.electrics.gates.candidate import (
    BATTERY,
    BATTERY_NEW,
    BATTERY_WORN,
    UP,
    Candidate,
    Rails,
    rail_words,
    top_of,
)
from dynamis.electrics.gates.levels import GateFit, GateInput, GateOutput, judge_gate, levels_at, moved
from dynamis.electrics.gates.library import CLAMP_OHMS, candidates
from dynamis.electrics.gates.stages import CALM, Stress, becomes
from dynamis.electrics.part import Part
from dynamis.electrics.span import Span
from dynamis.notation.style import Style

RACK: Final[tuple[Rails, ...]] = ((-12.0, 12.0),)
_OFF: Final = 0.01
_MOST_FOR_100K: Final = 5e3


@dataclass(frozen=True)
class GateCircuit:
    """A circuit between, and what it leaves.

    becomes : the output that the input then meets.  holds : it also fits, not only survives, with rails or sender 5 %
    up.  rails : it runs from, None where it needs none.  protection : what only protects its own input jack.
    """

    name: str
    parts: tuple[Part, ...]
    becomes: GateOutput
    leaves: GateFit
    holds: bool = True
    rails: Rails | None = None
    protection: tuple[Part, ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """Active parts, then parts: what is told first has the fewest."""
        return sum(part.is_active for part in self.parts), len(self.parts)


def gate_circuit(
    output: GateOutput,
    sink: GateInput,
    count: int = 1,
    supplies: tuple[Rails, ...] = RACK,
    limit: float = 0.0,
    *,
    battery: bool = False,
) -> GateCircuit | None:
    """The circuit with the fewest active parts, then the fewest parts, that fits and stays safe; None where nothing
    does, or nothing is needed."""
    return next(iter(gate_circuits(output, sink, count, supplies, limit, battery=battery)), None)


def gate_circuits(
    output: GateOutput,
    sink: GateInput,
    count: int = 1,
    supplies: tuple[Rails, ...] = RACK,
    limit: float = 0.0,
    *,
    battery: bool = False,
) -> list[GateCircuit]:
    """One of each kind that fits, the smallest first.

    limit : tolerance of a driven output's levels, a fraction; what is given fits at both ends of it.  battery : a rail
    of 9 V is a battery, and what runs from it fits from new to worn.
    """
    return list(_circuits(output, sink, count, supplies, limit, battery))


@lru_cache(maxsize=512)  # a bench asks the same of many pairs
def _circuits(
    output: GateOutput, sink: GateInput, count: int, supplies: tuple[Rails, ...], limit: float, battery: bool
) -> tuple[GateCircuit, ...]:
    best: dict[str, GateCircuit] = {}
    sent = [output, *(moved(output, 1.0 + end) for end in (-limit, limit) if limit)]
    if all(judge_gate(candidate, sink, count).verdict == "fits" for candidate in sent) or hurts_itself(output):
        return ()
    for candidate in candidates(output, sink, count, supplies):
        known = best.get(candidate.name)
        if known is not None and (known.size < candidate.size or (known.holds and known.size == candidate.size)):
            continue
        circuit = fitting(candidate, output, sink, count, sent[1:], battery=battery)
        if circuit is not None and (known is None or circuit.holds or candidate.size < known.size):
            best[candidate.name] = circuit
    return tuple(sorted(best.values(), key=lambda candidate: (candidate.size, not candidate.holds)))


def fitting(
    candidate: Candidate,
    output: GateOutput,
    sink: GateInput,
    count: int,
    others: Sequence[GateOutput] = (),
    *,
    battery: bool = False,
) -> GateCircuit | None:
    """A circuit where it fits, also with the output as each of `others` and from a battery that is new or worn, and
    stays safe; else None."""
    carried = sink.pullup_volts * count / sink.ohms if sink.kind == "shorting" else 0.0
    gate_output = becomes(candidate.name, candidate.parts, output, carried)
    leaves = judge_gate(gate_output, sink, count)
    if leaves.verdict != "fits" or not _safe(candidate, output, sink, count, carried):
        return None
    for end in others:
        if judge_gate(becomes(candidate.name, candidate.parts, end, carried), sink, count).verdict != "fits":
            return None
    if battery and candidate.rails == BATTERY:
        for volts in (BATTERY_WORN, BATTERY_NEW):
            at = becomes(candidate.name, candidate.parts, output, carried, Stress(rails=volts / BATTERY[1]))
            if judge_gate(at, sink, count).verdict != "fits":
                return None
    up = judge_gate(
        becomes(candidate.name, candidate.parts, output, carried, Stress(UP, UP)), _moved(sink, UP), count
    ).verdict
    return GateCircuit(
        candidate.name,
        candidate.parts,
        gate_output,
        leaves,
        up == "fits",
        candidate.rails,
        protection_of(candidate, output),
    )


def hurts_itself(output: GateOutput) -> bool:
    """Whether an output leaves its own limits with nothing plugged in; no circuit behind it mends that."""
    return output.kind == "driven" and any(
        output.absolute_limits.outside(volts) != 0.0 for volts in (output.low_volts, output.high_volts)
    )


def _safe(candidate: Candidate, output: GateOutput, sink: GateInput, count: int, carried_amperes: float) -> bool:
    """Whether the input stays within what it bears whatever the rails, the sender and the parts do."""
    absolute_limits = sink.absolute_limits
    if absolute_limits == Span():
        return True
    stands_behind = any(part.ohms is not None and part.ohms >= CLAMP_OHMS for part in candidate.parts) and any(
        part.name in ("D1", "D2", "Z1") for part in candidate.parts
    )
    for stress in _stresses(candidate):
        gate_output = becomes(candidate.name, candidate.parts, output, carried_amperes, stress)
        if gate_output.kind == "switch":
            continue
        here = _moved(sink, stress.rails)
        for number in {1, count}:
            for volts in levels_at(gate_output, here, number):
                if here.absolute_limits.outside(volts) and not (stands_behind and _held(gate_output, here)):
                    return False
    return True


def _held(gate_output: GateOutput, sink: GateInput) -> bool:
    """Whether the diodes at the node keep it within what the input bears."""
    ends = [volts for volts in (gate_output.clamp.low, gate_output.clamp.high) if volts is not None]
    return bool(ends) and not any(sink.absolute_limits.outside(volts) for volts in ends)


def _moved(sink: GateInput, rail_volts: float) -> GateInput:
    """An input whose limits were given at its own rail, which has moved with the others."""
    if sink.rail_volts is None or rail_volts == 1.0 or sink.absolute_limits.high is None:
        return sink
    more = (rail_volts - 1.0) * sink.rail_volts
    works = sink.works if sink.works.high is None else Span(sink.works.low, sink.works.high + more)
    return replace(sink, absolute_limits=Span(sink.absolute_limits.low, sink.absolute_limits.high + more), works=works)


def _stresses(candidate: Candidate) -> Iterator[Stress]:
    yield CALM
    resistors = [part.name for part in candidate.parts if part.ohms is not None][:6]
    corners = [
        dict(zip(resistors, signs, strict=True))
        for signs in itertools.product((1.0 - _OFF, 1.0 + _OFF), repeat=len(resistors))
    ]
    for rails, sender in ((UP, 1.0), (1.0, UP)):
        yield from (Stress(rails, sender, parts=corner) for corner in corners)
    if candidate.rails is not None:
        yield Stress(missing="upper")
        if candidate.rails[0] < 0:
            yield Stress(missing="lower")


def protection_of(candidate: Candidate, output: GateOutput) -> tuple[Part, ...]:
    """What a builder puts at the circuit's own input jack: it counts for nothing in the choice.

    The resistor to ground must not load a sender of a high resistance.
    """
    if not any(part.is_active for part in candidate.parts) or candidate.name in ("transistor", "transistor to ground"):
        return ()
    if any(part.name in ("R11", "R8", "C1") for part in candidate.parts):
        return ()  # a divider, a pull-up or what charges a capacitor is there already
    down = 100e3 if output.ohms <= _MOST_FOR_100K else 1e6
    return (Part("P1", 1e3, "in series with the input jack"), Part("P2", down, "from the input jack to ground"))


def no_fix(output: GateOutput, sink: GateInput, supplies: Sequence[Rails], style: Style = Style()) -> Finding:
    """Why no circuit known here does it."""
    rails = " and ".join(rail_words(one) for one in supplies) or "without a supply"
    top = top_of(sink)
    if hurts_itself(output):
        text = "The output leaves its own limits with nothing plugged in; no circuit behind it mends that."
    elif sink.kind == "positive" and top is not None and top <= sink.on_volts:
        text = (
            f"The input goes on above {style.volts(sink.on_volts, 2)} and takes {style.volts(top, 2)} at most: no "
            "level does both. Check its values."
        )
    elif output.kind == "driven" and output.high_volts - output.low_volts < 0.2:
        text = (
            f"The output moves by {style.volts(output.high_volts - output.low_volts, 2)} only; nothing known here "
            "tells its two levels apart safely."
        )
    else:
        wants = (
            f"above {style.volts(sink.on_volts, 2)} and below {style.volts(sink.off_volts, 2)}"
            if sink.kind == "positive"
            else f"a short to {style.volts(sink.on_volts, 2)} and less"
        )
        limit = "" if top is None else f", {style.volts(top, 2)} at most"
        where = rails if rails == "without a supply" else f"from {rails}"
        text = f"No circuit known here {where} makes what the input takes, {wants}{limit}. Other rails may."
    return Finding("no-fix", "note", text)
