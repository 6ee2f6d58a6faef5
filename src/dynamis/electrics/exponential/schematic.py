"""A converter of the law as a drawing, from the sender at the left to the receiver at the right."""

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
# From the line of the collectors: up to what stands over an op-amp, and down to the line of the emitters.
_OVER: Final = -4.4
_SECOND: Final = -10.4
_EMITTERS: Final = 9.0
# Of the way back from the output of a logarithmic converter: where it begins, and its line at the bottom.
_BACK: Final = (2.0, 19.0)
_BOTTOM: Final = 28.0


class _ConverterDrawing:
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

    def over(self, kind: str, name: str, node: Point, out: Point, high: float) -> None:
        """A part over an op-amp, from the node at its − input to its output."""
        y = node[1] + high
        a = (node[0] + 1.0, y)
        b = (a[0] + _LONG, y)
        self.pen.wire(node, (node[0], y), a)
        if kind == "capacitor":
            self.pen.part("capacitor", a, b, (name, self.style.engineering(self.parts.capacitors[name], "F")))
        else:
            self.ohms(name, a, b)
        self.pen.wire(b, (out[0], y), out)
        self.pen.dots += [node, out]

    def transistor(self, name: str, x: float, y: float, base: Point | None) -> None:
        """One of the pair under its collector, down to the line of the emitters; base : where a wire to it begins, None
        for ground."""
        at = (x - 2.4, y + 4.0)
        self.pen.part("npn", at, (x, y + 1.0), (name,))
        self.pen.wire((x, y), (x, y + 1.0))
        self.pen.wire((x, y + 7.0), (x, y + _EMITTERS))
        if base is None:
            self.pen.wire(at, (x - 3.4, y + 4.0))
            self.pen.ground((x - 3.4, y + 4.0))
        else:
            self.pen.wire(base, (x - 3.4, base[1]), (x - 3.4, y + 4.0), at)

    def reference(self, x: float, y: float) -> None:
        """R6 and its trimmer up from the collector of Q1 to the reference."""
        self.ohms("R6", (x, y), (x, y - _HIGH), left=True)
        self.ohms("RV6", (x, y - _HIGH), (x, y - 2 * _HIGH), left=True)
        self.pen.rail((x, y - 2 * _HIGH), self.style.volts(self.parts.reference_volts, 1, sign=True))
        self.pen.dots.append((x, y))

    def servo(self, x: float, y: float, second: float) -> None:
        """U2 behind the collector at x, C1 over it, R7 down to the emitters; their line goes on to the other one's."""
        minus, node = (x + 5.0, y), (x + 1.5, y)
        self.pen.wire((x, y), minus)
        tip = self.inverting("U2", minus)
        out = (tip[0] + 1.5, tip[1])
        self.pen.wire(tip, out)
        self.over("capacitor", "C1", node, out, _OVER)
        self.ohms("R7", out, (out[0], out[1] + _HIGH + 1.0))
        self.pen.wire((out[0], out[1] + _HIGH + 1.0), (out[0], y + _EMITTERS))
        self.pen.wire((x, y + _EMITTERS), (second, y + _EMITTERS))
        self.pen.dots += [(x, y), (out[0], y + _EMITTERS)]


def pair_schematic(
    parts: PairParts, style: Style = Style(), sender: str = "sender", receiver: str = "receiver"
) -> Schematic:
    """The drawing of a converter between a sender and a receiver."""
    drawing = _ConverterDrawing(parts, style)
    pen = drawing.pen
    end = (_exponential if parts.direction == "exponential" else _logarithmic)(drawing)
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


def _exponential(drawing: _ConverterDrawing) -> Point:
    """U1 to the base of Q1, whose current U2 holds; U3 at the collector of Q2."""
    base = _adder(drawing, (_START, 0.0))
    x, y = base[0] + 3.4, base[1] - 4.0
    second = x + 19.5
    drawing.transistor("Q1", x, y, base)
    drawing.reference(x, y)
    drawing.servo(x, y, second)
    drawing.transistor("Q2", second, y, None)
    return _output(drawing, second, y, ("R8", "C2"))[1]


def _logarithmic(drawing: _ConverterDrawing) -> Point:
    """U2 makes Q2 carry what the input sends; U3 at the collector of Q1, and from its output back to the base."""
    x = _START + _LONG + 4.0
    second = x + 20.0
    drawing.ohms("R8", (_START, 0.0), (_START + _LONG, 0.0))
    drawing.pen.wire((_START + _LONG, 0.0), (x, 0.0))
    drawing.transistor("Q2", x, 0.0, None)
    drawing.servo(x, 0.0, second)
    drawing.transistor("Q1", second, 0.0, _adder(drawing, _BACK))
    drawing.reference(second, 0.0)
    out, end = _output(drawing, second, 0.0, ("C2",))
    drawing.pen.wire(out, (out[0], _BOTTOM), (_BACK[0], _BOTTOM), _BACK)
    return end


def _adder(drawing: _ConverterDrawing, at: Point) -> Point:
    """U1 and what brings its volts down to the base of Q1; answers where that wire ends."""
    pen, (x, y) = drawing.pen, at
    node, first = (x + _LONG + 1.5, y), (x + _LONG + 3.5, y)
    drawing.ohms("R1", at, (x + _LONG, y))
    pen.wire((x + _LONG, y), (node[0] + 5.0, y))
    if "R3" in drawing.parts.ohms:
        drawing.ohms("R3", node, (node[0], y + _LONG), left=True)
        pen.rail((node[0], y + _LONG), drawing.style.volts(drawing.parts.middle_reference, 1, sign=True))
        pen.dots.append(node)
    tip = drawing.inverting("U1", (node[0] + 5.0, y))
    out = (tip[0] + 1.0, tip[1])
    pen.wire(tip, out)
    drawing.over("resistor", "R2", first, out, -4.0)
    middle, drive = (out[0] + _HIGH, out[1]), (out[0] + 2 * _HIGH, out[1])
    drawing.ohms(SCALE_TRIMMER, out, middle)
    drawing.ohms("R4", middle, drive)
    under = (drive[0] + 1.0, drive[1])
    drawing.ohms("R5", under, (under[0], under[1] + _LONG), left=True)
    pen.ground((under[0], under[1] + _LONG))
    pen.dots.append(under)
    base = (under[0] + 2.0, under[1])
    pen.wire(drive, base)
    return base


def _output(drawing: _ConverterDrawing, x: float, y: float, over: tuple[str, ...]) -> tuple[Point, Point]:
    """U3 behind the collector at x with what stands over it, and the clamp where there is one; answers the output and
    the receiver's terminal."""
    pen, parts = drawing.pen, drawing.parts
    minus, node = (x + 6.0, y), (x + 1.5, y)
    pen.wire((x, y), minus)
    tip = drawing.inverting("U3", minus)
    out = tip
    if parts.loop_ohms:
        out = (tip[0] + _HIGH, tip[1])
        pen.part("resistor", tip, out, (LOOP_NAME, drawing.style.engineering(parts.loop_ohms, "Ω")))
    right = (out[0] + 1.0, out[1])
    pen.wire(out, right)
    for name, high in zip(over, (_OVER, _SECOND), strict=False):
        drawing.over("resistor" if name in parts.ohms else "capacitor", name, node, right, high)
    last = (right[0] + 1.5, right[1])
    if parts.clamp.diodes:
        for diode in parts.clamp.diodes:
            clamp_diode(pen, diode, right[0] + 4.2, drawing.style, right[1])
        last = (right[0] + 6.0, right[1])
    pen.wire(right, last)
    return right, last
