"""Leads and the jacks at their ends: which pole meets which.

How plugs meet jacks is common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from dynamis.bench.document.bench import Link
from dynamis.bench.document.ports import Contact, Pole, Port

PLAIN_JACK: Final = (Pole("tip", "signal"), Pole("sleeve", "return"))
_POLES: Final = {"two-pole": 2, "three-pole": 3, "ring-open": 3, "four-pole": 4}
# Leads whose wires go to other poles than those they come from.
_WIRED: Final = ("split", "crossed")
_SIGNALS: Final = ("signal", "second-signal", "cold-leg")
LEAD_WORDS: Final = {
    "ring-open": "three poles, nothing joined on the ring",
    "split": "split: three poles at the one end, and at the other a plug of two poles for each signal",
    "crossed": "three poles, tip and ring crossed",
}
_BY_COUNT: Final = {2: "two poles: tip and sleeve", 3: "three poles: tip, ring and sleeve", 4: "four poles"}


def lead_words(link: Link, output: Port, sink: Port) -> str:
    """The lead of a link in words."""
    return LEAD_WORDS.get(link.lead) or _BY_COUNT[plug_poles(link, output, sink)]


def poles_of(port: Port) -> tuple[Pole, ...]:
    """The poles of a jack; a plain one where none are given."""
    return port.poles or PLAIN_JACK


def plug_poles(link: Link, output: Port, sink: Port) -> int:
    """How many poles the plugs have: the fewest of the lead and both jacks; a clip on one wire counts as two."""
    return max(2, min(_POLES.get(link.lead, 4), len(poles_of(output)), len(poles_of(sink))))


def joined_poles(link: Link, output: Port, sink: Port) -> Iterator[tuple[Pole | None, Pole | None, bool]]:
    """(pole of the output, pole of the input, joined) from the tip on; one that meets no other has None, and `joined`
    tells then whether the plug shorts it to the sleeve."""
    if link.lead in _WIRED:
        yield from _wired(link, output, sink)
        return
    count = plug_poles(link, output, sink)
    sides = [{pole.at: pole for pole in poles_of(port)} for port in (output, sink)]
    for k, at in enumerate(("tip", "ring", "ring 2", "sleeve")):
        first, second = (side.get(at) for side in sides)  # type: ignore[call-overload]
        if at == "sleeve" or k < count - 1:
            if link.lead == "ring-open" and at == "ring":
                yield from (
                    (one, None, False) if side == 0 else (None, one, False)
                    for side, one in enumerate((first, second))
                    if one is not None
                )
            elif first is not None or second is not None:
                yield first, second, first is not None and second is not None
        else:
            shorted = link.lead != "ring-open"
            yield from (
                (one, None, shorted) if side == 0 else (None, one, shorted)
                for side, one in enumerate((first, second))
                if one is not None
            )


def _wired(link: Link, output: Port, sink: Port) -> Iterator[tuple[Pole | None, Pole | None, bool]]:
    """As `joined_poles`, of a lead that brings a signal to another pole.

    Split, the output's own signal goes to the input's, each return to the other, and what else is on either jack goes
    by the other leg, or nowhere; crossed, tip and ring change places.
    """
    sides = [{pole.at: pole for pole in poles_of(port)} for port in (output, sink)]
    meets = dict[Contact, Contact]()
    if link.lead == "crossed":
        meets = {"tip": "ring", "ring": "tip", "sleeve": "sleeve"}
    else:
        ends: list[Contact] = [
            next((one.at for one in side.values() if one.carries == "signal"), "tip") for side in sides
        ]
        meets[ends[0]], meets["sleeve"] = ends[1], "sleeve"
    met = set()
    for at, pole in sides[0].items():
        other = sides[1].get(meets[at]) if at in meets else None
        if other is not None:
            met.add(other.at)
            yield pole, other, True
        elif link.lead == "crossed" or pole.carries not in _SIGNALS:
            yield pole, None, False
    for at, pole in sides[1].items():
        if at not in met and (link.lead == "crossed" or pole.carries not in _SIGNALS):
            yield None, pole, False
