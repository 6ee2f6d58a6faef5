"""Remedies for a pair of which one side is V/oct and the other Hz/V."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace as with_
from typing import Final

import numpy as np

from dynamis.bench.chains.branches import own_part
from dynamis.bench.chains.port_transfers import converter_of, dac_if_known
from dynamis.bench.chains.remembered import scaled_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.designing.law_change import (
    chosen_for,
    converter_asked,
    in_reach,
    law_direction,
    title_of,
    usual_from,
)
from dynamis.bench.designing.remedy import LinkChange, Remedy, changed_link
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change, set_port
from dynamis.bench.document.ports import PortRef
from dynamis.electrics.exponential.adjust import drift, left
from dynamis.electrics.exponential.parts import Direction
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import Law, law_text
from dynamis.pitch.notes import note_label

_DOES: Final[dict[Direction, str]] = {
    "exponential": "doubles the volts with every {}",
    "logarithmic": "gives {} more with every doubling",
}


def other_law(bench: Bench, link: Link, sink: PortRef, heard: Law, style: Style) -> Iterator[Remedy]:
    port = bench.port(link.output)
    known = dac_if_known("dac", converter_of(port))
    if known is not None:
        law = law_text(heard)
        dac = known.dac
        notes = link.whole_notes
        volts = heard.volts(tuning_of(bench).octaves(notes, heard.reference_note))
        low, high = (float(one) for one in dac.nominal_volts(np.array([0, 2**dac.bits - 1])))
        inside = notes[(volts >= min(low, high)) & (volts <= max(low, high))]
        if inside.size:
            ends = f"{note_label(float(inside[0]), style)} to {note_label(float(inside[-1]), style)}"
            text = (
                f"No circuit: the channel plays the input's own law from a table. {inside.size} of {notes.size} notes, "
                f"{ends}, lie within {style.volts(high, 2)}."
            )

            def command(one: Bench) -> Change:
                changed = set_port(one, link.output, law=law).bench
                first, last = float(inside[0]), float(inside[-1])
                return changed_link(link, sink, f"play {law}, {ends}", low_note=first, high_note=last)(changed)

            yield Remedy("table", "Its own table", text, command)
    direction = law_direction(bench, link.output, sink)
    if direction is not None and not scaled_in(own_part(link, sink)):
        yield from _converter(bench, link, sink, direction, style)


def _converter(bench: Bench, link: Link, sink: PortRef, direction: Direction, style: Style) -> Iterator[Remedy]:
    """By a pair of transistors, compensated and trimmed."""
    name = title_of(direction)
    try:
        start = usual_from(bench.rails_for(link))
        link, notes = in_reach(bench, link, sink, start), link.high_note
        requirement = converter_asked(bench, link, sink, start)
        converter = None if isinstance(requirement, str) else chosen_for(requirement)
    except InputError as error:
        yield Remedy("advice", name, str(error))
        return
    if converter is None or isinstance(requirement, str):
        yield Remedy("advice", name, str(requirement))
        return
    parts = ", ".join(f"{one.name} {one.value}" for one in converter.parts.pieces(style) if one.ohms is not None)
    moves = style.cents(drift(converter, requirement, 1.0)[1], sign=True)
    warm = f"the highest note moves {moves} ct per °C"
    if converter.parts.base_ppm:
        ordinary = with_(converter, parts=with_(converter.parts, base_ppm=0.0))
        warm = (
            f"R5 has to grow by {style.number(converter.parts.base_ppm, 0, sign=True)} ppm/K and touch the pair: "
            f"{warm}, "
            f"with an ordinary resistor {style.cents(drift(ordinary, requirement, 1.0)[1], sign=True)}"
        )
    text = (
        f"A matched pair {_DOES[direction].format(style.volts(requirement.volts_per_octave, 3))}: {parts}. Trimmed, "
        f"{style.cents(left(with_(converter, trimmed=True), requirement).most)} ct are left at most; {warm}. From "
        f"{requirement.supply.words}."
    )
    title = name
    if link.high_note < notes:
        ends = " to ".join(note_label(one, style) for one in (link.low_note, link.high_note))
        title = f"{name}, {ends}"
        reach = style.volts(requirement.reach_volts, 1)
        text += f" Higher notes want more than the {reach} that {requirement.supply.words} gives."
    stored = with_(converter, trimmed=True).stored()
    words = f"put a converter between, {direction}"
    command = LinkChange(link, sink, words, {"high_note": link.high_note}, stored)
    yield Remedy("circuit", title, text, command, circuit=direction)
