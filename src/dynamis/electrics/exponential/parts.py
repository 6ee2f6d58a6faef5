"""The parts of a converter of the law, and which of them stands where.

V/oct to Hz/V: U1 adds the input and, through R3, what brings it to 0 V in the middle of the notes; R4 with its trimmer
and R5 bring that down to the base of Q1, a sixtieth or so.  U2 holds the collector current of Q1 at what R6 with its
trimmer lets through from the reference, by pulling at both emitters through R7.  The current of Q2 then doubles with
every octave, and U3 makes volts of it in R8.

Hz/V to V/oct: the same in a loop.  U2 makes Q2 carry what the input sends through R8; U3, whose output is that of the
converter, is fed back through U1, R4 and R5 to the base of Q1 until that carries what the reference sends through R6.

R5 may be one that grows with temperature as the pair's own volts do.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Final, Literal

from dynamis.electrics.circuits.clamp import LOOP_OHMS, Clamp
from dynamis.electrics.circuits.parts import Piece, clamp_pieces, decoupling
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp, Supply
from dynamis.errors import InputError
from dynamis.notation.style import Style, plain

Direction = Literal["exponential", "logarithmic"]
_SHARED: Final = {
    "R2": "across U1",
    "R3": "from a reference to U1: brings the middle of the notes to 0 V",
    "R4": "from U1 to the base of Q1",
    "R5": "from the base of Q1 to ground",
    "R6": "from the reference to the collector of Q1",
    "R7": "from U2 to both emitters",
    "R9": "feeds the reference from the + rail",
    "R10": "feeds the reference from the − rail",
}
_OWN: Final[dict[Direction, dict[str, str]]] = {
    "exponential": {"R1": "from the input to U1", "R8": "across U3: volts of the current of Q2"},
    "logarithmic": {"R1": "from the output back to U1", "R8": "from the input to the collector of Q2"},
}
_OP_AMP_ROLES: Final[dict[Direction, tuple[str, str, str]]] = {
    "exponential": ("adds", "holds the current of Q1", "current to volts"),
    "logarithmic": ("turns round and adds", "holds the current of Q2", "holds the current of Q1: the output"),
}
_CAPACITOR_ROLES: Final[dict[Direction, tuple[str, str]]] = {
    "exponential": ("from U2's output to its − input: keeps it from singing", "across R8"),
    "logarithmic": (
        "from U2's output to its − input: keeps it from singing",
        "from U3's output to its − input: the same",
    ),
}
_MOST_OHMS: Final = 1e12
NAMES: Final = tuple(f"R{k}" for k in range(1, 11))
SCALE_TRIMMER: Final = "RV4"
LEVEL_TRIMMER: Final = "RV6"
TRIMMERS: Final = {SCALE_TRIMMER: "R4", LEVEL_TRIMMER: "R6"}
# Of a matched pair on one chip and of shunt references; common practice, no source.
PAIR_OFFSET_LIMIT_VOLTS: Final = 0.5e-3
BETA: Final = 200.0
BULK_OHMS: Final = 0.5
BULK_LIMIT_OHMS: Final = 0.3
REFERENCE_LIMIT: Final = 0.01
REFERENCE_PER_KELVIN: Final = 50e-6
# How far a resistor made for compensation may grow otherwise than it should.
PPM_LIMIT: Final = 150.0
COMPENSATING_PPM: Final = 3300.0
BASE_LIMIT: Final = 0.05


@dataclass(frozen=True)
class PairParts:
    """Values by name.

    ohms : of R1 to R10; R3 is absent where the middle of the notes lies at 0 V.  trimmers : of RV4 and RV6, ohms.
    base_ppm : how R5 grows, parts per million and kelvin; 0 for an ordinary resistor.  reference_volts : of each of
    the two references.  middle_below : R3 hangs on the one of the + rail.  tolerance, per_kelvin : of the resistors,
    fractions.  load_ohms : of all inputs behind it, None for none.
    """

    ohms: Mapping[str, float]
    trimmers: Mapping[str, float]
    direction: Direction = "exponential"
    base_ppm: float = COMPENSATING_PPM
    reference_volts: float = 5.0
    middle_below: bool = False
    supply: Supply = Supply()
    op_amp: OpAmp = OP_AMPS["precision"]
    tolerance: float = 0.01
    per_kelvin: float = 50e-6
    clamp: Clamp = Clamp()
    load_ohms: float | None = None

    def __post_init__(self) -> None:
        missing = [name for name in NAMES if name not in self.ohms and name not in ("R3", "R10")]
        missing += [name for name in TRIMMERS if name not in self.trimmers]
        if missing:
            raise InputError(f"The converter lacks {', '.join(missing)}.")
        for name, ohms in (*self.ohms.items(), *self.trimmers.items()):
            if name not in NAMES and name not in TRIMMERS:
                raise InputError(f"A converter of the law has no place {name}.")
            if not 0 < ohms < _MOST_OHMS:
                raise InputError(f"{name} is {plain(ohms)} Ω; more than 0 Ω was expected, and less than 1 TΩ.")
        if self.supply.single:
            raise InputError("A converter of the law needs a rail below 0 V: the pair's emitters go there.")
        load = _MOST_OHMS if self.load_ohms is None else self.load_ohms
        for what, value, least, most in (
            ("tolerance of the resistors", self.tolerance, 0.0, 0.2),
            ("drift of the resistors", self.per_kelvin, 0.0, 0.01),
            ("growth of R5, ppm/K,", self.base_ppm, -1e4, 1e4),
            ("voltage of the references", self.reference_volts, 1.0, 30.0),
            ("load of the converter", load, 1.0, _MOST_OHMS),
        ):
            if not least <= value <= most:
                raise InputError(f"The {what} is {plain(value)}; {plain(least)} to {plain(most)} was expected.")
        low, high = self.output_ends
        if not low < high:
            raise InputError(
                f"The output would have to stay above {plain(round(low, 3))} V and below {plain(round(high, 3))} V."
            )

    def limit(self, name: str) -> float:
        """Tolerance of a resistor, a fraction."""
        return BASE_LIMIT if name == "R5" and self.base_ppm else self.tolerance

    @cached_property
    def middle_reference(self) -> float:
        """Volts that R3 hangs on."""
        return self.reference_volts if self.middle_below else -self.reference_volts

    @property
    def loop_ohms(self) -> float:
        """Of the resistor that a clamp has behind U3, inside its loop; 0 without one."""
        return LOOP_OHMS if self.clamp.diodes else 0.0

    @property
    def capacitors(self) -> dict[str, float]:
        """Farads by name: what keeps the loops from singing."""
        return {"C1": 1e-9, "C2": 100e-12 if self.direction == "exponential" else 1e-9}

    @property
    def entry(self) -> str:
        """The resistor that the sender drives."""
        return "R1" if self.direction == "exponential" else "R8"

    @property
    def output_ends(self) -> tuple[float, float]:
        """Volts at the output where U3 ends, less what load and feedback drop in the clamp's resistor, or the clamp."""
        back = self.ohms["R8" if self.direction == "exponential" else "R1"]
        drawn = self.loop_ohms * (1.0 / back + (1.0 / self.load_ohms if self.load_ohms else 0.0))
        low, high = (one / (1.0 + drawn) for one in self.op_amp.swing(self.supply))
        ends = self.clamp.ends(amplified=True)
        return max(low, ends[0]), min(high, ends[1])

    def role(self, name: str) -> str:
        """What a part does."""
        if name in TRIMMERS:
            return f"in series with {TRIMMERS[name]}"
        return _OWN[self.direction].get(name) or _SHARED[name]

    def growth(self, name: str) -> tuple[float, float]:
        """How a resistor grows, a fraction of itself per kelvin, and how far that may be otherwise."""
        if name == "R5" and self.base_ppm:
            return self.base_ppm * 1e-6, PPM_LIMIT * 1e-6
        return 0.0, self.per_kelvin

    def pieces(self, style: Style = Style()) -> list[Piece]:
        """All parts, decoupling included, in the order in which they are placed."""
        found = []
        for name in NAMES:
            if name not in self.ohms:
                continue
            kind, role = f"resistor ±{plain(round(100 * self.limit(name), 6))} %", self.role(name)
            if name == "R5" and self.base_ppm:
                kind += f", {plain(self.base_ppm)} ppm/K"
                role += ", touching the pair"
            found.append(Piece(name, kind, style.engineering(self.ohms[name], "Ω"), role, self.ohms[name]))
        for name, ohms in self.trimmers.items():
            found.append(Piece(name, "trimmer, 25 turns", style.engineering(ohms, "Ω"), self.role(name)))
        found.append(Piece("Q1, Q2", "matched pair", "two NPN transistors on one chip", "the law"))
        for name, role in zip(("U1", "U2", "U3"), _OP_AMP_ROLES[self.direction], strict=True):
            found.append(Piece(name, "op-amp", self.op_amp.title, f"{role}, from {self.supply.words}"))
        volts = style.volts(self.reference_volts, 3)
        within = plain(round(100 * REFERENCE_LIMIT, 6))
        found.append(Piece("VR1", f"shunt reference ±{within} %", volts, "of the + rail"))
        if "R10" in self.ohms:
            found.append(Piece("VR2", f"shunt reference ±{within} %", volts, "of the − rail"))
        for (name, farads), role in zip(self.capacitors.items(), _CAPACITOR_ROLES[self.direction], strict=True):
            found.append(Piece(name, "ceramic capacitor", style.engineering(farads, "F"), role))
        return [
            *found,
            *clamp_pieces(self.clamp, self.loop_ohms, self.tolerance, style),
            *decoupling(11, ("+ rail", "− rail")),
        ]
