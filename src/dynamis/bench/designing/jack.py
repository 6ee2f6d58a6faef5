"""An output that feeds an input by the switch of its jack: worked out, told, and put on the bench."""

from __future__ import annotations

import math
from dataclasses import replace as with_
from typing import Final

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change, part
from dynamis.bench.document.ports import Normal, PortRef
from dynamis.bench.judging.sides import own_ohms, sent_volts
from dynamis.bench.judging.switched_jack import unplugged_words
from dynamis.electrics.switched_jack import JackFeed
from dynamis.errors import InputError
from dynamis.notation.style import Style

KIND: Final = "switched-jack"
TITLE: Final = "Switched jack"
# What most op-amps and logic outputs bear for a moment; common practice, no source.
_SHORT_AMPERES: Final = 0.02


def jack_for(bench: Bench, output: PortRef, sink: PortRef) -> JackFeed:
    """What an output does to an input by the switch of its jack.  Raises InputError where that cannot be told."""
    port, takes = bench.port(output), bench.port(sink)
    ohms = own_ohms(port)
    sends = sent_volts(bench, bench.link_from(output) or Link("", output, (sink,)))
    if ohms is None or takes.ohms is None:
        lacks = output if ohms is None else sink
        raise InputError(f"Measure the resistance of {bench.label(lacks)} first: what arrives hangs on it.")
    if sends is None:
        raise InputError(f"Tell between which volts {bench.label(output)} goes first.")
    fed = JackFeed(ohms, takes.ohms, *sends, rest_volts=takes.rest_volts)
    normal = takes.normal
    if normal is not None and normal.source == output and normal.ohms is not None:
        return with_(fed, ohms=max(0.0, normal.ohms - ohms))
    return fed


def feed_jack(bench: Bench, output: PortRef, sink: PortRef, feed: JackFeed) -> Change:
    """The output feeds the input by the switch of its jack, and is parted from it where they were joined."""
    link = bench.link_from(output)
    if link is not None and sink in link.inputs:
        bench = part(bench, output, sink).bench
    normal = Normal(bench.label(output), output, None, feed.source_ohms + feed.ohms)
    changed = bench.with_port(sink, replace(bench.port(sink), normal=normal))
    return Change(f"feed {bench.label(sink)} from {bench.label(output)} by the switch of its jack", changed)


def jack_sentences(bench: Bench, output: PortRef, sink: PortRef, feed: JackFeed, style: Style) -> list[str]:
    """What becomes of the input: with nothing plugged in, and when something is."""
    names, before = (bench.label(output), bench.label(sink)), bench.port(sink).normal
    fed = unplugged_words(feed_jack(bench, output, sink, feed).bench, sink, style)
    sentences = [f"With nothing plugged into {names[1]}: {fed.replace('it stood', 'it stands')}, from {names[0]}."]
    sentences.append(f"A plug in {names[1]} takes {names[0]} away from it, and from nothing else.")
    if before is not None and before.source != output:
        sentences.append(f"It takes the place of {before.what}, which feeds the jack now.")
    link = bench.link_from(output)
    if link is not None and sink in link.inputs:
        sentences.append("Their lead is pulled: with it in, the jack would never be free.")
    amperes = feed.shorted_amperes
    if amperes > _SHORT_AMPERES:
        flows = style.engineering(amperes, "A") if math.isfinite(amperes) else "no limited current"
        sentences.append(
            f"A plug that goes in may join the switch to its sleeve for a moment: {flows} from {names[0]} then. A "
            "larger R1 spares it."
        )
    return sentences


def jack_figures(feed: JackFeed, style: Style) -> list[tuple[str, str, str]]:
    """(what, how much, where it comes from)."""
    low, high = feed.at_jack
    share = (high - low) / (feed.high_volts - feed.low_volts) if feed.high_volts > feed.low_volts else None
    rows = [("at the input, least", style.volts(low, 3), "R1, and what loads it")]
    rows.append(("at the input, most", style.volts(high, 3), "R1, and what loads it"))
    if share is not None:
        rows.append(("of its swing", style.share(share, 1), "input / (input + R1 + sender)"))
    amperes = feed.shorted_amperes
    if math.isfinite(amperes):
        rows.append(("shorted by a plug", style.engineering(amperes, "A"), "the most volts / (R1 + sender)"))
    return rows
