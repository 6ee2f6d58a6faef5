"""Circuits that remember as drawings, from the sender at the left to the receiver at the right."""

from __future__ import annotations

from typing import Final

from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.sketch import Pen, Point, Schematic
from dynamis.notation.style import Style

_START: Final = 8.0
_LONG: Final = 6.0
_DOWN: Final = 5.0
_BEHIND: Final = 9.5


class _Drawing:
    def __init__(self, circuit: Remembering, style: Style) -> None:
        self.pen, self.circuit, self.style = Pen(), circuit, style

    def follower(self, name: str, at: Point, diode: str = "") -> Point:
        """A follower whose + input is here, with a diode inside its loop where one is named; answers its end."""
        x, y = at
        middle = (x + 2.0, y - 1.0)
        self.pen.part("op-amp", middle, (middle[0] + 2.0, middle[1]), (name,))
        tip, minus = (middle[0] + 2.0, middle[1]), (middle[0] - 2.0, middle[1] - 1.0)
        out = (tip[0] + 1.0, tip[1])
        if diode:
            end = (tip[0] + 4.5, tip[1])
            ends = (tip, end) if self.circuit.kind == "maximum" else (end, tip)
            self.pen.part("diode", *ends, (diode,))
            out = (end[0] + 1.0, end[1])
            self.pen.wire(end, out)
        else:
            self.pen.wire(tip, out)
        over = minus[1] - 2.5
        self.pen.wire(minus, (minus[0] - 0.8, minus[1]), (minus[0] - 0.8, over), (out[0], over), out)
        self.pen.dots.append(out)
        return out

    def resistor(self, at: Point) -> Point:
        end = (at[0] + _LONG, at[1])
        self.pen.part("resistor", at, end, ("R1", self.style.engineering(self.circuit.ohms, "Ω")), "R1")
        return end

    def down(self, kind: str, at: Point) -> None:
        """R1, C1 or S2 from a node to ground."""
        end, style = (at[0], at[1] + _DOWN), self.style
        if kind == "resistor":
            self.pen.part("resistor", at, end, ("R1", style.engineering(self.circuit.ohms, "Ω")), "R1", left=True)
        elif kind == "capacitor":
            self.pen.part("capacitor", at, end, ("C1", style.engineering(self.circuit.farads, "F")), "C1")
        else:
            self.pen.part("switch", at, end, ("S2",))
        self.pen.ground(end)
        self.pen.dots.append(at)

    def along(self, at: Point, long: float = 3.0) -> Point:
        end = (at[0] + long, at[1])
        self.pen.wire(at, end)
        return end

    def switch(self, at: Point) -> Point:
        end = (at[0] + 4.0, at[1])
        self.pen.part("switch", at, end, ("S1",))
        return end


def memory_schematic(
    circuit: Remembering, style: Style = Style(), sender: str = "sender", receiver: str = "receiver", by: str = ""
) -> Schematic:
    """The drawing of a circuit that remembers.  by : what clocks or gates it, or the other signal, in words."""
    drawing = _Drawing(circuit, style)
    at: Point = (_START, 0.0)
    what = circuit.of.driven_by
    besides = by or ("the other signal" if what == "other" else f"the {what}")
    notes = [f"Op-amps from {circuit.supply.words}, 100 nF from each rail to ground."]
    if circuit.rectifies:
        at = drawing.along(drawing.follower("U1", at, "D1"), 2.5)
        drawing.down("resistor", at)
        at = drawing.follower("U2", drawing.along(at, 3.0))
    elif circuit.of.diodes:
        at = _extreme(drawing, at, besides)
    else:
        at = _single(drawing, at)
        if circuit.of.driven_by:
            notes.append(f"S1 is closed while {besides} is up, by a level that suits the switch.")
    drawing.pen.sender((0.0, 0.0), (_START, 0.0), (sender,))
    drawing.pen.receiver(drawing.along(at, 2.0), (receiver,))
    return drawing.pen.finished(notes, 0.9, _BEHIND)


def _single(drawing: _Drawing, at: Point) -> Point:
    circuit = drawing.circuit
    if circuit.kind in ("glide", "sample-and-hold"):
        at = drawing.along(drawing.follower("U1", at), 1.0)
    if circuit.of.driven_by:
        at = drawing.switch(at)
    if circuit.kind == "glide" or circuit.holds:
        at = drawing.along(drawing.resistor(at), 1.5)
        drawing.down("capacitor", at)
    elif circuit.floats:
        at = drawing.along(at, 2.5)
        drawing.down("resistor", at)
        at = drawing.along(at, 4.0)
        drawing.down("capacitor", at)
    else:
        at = drawing.along(at, 1.5)
        drawing.down("switch", at)
    return drawing.follower("U2" if circuit.of.followers == 2 else "U1", drawing.along(at, 3.0))


def _extreme(drawing: _Drawing, at: Point, other: str) -> Point:
    """Two followers with a diode each inside their loops, one node behind, a resistor to the rail."""
    circuit, pen = drawing.circuit, drawing.pen
    first, below = drawing.follower("U1", at, "D1"), (at[0], at[1] + 11.0)
    pen.sender((0.0, below[1]), below, (other,))
    second = drawing.follower("U2", below, "D2")
    node = drawing.along(first, 2.5)
    pen.wire(second, (node[0], second[1]), node)
    pen.dots.append(node)
    up = circuit.kind == "minimum"
    end = (node[0] + 3.0, node[1] - _DOWN if up else node[1] + _DOWN)
    pen.wire(node, (node[0] + 3.0, node[1]))
    pen.part("resistor", (node[0] + 3.0, node[1]), end, ("R1", drawing.style.engineering(circuit.ohms, "Ω")), "R1")
    pen.rail(end, drawing.style.volts(circuit.supply.high if up else circuit.supply.low, 0, sign=True))
    pen.dots.append((node[0] + 3.0, node[1]))
    return drawing.follower("U3", drawing.along((node[0] + 3.0, node[1]), 3.0))
