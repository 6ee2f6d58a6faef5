"""The head of a chain: note -> DAC code, by two constants or by a table.

A head works with what is believed.  It keeps its own nominal converter and takes nothing from the
world, so the true reference's error never hides in the codes.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.dac import Dac
from dynamis.errors import InputError
from dynamis.pitch.laws import Law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament, Tuning
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason

FloatArray = NDArray[np.float64]


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
    """One code for each whole note from `first_note` on; notes outside take the nearest end.

    A fractional note belongs to the whole note below it.
    """

    id: str
    first_note: int
    table: tuple[int, ...]
    input: Quantity = Quantity("note", "note")
    output: Quantity = Quantity("code", "code")
    believes: bool = True

    def __post_init__(self) -> None:
        if not self.table:
            raise InputError("A table of codes needs at least one note.")

    def parameters(self) -> tuple[Parameter, ...]:
        return ()

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        notes = np.asarray(x, float)
        index = np.floor(np.where(np.isnan(notes), 0.0, notes) - self.first_note + 1e-9)
        codes = np.asarray(self.table, float)[np.clip(index, 0, len(self.table) - 1).astype(int)]
        return np.where(np.isnan(notes), np.nan, codes)

    exact = forward

    def backward(self, y: ArrayLike, world: World) -> Reached:
        codes = np.asarray(y, float)
        table = np.asarray(self.table, float)
        distance = np.abs(np.where(np.isnan(codes), 0.0, codes)[..., None] - table)
        index = np.argmin(distance, axis=-1)
        gap = np.take_along_axis(distance, index[..., None], axis=-1)[..., 0]
        reason = np.where(gap > 1e-9, Reason.STEP, Reason.EXACT)
        reason = np.where((codes < table.min()) | (codes > table.max()), Reason.CLAMP, reason).astype(np.int8)
        return Reached(np.where(np.isnan(codes), np.nan, index + float(self.first_note)), reason)

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        return np.array(float(min(self.table))), np.array(float(max(self.table)))
