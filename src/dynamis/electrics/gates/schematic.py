"""Circuits for gates as drawings, from the sender at the left to the receiver at the right.

A contact goes to a comparator's − input, so that closing it makes the output rise; everything else to its + input.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from dynamis.electrics.gates.stages import RAIL
from dynamis.electrics.part import Part
from dynamis.electrics.sketch import Pen, Point, Schematic
from dynamis.notation.style import Style

# Where the sender's lead ends, how long a part is, and room for the words of the terminals.
_START: Final = 6.5
_LONG: Final = 6.0
_BEHIND: Final = 9.5
_DOWN: Final = 6.0
_FEEDBACK: Final = 5.0


class _Drawing:
    """One circuit being drawn.  contact : the sender is a switch."""

    def __init__(self, parts: Sequence[Part], style: Style, *, contact: bool) -> None:
        self.pen, self.style, self.contact = Pen(), style, contact
        self.parts: Mapping[str, Part] = {one.name: one for one in parts}

    def level(self, name: str, x: float, y: float, long: float = _LONG) -> Point:
        """A resistor from here to the right; answers its end."""
        self.pen.part("resistor", (x, y), (x + long, y), self.words(name), name)
        return x + long, y

    def upright(self, name: str, x: float, y: float, *, up: bool = False, left: bool = False) -> None:
        """A resistor from a node up to its rail, or down to ground."""
        end = (x, y - _DOWN if up else y + _DOWN)
        self.pen.part("resistor", (x, y), end, self.words(name), name, left=left)
        self.pen.dots.append((x, y))
        if up:
            self.pen.rail(end, self.style.volts(self.parts[name].rail_volts, 0, sign=True))
        else:
            self.pen.ground(end)

    def amplifier(self, name: str, x: float, y: float, *, turned: bool = False) -> tuple[Point, Point, Point]:
        """An op-amp with its middle here; answers its + input, its − input and its output."""
        self.pen.part("op-amp", (x, y), (x + 2.0, y), (name,), turned=turned)
        above, below = (x - 2.0, y - 1.0), (x - 2.0, y + 1.0)
        return (above, below, (x + 2.0, y)) if turned else (below, above, (x + 2.0, y))

    def follower(self, name: str, x: float, y: float) -> Point:
        """A follower whose + input is here; answers its output."""
        _, minus, tip = self.amplifier(name, x + 2.0, y - 1.0)
        out = (tip[0] + 1.0, tip[1])
        over = minus[1] - 3.0
        self.pen.wire(minus, (minus[0] - 0.8, minus[1]), (minus[0] - 0.8, over), (out[0], over), out)
        self.pen.wire(tip, out)
        self.pen.dots.append(out)
        return out

    def to_ground(self, kind: str, name: str, x: float, y: float) -> Point:
        """A transistor that pulls down, its base or gate here; answers where the receiver hangs."""
        drain = (x + 2.4, y - 3.0)
        self.pen.part("npn" if kind == "npn" else "mosfet", (x, y), drain, (name,))
        self.pen.ground((drain[0], y + 3.0))
        end = (drain[0] + 3.0, drain[1] - 1.0)
        self.pen.wire(drain, (drain[0], end[1]), end)
        return end

    def words(self, name: str) -> tuple[str, ...]:
        ohms = self.parts[name].ohms
        return (name, "" if ohms is None else self.style.engineering(ohms, "Ω"))


def gate_schematic(
    circuit: str,
    parts: Sequence[Part],
    style: Style = Style(),
    *,
    contact: bool = False,
    sender: Sequence[str] = ("sender",),
    receiver: Sequence[str] = ("receiver",),
) -> Schematic:
    """The drawing of a circuit by its name and its parts.

    sender, receiver : the words at the two ends, at most two each.  Raises `KeyError` for a part that is not there.
    """
    made = _Drawing(parts, style, contact=contact)
    entry = 0.0
    if circuit == "divider":
        end = _held(made, *_divider(made))
    elif circuit in _ENDS:
        end = _held(made, *_ENDS[circuit](made))
    elif circuit == "transistor to ground":
        end = made.to_ground("npn", "Q1", *made.level("R1", _START, 0.0))
    elif circuit == "stretcher":
        entry, out = 1.0, _stretcher(made)
        end = _held(made, *made.level("R5", *out))
    elif circuit == "comparator":
        entry, out = 1.0, _of_levels(made)
        end = _held(made, *made.level("R5", *out))
    else:
        entry, out = 1.0, _comparator(made)
        end = _mosfet(made, out) if "MOSFET" in circuit else _levels(made, out)
    made.pen.sender((0.0, entry), (_START, entry), tuple(sender))
    last = (end[0] + 0.8, end[1])
    made.pen.wire(end, last)
    made.pen.receiver(last, tuple(receiver))
    notes = []
    for name, part in made.parts.items():
        if name.startswith("U"):
            words = part.role.split(";")[0]
            rails = "" if "from" in words else f", from ± {style.number(RAIL, 0)} V"
            notes.append(f"{name}: {words}{rails}, 100 nF from each rail to ground.")
    return made.pen.finished(notes, 0.9, _BEHIND)


def _held(made: _Drawing, x: float, y: float) -> Point:
    """Diodes that hold the receiver: to ground, to a rail, a Zener diode; answers where the receiver hangs."""
    for name in ("D1", "Z1", "D2"):
        part = made.parts.get(name)
        if part is None or (name == "D1" and "from ground" not in part.role):
            continue
        made.pen.wire((x, y), (x + 3.0, y))
        x += 3.0
        made.pen.dots.append((x, y))
        words = (name, made.style.volts(part.volts, 1)) if part.volts else (name,)
        if name == "D2":
            made.pen.part("diode", (x, y), (x, y - _DOWN), words)
            made.pen.rail((x, y - _DOWN), made.style.volts(part.rail_volts, 1, sign=True))
        else:  # its anode at ground
            made.pen.part("diode", (x, y + _DOWN), (x, y), words)
            made.pen.ground((x, y + _DOWN))
    return x, y


def _ahead(made: _Drawing, y: float) -> Point:
    """What stands ahead of an active part: a diode, a divider; answers where it leads."""
    at = (_START, y)
    if "D3" in made.parts:
        made.pen.part("diode", at, (at[0] + 4.0, y), ("D3",))
        at = (at[0] + 4.0, y)
    if "R11" in made.parts:
        end = made.level("R11", *at)
        made.upright("R12", end[0] + 0.8, y)
        at = (end[0] + 1.6, y)
        made.pen.wire(end, at)
    return at


def _clamped(made: _Drawing) -> Point:
    return made.level("R1", _START, 0.0)


def _rectified(made: _Drawing) -> Point:
    made.pen.part("diode", (_START, 0.0), (_START + 4.0, 0.0), ("D1",))
    node = made.level("R1", _START + 4.0, 0.0)
    made.upright("R2", node[0] + 1.0, 0.0)
    made.pen.wire(node, (node[0] + 3.0, 0.0))
    return node[0] + 3.0, 0.0


def _inverted(made: _Drawing) -> Point:
    made.pen.wire((_START, 0.0), (12.0, 0.0))
    made.upright("R1", 9.0, 0.0, up=True, left=True)
    end = made.to_ground("npn", "Q1", 12.0, 0.0)
    node = (end[0] + 1.0, end[1])
    made.pen.wire(end, node)
    made.upright("R2", *node, up=True)
    last = (node[0] + 3.0, node[1])
    made.pen.wire(node, last)
    if "R3" in made.parts:
        made.upright("R3", *last)
    return last


def _buffered(made: _Drawing) -> Point:
    at = _ahead(made, 0.0)
    made.pen.wire(at, (at[0] + 2.0, 0.0))
    made.pen.part("buffer", (at[0] + 4.0, 0.0), (at[0] + 6.0, 0.0), ("U1",))
    return made.level("R10", at[0] + 6.0, 0.0)


def _followed(made: _Drawing) -> Point:
    made.pen.wire((_START, 0.0), (9.0, 0.0))
    return made.level("R1", *made.follower("U1", 9.0, 0.0))


def _amplified(made: _Drawing) -> Point:
    """R4 from the output back to the − input, R3 from there to ground."""
    pen = made.pen
    at = _ahead(made, 0.0)
    plus, minus, tip = made.amplifier("U1", max(17.0, at[0] + 11.0), -1.0)
    pen.wire(at, plus)
    node = (minus[0] - 1.6, minus[1] - 3.4)
    out = (tip[0] + 1.0, tip[1])
    pen.wire(minus, (node[0], minus[1]), node)
    pen.wire(tip, out)
    pen.part("resistor", node, (out[0], node[1]), made.words("R4"), "R4")
    pen.wire((out[0], node[1]), out)
    pen.part("resistor", node, (node[0] - _LONG, node[1]), made.words("R3"), "R3")
    pen.ground((node[0] - _LONG, node[1]))
    pen.dots += [node, out]
    return made.level("R1", *out)


_ENDS: Final = {
    "resistor and clamp": _clamped,
    "diode and divider": _rectified,
    "transistor": _inverted,
    "logic buffer": _buffered,
    "buffer": _followed,
    "amplifier": _amplified,
}


def _divider(made: _Drawing) -> Point:
    node = made.level("R1", _START, 0.0)
    made.upright("R2", node[0] + 1.0, 0.0)
    made.pen.wire(node, (node[0] + 3.0, 0.0))
    return node[0] + 3.0, 0.0


def _stretcher(made: _Drawing) -> Point:
    pen, y = made.pen, 1.0
    pen.part("diode", (_START, y), (12.0, y), ("D4",))
    pen.wire((12.0, y), (22.0, y))
    pen.part("capacitor", (13.0, y), (13.0, y + _DOWN), ("C1", made.style.engineering(made.parts["C1"].farads, "F")))
    pen.ground((13.0, y + _DOWN))
    pen.dots.append((13.0, y))
    made.upright("R1", 18.0, y)
    _, minus, tip = made.amplifier("U1", 26.0, 0.0)
    _reference(made, minus)
    return tip


def _comparator(made: _Drawing) -> Point:
    """A comparator with hysteresis and what leads to it; answers its output."""
    return _of_contact(made) if made.contact else _of_levels(made)


def _of_levels(made: _Drawing) -> Point:
    pen, y = made.pen, 1.0
    at = made.level("R1", *_ahead(made, y))
    plus, minus, tip = made.amplifier("U1", at[0] + 6.0, 0.0)
    pen.wire(at, plus)
    out = _hysteresis(made, (at[0] + 0.8, y), tip, _FEEDBACK)
    if "R3" not in made.parts:
        pen.wire(minus, (minus[0] - 1.4, minus[1]))
        pen.ground((minus[0] - 1.4, minus[1]))
        return out
    _reference(made, minus)
    return out


def _reference(made: _Drawing, minus: Point) -> None:
    """R3 and R4, which hold the − input of a comparator."""
    node = (minus[0] - 1.6, -4.4)
    made.upright("R3", *node, up=True)
    made.pen.part("resistor", node, (node[0] - _LONG, node[1]), made.words("R4"), "R4")
    made.pen.ground((node[0] - _LONG, node[1]))
    made.pen.wire(node, (node[0], minus[1]), minus)


def _of_contact(made: _Drawing) -> Point:
    pen, y = made.pen, 1.0
    made.upright("R8", 9.0, y, up=True, left=True)
    made.upright("R9", 9.0, y)
    reference = (18.6, -1.0)
    if "R3" in made.parts:
        made.upright("R3", *reference, up=True, left=True)
        pen.part("resistor", reference, (reference[0] - _LONG, -1.0), made.words("R4"), "R4")
        pen.ground((reference[0] - _LONG, -1.0))
    else:
        pen.ground(reference)
    at = made.level("R1", *reference)
    plus, minus, tip = made.amplifier("U1", at[0] + 5.0, 0.0, turned=True)
    pen.wire(at, plus)
    pen.wire((_START, y), minus)
    return _hysteresis(made, (at[0] + 0.8, -1.0), tip, -_FEEDBACK)


def _hysteresis(made: _Drawing, node: Point, tip: Point, y: float) -> Point:
    """R2 from the output back to the + input, over or under the comparator; answers the output's node."""
    out = (tip[0] + 1.0, tip[1])
    made.pen.wire(tip, out)
    made.pen.wire(node, (node[0], y))
    made.pen.part("resistor", (node[0], y), (out[0], y), made.words("R2"), "R2")
    made.pen.wire((out[0], y), out)
    made.pen.dots += [node, out]
    return out


def _levels(made: _Drawing, out: Point) -> Point:
    """Resistors that make two levels of the comparator's, and a follower."""
    end = made.level("R5", *out)
    node = (end[0] + 1.0, end[1])
    if "R6" in made.parts:
        made.upright("R6", *node, up=made.parts["R6"].rail_volts != 0)
    made.upright("R7", *node)
    plus = (node[0] + 6.0, node[1])
    made.pen.wire(end, plus)
    return made.level("R10", *made.follower("U2", *plus))


def _mosfet(made: _Drawing, out: Point) -> Point:
    return made.to_ground("mosfet", "Q1", *made.level("R7", *out))
