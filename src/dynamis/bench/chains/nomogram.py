"""The chain as a nomogram: one scale for each quantity, and where each note stands on every one.

A scale is laid out by what its value should be: up to the sender's own volts by what the sender's law and head
intend, from there on by what the receiver needs to sound the note.  A note that is right runs level across; a
slope between two scales is what goes wrong between them, in cents.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dynamis.bench.chains.link_chain import LinkChain
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import PortRef
from dynamis.errors import InputError
from dynamis.pitch.laws import parse_law
from dynamis.transfer.chain import Chain, Share
from dynamis.transfer.parameter import NOMINAL, World
from dynamis.transfer.quantity import Quantity

FloatArray = NDArray[np.float64]


@dataclass(frozen=True)
class OutOfReach:
    """A part of a scale that nothing reaches, between two values; infinite where it has no end.  words : why."""

    low: float
    high: float
    words: str


@dataclass(frozen=True, eq=False)
class NomogramScale:
    """One quantity.

    intended, actual : (N,) values for the notes, as they should be and as they are.  at : (N,) the place of what is
    found, in notes on the common axis.
    """

    quantity: Quantity
    intended: FloatArray
    actual: FloatArray
    notes: FloatArray
    unreached: tuple[OutOfReach, ...] = ()

    def place(self, value: FloatArray | float) -> FloatArray:
        """Where values stand, in notes; straight on beyond the ends."""
        x, y = self._rising
        value = self._bent(np.asarray(value, float))
        if x.size < 2:
            return np.full(value.shape, np.nan)
        low = y[0] + (value - x[0]) * (y[1] - y[0]) / (x[1] - x[0])
        high = y[-1] + (value - x[-1]) * (y[-1] - y[-2]) / (x[-1] - x[-2])
        inside = np.interp(value, x, y)
        return np.where(value < x[0], low, np.where(value > x[-1], high, inside))

    def value(self, place: float) -> float:
        """The value at a place, the other way round."""
        x, y = self._rising
        if x.size < 2:
            return float("nan")
        if y[0] > y[-1]:
            x, y = x[::-1], y[::-1]
        if place < y[0]:
            value = x[0] + (place - y[0]) * (x[1] - x[0]) / (y[1] - y[0])
        elif place > y[-1]:
            value = x[-1] + (place - y[-1]) * (x[-1] - x[-2]) / (y[-1] - y[-2])
        else:
            value = np.interp(place, y, x)
        return float(2.0**value if self.doubles else value)

    @cached_property
    def doubles(self) -> bool:
        """Whether values go by ratios rather than by steps: between two notes they are then taken so too."""
        fine = self.intended[np.isfinite(self.intended)]
        if fine.size < 3 or np.any(fine <= 0):
            return False
        steps, ratios = np.diff(fine), np.diff(np.log2(fine))
        return float(np.ptp(ratios) / np.abs(ratios).max()) < float(np.ptp(steps) / np.abs(steps).max())

    def _bent(self, values: FloatArray) -> FloatArray:
        return np.log2(np.maximum(values, 1e-12)) if self.doubles else values

    @cached_property
    def at(self) -> FloatArray:
        return self.place(self.actual)

    @cached_property
    def _rising(self) -> tuple[FloatArray, FloatArray]:
        """Intended values in rising order, each once, and the notes that stand there."""
        fine = np.isfinite(self.intended)
        values, notes = self._bent(self.intended[fine]), self.notes[fine]
        if values.size and values[0] > values[-1]:
            values, notes = values[::-1], notes[::-1]
        if not values.size:
            return values, notes
        kept = np.concatenate([[True], np.diff(np.maximum.accumulate(values)) > 0])
        return values[kept], notes[kept]


@dataclass(frozen=True, eq=False)
class ShareAt:
    """A share of the error at one note.  known : an error as it is, not a limit to either side."""

    share: Share
    cents: float
    known: bool


@dataclass(frozen=True, eq=False)
class BudgetAt:
    """The shares at one note, the largest first.  limits_cents : of the parts, all at their worst together.
    expanded_cents : their root sum of squares with k = 2."""

    shares: tuple[ShareAt, ...]
    limits_cents: float
    expanded_cents: float


@dataclass(frozen=True, eq=False)
class Nomogram:
    """scales : from the note to the sound.  error_cents : (N,) at the end.  wanted : octaves that should sound."""

    chain: Chain
    true: World
    notes: FloatArray
    scales: tuple[NomogramScale, ...]
    wanted: FloatArray
    error_cents: FloatArray

    def gap_cents(self, k: int) -> FloatArray:
        """(N,) what goes wrong between scale k and the next."""
        return 100.0 * (self.scales[k + 1].at - self.scales[k].at)

    @cached_property
    def budget(self) -> list[Share]:
        """Where the error comes from, for every note, the largest first."""
        return self.chain.budget(self.notes, self.true)

    def budget_at(self, note: float) -> BudgetAt:
        """The budget at the whole note nearest to one."""
        k = int(np.argmin(np.abs(self.notes - note)))
        shares, limits, variance = [], 0.0, 0.0
        for share in self.budget:
            cents, standard = float(share.cents[k]), float(share.standard_cents[k])
            known = not np.any(share.standard_cents > 0)
            shares.append(ShareAt(share, cents, known))
            if not known and np.isfinite(cents):
                limits, variance = limits + abs(cents), variance + standard**2
        return BudgetAt(tuple(shares), limits, 2.0 * float(np.sqrt(variance)))

    @cached_property
    def _traced(self) -> dict[float, tuple[FloatArray, float]]:
        return {}

    def traced(self, note: float) -> tuple[FloatArray, float]:
        """The values of one note on all scales, and its error in cents."""
        if note not in self._traced:
            asked = np.array([note])
            values = self.chain.trace(asked, self.true)
            error = float(self.chain.error_cents(asked, self.true)[0])
            self._traced[note] = np.array([float(one[0]) for one in values]), error
        return self._traced[note]

    def note_at(self, k: int, value: float) -> float:
        """The note whose value on scale k is nearest; raises `InputError` where there is none."""
        actual = self.scales[k].actual
        if k == 0:
            return float(np.clip(value, self.notes[0], self.notes[-1]))
        off = np.abs(actual - value)
        if not np.any(np.isfinite(off)):
            raise InputError(f"No note stands on the scale {self.scales[k].quantity.label}.")
        return float(self.notes[int(np.nanargmin(off))])


def nomogram(
    bench: Bench, link: Link, link_chain: LinkChain, notes: FloatArray, sink: PortRef | None = None
) -> Nomogram:
    """The nomogram of a link's chain; notes (N,) in rising order.  Raises `InputError` with its sentence where the
    chain is broken."""
    if link_chain.chain is None:
        raise InputError(link_chain.sentence)
    chain = link_chain.chain
    sent = next((k for k, one in enumerate(chain.transfers) if not one.believes), 0) + 1
    output = bench.port(link.output)
    with np.errstate(all="ignore"):
        traced = chain.trace(notes, link_chain.true)
        wanted = chain.wanted.forward(notes, NOMINAL)
        intended: list[FloatArray] = [notes]
        for transfer in chain.transfers[: sent - 1]:
            intended.append(transfer.exact(intended[-1], NOMINAL))
        if output.law is not None:
            law, tuning = parse_law(output.law), tuning_of(bench)
            intended.append(np.asarray(law.volts(tuning.octaves(notes, law.reference_note))))
        else:
            intended.append(traced[sent])
        needed = [wanted]
        for transfer in reversed(chain.transfers[sent + 1 :]):
            needed.append(transfer.backward(needed[-1], NOMINAL).x)
        intended += reversed(needed)
        error = chain.error_cents(notes, link_chain.true)
    scales = tuple(
        NomogramScale(
            quantity, values, np.asarray(was, float), notes, _unreached(chain, k, link_chain.true, bench, sink)
        )
        for k, (quantity, values, was) in enumerate(zip(chain.scales, intended, traced, strict=True))
    )
    return Nomogram(chain, link_chain.true, notes, scales, wanted, error)


def _unreached(chain: Chain, k: int, true: World, bench: Bench, sink: PortRef | None) -> tuple[OutOfReach, ...]:
    """What scale k cannot come to: beyond the limits of the transfer before it, and where its input falls silent."""
    out_of_reaches = []
    if k:
        low, high = (float(np.asarray(one).flat[0]) for one in chain.transfers[k - 1].limits(true))
        if np.isfinite(low):
            out_of_reaches.append(OutOfReach(-np.inf, low, "out of reach"))
        if np.isfinite(high):
            out_of_reaches.append(OutOfReach(high, np.inf, "out of reach"))
    if sink is not None and k == len(chain.transfers) - 1 and chain.scales[k].kind == "volts":
        silent = bench.port(sink).silent_below_volts
        if silent is not None:
            out_of_reaches.append(OutOfReach(-np.inf, silent, "silent below"))
    return tuple(out_of_reaches)
