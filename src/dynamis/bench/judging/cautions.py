"""Cautions where they apply: short, specific, and dismissible for a bench.

Common practice, no source; local electrical codes and licensed people come first.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from dynamis.bench.chains.branches import parts_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.judging.pairs import PairFit

CAUTIONS: Final[dict[str, str]] = {
    "limits": "Do not plug these together as they are: one side gets more than it bears. Never ±12 V on a pin of 3.3 V "
    "or 5 V; check the limits first, with a meter.",
    "loud": "Voltages from a computer are far louder than music and may be DC: turn monitors down and unplug "
    "headphones "
    "first. Speakers and hearing are at risk.",
    "return": "Two things with power of their own: check with a meter that their returns may be joined before you plug "
    "them together.",
    "opening": "Disconnect the power before you open anything, and wait. Some equipment carries mains inside: leave "
    "that "
    "to licensed people and follow your local electrical code.",
    "chips": "Handle chips by the body and earth yourself first; check the polarity of the power header before you "
    "switch on. Pins bend once or twice, then they break.",
    "for-good": "Some changes cannot be undone, and may void a warranty: write down, or photograph, how it was before.",
}


@dataclass(frozen=True)
class Caution:
    """key : by which it is dismissed."""

    key: str
    text: str


def cautions_for(bench: Bench, fit: PairFit) -> list[Caution]:
    """What to be careful about before a pair is joined; without those that were dismissed for this bench."""
    output, sender, receiver = bench.port(fit.output), bench.gear_by(fit.output.gear), bench.gear_by(fit.input.gear)
    keys = []
    if fit.verdict == "unsafe":
        keys.append("limits")
    if output.role == "audio":
        keys.append("loud")
    powers = [gear.power.source for gear in (sender, receiver)]
    if all(source not in ("", "none") for source in powers):
        keys.append("return")
    link = bench.link_from(fit.output)
    if link is not None and any(part.between or part.gate_stages for part in parts_of(link)):
        keys += ["opening", "chips"]
    if any(one.code == "setting-otherwise" for one in fit.findings):
        keys.append("for-good")
    return [Caution(key, CAUTIONS[key]) for key in keys if key not in bench.dismissed]
