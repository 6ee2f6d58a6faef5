"""Power on the bench: who feeds whom, what that comes to, and whose returns are one already.

A supply gives so much and no more; a converter whose reference is its supply moves with all that draws from it.
Source: the sum of currents (Kirchhoff); that a common supply is a common return is common practice, no source.
"""

from __future__ import annotations

from dynamis.bench.chains.port_transfers import on_supply
from dynamis.bench.document.bench import Bench, Gear
from dynamis.notation.style import Style


def fed_from(bench: Bench, gear: Gear) -> list[Gear]:
    """The gear that feeds one, then what feeds that, and so on; a ring ends where it began."""
    known, found, now = {one.id: one for one in bench.gear}, list[Gear](), gear
    while now.power.fed_by in known and known[now.power.fed_by] not in (*found, gear):
        now = known[now.power.fed_by]
        found.append(now)
    return found


def drawn(bench: Bench, source: Gear) -> tuple[float, list[Gear], list[Gear]]:
    """(amperes that all it feeds draw at most, those that draw, those of which nobody knows)."""
    fed = [one for one in bench.gear if one.power.fed_by == source.id != one.id and not one.archived]
    known = [one for one in fed if one.power.amperes is not None]
    unknown = [one for one in fed if one.power.amperes is None]
    return sum(one.power.amperes or 0.0 for one in known), known, unknown


def one_return(bench: Bench, first: Gear, second: Gear) -> bool:
    """Whether two gears hang on one supply, which joins their returns."""
    ends = [{gear.id, *(one.id for one in fed_from(bench, gear))} for gear in (first, second)]
    return bool(ends[0] & ends[1])


def power_words(bench: Bench, gear: Gear, style: Style = Style()) -> list[str]:
    """What is told of a gear's power, a sentence each."""
    said = []
    power = gear.power
    feeding = fed_from(bench, gear)
    if power.fed_by and not feeding:
        said.append(f"What feeds {gear.name} is not on this bench, or is itself.")
    for source in feeding[:1]:
        said += _of_source(bench, source, style)
        if any(on_supply(port) for port in gear.ports):
            said.append(
                f"A converter of {gear.name} has this supply as its reference: what else draws from {source.name} "
                "moves its pitch."
            )
    if drawn(bench, gear)[1] or drawn(bench, gear)[2]:
        said += _of_source(bench, gear, style)
    return said


def _of_source(bench: Bench, source: Gear, style: Style) -> list[str]:
    amperes, known, unknown = drawn(bench, source)
    gives = source.power.gives_amperes
    names, said = " and ".join(one.name for one in known), []
    if known:
        draw = "draws" if len(known) == 1 else "draw"
        sentence = f"{names} {draw} {style.engineering(amperes, 'A')} from {source.name} at most"
        if gives is None:
            said.append(f"{sentence}; what it can give is not known.")
        elif amperes > gives:
            short, most = (style.engineering(one, "A") for one in (amperes - gives, gives))
            said.append(f"{sentence}, {short} more than it gives: {most}. Feed some elsewhere.")
        else:
            said.append(f"{sentence}, of {style.engineering(gives, 'A')} that it gives.")
    if unknown:
        draw = "draws" if len(unknown) == 1 else "draw"
        said.append(f"What {' and '.join(one.name for one in unknown)} {draw} from {source.name} is not known.")
    return said
