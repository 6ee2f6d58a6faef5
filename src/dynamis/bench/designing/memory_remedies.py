"""Remedies by a circuit that remembers: a gated pitch for what never falls silent, a rectifier for half of a swing."""

from __future__ import annotations

from collections.abc import Iterator

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
from dynamis.notation.style import Style


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
