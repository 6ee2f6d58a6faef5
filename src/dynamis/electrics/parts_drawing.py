"""Parts by their names put on a drawing: resistors along and upright, op-amps, followers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from dynamis.electrics.part import Part, value_words
from dynamis.electrics.sketch import Pen, Point
from dynamis.notation.style import Style

# How long a part along the signal is, and one to ground or to a rail.
LONG, DOWN = 6.0, 6.0


class PartsDrawing:
    """One circuit being drawn."""

    def __init__(self, parts: Sequence[Part], style: Style) -> None:
        self.pen, self.style = Pen(), style
        self.parts: Mapping[str, Part] = {one.name: one for one in parts}

    def level(self, name: str, x: float, y: float, long: float = LONG) -> Point:
        """A resistor from here to the right; answers its end."""
        self.pen.part("resistor", (x, y), (x + long, y), self.words(name), name)
        return x + long, y

    def upright(self, name: str, x: float, y: float, *, up: bool = False, left: bool = False) -> None:
        """A resistor or capacitor from a node up to its rail, or down to ground or to its rail below."""
        end, part = (x, y - DOWN if up else y + DOWN), self.parts[name]
        self.pen.part("capacitor" if part.farads else "resistor", (x, y), end, self.words(name), name, left=left)
        self.pen.dots.append((x, y))
        if up or part.rail_volts < 0:
            self.pen.rail(end, self.style.volts(part.rail_volts, 0, sign=True))
        else:
            self.pen.ground(end)

    def amplifier(self, name: str, x: float, y: float, *, turned: bool = False) -> tuple[Point, Point, Point]:
        """An op-amp with its middle here; answers its + input, its − input and its output."""
        self.pen.part("op-amp", (x, y), (x + 2.0, y), (name,), turned=turned)
        above, below = (x - 2.0, y - 1.0), (x - 2.0, y + 1.0)
        return (above, below, (x + 2.0, y)) if turned else (below, above, (x + 2.0, y))

    def follower(self, name: str, x: float, y: float, diode: str = "", *, sinks: bool = False) -> Point:
        """A follower whose + input is here, with a diode inside its loop where one is named; answers its output.

        sinks : the diode lets current into the op-amp rather than out of it.
        """
        _, minus, tip = self.amplifier(name, x + 2.0, y - 1.0)
        if diode:
            end = (tip[0] + 4.5, tip[1])
            self.pen.part("diode", *((end, tip) if sinks else (tip, end)), (diode,))
            tip = end
        out = (tip[0] + 1.0, tip[1])
        over = minus[1] - 3.0
        self.pen.wire(minus, (minus[0] - 0.8, minus[1]), (minus[0] - 0.8, over), (out[0], over), out)
        self.pen.wire(tip, out)
        self.pen.dots.append(out)
        return out

    def words(self, name: str) -> tuple[str, ...]:
        return (name, value_words(self.parts[name], self.style))
