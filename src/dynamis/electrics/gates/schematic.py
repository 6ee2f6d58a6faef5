"""Circuits for gates as drawings, from the sender at the left to the receiver at the right.

A contact goes to a comparator's − input, so that closing it makes the output rise; everything else to its + input.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from dynamis.electrics.gates.stages import RAIL
from dynamis.electrics.part import Part
from dynamis.electrics.parts_drawing import DOWN, LONG, PartsDrawing
from dynamis.electrics.sketch import Point, Schematic
from dynamis.notation.style import Style

# Where the sender's lead ends, and room for the words of the terminals.
_START: Final = 6.5
_BEHIND: Final = 9.5
_FEEDBACK: Final = 5.0


class _Drawing(PartsDrawing):
    """contact : the sender is a switch."""

    def __init__(self, parts: Sequence[Part], style: Style, *, contact: bool) -> None:
        super().__init__(parts, style)
        self.contact = contact

    def to_ground(self, kind: str, name: str, x: float, y: float) -> Point:
        """A transistor that pulls down, its base or gate here; answers where the receiver hangs."""
        drain = (x + 2.4, y - 3.0)
        self.pen.part("npn" if kind == "npn" else "mosfet", (x, y), drain, (name,))
        self.pen.ground((drain[0], y + 3.0))
        end = (drain[0] + 3.0, drain[1] - 1.0)
        self.pen.wire(drain, (drain[0], end[1]), end)
        return end


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
    drawing = _Drawing(parts, style, contact=contact)
    entry = 0.0
    if circuit == "divider":
        end = _held(drawing, *_divider(drawing))
    elif circuit in _ENDS:
        end = _held(drawing, *_ENDS[circuit](drawing))
    elif circuit == "transistor to ground":
        end = drawing.to_ground("npn", "Q1", *drawing.level("R1", _START, 0.0))
    elif circuit == "stretcher":
        entry, out = 1.0, _stretcher(drawing)
        end = _held(drawing, *drawing.level("R5", *out))
    elif circuit == "pulse from a rise":
        end = _held(drawing, *_pulse(drawing))
    elif circuit == "comparator":
        entry, out = 1.0, _of_levels(drawing)
        end = _held(drawing, *drawing.level("R5", *out))
    else:
        entry, out = 1.0, _comparator(drawing)
        end = _mosfet(drawing, out) if "MOSFET" in circuit else _levels(drawing, out)
    drawing.pen.sender((0.0, entry), (_START, entry), tuple(sender))
    last = (end[0] + 0.8, end[1])
    drawing.pen.wire(end, last)
    drawing.pen.receiver(last, tuple(receiver))
    notes = []
    for name, part in drawing.parts.items():
        if name.startswith("U"):
            words = part.role.split(";")[0]
            rails = "" if "from" in words else f", from ± {style.number(RAIL, 0)} V"
            notes.append(f"{name}: {words}{rails}, 100 nF from each rail to ground.")
    return drawing.pen.finished(notes, 0.9, _BEHIND)


def _held(drawing: _Drawing, x: float, y: float) -> Point:
    """Diodes that hold the receiver: to ground, to a rail, a Zener diode; answers where the receiver hangs."""
    for name in ("D1", "Z1", "D2"):
        part = drawing.parts.get(name)
        if part is None or (name == "D1" and "from ground" not in part.role):
            continue
        drawing.pen.wire((x, y), (x + 3.0, y))
        x += 3.0
        drawing.pen.dots.append((x, y))
        words = (name, drawing.style.volts(part.volts, 1)) if part.volts else (name,)
        if name == "D2":
            drawing.pen.part("diode", (x, y), (x, y - DOWN), words)
            drawing.pen.rail((x, y - DOWN), drawing.style.volts(part.rail_volts, 1, sign=True))
        else:  # its anode at ground
            drawing.pen.part("diode", (x, y + DOWN), (x, y), words)
            drawing.pen.ground((x, y + DOWN))
    return x, y


def _ahead(drawing: _Drawing, y: float) -> Point:
    """What stands ahead of an active part: a diode, a divider; answers where it leads."""
    at = (_START, y)
    if "D3" in drawing.parts:
        drawing.pen.part("diode", at, (at[0] + 4.0, y), ("D3",))
        at = (at[0] + 4.0, y)
    if "R11" in drawing.parts:
        end = drawing.level("R11", *at)
        drawing.upright("R12", end[0] + 0.8, y)
        at = (end[0] + 1.6, y)
        drawing.pen.wire(end, at)
    return at


def _clamped(drawing: _Drawing) -> Point:
    return drawing.level("R1", _START, 0.0)


def _rectified(drawing: _Drawing) -> Point:
    drawing.pen.part("diode", (_START, 0.0), (_START + 4.0, 0.0), ("D1",))
    node = drawing.level("R1", _START + 4.0, 0.0)
    drawing.upright("R2", node[0] + 1.0, 0.0)
    drawing.pen.wire(node, (node[0] + 3.0, 0.0))
    return node[0] + 3.0, 0.0


def _inverted(drawing: _Drawing) -> Point:
    drawing.pen.wire((_START, 0.0), (12.0, 0.0))
    drawing.upright("R1", 9.0, 0.0, up=True, left=True)
    end = drawing.to_ground("npn", "Q1", 12.0, 0.0)
    node = (end[0] + 1.0, end[1])
    drawing.pen.wire(end, node)
    drawing.upright("R2", *node, up=True)
    last = (node[0] + 3.0, node[1])
    drawing.pen.wire(node, last)
    if "R3" in drawing.parts:
        drawing.upright("R3", *last)
    return last


def _buffered(drawing: _Drawing) -> Point:
    at = _ahead(drawing, 0.0)
    drawing.pen.wire(at, (at[0] + 2.0, 0.0))
    drawing.pen.part("buffer", (at[0] + 4.0, 0.0), (at[0] + 6.0, 0.0), ("U1",))
    return drawing.level("R10", at[0] + 6.0, 0.0)


def _followed(drawing: _Drawing) -> Point:
    drawing.pen.wire((_START, 0.0), (9.0, 0.0))
    return drawing.level("R1", *drawing.follower("U1", 9.0, 0.0))


def _amplified(drawing: _Drawing) -> Point:
    """R4 from the output back to the − input, R3 from there to ground."""
    pen = drawing.pen
    at = _ahead(drawing, 0.0)
    plus, minus, tip = drawing.amplifier("U1", max(17.0, at[0] + 11.0), -1.0)
    pen.wire(at, plus)
    node = (minus[0] - 1.6, minus[1] - 3.4)
    out = (tip[0] + 1.0, tip[1])
    pen.wire(minus, (node[0], minus[1]), node)
    pen.wire(tip, out)
    pen.part("resistor", node, (out[0], node[1]), drawing.words("R4"), "R4")
    pen.wire((out[0], node[1]), out)
    pen.part("resistor", node, (node[0] - LONG, node[1]), drawing.words("R3"), "R3")
    pen.ground((node[0] - LONG, node[1]))
    pen.dots += [node, out]
    return drawing.level("R1", *out)


_ENDS: Final = {
    "resistor and clamp": _clamped,
    "diode and divider": _rectified,
    "transistor": _inverted,
    "logic buffer": _buffered,
    "buffer": _followed,
    "amplifier": _amplified,
}


def _divider(drawing: _Drawing) -> Point:
    node = drawing.level("R1", _START, 0.0)
    drawing.upright("R2", node[0] + 1.0, 0.0)
    drawing.pen.wire(node, (node[0] + 3.0, 0.0))
    return node[0] + 3.0, 0.0


def _stretcher(drawing: _Drawing) -> Point:
    pen, y = drawing.pen, 1.0
    pen.part("diode", (_START, y), (12.0, y), ("D4",))
    pen.wire((12.0, y), (22.0, y))
    pen.part(
        "capacitor", (13.0, y), (13.0, y + DOWN), ("C1", drawing.style.engineering(drawing.parts["C1"].farads, "F"))
    )
    pen.ground((13.0, y + DOWN))
    pen.dots.append((13.0, y))
    drawing.upright("R1", 18.0, y)
    _, minus, tip = drawing.amplifier("U1", 26.0, 0.0)
    _reference(drawing, minus)
    return tip


def _pulse(drawing: _Drawing) -> Point:
    at, farads = drawing.level("R2", _START, 0.0), drawing.style.engineering(drawing.parts["C1"].farads, "F")
    end = (at[0] + 4.0, at[1])
    drawing.pen.part("capacitor", at, end, ("C1", farads))
    drawing.upright("R1", *end, left=True)
    return end


def _comparator(drawing: _Drawing) -> Point:
    """A comparator with hysteresis and what leads to it; answers its output."""
    return _of_contact(drawing) if drawing.contact else _of_levels(drawing)


def _of_levels(drawing: _Drawing) -> Point:
    pen, y = drawing.pen, 1.0
    at = drawing.level("R1", *_ahead(drawing, y))
    plus, minus, tip = drawing.amplifier("U1", at[0] + 6.0, 0.0)
    pen.wire(at, plus)
    out = _hysteresis(drawing, (at[0] + 0.8, y), tip, _FEEDBACK)
    if "R3" not in drawing.parts:
        pen.wire(minus, (minus[0] - 1.4, minus[1]))
        pen.ground((minus[0] - 1.4, minus[1]))
        return out
    _reference(drawing, minus)
    return out


def _reference(drawing: _Drawing, minus: Point) -> None:
    """R3 and R4, which hold the − input of a comparator."""
    node = (minus[0] - 1.6, -4.4)
    drawing.upright("R3", *node, up=True)
    drawing.pen.part("resistor", node, (node[0] - LONG, node[1]), drawing.words("R4"), "R4")
    drawing.pen.ground((node[0] - LONG, node[1]))
    drawing.pen.wire(node, (node[0], minus[1]), minus)


def _of_contact(drawing: _Drawing) -> Point:
    pen, y = drawing.pen, 1.0
    drawing.upright("R8", 9.0, y, up=True, left=True)
    drawing.upright("R9", 9.0, y)
    reference = (18.6, -1.0)
    if "R3" in drawing.parts:
        drawing.upright("R3", *reference, up=True, left=True)
        pen.part("resistor", reference, (reference[0] - LONG, -1.0), drawing.words("R4"), "R4")
        pen.ground((reference[0] - LONG, -1.0))
    else:
        pen.ground(reference)
    at = drawing.level("R1", *reference)
    plus, minus, tip = drawing.amplifier("U1", at[0] + 5.0, 0.0, turned=True)
    pen.wire(at, plus)
    pen.wire((_START, y), minus)
    return _hysteresis(drawing, (at[0] + 0.8, -1.0), tip, -_FEEDBACK)


def _hysteresis(drawing: _Drawing, node: Point, tip: Point, y: float) -> Point:
    """R2 from the output back to the + input, over or under the comparator; answers the output's node."""
    out = (tip[0] + 1.0, tip[1])
    drawing.pen.wire(tip, out)
    drawing.pen.wire(node, (node[0], y))
    drawing.pen.part("resistor", (node[0], y), (out[0], y), drawing.words("R2"), "R2")
    drawing.pen.wire((out[0], y), out)
    drawing.pen.dots += [node, out]
    return out


def _levels(drawing: _Drawing, out: Point) -> Point:
    """Resistors that make two levels of the comparator's, and a follower."""
    end = drawing.level("R5", *out)
    node = (end[0] + 1.0, end[1])
    if "R6" in drawing.parts:
        drawing.upright("R6", *node, up=drawing.parts["R6"].rail_volts != 0)
    drawing.upright("R7", *node)
    plus = (node[0] + 6.0, node[1])
    drawing.pen.wire(end, plus)
    return drawing.level("R10", *drawing.follower("U2", *plus))


def _mosfet(drawing: _Drawing, out: Point) -> Point:
    return drawing.to_ground("mosfet", "Q1", *drawing.level("R7", *out))
