"""The head of a chain: note -> DAC code, by two constants or by a table.

A head works with what is believed.  It keeps its own nominal converter and takes nothing from the
world, so the true reference's error never hides in the codes.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final, Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.dac import Dac
from dynamis.errors import InputError
from dynamis.pitch.laws import Law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament, Tuning
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason

FloatArray = NDArray[np.float64]
MOST_SIXTEENTHS: Final = 16 * 2047


@dataclass(frozen=True)
class ConstantsHead:
    """Aim for (wanted - offset)/gain, then take the nearest code.

    quantity : what the constants were found in, volts at the jack or hertz of the oscillator.
    offset : in volts, octaves or hertz as `PitchModel.kind` says.  gain : a ratio.
    """

    id: str
    law: Law
    dac: Dac
    offset: float = 0.0
    gain: float = 1.0
    quantity: Literal["volts", "hertz"] = "volts"
    tuning: Tuning = field(default_factory=EqualTemperament)
    input: Quantity = Quantity("note", "note")
    output: Quantity = Quantity("code", "code")
    believes: bool = True

    @property
    def model(self) -> PitchModel:
        return PitchModel(self.law, self.quantity, self.tuning)

    def parameters(self) -> tuple[Parameter, ...]:
        return ()

    def aim_volts(self, notes: ArrayLike) -> FloatArray:
        """Nominal volts at the jack that should sound as wanted; any shape."""
        model = self.model
        return model.to_volts((model.expected(notes) - self.offset) / self.gain)

    def believed_volts(self, nominal_volts: ArrayLike) -> FloatArray:
        """What the constants count on at the jack (or in effect) for a code's nominal volts; any shape."""
        model = self.model
        return model.to_volts(self.offset + self.gain * model.from_volts(nominal_volts))

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        return self.dac.code_for(self.aim_volts(x)).codes

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        return self.dac.exact_code(self.aim_volts(x))

    def backward(self, y: ArrayLike, world: World) -> Reached:
        codes = np.asarray(y, float)
        inside = np.clip(np.round(codes), 0, self.dac.codes - 1)
        octaves = self.law.octaves(self.believed_volts(self.dac.nominal_volts(inside)), strict=False)
        reason = np.where(np.abs(inside - codes) > 1e-9, Reason.STEP, Reason.EXACT)
        reason = np.where((codes < 0) | (codes > self.dac.codes - 1), Reason.CLAMP, reason).astype(np.int8)
        notes = self.tuning.notes(octaves, self.law.reference_note)
        return Reached(np.where(np.isnan(codes), np.nan, notes), reason)

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(0.0), np.array(float(self.dac.codes - 1))


@dataclass(frozen=True)
class TableHead:
    """Two constants, and for each whole note how far its code lies from where they aim.

    sixteenths : one for each whole note from `first_note` on, in sixteenths of a code.  Between two notes
    the distance is interpolated, outside it is that of the nearest end, so that bends and quarter tones
    are corrected too.  The finer step keeps their rounding from adding to the converter's.
    made_in : the tuning whose keys these notes are, None for that of `under`; in another a note's distance is that of
    the pitch, since it is the converter's level there.
    """

    id: str
    under: ConstantsHead
    first_note: int
    sixteenths: tuple[int, ...]
    made_in: Tuning | None = None
    input: Quantity = Quantity("note", "note")
    output: Quantity = Quantity("code", "code")
    believes: bool = True

    def __post_init__(self) -> None:
        if not self.sixteenths:
            raise InputError("A table of codes needs at least one note.")

    @property
    def notes(self) -> FloatArray:
        """The whole notes that the table was made for."""
        return self.first_note + np.arange(len(self.sixteenths), dtype=float)

    def parameters(self) -> tuple[Parameter, ...]:
        return ()

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        # Halves go to the lower code, as everywhere.
        return np.clip(np.ceil(self.exact(x, world) - 0.5), 0, self.under.dac.codes - 1)

    def moved(self, notes: ArrayLike) -> FloatArray:
        """How far from the constants' aim the codes of notes lie, unrounded; any shape."""
        asked, places = np.asarray(notes, float), self.notes
        moved = np.asarray(self.sixteenths, float) / 16.0
        if self.made_in is not None and self.made_in != self.under.tuning:
            reference = self.under.law.reference_note
            asked = self.under.tuning.octaves(asked, reference)
            places = self.made_in.octaves(places, reference)
            places, moved = places[np.isfinite(places)], moved[np.isfinite(places)]
            order = np.argsort(places, kind="stable")
            places, moved = places[order], moved[order]
        return np.interp(asked, places, moved)

    def believed_volts(self, notes: ArrayLike, codes: ArrayLike) -> FloatArray:
        """What the table counts on at the jack (or in effect) for codes sent for notes; any shape."""
        return self.under.believed_volts(self.under.dac.nominal_volts(np.asarray(codes, float) - self.moved(notes)))

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        return aimed_codes(self.under, x) + self.moved(x)

    def backward(self, y: ArrayLike, world: World) -> Reached:
        codes = np.asarray(y, float)
        table = self.forward(self.notes, world)
        distance = np.abs(np.where(np.isnan(codes), 0.0, codes)[..., None] - table)
        index = np.argmin(distance, axis=-1)
        gap = np.take_along_axis(distance, index[..., None], axis=-1)[..., 0]
        reason = np.where(gap > 1e-9, Reason.STEP, Reason.EXACT)
        reason = np.where((codes < table.min()) | (codes > table.max()), Reason.CLAMP, reason).astype(np.int8)
        return Reached(np.where(np.isnan(codes), np.nan, index + float(self.first_note)), reason)

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        table = self.forward(self.notes, world)
        return table.min(), table.max()


def aimed_codes(under: ConstantsHead, notes: ArrayLike) -> FloatArray:
    """Unrounded codes that constants aim for; code 0 where they would aim below a frequency of 0."""
    notes = np.asarray(notes, float)
    exact = under.exact(notes, NOMINAL)
    return np.where(np.isnan(exact) & ~np.isnan(notes), 0.0, exact)


def sixteenths_of(under: ConstantsHead, notes: ArrayLike, exact_codes: ArrayLike) -> tuple[int, ...]:
    """The table's distances that bring the constants to these (unrounded) codes at whole notes.

    Distances that no small board would hold (beyond 2047 codes) are kept at that bound.
    """
    apart = 16.0 * (np.asarray(exact_codes, float) - aimed_codes(under, notes))
    return tuple(int(one) for one in np.clip(np.rint(np.nan_to_num(apart)), -MOST_SIXTEENTHS, MOST_SIXTEENTHS))


def inl_behind(table: TableHead) -> tuple[float, ...]:
    """The linearity, one value a code in LSB, that a table takes off; straight between its codes."""
    codes = table.forward(table.notes, NOMINAL)
    order = np.argsort(codes, kind="stable")
    apart = -np.asarray(table.sixteenths, float)[order] / 16.0 * table.under.gain
    return tuple(np.interp(np.arange(table.under.dac.codes), codes[order], apart).tolist())
