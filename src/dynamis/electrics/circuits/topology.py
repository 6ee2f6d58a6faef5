"""Topologies: which slots a circuit has, between which nodes, and where each is drawn.

A slot is a place for a resistance; it may stay empty.  The nodes `in` (the sender's own volts, ahead of its
resistance), `jack`, `out` (at the receiver), the rails `vp` and `vn` and the reference `ref` are common to all.
`rail` stands for the one of them that an offset is taken from.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, Literal

from dynamis.electrics.circuits.network import GROUND, Amplifier

Place = Literal["series", "to-ground", "to-rail", "minus-in", "minus-ground", "minus-rail", "feedback", "more-in"]
INPUT: Final = "in"
JACK: Final = "jack"
OUT: Final = "out"
RAIL: Final = "rail"


@dataclass(frozen=True)
class Slot:
    """A resistance between two nodes.

    role : for the parts list.  place, stage : where it is drawn.  switched : it counts only while its switch is closed.
    """

    name: str
    a: str
    b: str
    role: str
    place: Place
    stage: int = 0
    switched: bool = False


@dataclass(frozen=True)
class Topology:
    """name : as stored.  title : for people.  scale_slot, offset_slot : where trimmers go.

    inputs : nodes of further inputs, which rest at 0 V unless they are driven.
    """

    name: str
    title: str
    slots: tuple[Slot, ...]
    amplifiers: tuple[Amplifier, ...] = ()
    scale_slot: str = ""
    offset_slot: str = ""
    needs_two_rails: bool = False
    inputs: tuple[str, ...] = ()

    def slot(self, name: str) -> Slot:
        return next(one for one in self.slots if one.name == name)


def _input_side(node: str) -> tuple[Slot, Slot, Slot]:
    """A sender brought to a node, with a bias added there."""
    return (
        Slot("R1", JACK, node, "from the sender", "series"),
        Slot("R2", node, GROUND, "to ground", "to-ground"),
        Slot("R3", node, RAIL, "to the rail: the offset", "to-rail"),
    )


_ALL: Final = (
    Topology("resistors", "Resistors alone", _input_side(OUT), (), "R1", "R3"),
    Topology("follower", "Follower", (), (Amplifier("U1", JACK, OUT, OUT),)),
    Topology(
        "attenuator-follower",
        "Attenuator with bias, follower",
        _input_side("p"),
        (Amplifier("U1", "p", OUT, OUT),),
        "R1",
        "R3",
    ),
    Topology(
        "non-inverting",
        "Non-inverting gain",
        (
            Slot("R1", "m", GROUND, "from the − input to ground: the gain", "minus-ground"),
            Slot("R2", OUT, "m", "feedback", "feedback"),
            Slot("R3", "m", RAIL, "from the − input to the rail: the offset", "minus-rail"),
        ),
        (Amplifier("U1", JACK, "m", OUT),),
        "R1",
        "R3",
    ),
    Topology(
        "biased-non-inverting",
        "Bias at the + input, non-inverting gain",
        (
            *_input_side("p"),
            Slot("R4", "m", GROUND, "from the − input to ground: the gain", "minus-ground"),
            Slot("R5", OUT, "m", "feedback", "feedback"),
        ),
        (Amplifier("U1", "p", "m", OUT),),
        "R4",
        "R3",
    ),
    Topology(
        "inverting",
        "Inverting, with offset",
        (
            Slot("R1", JACK, "m", "from the sender: the gain", "minus-in"),
            Slot("R2", OUT, "m", "feedback", "feedback"),
            Slot("R3", "m", RAIL, "from the − input to the rail: the offset", "minus-rail"),
        ),
        (Amplifier("U1", GROUND, "m", OUT),),
        "R1",
        "R3",
    ),
    Topology(
        "biased-inverting",
        "Inverting, biased at the + input",
        (
            Slot("R1", JACK, "m", "from the sender: the gain", "minus-in"),
            Slot("R2", OUT, "m", "feedback", "feedback"),
            Slot("R3", "p", RAIL, "from the rail to the + input: the offset", "to-rail"),
            Slot("R4", "p", GROUND, "from the + input to ground", "to-ground"),
        ),
        (Amplifier("U1", "p", "m", OUT),),
        "R1",
        "R3",
    ),
    Topology(
        "inverting-pair",
        "Inverting pair, with offset",
        (
            Slot("R1", JACK, "a", "from the sender", "minus-in"),
            Slot("R2", "b", "a", "feedback of the first", "feedback"),
            Slot("R4", "b", "c", "from the first to the second: the gain", "minus-in", 1),
            Slot("R5", OUT, "c", "feedback of the second", "feedback", 1),
            Slot("R3", "c", RAIL, "from the second's − input to the rail: the offset", "minus-rail", 1),
        ),
        (Amplifier("U1", GROUND, "a", "b"), Amplifier("U2", GROUND, "c", OUT)),
        "R4",
        "R3",
        needs_two_rails=True,
    ),
    Topology(
        "difference",
        "Difference amplifier",
        (
            Slot("R1", JACK, "p", "from the sender", "series"),
            Slot("R2", "p", GROUND, "from the + input to ground", "to-ground"),
            Slot("R3", "m", RAIL, "from the rail to the − input: the offset", "minus-rail"),
            Slot("R4", OUT, "m", "feedback", "feedback"),
        ),
        (Amplifier("U1", "p", "m", OUT),),
        "R2",
        "R3",
    ),
    Topology(
        "summer",
        "Summer of up to three inputs, with octaves and semitones",
        (
            Slot("R1", JACK, "a", "from the sender", "minus-in"),
            Slot("R2", "b", "a", "feedback of the first", "feedback"),
            Slot("R6", "in2", "a", "from the second input", "more-in"),
            Slot("R7", "in3", "a", "from the third input", "more-in"),
            Slot("R8", RAIL, "a", "octave, through its switch", "more-in", switched=True),
            Slot("R9", RAIL, "a", "semitones, through their switch", "more-in", switched=True),
            Slot("R10", RAIL, "a", "to the rail: the offset", "more-in"),
            Slot("R4", "b", "c", "from the first to the second: the gain", "minus-in", 1),
            Slot("R5", OUT, "c", "feedback of the second", "feedback", 1),
            Slot("R3", "c", RAIL, "from the second's − input to the rail: the offset", "minus-rail", 1),
        ),
        (Amplifier("U1", GROUND, "a", "b"), Amplifier("U2", GROUND, "c", OUT)),
        "R4",
        "R3",
        needs_two_rails=True,
        inputs=("in2", "in3"),
    ),
)
TOPOLOGIES: Final = {one.name: one for one in _ALL}
