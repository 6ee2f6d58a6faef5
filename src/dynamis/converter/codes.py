"""The code of every note: what the Codes station and `dynamis dac` show."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.dac import Dac
from dynamis.pitch.model import PitchModel
from dynamis.transfer.quantity import Reason

FloatArray = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class CodeTable:
    """Codes for notes, one value a note.

    wanted_volts : by the law.  codes, volts : nearest code and what the jack then shows.
    error_cents : found minus wanted; NaN where no double holds it.  reason : `Reason` of each.
    lsb_cents : the largest step over the notes that are reached, None when none is or no double holds it.
    """

    notes: FloatArray
    wanted_volts: FloatArray
    codes: FloatArray
    volts: FloatArray
    error_cents: FloatArray
    reason: NDArray[np.int8]
    lsb_cents: float | None

    @property
    def clipped(self) -> NDArray[np.bool_]:
        return self.reason == Reason.CLAMP

    @property
    def dead(self) -> NDArray[np.bool_]:
        """Notes whose volts the output buffer cannot reach."""
        return self.reason == Reason.DEAD_BAND

    @property
    def worst_index(self) -> int:
        """Index of the worst note; one whose error no double holds comes first."""
        return int(np.argmax(np.where(np.isnan(self.error_cents), np.inf, np.abs(self.error_cents))))

    @property
    def worst_cents(self) -> float | None:
        worst = abs(float(self.error_cents[self.worst_index]))
        return None if np.isnan(worst) else worst

    @property
    def worst_note(self) -> float:
        return float(self.notes[self.worst_index])


def code_table(dac: Dac, model: PitchModel, notes: ArrayLike, aim_volts: ArrayLike | None = None) -> CodeTable:
    """The nearest code for each note.

    Parameters
    ----------
    dac : the converter as its jack shows it.
    model : the law that says which volts a note wants.
    notes : array, (N,).
    aim_volts : array, (N,), or None
        What to aim for instead of the wanted volts, once constants are known; errors stay against the
        wanted volts.
    """
    notes = np.asarray(notes, float)
    wanted = model.law.volts(model.tuning.octaves(notes, model.law.reference_note))
    reach = dac.code_for(wanted if aim_volts is None else np.asarray(aim_volts, float))
    volts = np.where(np.isnan(reach.codes), np.nan, dac.volts(np.nan_to_num(reach.codes)))
    volts_model = PitchModel(model.law, "volts", model.tuning)
    with np.errstate(over="ignore", invalid="ignore"):
        error = volts_model.cents(volts, wanted)
    reached = ~reach.clipped & ~np.isnan(volts)
    return CodeTable(
        notes,
        wanted,
        reach.codes,
        volts,
        np.where(np.isfinite(error), error, np.nan),
        reach.reason,
        _largest_step(dac, volts_model, volts[reached]),
    )


def unit_floor_cents(dac: Dac, model: PitchModel, notes: ArrayLike) -> float:
    """The floor of a unit: the worst distance, over the notes, from the wanted volts to its nearest level.

    dac : with the levels that the unit really has (its INL table and buffer); only a simulator, or
        somebody who measured every code, knows them.  Cents; NaN where a note has no pitch.
    """
    table = code_table(dac, model, notes)
    return float(np.max(np.abs(table.error_cents)))


def _largest_step(dac: Dac, model: PitchModel, volts: FloatArray) -> float | None:
    """Cents from a note's level to the next above, the largest; None where no double holds one."""
    if volts.size == 0:
        return None
    steps = model.cents(volts + dac.lsb_volts, volts)
    return float(np.max(steps)) if np.all(np.isfinite(steps)) else None
