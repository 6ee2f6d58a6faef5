"""A jack whose switch passes one output on while nothing is plugged in: its parts, its volts, drawn and as SPICE text.

Source: the node by Kirchhoff's law; what a switched jack does is common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from dynamis.electrics.net import loaded
from dynamis.electrics.part import Part
from dynamis.electrics.parts_drawing import PartsDrawing
from dynamis.electrics.sketch import Point, Schematic
from dynamis.errors import InputError
from dynamis.notation.safe import comment
from dynamis.notation.style import Style, plain

# Spares an output whose volts a plug shorts for a moment as it goes in; common practice, no source.
SPARES_OHMS: Final = 1000.0
_STEPS: Final = 50
# A contact that is closed.
_CLOSED_OHMS: Final = 1e-3
_START: Final = 8.0


@dataclass(frozen=True)
class JackFeed:
    """source_ohms : of the output that feeds the switch.  ohms : ahead of the switch, 0 for none.  load_ohms,
    rest_volts : of the input behind the jack.  low_volts, high_volts : what the output sends, open."""

    source_ohms: float
    load_ohms: float
    low_volts: float
    high_volts: float
    ohms: float = SPARES_OHMS
    rest_volts: float = 0.0

    def __post_init__(self) -> None:
        if not self.ohms >= 0:
            raise InputError(f"The resistor ahead of the switch is {plain(self.ohms)} Ω; 0 Ω or more was expected.")

    @property
    def parts(self) -> tuple[Part, ...]:
        jack = Part("J1", None, "jack whose switch opens when a plug goes in")
        return (Part("R1", self.ohms, "spares the sender"), jack) if self.ohms else (jack,)

    @property
    def at_jack(self) -> tuple[float, float]:
        """The least and the most volts at the input with nothing plugged in."""
        share, rest = loaded(self.source_ohms + self.ohms, [(self.load_ohms, self.rest_volts)])
        return share * self.low_volts + rest, share * self.high_volts + rest

    @property
    def shorted_amperes(self) -> float:
        """What flows while a plug joins the switch to its sleeve as it goes in; infinite where nothing limits it."""
        most, ohms = max(abs(self.low_volts), abs(self.high_volts)), self.source_ohms + self.ohms
        return most / ohms if ohms else float("inf")

    def netlist(self, title: str) -> str:
        """What `ngspice -b` runs as it is: a sweep of what feeds the jack, with nothing plugged in."""
        low, high = self.low_volts, self.high_volts
        lines = [f"* {comment(title)}, nothing plugged in", f"Vin in 0 DC {plain(low)}"]
        lines.append(f"Rsource in sent {plain(max(self.source_ohms, _CLOSED_OHMS))}")
        lines.append(f"R1 sent contact {plain(max(self.ohms, _CLOSED_OHMS))}")
        lines += [f"RJ1 contact out {plain(_CLOSED_OHMS)}", f"Rload out rest {plain(self.load_ohms)}"]
        lines.append(f"Vrest rest 0 DC {plain(self.rest_volts)}")
        step = (high - low) / _STEPS or 1.0
        lines += [f".dc Vin {plain(low)} {plain(high)} {plain(step)}", ".print dc v(in) v(out)", ".end", ""]
        return "\n".join(lines)

    def schematic(self, style: Style, sender: str, receiver: str) -> Schematic:
        drawing = PartsDrawing(self.parts, style)
        pen, at = drawing.pen, (_START, 0.0)
        pen.sender((0.0, 0.0), at, (sender,))
        end: Point = drawing.level("R1", *at) if self.ohms else at
        contact = (end[0] + 5.0, end[1])
        pen.part("switch", end, contact, ("J1",))
        node = (contact[0] + 2.0, contact[1])
        plug = (_START, 7.0)
        pen.sender((0.0, plug[1]), plug, ("what is plugged in",))
        pen.wire(plug, (node[0], plug[1]), node)
        pen.dots.append(node)
        out = (node[0] + 4.0, node[1])
        pen.wire(contact, node, out)
        pen.receiver(out, (receiver,))
        notes = ["The switch of J1 is closed while nothing is plugged in, and opens when a plug goes in."]
        return pen.finished(notes, 0.9, 9.5)
