"""Circuits that switch: comparator, stretcher, trigger from a gate, gated pitch, sample and hold."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from dynamis.electrics.part import DIODE_VOLTS
from dynamis.electrics.signals.pieces import Segment, Writer, cut, pieces
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.transfer.breakpoints import Breakpoints, Trajectory
from dynamis.transfer.parameter import World


@dataclass(frozen=True)
class Comparator:
    """High above `on_volts`, low again below `off_volts`: its own two levels."""

    on_volts: float
    off_volts: float
    low_volts: float = 0.0
    high_volts: float = 5.0

    def __post_init__(self) -> None:
        if self.off_volts > self.on_volts:
            raise InputError(
                f"A comparator that goes off at {plain(self.off_volts)} V is on from {plain(self.on_volts)} V: its "
                "thresholds are crossed."
            )

    @classmethod
    def of_parts(
        cls, input_ohms: float, feedback_ohms: float, reference_volts: float, swing_volts: float
    ) -> Comparator:
        """An op-amp with its input through `input_ohms` and feedback to the same + input, against a reference.

        Source: Kirchhoff at the + input; it switches where that equals the reference.
        """
        half = (swing_volts) * input_ohms / feedback_ohms
        middle = reference_volts * (1.0 + input_ohms / feedback_ohms)
        return cls(middle + half, middle - half, -swing_volts, swing_volts)

    def edges(self, signal: Breakpoints) -> list[tuple[float, bool]]:
        """When it goes on and off, its first state included."""
        found: list[tuple[float, bool]] = []
        on = False
        for one in pieces(signal):
            if one.value >= self.on_volts:
                now = True
            elif one.value <= self.off_volts:
                now = False
            else:
                now = on
            if not found or now != on:
                found.append((one.start, now))
                on = now
            at = one.reaches(self.off_volts if on else self.on_volts)
            rising = one.last > one.value
            if at is not None and rising != on:
                on = not on
                found.append((at, on))
        return found

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        out = Writer()
        for seconds, on in self.edges(signal):
            out.held(seconds, self.high_volts if on else self.low_volts)
        return out.signal()


@dataclass(frozen=True)
class Stretcher:
    """A diode charges a capacitor, a resistor lets it down: high until `seconds` after its input has fallen.

    Of parts: seconds = R·C·ln((V_high − V_diode)/V_threshold).  Source: derived.
    """

    seconds: float
    comparator: Comparator

    @classmethod
    def of_parts(cls, ohms: float, farads: float, high_volts: float, comparator: Comparator) -> Stretcher:
        charged = high_volts - DIODE_VOLTS
        if charged <= comparator.off_volts:
            raise InputError(
                f"{plain(high_volts)} V less a diode does not reach the {plain(comparator.off_volts)} V at which the "
                "comparator goes off."
            )
        return cls(ohms * farads * math.log(charged / comparator.off_volts), comparator)

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        out, until = Writer(), -math.inf
        for seconds, on in self.comparator.edges(signal):
            if seconds > until > -math.inf:
                out.held(until, self.comparator.low_volts)
            if on:
                out.held(seconds, self.comparator.high_volts)
                until = math.inf
            elif until == math.inf:
                until = seconds + self.seconds
            else:
                out.held(seconds, self.comparator.low_volts)
        if math.isfinite(until):
            out.held(until, self.comparator.low_volts)
        return out.signal()


@dataclass(frozen=True)
class TriggerFromGate:
    """A capacitor in series, a resistor to ground and a diode that keeps it from going below −0.6 V.

    Each rise of a gate makes a pulse that falls with R·C.
    """

    ohms: float
    farads: float

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        out, tau_seconds, now, before = Writer(), self.ohms * self.farads, 0.0, None
        for one in pieces(signal):
            if before is not None:
                now += one.value - before.last
            now = max(now, -DIODE_VOLTS)
            if one.kind is Trajectory.DECAYING:
                raise InputError("A trigger is made from a gate that is held or ramped, not from one that decays.")
            target = max(one.slope * tau_seconds, -DIODE_VOLTS) if one.kind is Trajectory.RAMPED else 0.0
            out.decaying(one.start, now, target, tau_seconds)
            if math.isfinite(one.end):
                now = target + (now - target) * math.exp(-(one.end - one.start) / tau_seconds)
            before = one
        return out.signal()


@dataclass(frozen=True)
class GatedPitch:
    """Passes the pitch while the gate is up; grounds it when not, or lets it float down through `float_seconds`."""

    gate: Breakpoints
    comparator: Comparator
    when_off: Literal["grounded", "floating"] = "grounded"
    float_seconds: float = 1.0

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        out, opened, last = Writer(), self.comparator.respond(self.gate, world), 0.0
        for pitch, gate in cut(signal, opened):
            if gate.value == self.comparator.high_volts:
                out.piece(pitch)
                last = pitch.last
            elif self.when_off == "grounded":
                out.held(pitch.start, 0.0)
                last = 0.0
            else:
                out.decaying(pitch.start, last, 0.0, self.float_seconds)
                if math.isfinite(pitch.end):
                    last *= math.exp(-(pitch.end - pitch.start) / self.float_seconds)
        return out.signal()


@dataclass(frozen=True)
class SampleHold:
    """Follows its input with `acquire_seconds` while the clock is high, then holds it and drops `droop` V/s to 0 V."""

    clock: Breakpoints
    comparator: Comparator
    acquire_seconds: float = 1e-5
    droop_volts_per_second: float = 0.0

    def respond(self, signal: Breakpoints, world: World) -> Breakpoints:
        out, now = Writer(), 0.0
        for heard, clock in cut(signal, self.comparator.respond(self.clock, world)):
            if clock.value == self.comparator.high_volts:
                for part in _steps(heard, self.acquire_seconds):
                    out.decaying(part.start, now, part.value, self.acquire_seconds)
                    now = part.value + (now - part.value) * math.exp(-(part.end - part.start) / self.acquire_seconds)
            else:
                now = self._hold(out, heard.start, heard.end, now)
        return out.signal()

    def _hold(self, out: Writer, start: float, end: float, now: float) -> float:
        if not self.droop_volts_per_second or now == 0.0:
            out.held(start, now)
            return now
        empty = start + abs(now) / self.droop_volts_per_second
        left = math.copysign(max(0.0, abs(now) - self.droop_volts_per_second * (end - start)), now)
        out.ramped(start, now, left)
        if empty < end:
            out.held(empty, 0.0)
        return left


def _steps(piece: Segment, tau_seconds: float) -> list[Segment]:
    """A piece as held steps that are short against a time constant; a held one stays one."""
    if piece.kind is Trajectory.HELD:
        return [piece]
    end = piece.end if math.isfinite(piece.end) else piece.start + 20.0 * piece.tau_seconds
    count = max(1, min(2000, math.ceil(10.0 * (end - piece.start) / tau_seconds)))
    wide = (end - piece.start) / count
    segments = [
        Segment(
            piece.start + k * wide,
            piece.start + (k + 1) * wide,
            piece.at(piece.start + (k + 0.5) * wide),
            Trajectory.HELD,
        )
        for k in range(count)
    ]
    if math.isinf(piece.end):
        segments.append(Segment(end, math.inf, piece.last, Trajectory.HELD))
    return segments


held_steps = _steps
