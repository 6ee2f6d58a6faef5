"""The walk through an oscillator's trimmers: what to play, what to turn, and which reading to turn it to.

Under V/oct turning the scale also moves the low note, unless that sits at the pivot, where the converter's own input is
0 V.  With the low note right and the high one off by E, the scale is right when the high reading is turned to
E (V_pivot - V_low) / (V_high - V_low); then the low note is tuned again.  Where the pivot lies is learnt from what the
first turn did to the low note.  Then the top, by the high-frequency trimmer.  Under Hz/V the offset is set at the
bottom and the scale at the top.  Source: derived from the two laws.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

from dynamis.errors import InputError
from dynamis.pitch.laws import ExponentialLaw, Law
from dynamis.pitch.tuning import Tuning

Turn = Literal["tune", "scale", "high", "offset", "read"]
# A note is right when it is within such a part of the tolerance; what a hand leaves is little beside it.
_RIGHT_SHARE: Final = 0.2
# A turn that moves the high note by less tells nothing of the pivot, cents.
_LEAST_MOVE: Final = 3.0
_MOST_ROUNDS: Final = 12
# A pivot is believed within so many times the span of the two notes.
_MOST_PIVOT: Final = 4.0
_MOST_CENTS: Final = 6000.0
# One that is typed lies within so many spans, else a turn has no frequency.
_FARTHEST_PIVOT: Final = 100.0


@dataclass(frozen=True)
class Trims:
    """What a walk is about: the law, the notes at both ends of the scale and at the top, and which trimmers there are.

    pivot_volts : where the scale turns nothing, None where nobody knows.  high : whether there is a high-frequency
    trimmer.  tolerance_cents : what every one of the notes has to keep.
    """

    law: Law
    tuning: Tuning
    low_note: float
    high_note: float
    top_note: float
    tolerance_cents: float
    pivot_volts: float | None = None
    high: bool = False

    def __post_init__(self) -> None:
        if not self.low_note + 6.0 <= self.high_note <= self.top_note:
            raise InputError("The notes of a walk rise: low, half an octave or more to the high one, and the top.")
        if not self.tolerance_cents > 0:
            raise InputError("The tolerance of a walk is more than 0 ct.")

        if self.pivot_volts is not None and isinstance(self.law, ExponentialLaw):
            low, high = self.volts(self.low_note), self.volts(self.high_note)
            if not abs(self.pivot_volts - low) <= _FARTHEST_PIVOT * (high - low):
                far = f"{_FARTHEST_PIVOT * (high - low):.3g} V"
                raise InputError(
                    f"A pivot of {self.pivot_volts:.4g} V is farther than {far} from the low note's volts."
                )

    def volts(self, note: float) -> float:
        return float(self.law.volts(self.tuning.octaves([note], self.law.reference_note))[0])

    def hertz(self, note: float, cents: float = 0.0) -> float:
        return float(self.tuning.hertz([note])[0]) * 2.0 ** (cents / 1200.0)


@dataclass(frozen=True)
class Step:
    """turn : which trimmer, "read" for none.  target_cents : what the reading should be afterwards, off the note."""

    turn: Turn
    note: float
    target_cents: float = 0.0


@dataclass(frozen=True)
class Done:
    """A step with what was read after it, cents off the note."""

    step: Step
    cents: float


@dataclass(frozen=True)
class Walk:
    """step : what is next, None at the end.  rounds : how often the scale was turned.  pivot_volts : as far as it is
    known.  reached : whether all notes keep the tolerance; gave_up : that it did not come nearer."""

    step: Step | None
    rounds: int
    pivot_volts: float | None
    reached: bool = False
    gave_up: bool = False


def walk(trims: Trims, done: Sequence[Done]) -> Walk:
    """Where a walk stands after the steps that were done.  Raises InputError for readings that no oscillator gives."""
    for one in done:
        if not abs(one.cents) <= _MOST_CENTS:
            raise InputError(f"A reading is {one.cents:.0f} ct off its note: is it another note?")
    return _exponential(trims, done) if isinstance(trims.law, ExponentialLaw) else _linear(trims, done)


def right_cents(trims: Trims) -> float:
    """How near a reading has to be to its target, cents."""
    return _RIGHT_SHARE * trims.tolerance_cents


def _exponential(trims: Trims, done: Sequence[Done]) -> Walk:
    pivot, rounds = _pivot(trims, done), sum(one.step.turn == "scale" for one in done)

    def at(step: Step | None, **more: bool) -> Walk:
        return Walk(step, rounds, pivot, **more)

    low, high, top = (Step("read", note) for note in (trims.low_note, trims.high_note, trims.top_note))
    last = done[-1] if done else None
    if last is None:
        return at(Step("tune", trims.low_note))
    if last.step.turn == "scale":
        return at(low if last.step.note == trims.high_note else high)
    if last.step.turn == "high":
        return at(low)  # it moves the others a little
    now = _newest(done)
    off_low = now.get(trims.low_note)
    if off_low is None or abs(off_low) > right_cents(trims):
        if last.step.turn == "tune" and abs(last.cents) <= trims.tolerance_cents and rounds:
            pass  # as near as the hand gets
        else:
            return at(Step("tune", trims.low_note), gave_up=len(done) > 6 * _MOST_ROUNDS)
    off_high = now.get(trims.high_note)
    if off_high is None:
        return at(high)
    if abs(off_high - (off_low or 0.0)) > right_cents(trims):
        if rounds >= _MOST_ROUNDS:
            return at(None, gave_up=True)
        return at(scale_turn(trims, off_low or 0.0, off_high, pivot))
    off_top = now.get(trims.top_note)
    if off_top is None and trims.top_note != trims.high_note:
        return at(top)
    if off_top is not None and trims.high and abs(off_top) > right_cents(trims):
        if sum(one.step.turn == "high" for one in done) < _MOST_ROUNDS:
            return at(Step("high", trims.top_note))
        return at(None, gave_up=True)
    off = [abs(one) for one in (off_low, off_high, off_top) if one is not None]
    return at(None, reached=max(off) <= trims.tolerance_cents, gave_up=max(off) > trims.tolerance_cents)


def _newest(done: Sequence[Done]) -> dict[float, float]:
    """What each note was last read as, since a trimmer was last turned."""
    known: dict[float, float] = {}
    for one in done:
        if one.step.turn != "read":
            known = {}
        known[one.step.note] = one.cents
    return known


def scale_turn(trims: Trims, off_low: float, off_high: float, pivot: float | None) -> Step:
    """The turn that makes the interval right, watched at the note that it moves more: past nought, short of it, or the
    other way."""
    low, high = trims.volts(trims.low_note), trims.volts(trims.high_note)
    where, error = low if pivot is None else pivot, off_high - off_low
    if abs(high - where) < abs(low - where):
        return Step("scale", trims.low_note, off_low - error * (low - where) / (high - low))
    return Step("scale", trims.high_note, off_low + error * (where - low) / (high - low))


def _pivot(trims: Trims, done: Sequence[Done]) -> float | None:
    """From the newest turn of the scale that moved enough: how far the one note moved with the other."""
    low, high = trims.volts(trims.low_note), trims.volts(trims.high_note)
    found = trims.pivot_volts
    for k, one in enumerate(done):
        if one.step.turn != "scale" or k + 1 >= len(done) or done[k + 1].step.turn != "read":
            continue
        before, other = _newest(done[:k]), done[k + 1]
        if one.step.note not in before or other.step.note not in before or other.step.note == one.step.note:
            continue
        here, there = trims.volts(one.step.note), trims.volts(other.step.note)
        moved, besides = one.cents - before[one.step.note], other.cents - before[other.step.note]
        if abs(moved) < _LEAST_MOVE and abs(besides) < _LEAST_MOVE:
            if abs(one.step.target_cents - before[one.step.note]) > 3.0 * _LEAST_MOVE:
                found = here  # it was turned, and nothing came of it there
            continue
        # Both move by the scale's change times their distance from the pivot.
        if abs(moved - besides) < 1e-3 * max(abs(moved), abs(besides)):
            continue
        pivot = (moved * there - besides * here) / (moved - besides)
        if abs(pivot - low) <= _MOST_PIVOT * (high - low):
            found = pivot
    return found


def _linear(trims: Trims, done: Sequence[Done]) -> Walk:
    """The scale at the top, where it is all that counts; the offset at the bottom, where it weighs most."""
    rounds = sum(one.step.turn == "scale" for one in done)
    last = done[-1] if done else None
    if last is None:
        return Walk(Step("scale", trims.top_note), rounds, None)
    if last.step.turn == "scale":
        return Walk(Step("offset", trims.low_note), rounds, None)
    if last.step.turn == "offset":
        return Walk(Step("read", trims.top_note), rounds, None)
    now = _newest(done)
    top = now.get(trims.top_note, 0.0)
    if abs(top) > right_cents(trims):
        if rounds >= _MOST_ROUNDS:
            return Walk(None, rounds, None, gave_up=True)
        return Walk(Step("scale", trims.top_note), rounds, None)
    offset = next(one.cents for one in reversed(done) if one.step.turn == "offset")
    worst = max(abs(top), abs(offset))
    return Walk(None, rounds, None, worst <= trims.tolerance_cents, worst > trims.tolerance_cents)
