"""What a correction is: a trimmer turned, two constants, or a table per note; and what each leaves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dynamis.pitch.tolerance import Verdict

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]
CorrectionKind = Literal["trimmer", "constants", "table"]
# Why a forecast cannot be "within", however small the errors are that it leaves.
Unproved = Literal["instrument", "readings", "linearity", "table"]


class Forecast(NamedTuple):
    """What a correction leaves, in the order of the fields of `Correction`."""

    kept: BoolArray
    notes: FloatArray
    left_cents: FloatArray
    expanded_cents: FloatArray
    worst_cents: float
    worst_note: float
    worst_expanded_cents: float
    verdict: Verdict
    supposed: int
    unproved: tuple[Unproved, ...]


@dataclass(frozen=True, eq=False)
class Correction:
    """One way to correct, and its forecast.

    kept : (readings,) which readings it was predicted for: a slip is not, once another reading of its note is there.
    notes, left_cents, expanded_cents : one for each of those: note, error left, its U = 2u.
    worst_cents, worst_note : the largest |error| left, and its note.  worst_expanded_cents : the largest ± of any
    note, which need not be that one's (a code that stays is better known than one that moves).
    supposed : whole notes that nobody read and that count with the linearity limit.
    unproved : what keeps the forecast from being "within".
    """

    kind: ClassVar[CorrectionKind]

    kept: BoolArray
    notes: FloatArray
    left_cents: FloatArray
    expanded_cents: FloatArray
    worst_cents: float
    worst_note: float
    worst_expanded_cents: float
    verdict: Verdict
    supposed: int
    unproved: tuple[Unproved, ...]


@dataclass(frozen=True)
class TrimStep:
    """One turn of a trimmer: play the note, turn until the reading is the target.

    trimmer : which one.  reads, target : in volts or hertz, as it is read.
    """

    trimmer: Literal["scale", "offset"]
    note: float
    reads: float
    target: float


@dataclass(frozen=True, eq=False)
class TrimmerCorrection(Correction):
    """steps : turns of the trimmers, in order.  constant_cents : the mean of what is left, which the receiver's tune
    knob takes out.
    """

    kind = "trimmer"

    steps: tuple[TrimStep, ...]
    constant_cents: float


@dataclass(frozen=True, eq=False)
class ConstantsCorrection(Correction):
    """offset, gain : of the line, the offset in its quantity.  floor_cents : half a code at the worst note, None
    where no code is known.  moved_codes : how many codes the largest move is; None where no code is known.
    beyond : the note whose aim lies furthest outside the converter's reach, and by how many volts (positive above);
    None where all are within.
    """

    kind = "constants"

    offset: float
    gain: float
    moved_codes: int | None
    floor_cents: float | None
    beyond: tuple[float, float] | None


@dataclass(frozen=True, eq=False)
class TableCorrection(Correction):
    """first_note, codes : the table; sixteenths : how far each of its codes lies from where the constants aim, in
    sixteenths of a code; both empty where no converter is known.  aim_volts : nominal volts at the jack for each
    note.  unread : notes in it that were not measured.  offset, gain, moved_codes, floor_cents : as of constants.
    """

    kind = "table"

    offset: float
    gain: float
    moved_codes: int | None
    floor_cents: float | None
    first_note: int
    codes: tuple[int, ...]
    sixteenths: tuple[int, ...]
    aim_volts: tuple[float, ...]
    unread: int
