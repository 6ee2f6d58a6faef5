"""What a link between V/oct and hertz per volt asks of a converter of the law."""

from __future__ import annotations

import math
from dataclasses import replace as with_
from functools import lru_cache
from typing import Final

import numpy as np
from msgspec.structs import replace

from dynamis.bench.chains.node import driving
from dynamis.bench.chains.port_transfers import heard_by
from dynamis.bench.chains.sending import law_ahead
from dynamis.bench.chains.tree import origin_of, site_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.designing.between import borne_by, joined, made_of, put_between, supply_from
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import PortRef
from dynamis.electrics.exponential.choose import choose
from dynamis.electrics.exponential.converter import KINDS, Converter
from dynamis.electrics.exponential.parts import Direction
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.gates.candidate import Rails
from dynamis.electrics.net import parallel
from dynamis.errors import InputError
from dynamis.pitch.laws import ExponentialLaw, LinearLaw

_TITLES: Final[dict[Direction, str]] = {"exponential": "Exponential converter", "logarithmic": "Logarithmic converter"}
USUAL: Final = LawRequirement(0.0, 5.0, 0.25, 8.0)
_ZERO_VOLTS: Final = 1e-3


def usual_from(rails: tuple[Rails, ...]) -> LawRequirement:
    """What a converter is usually asked, from the rails at hand.  Raises `InputError` where they are no two rails."""
    both = [one for one in rails if one[0] < 0 < one[1]]
    if not both:
        raise InputError("A converter of the law works round 0 V and needs two rails; none are at hand.")
    supply = supply_from(tuple(both))
    return with_(USUAL, supply=supply)


def title_of(direction: Direction) -> str:
    """What a converter is called."""
    return _TITLES[direction]


def law_direction(bench: Bench, output: PortRef, sink: PortRef) -> Direction | None:
    """Which way a pair changes the law, None where it does not."""
    try:
        sent = law_ahead(bench, Link("", origin_of(bench, output)))
    except InputError:  # which the pair tells
        return None
    heard = heard_by("heard", bench.port(sink), tuning_of(bench))
    if sent is None or heard is None or bench.port(sink).role != "pitch":
        return None
    if isinstance(sent, ExponentialLaw):
        return "exponential" if isinstance(heard.law, LinearLaw) else None
    return "logarithmic" if isinstance(heard.law, ExponentialLaw) else None


def converter_asked(bench: Bench, link: Link, sink: PortRef, start: LawRequirement = USUAL) -> LawRequirement | str:
    """What a converter has to do, or the sentence that says why a link asks for none.

    start : the supply, the series and whatever else the link does not decide.  Raises `InputError` where its notes
    cannot be had from one.
    """
    direction, tuning = law_direction(bench, link.output, sink), tuning_of(bench)
    heard = heard_by("heard", bench.port(sink), tuning)
    if direction is None or heard is None:
        return f"{bench.label(link.output)} and {bench.label(sink)} are of one law: there is none to change."
    site = site_in(bench, link, sink)
    driven, sent = driving(bench, site.ahead), law_ahead(bench, site.ahead)
    loads = [*(bench.port(ref).ohms for ref in site.ahead.inputs or (sink,)), *(load.ohms for load in site.loads)]
    if driven is None or sent is None or any(one is None for one in loads):
        where = link.output if driven is None else sink
        return f"Measure the resistance of {bench.label(where)} first: the converter hangs on it."
    for law, ref in ((sent, link.output), (heard.law, sink)):
        if isinstance(law, LinearLaw) and abs(law.offset_volts) > _ZERO_VOLTS:
            return (
                f"{bench.label(ref)} has 0 Hz at {law.offset_volts:g} V, not at 0 V: set its own zero first, or take "
                "that offset out on its side of the converter."
            )
    notes = np.array([link.low_note, max(link.high_note, link.low_note + 1.0)])
    sends = sent.volts(tuning.octaves(notes, sent.reference_note))
    wants = heard.law.volts(tuning.octaves(notes, heard.law.reference_note))
    tightest = link.tightest_cents
    return with_(
        start,
        in_low_volts=float(sends[0]),
        in_high_volts=float(sends[1]),
        out_low_volts=float(wants[0]),
        out_high_volts=float(wants[1]),
        direction=direction,
        source_ohms=driven.ohms,
        load_ohms=parallel(loads),
        tolerance_cents=tightest if math.isfinite(tightest) else 5.0,
        absolute_limits=borne_by(bench, site.ahead, sink),
    )


def in_reach(bench: Bench, link: Link, sink: PortRef, start: LawRequirement = USUAL) -> Link:
    """The link with its highest note so low that the supply gives the volts for it; itself where it does already.

    Raises `InputError` where not even an octave is left.
    """
    while True:
        requirement = converter_asked(bench, link, sink, start)
        if isinstance(requirement, str) or not requirement.octaves_beyond:
            return link
        fewer = max(1, math.floor(12.0 * requirement.octaves_beyond))
        if link.high_note - fewer < link.low_note + 12.0:
            chosen_for(requirement)  # says how far the supply reaches
            return link
        link = replace(link, high_note=link.high_note - fewer)


@lru_cache(maxsize=64)
def chosen_for(requirement: LawRequirement) -> Converter:
    """As `choose`, kept."""
    return choose(requirement)


def use_converter(
    bench: Bench,
    output: PortRef,
    sink: PortRef,
    converter: Converter,
    high_note: float | None = None,
    on_branch: bool = False,
) -> Change:
    """The two joined with a converter between, in the place of what stood there.  high_note : of the link then."""
    bench, link = joined(bench, output, sink, on_branch)
    if high_note is not None:
        link = replace(link, high_note=high_note)
    return put_between(bench, link, sink, converter.stored(), title_of(converter.parts.direction))


def converter_of_link(link: Link, sink: PortRef | None = None) -> Converter | None:
    """The converter that stands in a link ahead of an input, None where there is none."""
    transfer = made_of(link, KINDS, sink)
    return transfer if isinstance(transfer, Converter) else None
