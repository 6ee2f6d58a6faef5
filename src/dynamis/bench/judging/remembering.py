"""What a circuit that remembers does to a link: droop in cents a second, how soon it settles, what it lets through."""

from __future__ import annotations

import math
from typing import Final

from dynamis.bench.chains.remembered import driver_of, remembering_in
from dynamis.bench.chains.sending import law_ahead
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import SWITCHING, PortRef, SwingRecord
from dynamis.electrics.finding import Finding, cannot_tell
from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.part import value_words
from dynamis.notation.style import Style
from dynamis.pitch.laws import Law, LinearLaw, parse_law
from dynamis.pitch.notes import note_label

_OCTAVE_CENTS: Final = 1200.0


def judge_remembering(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    """Findings of the circuits that remember in a path; none where there are none."""
    if not link.between:
        return []
    return [one for circuit in remembering_in(link) for one in judge_with(bench, link, sink, circuit, style)]


def judge_with(bench: Bench, link: Link, sink: PortRef, circuit: Remembering, style: Style) -> list[Finding]:
    """Findings of one circuit that stands, or would stand, in a path."""
    found = _driven(bench, link, circuit)
    if bench.port(sink).role == "pitch":
        found += [*_holding(bench, link, sink, circuit, style), *_settling(bench, link, circuit, style)]
    if circuit.of.diodes:
        found += _lifted(bench, link, sink, circuit, style)
    return found


def _driven(bench: Bench, link: Link, circuit: Remembering) -> list[Finding]:
    """What clocks or gates it, or is the other signal, has to be there."""
    kind = circuit.of
    if not kind.driven_by or circuit.rectifies or driver_of(bench, circuit) is not None:
        return []
    what = "other signal" if kind.driven_by == "other" else kind.driven_by
    text = f"Choose what is the {what} of {circuit.label} behind {bench.label(link.output)}: without it, {{}}."
    does = {"clock": "it holds what it held first", "gate": "it never opens", "other": "there is one signal only"}
    return [cannot_tell(text.format(does[kind.driven_by]))]


def cents_per_volt(bench: Bench, link: Link, sink: PortRef) -> float | None:
    """What a volt behind the last circuit of a path is worth at the lowest note used, cents; None without a law.

    Of what has no pitch law of its own by the law of the input that it plays.

    Under hertz per volt a volt is worth most there: 1200/ln 2 over the volts above 0 Hz.
    """
    law, notes = _law_at(bench, link, sink), link.whole_notes
    if law is None or not notes.size:
        return None
    volts = law.volts(tuning_of(bench).octaves(notes[0], law.reference_note))
    worth = float(law.cents_per_volt(volts))
    return worth if math.isfinite(worth) else None


def _law_at(bench: Bench, link: Link, sink: PortRef) -> Law | None:
    heard = bench.port(sink).law
    return law_ahead(bench, link) or (None if heard is None else parse_law(heard))


def _holding(bench: Bench, link: Link, sink: PortRef, circuit: Remembering, style: Style) -> list[Finding]:
    worth = cents_per_volt(bench, link, sink)
    if not circuit.holds or worth is None or not circuit.droop_volts_per_second:
        return []
    rate = worth * circuit.droop_volts_per_second
    allowed = link.tightest_cents
    where = "" if not isinstance(_law_at(bench, link, sink), LinearLaw) else ", at the lowest note used"
    lasts = ""
    if math.isfinite(allowed):
        seconds = allowed / rate
        lasts = (
            f": {style.cents(allowed)} ct are gone after {style.engineering(seconds, 's')}, so a note wants a clock "
            f"{_tempo(seconds, style)}"
        )
    text = (
        f"Held by {style.engineering(circuit.farads, 'F')}, the pitch sinks by up to {style.cents(rate)} ct a second"
        f"{where}, as {style.engineering(circuit.leak_amperes, 'A')} leak{lasts}. A larger C1 holds longer and follows "
        "later."
    )
    return [Finding("held-droops", "note", text, rate, "ct/s")]


def _tempo(seconds: float, style: Style) -> str:
    """How often a hold has to be renewed."""
    return f"at least {style.number(60.0 / seconds, 1 if seconds > 6.0 else 0)} times a minute"


def _settling(bench: Bench, link: Link, circuit: Remembering, style: Style) -> list[Finding]:
    """How soon a jump of an octave is made, and whether what clocks it waits for that."""
    if not circuit.tau_seconds or not (circuit.holds or circuit.kind == "glide"):
        return []
    allowed = link.tightest_cents
    within = allowed if math.isfinite(allowed) and 0.0 < allowed < _OCTAVE_CENTS else 1.0
    seconds = circuit.settles_seconds(within / _OCTAVE_CENTS)
    settled = f"within {style.cents(within)} ct of a jump of an octave after {style.engineering(seconds, 's')}"
    if circuit.kind == "glide":
        text = (
            f"The glide of {style.engineering(circuit.tau_seconds, 's')} is {settled}: shorter notes never arrive. "
            "A smaller R1 or C1 is faster."
        )
        return [Finding("glide-settles", "note", text, seconds, "s")]
    ref = driver_of(bench, circuit)
    gate = None if ref is None else bench.port(ref).gate
    if ref is None or gate is None or gate.seconds is None or gate.seconds >= seconds:
        return []
    text = (
        f"The hold is {settled}, and {bench.label(ref)} opens it for {style.engineering(gate.seconds, 's')}: it holds "
        "what it has not reached yet. A smaller C1, or a longer pulse."
    )
    return [Finding("sampled-short", "fault", text, gate.seconds - seconds, "s")]


def _lifted(bench: Bench, link: Link, sink: PortRef, circuit: Remembering, style: Style) -> list[Finding]:
    """Between which volts the other signal decides."""
    ref = driver_of(bench, circuit)
    if ref is None:
        return []
    port = bench.port(ref)
    swing = port.swing or SwingRecord()
    top = circuit.kind == "maximum"
    volts = swing.high_volts if top else swing.low_volts
    if port.role in SWITCHING or volts is None:
        return []
    law = _law_at(bench, link, sink) if bench.port(sink).role == "pitch" else None
    where = ""
    if law is not None:
        note = float(tuning_of(bench).notes(law.octaves(volts, strict=False), law.reference_note))
        if math.isfinite(note):
            where = f", note {note_label(float(round(note)), style)}"
    text = (
        f"{circuit.of.title} of {bench.label(link.output)} and {bench.label(ref)}, which comes "
        f"{'up' if top else 'down'} to {style.volts(volts, 2)}{where}: what is {'below' if top else 'above'} that "
        "gives way to it in part of its swing."
    )
    return [Finding("gives-way", "note", text, volts, "V")]


def memory_words(bench: Bench, circuit: Remembering, style: Style) -> str:
    """As it is told on a card: its title, its parts with their values, and what drives it."""
    values = ", ".join(f"{one.name} {value_words(one, style)}".strip() for one in circuit.parts)
    ref = driver_of(bench, circuit)
    by = "" if ref is None else f"; {circuit.of.driven_by} is {bench.label(ref)}"
    if circuit.rectifies:
        return f"rectifier, its {'upper' if circuit.kind == 'maximum' else 'lower'} half: {values}"
    return f"{circuit.of.title.lower()}: {values}{by}"
