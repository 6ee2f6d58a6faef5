"""Remedies by a circuit that remembers: a gated pitch for what never falls silent, a rectifier for half of a swing, a
hold for a pitch that slides, a glide for what jumps."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from dynamis.bench.chains.branches import own_part
from dynamis.bench.chains.remembered import drivers
from dynamis.bench.chains.tree import origin_of
from dynamis.bench.designing.memory import changed, memory_for
from dynamis.bench.designing.remedy import LinkChange, Remedy
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.pairs import PairFit
from dynamis.bench.judging.remembering import memory_words
from dynamis.electrics.memory.remembering import GROUND, KIND, Remembering
from dynamis.electrics.series import values_between
from dynamis.notation.style import Style

# What opens a hold, the best first.
_OPENING: Final = ("clock", "trigger", "gate")


def remembering_remedies(bench: Bench, link: Link, fit: PairFit, codes: set[str], style: Style) -> Iterator[Remedy]:
    """What a circuit that remembers can do about a pair, by its findings; nothing where one stands there already, or no
    rails are at hand for its op-amps.  A pitch is gated when it is right, behind what made it so."""
    sink = fit.input
    if not bench.rails_for(link) or any(one.kind == KIND for one in own_part(link, sink).between):
        return
    if "never-silent" in codes and fit.verdict in ("fits", "marginal"):
        yield from _gated(bench, link, sink, style)
    if "bipolar-into-unipolar" in codes:
        yield _rectifier(bench, link, sink, style)
    if "slides" in codes and fit.verdict in ("fits", "marginal"):
        yield from _hold(bench, link, sink, style)
    if "jumps" in codes and fit.verdict in ("fits", "marginal"):
        yield _glide(bench, link, sink, style)


def _hold(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[Remedy]:
    """By a clock of the bench, else by what else has a rise."""
    circuit = memory_for(bench, link, sink, "sample-and-hold")
    found = [PortRef(*value.split("/", 1)) for value, _ in drivers(bench, link, circuit)]
    found = [ref for ref in found if bench.port(ref).role in _OPENING]
    if not found:
        return
    ref = min(found, key=lambda one: _OPENING.index(bench.port(one).role))
    text = f"Each pulse of {bench.label(ref)} takes the voltage as it is, and the pitch stays until the next"
    by = f"{ref.gear}/{ref.port}"
    yield _between(bench, link, sink, "A sample and hold", text, changed(circuit, by=by), style)


def _glide(bench: Bench, link: Link, sink: PortRef, style: Style) -> Remedy:
    circuit, gate = memory_for(bench, link, sink, "glide"), bench.port(origin_of(bench, link.output)).gate
    if gate is not None and gate.seconds and circuit.settles_seconds(0.01) > gate.seconds / 2.0:
        # A pulse that is over before it has arrived is none.
        most = gate.seconds / 2.0 / (circuit.settles_seconds(0.01) / circuit.farads)
        circuit = changed(circuit, farads=values_between(most / 10.0, most, "E12")[-1])
    within = style.engineering(circuit.settles_seconds(0.01), "s")
    text = f"Each jump becomes a slope, of which a hundredth is left after {within}"
    return _between(bench, link, sink, "A glide", text, circuit, style)


def _gated(bench: Bench, link: Link, sink: PortRef, style: Style) -> Iterator[Remedy]:
    """By the gate of the gear that the pitch comes from."""
    circuit, gear = memory_for(bench, link, sink, "gated-pitch"), origin_of(bench, link.output).gear
    gates = [value for value, _ in drivers(bench, link, circuit) if value.startswith(f"{gear}/")]
    gates = [value for value in gates if bench.port(PortRef(*value.split("/", 1))).role == "gate"]
    if not gates:
        return
    gate = bench.label(PortRef(*gates[0].split("/", 1)))
    text = f"{gate} lets the pitch through, and grounds it when the key is let go"
    yield _between(bench, link, sink, "A gated pitch", text, changed(circuit, by=gates[0]), style)


def _rectifier(bench: Bench, link: Link, sink: PortRef, style: Style) -> Remedy:
    circuit = changed(memory_for(bench, link, sink, "maximum"), by=GROUND)
    text = "The upper half goes through, and 0 V stand in the place of the lower: its shape is another one then"
    return _between(bench, link, sink, "A rectifier", text, circuit, style)


def _between(
    bench: Bench, link: Link, sink: PortRef, title: str, text: str, circuit: Remembering, style: Style
) -> Remedy:
    command = LinkChange(link, sink, f"put {title[0].lower()}{title[1:]} between", adds=circuit.stored())
    return Remedy("circuit", title, f"{text}. {_capital(memory_words(bench, circuit, style))}.", command)


def _capital(text: str) -> str:
    return text[0].upper() + text[1:]
