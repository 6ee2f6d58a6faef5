"""A circuit as a drawing.

One op-amp is one cell: its inputs at the left, the − input above the + input, feedback over it, bias and ground
below or above.  Cells stand in a row from the sender to the receiver.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from dynamis.electrics.circuits.circuit import Circuit, Fitted, trimmer_name
from dynamis.electrics.circuits.clamp import LOOP_NAME, Diode
from dynamis.electrics.circuits.network import GROUND
from dynamis.electrics.circuits.topology import JACK, RAIL, Place, Slot
from dynamis.electrics.sketch import Pen, Point, Schematic
from dynamis.notation.style import Style

_CELL: Final = 19.5
_IN, _NODE_P, _NODE_M, _LEFT, _TIP = 1.0, 9.0, 10.6, 12.2, 16.2
# Room for the words at the sender's and the receiver's end.
_BEFORE, _BEHIND = 6.5, 8.5
# A clamp: its resistor inside the loop, and how far behind the output its diodes hang.
_MORE: Final = 4.4
_LOOP, _CLAMP, _DIODE = 5.0, 3.2, 4.6
_PLUS, _MINUS, _UP, _DOWN = 1.0, -1.0, -4.5, 6.0


def _fitted(pen: Pen, slot: str, fitted: Fitted, a: Point, b: Point, style: Style, *, left: bool = False) -> None:
    """A resistor between two points, and its trimmer in series where it has one."""
    sign = " + " if fitted.joined == "series" else " ∥ "
    names = sign.join(fitted.names(slot))
    value = sign.join(style.engineering(one, "Ω") for one in fitted.ohms)
    if not fitted.trimmer_ohms:
        pen.part("resistor", a, b, (names, value), slot, left=left)
        return
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    pen.part("resistor", a, middle, (names, value), slot, left=left)
    pen.part("trimmer", middle, b, (trimmer_name(slot), style.engineering(fitted.trimmer_ohms, "Ω")), slot, left=left)


def _ended(pen: Pen, circuit: Circuit, node: str, at: Point, style: Style) -> None:
    """What a branch ends at: ground, or the rail or reference with its volts."""
    if node == RAIL:
        name = "ref " if circuit.reference.node == "ref" else ""
        pen.rail(at, f"{name}{style.volts(circuit.reference.volts, 3 if name else 0, sign=True)}")
    else:
        pen.ground(at)


def schematic(
    circuit: Circuit, style: Style = Style(), sender: str = "sender", receiver: str = "receiver"
) -> Schematic:
    """The drawing of a circuit between a sender and a receiver."""
    pen, cells = Pen(), max(1, len(circuit.topology.amplifiers))
    for k in range(cells):
        slots = [slot for slot in circuit.topology.slots if slot.stage == k]
        if circuit.topology.amplifiers:
            _amplifier(pen, circuit, k, slots, style)
        else:
            _divider(pen, circuit, slots, style)
    source = style.engineering(circuit.source_ohms, "Ω")
    load = "nothing" if circuit.load_ohms is None else style.engineering(circuit.load_ohms, "Ω")
    first = _entry(circuit)
    pen.sender((_IN - _BEFORE, first), (_IN, first), (sender, f"behind {source}"))
    last = (_CELL * (cells - 1) + (_TIP + 0.8 + _loop(circuit) if circuit.topology.amplifiers else 10.0), 0.0)
    hangs = last[0] + (_CLAMP if circuit.topology.amplifiers else _CLAMP + 3.0)
    end = (hangs + 1.8 if circuit.clamp.diodes else last[0] + 1.5, 0.0)
    pen.wire(last, end)
    for diode in circuit.clamp.diodes:
        clamp_diode(pen, diode, hangs, style)
    pen.receiver(end, (receiver, f"{load} in all"))
    notes = []
    if circuit.topology.amplifiers:
        each = "100 nF from the rail" if circuit.supply.single else "100 nF from each rail"
        notes.append(f"{circuit.op_amp.title} from {circuit.supply.words}, {each} to ground.")
        lead = style.engineering(circuit.op_amp.lead_farads, "F")
        if not circuit.loop_ohms:
            notes.append(f"A lead of more than {lead}, about a metre, wants 100 Ω behind the output, inside the loop.")
    return pen.finished(notes, 0.9, _BEHIND)


def _loop(circuit: Circuit) -> float:
    return _LOOP if circuit.loop_ohms else 0.0


def clamp_diode(pen: Pen, diode: Diode, x: float, style: Style, y: float = 0.0) -> None:
    """From the output up to the rail that holds it below, or up to it from the one that holds it above."""
    out, far = (x, y), (x, y - _DIODE if diode.side == "high" else y + _DIODE)
    ends = (out, far) if diode.side == "high" else (far, out)
    pen.part("diode", *ends, (diode.name,), left=True)
    if diode.rail_volts:
        pen.rail(far, style.volts(diode.rail_volts, 2, sign=True))
    else:
        pen.ground(far)
    pen.dots.append(out)


def _entry(circuit: Circuit) -> float:
    """The height at which the sender comes in."""
    if not circuit.topology.amplifiers:
        return 0.0
    first = circuit.topology.amplifiers[0]
    named = circuit.by_slot
    inverted = any(one.stage == 0 and one.place == "minus-in" and one.name in named for one in circuit.topology.slots)
    return _plus_level(circuit) if first.plus == JACK or not inverted else _MINUS


def _plus_level(circuit: Circuit, stage: int = 0) -> float:
    """The height of what comes to a + input: lower where something level at the − input has its words between."""
    here = {one.place: circuit.by_slot.get(one.name) for one in circuit.topology.slots if one.stage == stage}
    above = here.get("minus-ground")
    if above is None:
        return _PLUS
    words = (1.6 if here.get("series") else 0.0) + (2.6 if above.trimmer_ohms else 0.0)
    return _PLUS + words


def _divider(pen: Pen, circuit: Circuit, slots: list[Slot], style: Style) -> None:
    for slot in slots:
        fitted = circuit.by_slot.get(slot.name)
        if fitted is None:
            continue
        if slot.place == "series":
            _fitted(pen, slot.name, fitted, (_IN, 0.0), (7.0, 0.0), style)
        elif slot.place == "to-ground":
            _fitted(pen, slot.name, fitted, (8.0, 0.0), (8.0, _DOWN), style)
            _ended(pen, circuit, GROUND, (8.0, _DOWN), style)
            pen.dots.append((8.0, 0.0))
        else:
            _fitted(pen, slot.name, fitted, (8.0, 0.0), (8.0, -_DOWN), style)
            _ended(pen, circuit, RAIL, (8.0, -_DOWN), style)
            pen.dots.append((8.0, 0.0))
    pen.wire((7.0, 0.0), (10.0, 0.0))


def _amplifier(pen: Pen, circuit: Circuit, k: int, slots: list[Slot], style: Style) -> None:
    """One op-amp with what hangs on it."""
    x0, amp = _CELL * k, circuit.topology.amplifiers[k]
    here: dict[Place, Slot] = {
        slot.place: slot for slot in slots if slot.name in circuit.by_slot and slot.place != "more-in"
    }
    more = [slot for slot in slots if slot.place == "more-in" and slot.name in circuit.by_slot]
    top = _UP - _MORE * len(more)
    pen.part("op-amp", (x0 + (_LEFT + _TIP) / 2, 0.0), (x0 + _TIP, 0.0), (amp.name,))
    plus, minus, node = (x0 + _LEFT, _PLUS), (x0 + _LEFT, _MINUS), (x0 + _NODE_M, _MINUS)
    last = k == len(circuit.topology.amplifiers) - 1
    out = (x0 + _TIP + 0.8 + (_loop(circuit) if last else 0.0), 0.0)
    if last and circuit.loop_ohms:
        words = (LOOP_NAME, style.engineering(circuit.loop_ohms, "Ω"))
        pen.part("resistor", (x0 + _TIP, 0.0), out, words)
    else:
        pen.wire((x0 + _TIP, 0.0), out)
    _plus_side(pen, circuit, here, amp.plus, (x0, _plus_level(circuit, k)), plus, style)
    pen.wire(node, minus)
    feedback = here.get("feedback")
    if feedback is not None:
        _fitted(pen, feedback.name, circuit.by_slot[feedback.name], (node[0], top), (out[0], top), style)
    pen.wire(*((node, (node[0], top)) if feedback else (node, (node[0], top), (out[0], top))))
    pen.wire((out[0], top), out)
    pen.dots += [node, out] if feedback or len(here) else [out]
    _minus_side(pen, circuit, here, more, x0, style)
    if k:
        pen.wire((x0 - _CELL + _TIP + 0.8, 0.0), (x0 + 0.2, 0.0), (x0 + 0.2, _MINUS), (x0 + _IN, _MINUS))


def _plus_side(
    pen: Pen, circuit: Circuit, here: Mapping[Place, Slot], plus: str, start: Point, at: Point, style: Style
) -> None:
    named = circuit.by_slot
    x0, y = start
    node = (x0 + _NODE_P, y)
    if plus == GROUND:
        pen.wire(at, (at[0] - 0.7, _PLUS), (at[0] - 0.7, _PLUS + 1.4))
        _ended(pen, circuit, GROUND, (at[0] - 0.7, _PLUS + 1.4), style)
        return
    pen.wire(node, (node[0], at[1]), at)
    if "series" in here:
        _fitted(pen, here["series"].name, named[here["series"].name], (x0 + _IN, y), (node[0] - 1.0, y), style)
        pen.wire((node[0] - 1.0, y), node)
    elif plus == JACK:
        pen.wire((x0 + _IN, y), node)
    both: tuple[Place, ...] = ("to-ground", "to-rail")
    down = [one for one in both if one in here]
    for k, place in enumerate(down):
        x = node[0] - (0.6 if "series" in here else 0.0) + 4.4 * k
        slot = here[place]
        if k:
            pen.wire(node, (node[0], y + 0.9), (x, y + 0.9))
        pen.wire((x, y + (0.9 if k else 0.0)), (x, y + 2.8))
        low = y + _DOWN + (2.6 if named[slot.name].trimmer_ohms else 1.0)
        left = not k and len(down) > 1  # the other one's words stand at the right
        _fitted(pen, slot.name, named[slot.name], (x, y + 2.8), (x, low), style, left=left)
        _ended(pen, circuit, slot.b if place == "to-ground" else RAIL, (x, low), style)
        pen.dots.append((x, y) if not k else node)


def _minus_side(
    pen: Pen, circuit: Circuit, here: Mapping[Place, Slot], more: list[Slot], x0: float, style: Style
) -> None:
    named = circuit.by_slot
    node = (x0 + _NODE_M, _MINUS)
    into = (x0 + _NODE_P - 1.0, _MINUS)
    into_minus: tuple[Place, ...] = ("minus-in", "minus-ground")
    for place in into_minus:
        if place in here:
            _fitted(pen, here[place].name, named[here[place].name], (x0 + _IN, _MINUS), into, style)
            pen.wire(into, node)
            if place == "minus-ground":
                _ended(pen, circuit, GROUND, (x0 + _IN, _MINUS), style)
    if "minus-rail" in here:
        # Above the feedback and its words, so that none covers the other.
        x, slot, low = x0 + _NODE_P - 0.2, here["minus-rail"], _UP - _MORE * len(more) - 3.4
        high = low - (6.8 if named[slot.name].trimmer_ohms else 3.2)
        _fitted(pen, slot.name, named[slot.name], (x, low), (x, high), style, left=True)
        pen.wire((x, _MINUS), (x, low))
        _ended(pen, circuit, RAIL, (x, high), style)
        pen.dots.append((x, _MINUS))
        if "minus-in" not in here and "minus-ground" not in here:
            pen.wire((x, _MINUS), node)
    for k, slot in enumerate(more):
        y, end = _MINUS - _MORE * (k + 1), x0 - 2.5
        _fitted(pen, slot.name, named[slot.name], (x0 + _IN, y), (into[0], y), style)
        pen.wire((into[0], y), (x0 + _NODE_P + 0.4, y), (x0 + _NODE_P + 0.4, _MINUS))
        pen.dots.append((x0 + _NODE_P + 0.4, _MINUS))
        if slot.a != RAIL:
            pen.sender((x0 + _IN - _BEFORE, y), (x0 + _IN, y), (slot.role.removeprefix("from the "),))
            continue
        if slot.switched:
            pen.part("switch", (end, y), (x0 + _IN, y), ())
        else:
            pen.wire((end, y), (x0 + _IN, y))
        _ended(pen, circuit, RAIL, (end, y), style)
