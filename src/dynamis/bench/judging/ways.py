"""The other ways into an adder or mixer: what an octave of a sender that transposes comes to behind it.

What is added to a pitch transposes truly only at a gain of exactly one: 1 % makes 12 cents of every octave of its own.
Source: the definition of the cent; that transposing by adding holds under V/oct only follows from the two laws.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from dynamis.bench.chains.sending import law_ahead
from dynamis.bench.chains.summed import FINE_SHARE, way_line
from dynamis.bench.chains.tree import fed_from, path_in
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef, Way
from dynamis.electrics.finding import Finding
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, Law

_LEAST_CENTS = 0.05


@dataclass(frozen=True)
class Added:
    """What is told of a way.  worst_cents : over all octaves used."""

    finding: Finding
    worst_cents: float = 0.0


def other_ways(bench: Bench, link: Link, heard: Law, share: float, style: Style) -> list[Added]:
    """Findings of what is added to the pitch that an output follows.

    link : the path from that output.  heard : what the input makes of volts at its jack.  share : what loading leaves
    of the output's volts there.
    """
    through, followed = bench.port(link.output).through, fed_from(bench, link.output)
    if through is None or followed is None:
        return []
    findings: list[Added] = []
    for way in through.ways:
        entry = PortRef(link.output.gear, way.input)
        for feeding in bench.links_into(entry)[:1]:
            if entry != followed[1]:
                findings += _way(bench, link, way, path_in(bench, feeding, entry), entry, heard, share, style)
    return findings


def _way(
    bench: Bench, link: Link, way: Way, path: Link, entry: PortRef, heard: Law, share: float, style: Style
) -> list[Added]:
    sent, line, gear = law_ahead(bench, path), way_line(bench, path, entry, way), bench.gear_by(entry.gear).name
    if sent is None or line is None:
        return []
    name = bench.label(path.output)
    if not (isinstance(sent, ExponentialLaw) and isinstance(heard, ExponentialLaw)):
        text = (
            f"{name} is added by {gear} to a pitch under Hz/V: it adds hertz and not semitones, and transposes most at "
            "the bottom. Add where the law is V/oct."
        )
        return [Added(Finding("way-gain", "fault", text))]
    ratio = sent.volts_per_octave * line[0] * share / heard.volts_per_octave
    if ratio < FINE_SHARE:
        moves = 1200.0 * ratio * (path.high_note - path.low_note) / 12.0
        text = (
            f"{name} moves the pitch behind {gear} by {style.cents(moves)} ct at most: a fine tuning, no transposition."
        )
        return [Added(Finding("way-gain", "note", text, 1200.0 * ratio, "ct/octave"))]
    per_octave = 1200.0 * (ratio - 1.0)
    octaves = max(1.0, (path.high_note - path.low_note) / 12.0)
    limit = 1200.0 * way.gain_limit
    allowed = min(link.tightest_cents, path.tightest_cents)
    worst, more = abs(per_octave) * octaves, limit * octaves
    if worst <= _LEAST_CENTS and (way.proved or more <= allowed):
        return []
    decimals = 0 if octaves.is_integer() else 1
    over = f"{style.number(octaves, decimals)} octaves" if octaves != 1.0 else "octave"
    sounds = (
        f"An octave of {name} comes out of {gear} as {style.cents(1200.0 + per_octave)} ct, "
        f"{style.cents(math.copysign(worst, per_octave), sign=True)} ct over the {over} used"
    )
    if worst > allowed:
        text = f"{sounds}; {style.cents(allowed)} are allowed. Trim its gain, and prove it by an octave."
        return [Added(Finding("way-gain", "fault", text, per_octave, "ct/octave"), worst)]
    if worst + more > allowed:
        up_to = style.cents(worst + more)
        text = f"{sounds}, and up to {up_to} ct with its parts at their limits: prove its gain by an octave."
        return [Added(Finding("way-gain", "marginal", text, per_octave, "ct/octave"), worst)]
    return [Added(Finding("way-gain", "note", f"{sounds}.", per_octave, "ct/octave"), worst)]
