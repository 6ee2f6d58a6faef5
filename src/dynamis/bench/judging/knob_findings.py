"""What is told of knobs: where they are to be set for a link, and what has to be known of them first."""

from __future__ import annotations

from collections.abc import Iterable

from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import Knob, PortRef
from dynamis.bench.gear.knobs import Turned, turn_words, value_words, without_reach
from dynamis.electrics.finding import Finding, cannot_tell
from dynamis.notation.style import Style


def unknown_knobs(bench: Bench, refs: Iterable[PortRef]) -> list[Finding]:
    """Knobs that turn something, of which nobody said how far."""
    return [
        cannot_tell(
            f"Cannot tell until you measure what {knob.name} of {bench.label(ref)} does at both ends of its turn."
        )
        for ref in refs
        for knob in without_reach(bench.port(ref))
    ]


def to_turn(label: str, knobs: Turned, style: Style) -> list[Finding]:
    """Where the knobs of an input are to be set, of which nobody said where they stand."""
    return [
        Finding("knob-to-set", "note", f"Set {setting_words(label, knob, value, style)}.", 100.0 * share, "%")
        for knob, value in knobs.to_turn
        for share in (knob.share_of(value),)
    ]


def closed(label: str, knobs: Turned) -> list[Finding]:
    """A knob that lets nothing through."""
    if knobs.gain != 0.0:
        return []
    names = " and ".join(one.name for one in knobs.knobs if one.does == "depth" and knobs.value(one) == 0.0)
    text = f"{names} of {label} stands where nothing gets through: turn it up."
    return [Finding("knob-closed", "fault", text)]


def setting_words(label: str, knob: Knob, value: float, style: Style) -> str:
    """`Depth of Gallery voice to 57 % of its turn (× 0.57)`."""
    of = "" if knob.steps else " of its turn"
    words = value_words(knob, value, style)
    shown = "" if knob.steps else f" ({words})"
    return f"{knob.name} of {label} to {turn_words(knob, value, style)}{of}{shown}"
