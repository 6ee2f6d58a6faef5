"""A board (or any sender of pitch) as it is put on the bench: its outputs, what it plays into, and the link between."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from dynamis.bench.document.bench import Gear, Link, Unit
from dynamis.bench.document.commands import new_id
from dynamis.bench.document.ports import Port, PortRef, Trimmers
from dynamis.converter.transfers import DacTransfer
from dynamis.errors import InputError
from dynamis.pitch.laws import Law, law_text
from dynamis.transfer.law import Oscillator

_MOST_INPUTS = 16


@dataclass(frozen=True)
class NewBoard:
    """gear : the board, and the voice it plays into where one was named.  link : from the board's first output."""

    gear: tuple[Gear, ...]
    link: Link

    @property
    def board(self) -> Gear:
        return self.gear[0]


def new_board(
    taken: Collection[str],
    name: str,
    serial: str,
    outputs: Sequence[str],
    law: Law,
    *,
    ohms: float | None = None,
    dac: DacTransfer | None = None,
    trimmers: Trimmers = "none",
) -> Gear:
    """A board with its pitch outputs and its first unit; raises `InputError` where a name is missing.

    taken : ids of the gear that is there.  dac : None where its codes are not known.
    """
    name, serial = " ".join(name.split()), serial.strip()
    if not name:
        raise InputError("The board needs a name.")
    if not serial:
        raise InputError("The unit needs a serial number; a sticker with 01 will do.")
    names = [output.strip() for output in outputs if output.strip()]
    if not names or len(set(names)) != len(names):
        raise InputError("The pitch outputs need names, each its own, separated by commas.")
    transfers = () if dac is None else (dac.stored(),)
    ids: list[str] = []
    for output in names:
        ids.append(new_id(output, set(ids)))
    ports = tuple(
        Port(port_id, text, "output", law=law_text(law), ohms=ohms, transfers=transfers, trimmers=trimmers)
        for port_id, text in zip(ids, names, strict=True)
    )
    return Gear(new_id(name, set(taken)), name, ports, (Unit(serial),))


def new_voice(taken: Collection[str], name: str, inputs: float, law: Law, *, ohms: float | None = None) -> Gear:
    """What a board plays into: pitch inputs, each with an oscillator that follows the law."""
    if inputs != int(inputs) or not 1 <= inputs <= _MOST_INPUTS:
        raise InputError(f"The number of inputs is {inputs:g}; 1 to {_MOST_INPUTS} was expected.")
    oscillator = Oscillator("o", law).stored()
    ports = tuple(
        Port(
            f"pitch-{k}",
            "pitch" if inputs == 1 else f"pitch {k}",
            "input",
            law=law_text(law),
            ohms=ohms,
            transfers=(oscillator,),
        )
        for k in range(1, int(inputs) + 1)
    )
    return Gear(new_id(name, set(taken)), name, ports)


def joined(board: Gear, voice: Gear | None) -> NewBoard:
    """A board, and all inputs of a voice on its first output."""
    output = PortRef(board.id, board.ports[0].id)
    inputs = () if voice is None else tuple(PortRef(voice.id, port.id) for port in voice.ports)
    gear = (board,) if voice is None else (board, voice)
    return NewBoard(gear, Link(f"{board.id}-{output.port}", output, inputs))
