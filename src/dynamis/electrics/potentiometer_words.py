"""The curve that a loaded potentiometer makes over its travel, in words."""

from __future__ import annotations

from dataclasses import dataclass

from dynamis.electrics.potentiometer import LoadedPot, Straightening, straightenings
from dynamis.notation.style import Style


@dataclass(frozen=True)
class NamedPot:
    """A potentiometer as it is loaded, its name and what loads it."""

    loaded: LoadedPot
    name: str
    load: str

    @property
    def straightenings(self) -> list[Straightening]:
        return straightenings(self.loaded)


def pot_words(pot: NamedPot, style: Style) -> list[str]:
    """How it bends, and by how much less with each way to straighten it."""
    travel, bend = pot.loaded.bend
    half = style.volts(float(pot.loaded.volts(0.5)), 2)
    reach = style.volts(pot.loaded.reach_volts, 2)
    sentences = [
        f"{pot.name} is loaded by {pot.load}: it reaches {reach} and gives {half} half-way. At "
        f"{style.share(travel, 0)} of its travel it is {style.share(abs(bend), 0)} off a straight line."
    ]
    for straightening in pot.straightenings:
        sentences.append(
            f"{_straightening_words(straightening, style)}: off by {style.share(straightening.bend, 0)} at most, up to "
            f"{style.volts(straightening.reach_volts, 2)}, for {style.engineering(straightening.amperes, 'A')}."
        )
    sentences.append("A buffer ahead of the load, and one ahead of the potentiometer, take the bend out wholly.")
    return sentences


def _straightening_words(straightening: Straightening, style: Style) -> str:
    ohms = style.engineering(straightening.ohms, "Ω")
    return f"A potentiometer of {ohms}" if straightening.kind == "lower" else f"{ohms} from the wiper to the fed end"
