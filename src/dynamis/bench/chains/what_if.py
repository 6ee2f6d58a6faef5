"""A link with one thing changed: an input unplugged, what stands between left out, nominal values in force."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.link_chain import LinkChain, link_chain
from dynamis.bench.chains.nomogram import nomogram
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class WhatIf:
    """key : of the change.  words : of it, as `without Gallery voice pitch 2`.  link, head : as they would be."""

    key: str
    words: str
    link: Link
    head: HeadRecord


def what_ifs(bench: Bench, link: Link, sink: PortRef, head: HeadRecord) -> list[WhatIf]:
    """The changes of a link that can be looked at from one of its inputs."""
    found = [
        WhatIf(
            f"part {other.gear}.{other.port}",
            f"without {bench.label(other)}",
            link.keeping(tuple(one for one in link.inputs if one != other)),
            head,
        )
        for other in link.inputs
        if other != sink and bench.has(other)
    ]
    if link.between or link.branch_of(sink) is not None:
        bare = msgspec.structs.replace(link, between=(), branches=())
        found.append(WhatIf("bare", "without what stands between", bare, head))
    if head.kind != "nominal":
        found.append(WhatIf("nominal", "with nominal values", link, HeadRecord()))
    return found


def changed_error(bench: Bench, change: WhatIf, sink: PortRef, notes: FloatArray) -> FloatArray:
    """Error at notes (N,), cents, as it would be; raises `InputError` where the link could not be worked out then."""
    chain: LinkChain = link_chain(bench, change.link, change.head, sink)
    return nomogram(bench, change.link, chain, notes, sink).error_cents


def what_if_words(change: WhatIf, notes: FloatArray, now: FloatArray, then: FloatArray, style: Style) -> str:
    """How much one change moves a link's error; now, then : (N,) cents."""
    moved, begins = then - now, change.words[:1].upper() + change.words[1:]
    known = np.isfinite(moved)
    if not np.any(known):
        return f"{begins}: nothing of it can be worked out."
    worst = int(np.nanargmax(np.abs(moved)))
    where = note_label(float(notes[worst]), style)
    span = (float(notes[known][-1]) - float(notes[known][0])) / 12.0
    octave = float(moved[known][-1] - moved[known][0]) / span if span > 0 else 0.0
    left = float(np.nanmax(np.abs(then)))
    return (
        f"{begins} it moves by up to {style.cents(float(moved[worst]), sign=True)} ct, at "
        f"{where}, and {style.cents(octave, sign=True)} ct an octave on the whole; the worst error is then "
        f"{style.cents(left)} ct."
    )
