"""What a circuit is asked to do."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dynamis.electrics.circuits.clamp import LOOP_OHMS, Clamp
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp, Supply
from dynamis.electrics.series import SERIES
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.laws import CENTS_PER_NEPER

GAIN_WITHIN = 1e-3
OFFSET_WITHIN_VOLTS = 1e-3
# A sender goes beyond the notes that are used, as a share of their range; common practice, no source.
_BEYOND = 0.1
# What a feedback network draws through a clamp's resistor at most.
_FEEDBACK_OHMS = 8e3


@dataclass(frozen=True)
class Requirement:
    """gain, offset_volts : from the sender's own volts to the loaded receiver.

    in_low, in_high : volts the sender gives.  series, pairs : preferred values, two of them where one misses.
    tolerance : of the resistors, a fraction.  volts_per_octave : of the sender, and tolerance_cents what the output
    may be off.  reference_volts : of a reference part to take the offset from, None for the rail.
    zero_volts : for Hz/V, what the receiver gets at 0 Hz, None for V/oct; volts_per_octave then stands for nothing.
    resistor_per_kelvin : what their data sheet allows.  drawer : the values at hand, none named: all of the series.
    absolute_limits : what the receiver survives; where the circuit could pass that it gets a clamp.
    load_tolerance : a fraction.
    offset_from : "rail" or "reference" where that was asked for, "" for what the change of the rail allows.
    """

    gain: float
    offset_volts: float = 0.0
    in_low_volts: float = 0.0
    in_high_volts: float = 5.0
    source_ohms: float = 1000.0
    load_ohms: float | None = 100e3
    supply: Supply = Supply()
    series: str = "E96"
    pairs: bool = True
    tolerance: float = 0.01
    volts_per_octave: float = 1.0
    tolerance_cents: float = 5.0
    zero_volts: float | None = None
    op_amp: OpAmp = OP_AMPS["ideal"]
    reference_volts: float | None = None
    reference_tolerance_fraction: float = 0.002
    resistor_per_kelvin: float = 0.0
    drawer: tuple[float, ...] = ()
    absolute_limits: Clamp = Clamp()
    load_tolerance_fraction: float = 0.05
    offset_from: Literal["", "rail", "reference"] = ""

    @property
    def of_link(self) -> tuple[object, ...]:
        """What of it the link decides that asks for it."""
        return (
            self.gain,
            self.offset_volts,
            self.in_low_volts,
            self.in_high_volts,
            self.source_ohms,
            self.load_ohms,
            self.tolerance_cents,
            self.volts_per_octave,
            self.zero_volts,
            self.absolute_limits,
        )

    def __post_init__(self) -> None:
        numbers = {
            "gain": self.gain,
            "offset": self.offset_volts,
            "lowest input": self.in_low_volts,
            "highest input": self.in_high_volts,
        }
        for name, value in numbers.items():
            if not math.isfinite(value) or abs(value) > 1e6:
                raise InputError(f"The {name} is {plain(value)}; a number of at most a million was expected.")
        if abs(self.gain) < 1e-6:
            raise InputError(f"A gain of {plain(self.gain)} passes nothing on; 0.000001 or more was expected.")
        if self.in_low_volts >= self.in_high_volts:
            raise InputError(
                f"The sender's volts run from {plain(self.in_low_volts)} to {plain(self.in_high_volts)}; the lower end "
                "first was expected."
            )
        if not 0 <= self.source_ohms <= 1e7:
            raise InputError(f"A sender of {plain(self.source_ohms)} Ω cannot be; 0 Ω to 10 MΩ was expected.")
        if self.load_ohms is not None and not 1.0 <= self.load_ohms <= 1e12:
            raise InputError(f"A load of {plain(self.load_ohms)} Ω cannot be; 1 Ω to 1 TΩ was expected.")
        if not 0 <= self.load_tolerance_fraction < 1:
            raise InputError(
                f"A load's tolerance of {plain(100 * self.load_tolerance_fraction)} % cannot be; 0 % to 99 % was "
                "expected."
            )
        if self.series not in SERIES:
            raise InputError(f"{self.series!r} is no series; {', '.join(SERIES)} was expected.")
        if not 0 <= self.tolerance <= 0.2:
            raise InputError(f"A tolerance of {plain(100 * self.tolerance)} % cannot be; 0 % to 20 % was expected.")
        if not (self.volts_per_octave > 0 and math.isfinite(self.volts_per_octave)):
            raise InputError(f"A scale of {plain(self.volts_per_octave)} V/oct cannot be; more than 0 was expected.")
        if not (self.tolerance_cents > 0 and math.isfinite(self.tolerance_cents)):
            raise InputError(f"A tolerance of {plain(self.tolerance_cents)} ct cannot be; more than 0 was expected.")
        if self.zero_volts is not None and not min(self.ends) > self.zero_volts:
            raise InputError(
                f"At the lowest note {plain(min(self.ends))} V is wanted, and 0 Hz is at {plain(self.zero_volts)} V; "
                "under Hz/V every note lies above that."
            )

    def out(self, volts: float) -> float:
        """What is wanted at the receiver."""
        return self.gain * volts + self.offset_volts

    @property
    def ends(self) -> tuple[float, float]:
        """What is wanted at the ends of the input range."""
        return self.out(self.in_low_volts), self.out(self.in_high_volts)

    def cents_per_volt(self, in_volts: float) -> float:
        """Of a small error at the receiver while the sender gives `in_volts`.

        Under V/oct an octave is the sender's scale times the gain asked for; under Hz/V it hangs on the note.
        """
        if self.zero_volts is None:
            return 1200.0 / (self.volts_per_octave * abs(self.gain))
        return CENTS_PER_NEPER / (self.out(in_volts) - self.zero_volts)

    def cents(self, off_volts: ArrayLike, in_volts: float) -> NDArray[np.float64]:
        """Cents of an error at the receiver, shape of `off_volts`; infinite where no note is left under Hz/V."""
        off = np.asarray(off_volts, float)
        if self.zero_volts is None:
            return off * self.cents_per_volt(in_volts)
        share = np.maximum(0.0, 1.0 + off / (self.out(in_volts) - self.zero_volts))
        with np.errstate(divide="ignore"):
            return 1200.0 * np.log2(share)

    @property
    def weights(self) -> tuple[float, float]:
        """Cents per volt at the two ends of the input range."""
        return self.cents_per_volt(self.in_low_volts), self.cents_per_volt(self.in_high_volts)

    def clamp(self, *, amplified: bool) -> Clamp:
        """What of a clamp a circuit takes: an op-amp may go to its rails, resistors only follow their sender."""
        if amplified:
            up = 1.0 + self.supply.tolerance
            return self.absolute_limits.needed(self.supply.low * up, self.supply.high * up)
        beyond = _BEYOND * (self.in_high_volts - self.in_low_volts)
        first, last = sorted((self.out(self.in_low_volts - beyond), self.out(self.in_high_volts + beyond)))
        return self.absolute_limits.needed(first, last)

    def reach(self) -> tuple[float, float]:
        """The volts that an op-amp brings to the receiver at most, and that it bears."""
        low, high = self.op_amp.swing(self.supply)
        if self.clamp(amplified=True).diodes:
            load = 0.0 if self.load_ohms is None else LOOP_OHMS / self.load_ohms
            share = 1.0 / (1.0 + load + LOOP_OHMS / _FEEDBACK_OHMS)
            low, high = low * share, high * share
        return self.absolute_limits.within(low, high)

    def line(self, first: float, last: float) -> Requirement:
        """The same requirement with other volts wanted at the two ends of the input range."""
        gain = (last - first) / (self.in_high_volts - self.in_low_volts)
        return replace(self, gain=gain, offset_volts=first - gain * self.in_low_volts)
