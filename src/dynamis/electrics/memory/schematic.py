"""Circuits that remember as drawings, from the sender at the left to the receiver at the right."""

from __future__ import annotations

from typing import Final

from dynamis.electrics.memory.remembering import Remembering
from dynamis.electrics.parts_drawing import DOWN, PartsDrawing
from dynamis.electrics.sketch import Point, Schematic
from dynamis.notation.style import Style

_START: Final = 8.0
_BEHIND: Final = 9.5


class _Drawing(PartsDrawing):
    def __init__(self, circuit: Remembering, style: Style) -> None:
        super().__init__(circuit.parts, style)
        self.circuit = circuit

    def along(self, at: Point, long: float = 3.0) -> Point:
        end = (at[0] + long, at[1])
        self.pen.wire(at, end)
        return end

    def switch(self, name: str, at: Point, *, down: bool = False) -> Point:
        """A switch along, or down to ground; answers its end."""
        end = (at[0], at[1] + DOWN) if down else (at[0] + 4.0, at[1])
        self.pen.part("switch", at, end, (name,))
        if down:
            self.pen.ground(end)
            self.pen.dots.append(at)
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
    if circuit.of.diodes and not circuit.rectifies:
        at = _extreme(drawing, at, besides)
    else:
        at = _single(drawing, at)
        if what and not circuit.rectifies:
            notes.append(f"S1 is closed while {besides} is up, by a level that suits the switch.")
    drawing.pen.sender((0.0, 0.0), (_START, 0.0), (sender,))
    drawing.pen.receiver(drawing.along(at, 2.0), (receiver,))
    return drawing.pen.finished(notes, 0.9, _BEHIND)


def _single(drawing: _Drawing, at: Point) -> Point:
    """One way through: a follower or a rectifier ahead, a switch, what holds or lags, a follower behind."""
    circuit = drawing.circuit
    if circuit.kind in ("glide", "sample-and-hold"):
        at = drawing.along(drawing.follower("U1", *at), 1.0)
    if circuit.rectifies:
        at = drawing.along(drawing.follower("U1", *at, "D1", sinks=circuit.kind == "minimum"), 2.5)
        drawing.upright("R1", *at, left=True)
    elif circuit.of.driven_by:
        at = drawing.switch("S1", at)
    if circuit.kind == "glide" or circuit.holds:
        at = drawing.along(drawing.level("R1", *at), 1.5)
        drawing.upright("C1", *at)
    elif circuit.floats:
        at = drawing.along(at, 2.5)
        drawing.upright("R1", *at, left=True)
        at = drawing.along(at, 4.0)
        drawing.upright("C1", *at)
    elif circuit.kind == "gated-pitch":
        at = drawing.along(at, 1.5)
        drawing.switch("S2", at, down=True)
    last = next(part.name for part in reversed(circuit.parts) if part.is_active)
    return drawing.follower(last, *drawing.along(at, 3.0))


def _extreme(drawing: _Drawing, at: Point, other: str) -> Point:
    """Two followers with a diode each inside their loops, one node behind, a resistor to the rail."""
    pen, sinks = drawing.pen, drawing.circuit.kind == "minimum"
    first, below = drawing.follower("U1", *at, "D1", sinks=sinks), (at[0], at[1] + 11.0)
    pen.sender((0.0, below[1]), below, (other,))
    second = drawing.follower("U2", *below, "D2", sinks=sinks)
    node = drawing.along(first, 2.5)
    pen.wire(second, (node[0], second[1]), node)
    pen.dots.append(node)
    at = drawing.along(node, 3.0)
    drawing.upright("R1", *at, up=sinks, left=sinks)
    return drawing.follower("U3", *drawing.along(at, 3.0))
