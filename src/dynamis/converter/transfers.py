"""The converter as a transfer: DAC code -> volts at the jack, with the errors a data sheet allows."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.converter.dac import Dac
from dynamis.transfer.parameter import Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, StoredTransfer

FloatArray = NDArray[np.float64]
_DAC_KEYS = (
    "bits",
    "low_volts",
    "high_volts",
    "gain",
    "offset_volts",
    "inl_lsb",
    "floor_volts",
    "ceiling_volts",
    "coding",
)
_LIMIT_KEYS = (
    "reference_limit",
    "offset_limit_volts",
    "inl_limit_lsb",
    "reference_ppm_per_kelvin",
    "reference_is_supply",
)


@dataclass(frozen=True)
class DacTransfer:
    """Code -> volts at the jack.

    reference_limit : data-sheet limit of the reference, a fraction (0.005 is 0.5 %).
    offset_limit_volts : limit of the offset at the jack.  inl_limit_lsb : limit of the linearity, an
    unknown level error that is taken as one for the whole converter.  reference_ppm_per_kelvin : limit
    of the reference's drift.  reference_is_supply : it has no reference of its own and follows its supply.
    """

    id: str
    dac: Dac
    label: str = "at the jack"
    reference_limit: float = 0.0
    offset_limit_volts: float = 0.0
    inl_limit_lsb: float = 0.0
    reference_ppm_per_kelvin: float = 0.0
    reference_is_supply: bool = False
    believes: bool = False

    @property
    def input(self) -> Quantity:
        return Quantity("code", "code")

    @property
    def output(self) -> Quantity:
        return Quantity("volts", self.label)

    def parameters(self) -> tuple[Parameter, ...]:
        return self._reference, self._offset, self._inl

    @property
    def _reference(self) -> Parameter:
        key = f"{self.id}.reference"
        label = "Supply as reference" if self.reference_is_supply else "Reference"
        return Parameter(
            key,
            label,
            "V",
            1.0,
            self.reference_limit,
            True,
            "uniform",
            key,
            per_kelvin_limit=self.reference_ppm_per_kelvin * 1e-6,
        )

    @property
    def _offset(self) -> Parameter:
        key = f"{self.id}.offset"
        return Parameter(key, "Offset of the output", "V", 0.0, self.offset_limit_volts, False, "uniform", key)

    @property
    def _inl(self) -> Parameter:
        key = f"{self.id}.inl"
        return Parameter(key, "Linearity", "LSB", 0.0, self.inl_limit_lsb, False, "uniform", key)

    def _moved(self, volts: FloatArray, world: World) -> FloatArray:
        """Nominal jack volts moved by the world: the reference scales what comes out of the converter."""
        from_converter = (volts - self.dac.offset_volts) * self._reference.value(world)
        return (
            self.dac.offset_volts
            + from_converter
            + self._offset.value(world)
            + self._inl.value(world) * self.dac.step_volts
        )

    def _buffered(self, volts: FloatArray) -> FloatArray:
        low = -np.inf if self.dac.floor_volts is None else self.dac.floor_volts
        high = np.inf if self.dac.ceiling_volts is None else self.dac.ceiling_volts
        return np.clip(volts, low, high)

    def forward(self, x: ArrayLike, world: World) -> FloatArray:
        codes = np.clip(np.asarray(x, float), 0, self.dac.codes - 1)
        volts = self.dac.nominal_volts(codes)
        if self.dac.inl_lsb is not None:
            volts = volts + self.dac.step_volts * np.interp(codes, np.arange(self.dac.codes), self.dac.inl_lsb)
        # The buffer's ends belong to its supply, not to the reference, so they come last.
        return self._buffered(self._moved(volts, world))

    def exact(self, x: ArrayLike, world: World) -> FloatArray:
        return self._moved(self.dac.nominal_volts(x), world)

    def backward(self, y: ArrayLike, world: World) -> Reached:
        volts = np.asarray(y, float)
        shift = self._offset.value(world) + self._inl.value(world) * self.dac.step_volts
        offset = self.dac.offset_volts
        unbuffered = offset + (volts - offset - shift) / self._reference.value(world)
        reach = self.dac.code_for(unbuffered)
        # Levels are compared where they are read, behind the moved reference and the buffer.
        tries = np.clip(reach.codes[..., None] + np.array([0.0, -1.0, 1.0]), 0, self.dac.codes - 1)
        expanded = World(world.deviations, world.celsius)
        levels = np.stack([self.forward(tries[..., k], expanded) for k in range(3)], axis=-1)
        distance = np.abs(levels - volts[..., None]) + 1e-9 * self.dac.lsb_volts * np.array([0.0, 1.0, 1.0])
        best = np.argmin(np.where(np.isnan(distance), np.inf, distance), axis=-1)[..., None]
        codes = np.take_along_axis(np.broadcast_to(tries, distance.shape), best, axis=-1)[..., 0]
        off = np.take_along_axis(np.abs(levels - volts[..., None]), best, axis=-1)[..., 0]
        low, high = self.limits(world)
        reason = np.where(off > 1e-9 * self.dac.lsb_volts, Reason.STEP, Reason.EXACT)
        reason = np.where((volts < low) | (volts > high), Reason.CLAMP, reason)
        buffer_low = -np.inf if self.dac.floor_volts is None else self.dac.floor_volts
        buffer_high = np.inf if self.dac.ceiling_volts is None else self.dac.ceiling_volts
        reason = np.where((volts < buffer_low) | (volts > buffer_high), Reason.DEAD_BAND, reason)
        return Reached(np.where(np.isnan(volts), np.nan, codes), reason.astype(np.int8))

    def limits(self, world: World) -> tuple[FloatArray, FloatArray]:
        first, last = self.forward(np.array([0.0]), world), self.forward(np.array([self.dac.codes - 1.0]), world)
        low, high = np.minimum(first, last), np.maximum(first, last)
        return (low[0], high[0]) if low.ndim == 1 else (low, high)

    def stored(self) -> StoredTransfer:
        values: dict[str, Any] = {key: getattr(self.dac, key) for key in _DAC_KEYS}
        values |= {key: getattr(self, key) for key in _LIMIT_KEYS}
        kept = {
            key: value for key, value in values.items() if value not in (None, 0.0, "straight") or key == "low_volts"
        }
        return StoredTransfer("dac", 1, kept)


def _make(transfer_id: str, values: dict[str, Any]) -> DacTransfer:
    numbers = dict(values)
    if numbers.get("inl_lsb") is not None:
        numbers["inl_lsb"] = tuple(float(one) for one in numbers["inl_lsb"])
    dac = Dac(**{key: numbers.pop(key) for key in _DAC_KEYS if key in numbers})
    return DacTransfer(transfer_id, dac, **numbers)


REGISTRY.register("dac", 1, _make)
