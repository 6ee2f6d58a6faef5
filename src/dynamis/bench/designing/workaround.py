"""A workaround among the gear at hand: an envelope that accepts a weak gate and puts out a full level.

Times at nought, sustain up to the smallest level that fires; its release adds a tail.  Source: common practice,
no source; the tail follows from an exponential release, t = tau ln(level / off).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Final

from msgspec.structs import replace as with_

from dynamis.bench.chains.tree import trial_link, why_no_path
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change, join
from dynamis.bench.document.gate_ports import gate_input
from dynamis.bench.document.ports import EnvelopeRecord, PortRef
from dynamis.bench.judging.pairs import judge_pair
from dynamis.bench.judging.sides import gate_output
from dynamis.electrics.gates.levels import levels_at
from dynamis.notation.style import Style

_RESERVE_VOLTS: Final = 0.4
# A release is told as the time to fall to a hundredth; its time constant is that over ln 100.
_RELEASE_SHARE: Final = math.log(100.0)


@dataclass(frozen=True)
class Workaround:
    title: str
    text: str
    command: Callable[[Bench], Change]
    by: PortRef


@dataclass(frozen=True)
class ByEnvelope:
    """An envelope between: the least sustain that fires an input, and the tail that its release adds."""

    sustain: float
    tail_seconds: float


def through(bench: Bench, sink: PortRef, out: PortRef, envelope: EnvelopeRecord) -> ByEnvelope | None:
    """What an envelope's output comes to at an input; None where it does not fire it."""
    link = Link("", out, (sink,))
    if why_no_path(bench, link, sink):
        return None
    output, _ = gate_output(bench, link)
    taken, _ = gate_input(bench.port(sink))
    if output is None or taken is None or output.kind != "driven" or taken.kind != "positive":
        return None
    low, high = levels_at(output, taken, 1)
    needed = taken.on_volts + _RESERVE_VOLTS
    if high <= low or not low < taken.off_volts or high < needed:
        return None
    sustain = (needed - low) / (high - low)
    level, off = needed - low, taken.off_volts - low
    tail = 0.0 if off <= 0 else envelope.release_seconds / _RELEASE_SHARE * max(0.0, math.log(level / off))
    return ByEnvelope(sustain, tail)


def workarounds(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[Workaround]:
    """Gear whose gate input the sender drives once it has left the input, and whose envelope fires the input; what
    serves nothing yet first."""
    found = [(serving, one) for one, serving in _every(bench, link, sink, style)]
    yield from (one for _, one in sorted(found, key=lambda pair: pair[0]))


def _every(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[tuple[Workaround, bool]]:
    """Each of them, and whether it serves another input, or another sender, now."""
    links = tuple(with_(one, inputs=tuple(ref for ref in one.inputs if ref != sink)) for one in bench.links)
    left = with_(bench, links=links)
    for gear in bench.gear:
        if gear.archived or gear.id in (link.output.gear, sink.gear):
            continue
        for port in gear.ports:
            if port.envelope is None or not port.envelope.output or port.direction != "input":
                continue
            entry, out = PortRef(gear.id, port.id), PortRef(gear.id, port.envelope.output)
            joined = bench.link_from(out)
            if not any(one.id == out.port for one in gear.ports) or (joined is not None and sink in joined.inputs):
                continue
            fed = judge_pair(left, trial_link(left.link_from(link.output), link.output, entry), entry)
            transfers = through(bench, sink, out, port.envelope)
            if fed.verdict not in ("fits", "marginal") or transfers is None:
                continue
            opened = [bench.label(one.output) for one in bench.links_into(entry) if one.output != link.output]
            serves = [] if joined is None else [bench.label(ref) for ref in joined.inputs if ref != sink]
            tail = f"its release adds {style.engineering(transfers.tail_seconds, 's')}"
            if transfers.tail_seconds < 1e-4:
                tail = "with its release at nought it adds nothing"
            text = (
                f"{gear.name} accepts this gate ({fed.verdict}) and fires {bench.label(sink)} from a sustain of "
                f"{style.share(transfers.sustain, 0)} on; attack and decay at nought, {tail}."
            )
            if serves:
                text += f" It serves {' and '.join(serves)} now, which then opens with this gate."
            if opened:
                text += f" {' and '.join(opened)} opens it now, and is parted from it."

            def command(one: Bench, entry: PortRef = entry, out: PortRef = out) -> Change:
                after = one
                for sends, takes in ((out, sink), (link.output, entry)):
                    there = after.link_from(sends)
                    if there is None or takes not in there.inputs:
                        after = join(after, sends, takes).bench
                return Change(f"go by {bench.gear_by(entry.gear).name} into {bench.label(sink)}", after)

            yield Workaround(f"By {gear.name}", text, command, out), bool(serves or opened)
