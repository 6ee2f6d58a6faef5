"""An exponential converter as a drawing, from the sender at the left to the receiver at the right."""

from __future__ import annotations

from typing import Final

from dynamis.electrics.circuits.clamp import LOOP_NAME
from dynamis.electrics.circuits.schematic import clamp_diode
from dynamis.electrics.exponential.parts import SCALE_TRIMMER, TRIMMERS, PairParts
from dynamis.electrics.sketch import Pen, Point, Schematic
from dynamis.notation.style import Style

_START: Final = 6.5
_LONG: Final = 6.0
_HIGH: Final = 5.0
_BEHIND: Final = 9.5
# The lines that the emitters and the collectors share.
_EMITTERS: Final = 6.0
_COLLECTORS: Final = -3.0
# What stands over U3: its resistor, and its capacitor above that.
_FIRST: Final = -3.6
_SECOND: Final = -9.0


class _Drawing:
    def __init__(self, parts: PairParts, style: Style) -> None:
        self.pen, self.parts, self.style = Pen(), parts, style

    def ohms(self, name: str, at: Point, to: Point, *, left: bool = False) -> None:
        """A resistor or a trimmer, by its name."""
        trimmer = name in TRIMMERS
        value = self.style.engineering((self.parts.trimmers if trimmer else self.parts.ohms)[name], "Ω")
        self.pen.part("trimmer" if trimmer else "resistor", at, to, (name, value), TRIMMERS.get(name, name), left=left)

    def inverting(self, name: str, minus: Point) -> Point:
        """An op-amp whose − input is here and whose + input is grounded; answers its output."""
        x, y = minus[0] + 2.0, minus[1] + 1.0
        self.pen.part("op-amp", (x, y), (x + 2.0, y), (name,))
        self.pen.wire((x - 2.0, y + 1.0), (x - 3.0, y + 1.0))
        self.pen.ground((x - 3.0, y + 1.0))
        return x + 2.0, y


def pair_schematic(
    parts: PairParts, style: Style = Style(), sender: str = "sender", receiver: str = "receiver"
) -> Schematic:
    """The drawing of a converter between a sender and a receiver."""
    made = _Drawing(parts, style)
    pen = made.pen
    base = _adder(made)
    collector = _reference(made, base)
    end = _output(made, collector)
    pen.sender((0.0, 0.0), (_START, 0.0), (sender,))
    pen.receiver(end, (receiver,))
    rails = style.volts(parts.reference_volts, 1)
    feeds = [f"{rails} from + rail by R9, {style.engineering(parts.ohms['R9'], 'Ω')}"]
    if "R10" in parts.ohms:
        feeds.append(f"−{rails} from − rail by R10, {style.engineering(parts.ohms['R10'], 'Ω')}")
    grows = style.number(parts.base_ppm, 0, sign=True)
    notes = [
        f"Shunt references: {'; '.join(feeds)}. Op-amps from {parts.supply.words}, 100 nF from each rail to ground.",
        "Q1 and Q2 are a matched pair on one chip" + (f"; R5, {grows} ppm/K, touches it." if parts.base_ppm else "."),
    ]
    return pen.finished(notes, 0.9, _BEHIND)


def _adder(made: _Drawing) -> Point:
    """U1 and what brings its volts down to the base of Q1; answers the base."""
    pen = made.pen
    node = (_START + _LONG + 1.5, 0.0)
    made.ohms("R1", (_START, 0.0), (_START + _LONG, 0.0))
    pen.wire((_START + _LONG, 0.0), (node[0] + 5.0, 0.0))
    if "R3" in made.parts.ohms:
        made.ohms("R3", node, (node[0], _LONG), left=True)
        pen.rail((node[0], _LONG), made.style.volts(made.parts.middle_reference, 1, sign=True))
        pen.dots.append(node)
    first = (node[0] + 2.0, 0.0)
    tip = made.inverting("U1", (node[0] + 5.0, 0.0))
    out = (tip[0] + 1.0, tip[1])
    pen.wire(first, (first[0], -4.0))
    made.ohms("R2", (first[0], -4.0), (first[0] + _LONG, -4.0))
    pen.wire((first[0] + _LONG, -4.0), (out[0], -4.0), out)
    pen.wire(tip, out)
    pen.dots += [first, out]
    middle, drive = (out[0] + _HIGH, out[1]), (out[0] + 2 * _HIGH, out[1])
    made.ohms(SCALE_TRIMMER, out, middle)
    made.ohms("R4", middle, drive)
    under = (drive[0] + 1.0, drive[1])
    made.ohms("R5", under, (under[0], under[1] + _LONG), left=True)
    pen.ground((under[0], under[1] + _LONG))
    pen.dots.append(under)
    base = (under[0] + 2.0, under[1])
    pen.wire(drive, base)
    return base


def _reference(made: _Drawing, base: Point) -> Point:
    """Q1, U2 that holds its current, and Q2; answers the collector of Q2."""
    pen = made.pen
    x = base[0] + 2.4
    pen.part("npn", base, (x, base[1] - 3.0), ("Q1",))
    pen.wire((x, base[1] - 3.0), (x, _COLLECTORS))
    top = _COLLECTORS - 2 * _HIGH
    made.ohms("R6", (x, _COLLECTORS), (x, _COLLECTORS - _HIGH), left=True)
    made.ohms("RV6", (x, _COLLECTORS - _HIGH), (x, top), left=True)
    pen.rail((x, top), made.style.volts(made.parts.reference_volts, 1, sign=True))
    minus = (x + 5.0, _COLLECTORS)
    pen.wire((x, _COLLECTORS), minus)
    tip = made.inverting("U2", minus)
    out = (tip[0] + 1.5, tip[1])
    pen.wire(tip, out)
    over = _COLLECTORS - 4.4
    pen.wire((x + 1.5, _COLLECTORS), (x + 1.5, over), (x + 3.0, over))
    pen.part("capacitor", (x + 3.0, over), (x + 8.0, over), ("C1", "1 nF"))
    pen.wire((x + 8.0, over), (out[0], over), out)
    made.ohms("R7", out, (out[0], out[1] + _HIGH + 1.0))
    second = (out[0] + 7.0, base[1])
    far = (second[0] + 2.4, second[1] - 3.0)
    pen.part("npn", second, far, ("Q2",))
    pen.wire(second, (second[0] - 1.0, second[1]))
    pen.ground((second[0] - 1.0, second[1]))
    pen.wire((x, base[1] + 3.0), (x, _EMITTERS), (far[0], _EMITTERS), (far[0], base[1] + 3.0))
    pen.wire((out[0], out[1] + _HIGH + 1.0), (out[0], _EMITTERS))
    pen.dots += [(x, _COLLECTORS), (x + 1.5, _COLLECTORS), out, (out[0], _EMITTERS)]
    return far


def _output(made: _Drawing, collector: Point) -> Point:
    """U3 with R8 and C2 over it, and the clamp where there is one; answers the receiver's terminal."""
    pen, parts = made.pen, made.parts
    x = collector[0]
    pen.wire(collector, (x, _COLLECTORS), (x + 6.0, _COLLECTORS))
    tip = made.inverting("U3", (x + 6.0, _COLLECTORS))
    out = tip
    if parts.loop_ohms:
        out = (tip[0] + _HIGH, tip[1])
        pen.part("resistor", tip, out, (LOOP_NAME, made.style.engineering(parts.loop_ohms, "Ω")))
    right, left = (out[0] + 1.0, out[1]), x + 1.5
    pen.wire(out, right)
    for level in (_FIRST, _SECOND):
        over = _COLLECTORS + level
        pen.wire((left, _COLLECTORS), (left, over), (left + 1.0, over))
        end = (left + 1.0 + _LONG, over)
        if level == _FIRST:
            made.ohms("R8", (left + 1.0, over), end)
        else:
            pen.part("capacitor", (left + 1.0, over), end, ("C2", "100 pF"))
        pen.wire(end, (right[0], over), right)
    pen.dots += [(left, _COLLECTORS), (left, _COLLECTORS + _FIRST), right, (right[0], _COLLECTORS + _FIRST)]
    last = (right[0] + 1.5, right[1])
    if parts.clamp.diodes:
        for diode in parts.clamp.diodes:
            clamp_diode(pen, diode, right[0] + 3.0, made.style, right[1])
        last = (right[0] + 5.0, right[1])
    pen.wire(right, last)
    return last
