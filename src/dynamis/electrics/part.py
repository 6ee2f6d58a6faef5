"""One part of a circuit."""

from __future__ import annotations

import msgspec

from dynamis.notation.style import Style

# Of a small silicon diode at a milliampere; common practice, no source.
DIODE_VOLTS = 0.6


class Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """ohms : None for what is no resistor.  rail_volts : of the rail that it hangs on, or an amplifier's upper one, 0
    for none.  volts : a Zener diode's, or an amplifier's lower rail.  farads : a capacitor's."""

    name: str
    ohms: float | None = None
    role: str = ""
    rail_volts: float = 0.0
    volts: float = 0.0
    farads: float = 0.0

    @property
    def is_active(self) -> bool:
        """Whether it is a transistor, buffer, op-amp or comparator; a diode is none."""
        return self.name[0] in "QU"


def value_words(part: Part, style: Style) -> str:
    """The ohms of a resistor, the farads of a capacitor; empty for what has neither."""
    if part.farads:
        return style.engineering(part.farads, "F")
    return "" if part.ohms is None else style.engineering(part.ohms, "Ω")
