"""What has to be bought: every part of a circuit, and the list of equal ones with their quantities."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.clamp import LOOP_NAME, Clamp
from dynamis.electrics.part import Part, value_words
from dynamis.notation.safe import csv_row
from dynamis.notation.style import Style, plain


@dataclass(frozen=True)
class Piece:
    """One part.  kind : "resistor", "trimmer", "op-amp" and so on.  ohms : None for what is no resistor."""

    name: str
    kind: str
    value: str
    role: str
    ohms: float | None = None


_KINDS = {"C": "capacitor", "D": "diode", "Q": "transistor", "S": "analog switch", "U": "op-amp"}


@dataclass(frozen=True)
class PartsRow:
    """Equal parts."""

    quantity: int
    kind: str
    value: str
    names: tuple[str, ...]
    roles: tuple[str, ...]


def pieces_of(circuit: Circuit, style: Style = Style()) -> list[Piece]:
    """All parts, trimmers and decoupling included, in the order in which they are placed."""
    tolerance = f"±{plain(round(100 * circuit.resistor_tolerance_fraction, 6))} %"
    pieces = [
        Piece(name, f"resistor {tolerance}", style.engineering(ohms, "Ω"), role, ohms)
        for name, ohms, role in circuit.resistors
    ]
    for name, ohms in circuit.trimmers.items():
        pieces.append(Piece(name, "trimmer, 25 turns", style.engineering(ohms, "Ω"), f"in series with R{name[2:]}"))
    amplifiers = circuit.topology.amplifiers
    for amplifier in amplifiers:
        pieces.append(Piece(amplifier.name, "op-amp", circuit.op_amp.title, f"from {circuit.supply.words}"))
    if amplifiers:
        pieces += decoupling(1, ["+ rail"] if circuit.supply.single else ["+ rail", "− rail"])
    switched = [name for name, _ in circuit.slots if circuit.topology.slot(name).switched]
    for k, name in enumerate(switched):
        pieces.append(Piece(f"S{k + 1}", "switch", "one pole, on and off", f"to {name}"))
    pieces += clamp_pieces(circuit.clamp, circuit.loop_ohms, circuit.resistor_tolerance_fraction, style)
    if circuit.uses_reference and circuit.reference.node == "ref":
        volts, within = circuit.reference.volts, plain(round(100 * circuit.reference.tolerance, 6))
        kind, role = f"voltage reference ±{within} %", "the offset is taken from it"
        pieces.append(Piece("VR1", kind, style.volts(volts, 3), role))
    return pieces


def clamp_pieces(clamp: Clamp, loop_ohms: float, tolerance_fraction: float, style: Style = Style()) -> list[Piece]:
    """The diodes of a clamp, and its resistor inside the loop where there is one."""
    pieces = []
    if loop_ohms:
        kind, value = f"resistor ±{plain(round(100 * tolerance_fraction, 6))} %", style.engineering(loop_ohms, "Ω")
        pieces.append(Piece(LOOP_NAME, kind, value, "behind the op-amp, inside the loop"))
    for diode in clamp.diodes:
        rail = style.volts(diode.rail_volts, 2, sign=True) if diode.rail_volts else "ground"
        role = f"from the output to {rail}" if diode.side == "high" else f"from {rail} to the output"
        pieces.append(Piece(diode.name, "diode", "small Schottky diode", f"{role}: the clamp"))
    return pieces


def decoupling(first: int, rails: Sequence[str]) -> list[Piece]:
    """A capacitor at each rail, their names counted from `first`."""
    return [
        Piece(f"C{first + k}", "ceramic capacitor", "100 nF", f"decoupling, {rail} to ground at the op-amps")
        for k, rail in enumerate(rails)
    ]


def pieces_from(parts: Sequence[Part], style: Style = Style()) -> list[Piece]:
    """The parts of a circuit for gates, decoupling included.  Their names tell their kinds: R, C, D, Q, U."""
    pieces = []
    for part in parts:
        what, _, role = part.role.partition(", ")
        if part.ohms is not None:
            pieces.append(Piece(part.name, "resistor", value_words(part, style), part.role, part.ohms))
        elif part.farads:
            pieces.append(Piece(part.name, "film capacitor", value_words(part, style), part.role))
        else:
            pieces.append(Piece(part.name, _KINDS.get(part.name[:1], "part"), what, role))
    powered = [part for part in parts if part.name.startswith("U")]
    if powered:
        single = all(part.rail_volts and not part.volts for part in powered)
        pieces += decoupling(11, ("+ rail",) if single else ("+ rail", "− rail"))
    return pieces


def parts_list(pieces: Iterable[Piece]) -> list[PartsRow]:
    """Equal parts together, in the order in which they first appear."""
    grouped: dict[tuple[str, str], list[Piece]] = {}
    for piece in pieces:
        grouped.setdefault((piece.kind, piece.value), []).append(piece)
    return [
        PartsRow(len(ones), kind, value, tuple(piece.name for piece in ones), tuple(piece.role for piece in ones))
        for (kind, value), ones in grouped.items()
    ]


def parts_csv(rows: Sequence[PartsRow], prices: Mapping[str, float] | None = None) -> str:
    """The list as CSV.  prices : of one part, by its value; with them two more columns, empty where none is known."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    headings = ["quantity", "kind", "value", "names", "role"]
    writer.writerow(headings if prices is None else [*headings, "price_each", "price"])
    for row in rows:
        cells = [str(row.quantity), row.kind, row.value, " ".join(row.names), "; ".join(dict.fromkeys(row.roles))]
        if prices is not None:
            each = prices.get(row.value)
            cells += ["", ""] if each is None else [plain(each), plain(round(each * row.quantity, 4))]
        writer.writerow(csv_row(cells))
    return out.getvalue()
