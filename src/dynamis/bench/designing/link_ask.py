"""What the link that is looked at adds to a circuit of gain and offset: its potentiometers, its other inputs."""

from __future__ import annotations

from dataclasses import dataclass
from dataclasses import replace as with_

import numpy as np

from dynamis.bench.chains.tree import site_in, why_no_path
from dynamis.bench.designing.between import asked_of, circuit_of, standing, suited_kind
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.judging.swings import loaded_pots
from dynamis.electrics.design.proposal import Proposal
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.potentiometer import LoadedPot
from dynamis.electrics.potentiometer_words import NamedPot
from dynamis.notation.style import Style


@dataclass(frozen=True)
class LinkAsk:
    """What a link asks of a circuit.  sentence : of the two that meet, or why it asks for none.  standing : the circuit
    that is there already.  pot : the potentiometer that is loaded."""

    sentence: str
    requirement: Requirement | None = None
    standing: Proposal | None = None
    pot: NamedPot | None = None


def link_ask(bench: Bench, link: Link, sink: PortRef, start: Requirement, style: Style, *, fresh: bool) -> LinkAsk:
    """What a link asks.  start : what it does not decide; fresh : the kind of op-amp is chosen by what it leaves."""
    why = why_no_path(bench, link, sink)
    if why:
        return LinkAsk(f"Cannot tell what goes between: {why}.")
    asked, pot = asked_of(bench, link, sink, start), loaded_pot(bench, link, sink)
    more = own_ohms_words(bench, link.output, style)
    if isinstance(asked, str):
        return LinkAsk(asked + more, pot=pot)
    if fresh:
        asked = with_(asked, op_amp=suited_kind(asked))
    sentence = f"{bench.label(link.output)} → {bench.label(sink)}"
    if bench.port(sink).role == "modulation":
        sentence += ". The whole swing stands for an octave: 12 ct are 1 % of it."
    there = circuit_of(link, sink)
    return LinkAsk(sentence + more, asked, None if there is None else standing(there, asked), pot)


def own_ohms_words(bench: Bench, output: PortRef, style: Style) -> str:
    """What a potentiometer's own resistance asks of a circuit behind it; "" for other senders."""
    pot = bench.port(output).pot
    if pot is None or not pot.ohms:
        return ""
    most = float(LoadedPot(pot.ohms, 1.0, pot.fed_ohms).source_ohms(np.linspace(0.0, 1.0, 101)).max())
    return (
        f" Its own resistance changes with its travel, up to {style.engineering(most, 'Ω')}: take a circuit that meets "
        "it with a + input."
    )


def loaded_pot(bench: Bench, link: Link, sink: PortRef) -> NamedPot | None:
    """The potentiometer at either end that bends most, with nothing between."""
    if not all(bench.port(one).ohms for one in link.inputs):
        return None
    ahead = site_in(bench, link, sink).ahead
    named_pot = [NamedPot(*one) for one in loaded_pots(bench, ahead, sink)]
    return max(named_pot, key=lambda one: abs(one.loaded.bend[1]), default=None)
