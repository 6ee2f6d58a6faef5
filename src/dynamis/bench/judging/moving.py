"""How a voltage moves, where what it enters makes that heard: a pitch that slides, a modulation that jumps."""

from __future__ import annotations

from dynamis.bench.chains.remembered import remembering_in
from dynamis.bench.chains.tree import origin_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import SWITCHING, PortRef
from dynamis.bench.judging.sides import sent_volts
from dynamis.electrics.finding import Finding
from dynamis.notation.style import Style
from dynamis.pitch.laws import ExponentialLaw, parse_law


def judge_moving(bench: Bench, path: Link, sink: PortRef, style: Style) -> list[Finding]:
    """Findings of one path about how its voltage moves.  Common practice, no source."""
    takes, sends = bench.port(sink).role, bench.port(origin_of(bench, path.output)).role
    if takes == "pitch" and sends == "modulation":
        return _slides(bench, path, sink, style)
    if takes == "modulation" and sends in SWITCHING:
        return _jumps(bench, path, sink, style)
    return []


def _slides(bench: Bench, path: Link, sink: PortRef, style: Style) -> list[Finding]:
    through, port = bench.port(path.output).through, bench.port(sink)
    sends = sent_volts(bench, path)
    stepped = through is not None and bool(through.step_volts)
    if stepped or sends is None or port.law is None or any(one.holds for one in remembering_in(path)):
        return []
    law = parse_law(port.law)
    over = ""
    if isinstance(law, ExponentialLaw):
        octaves = abs(sends[1] - sends[0]) / law.volts_per_octave
        over = f" over {style.number(octaves, 1)} octaves"
    text = (
        f"{bench.label(path.output)} moves without steps, so the pitch of {bench.label(sink)} slides{over}. Where "
        "notes are wanted, a hold that a clock opens makes steps of it."
    )
    return [Finding("slides", "note", text)]


def _jumps(bench: Bench, path: Link, sink: PortRef, style: Style) -> list[Finding]:
    sends = sent_volts(bench, path)
    if sends is None or any(one.kind == "glide" for one in remembering_in(path)):
        return []
    text = (
        f"{bench.label(path.output)} jumps between {style.volts(sends[0], 2)} and {style.volts(sends[1], 2)}, and "
        f"{bench.label(sink)} with it, which may be heard as a click. A glide makes a slope of each jump."
    )
    return [Finding("jumps", "note", text)]
