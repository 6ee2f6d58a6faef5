"""A pitch in time at an input: through circuits that remember, by their own equations."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from dynamis.bench.chains.link_chain import LinkChain
from dynamis.bench.chains.remembered import driver_of
from dynamis.bench.designing.gate_choices import STRETCHER
from dynamis.bench.document.bench import Bench, GateStageRecord, Link
from dynamis.bench.document.ports import PortRef
from dynamis.control.pulses import fired, pulses
from dynamis.control.stepped import FloatArray, Steps, pulse_steps
from dynamis.converter.playing.findings import PlayFinding
from dynamis.converter.playing.rendering import Signal
from dynamis.electrics.memory.remembering import Remembering
from dynamis.notation.style import Style
from dynamis.transfer.breakpoints import Breakpoints, Trajectory
from dynamis.transfer.parameter import NOMINAL

# The signal that an output carries, None where nothing played here does.
Carried = Callable[[PortRef], Signal | None]
# Long before a song begins, a circuit has come to rest.
_BEFORE_SECONDS: Final = 1e4
_NO_TAU: Final = 1.0
_OCTAVE_CENTS: Final = 1200.0


@dataclass(frozen=True, eq=False)
class InTime:
    """curve : the volts at the input.  through : the circuits that remember.  missing : those whose driver is not
    played here, which are drawn as if they passed it."""

    curve: Breakpoints
    through: tuple[Remembering, ...]
    missing: tuple[Remembering, ...]


def held(signal: Steps) -> Breakpoints:
    """Steps as a signal in time that has stood at its first value since long before."""
    seconds = np.concatenate([[-_BEFORE_SECONDS], signal.seconds])
    values = np.concatenate([signal.volts[:1], signal.volts])
    return Breakpoints(seconds, values, np.zeros(seconds.size, np.int8))


def from_zero(curve: Breakpoints) -> Breakpoints:
    """The same from 0 s on."""
    first = int(np.searchsorted(curve.seconds, 0.0, side="right")) - 1
    seconds, values = curve.seconds[first:].copy(), curve.values[first:].copy()
    values[0], seconds[0] = float(curve.at(np.zeros(1))[0]), 0.0
    others = [None if one is None else one[first:] for one in (curve.targets, curve.time_constant_seconds)]
    return Breakpoints(seconds, values, curve.kinds[first:], *others)


def mapped(curve: Breakpoints, forward: Callable[[FloatArray], FloatArray]) -> Breakpoints:
    """A signal through what only scales it: exact where that is a straight line."""
    targets = (
        curve.values
        if curve.targets is None
        else np.where(curve.kinds == Trajectory.DECAYING, curve.targets, curve.values)
    )
    taus = curve.time_constant_seconds
    return Breakpoints(
        curve.seconds,
        np.asarray(forward(curve.values), float),
        curve.kinds,
        np.asarray(forward(targets), float),
        np.full(curve.seconds.size, _NO_TAU) if taus is None else taus,
    )


def in_time(bench: Bench, made: LinkChain, notes: Steps, carried: Carried) -> InTime | None:
    """What stands at the input of a chain while notes are played; None where nothing in it remembers."""
    assert made.chain is not None
    transfers = made.chain.transfers
    first = next((k for k, one in enumerate(transfers) if isinstance(one, Remembering)), None)
    if first is None:
        return None
    different, places = np.unique(notes.volts, return_inverse=True)
    volts = np.asarray(made.chain.trace(different, made.true, NOMINAL)[first], float)[places]
    curve = held(Steps(notes.seconds, volts))
    through: list[Remembering] = []
    missing: list[Remembering] = []
    for transfer in transfers[first:-1]:
        if not isinstance(transfer, Remembering):
            curve = mapped(curve, lambda values, transfer=transfer: transfer.forward(values, made.true))  # type: ignore[misc]
            continue
        driver = _driver(bench, transfer, carried)
        if transfer.of.driven_by and driver is None:
            missing.append(transfer)
            continue
        through.append(transfer)
        curve = transfer.respond(curve, driver)
    return InTime(from_zero(curve), tuple(through), tuple(missing))


def _driver(bench: Bench, circuit: Remembering, carried: Carried) -> Breakpoints | None:
    """The signal that drives a circuit, where the converter that plays puts it out."""
    if circuit.rectifies:
        return held(Steps(np.zeros(1), np.zeros(1)))
    ref = driver_of(bench, circuit)
    signal = None if ref is None else carried(ref)
    return None if signal is None else held(signal.steps)


def not_arrived(
    bench: Bench,
    link: Link,
    sink: PortRef,
    made: LinkChain,
    notes: Steps,
    found: InTime,
    end: float | None,
    style: Style,
) -> Iterator[PlayFinding]:
    """What is not there yet when the next note comes, and circuits that nothing here drives.

    end : of the last note, None where it still sounds.
    """
    label = bench.label(sink)
    for circuit in found.missing:
        what = "other signal" if circuit.of.driven_by == "other" else circuit.of.driven_by
        yield PlayFinding(
            "arrives",
            f"{label} is drawn as if {circuit.label} passed the pitch: its {what} is not played here.",
            1,
            None,
        )
    slow = [one for one in found.through if one.kind == "glide" or one.holds]
    if not slow or any(one.lets_go for one in found.through):
        return
    assert made.chain is not None
    if end is None:
        notes, end = Steps(notes.seconds[:-1], notes.volts[:-1]), float(notes.seconds[-1])
    if not notes.seconds.size:
        return
    chain, ends = made.chain, np.append(notes.seconds[1:], end)
    goal = np.asarray(chain.trace(notes.volts, made.true, NOMINAL)[-1], float)

    def cents(seconds: FloatArray, wanted: FloatArray | float) -> FloatArray:
        with np.errstate(all="ignore"):
            stands = chain.transfers[-1].forward(found.curve.at(seconds), made.true)
        return np.asarray(_OCTAVE_CENTS * (stands - wanted), float)  # both in octaves

    off, allowed = cents(np.nextafter(ends, 0.0), goal), link.allowed_cents(notes.volts)
    late = np.isfinite(off) & (np.abs(off) > allowed)
    if not np.any(late):
        return
    worst = int(np.nanargmax(np.where(late, np.abs(off), -1.0)))
    inside = found.curve.seconds[(found.curve.seconds > notes.seconds[worst]) & (found.curve.seconds < ends[worst])]
    was_there = bool(np.any(np.abs(cents(np.nextafter(inside, 0.0), goal[worst])) <= allowed[worst]))
    if was_there:
        cure = "It was there, and has sunk since: a larger C1 holds longer."
    elif slow[0].holds and not _followed(found.curve, float(notes.seconds[worst]), float(ends[worst])):
        cure = f"Nothing clocks it while that note is there: {slow[0].label} still has the note before."
    else:
        cure = "A smaller C1 is faster, or play slower."
    yield PlayFinding(
        "late-pitch",
        f"{label}: {int(np.sum(late))} of {notes.volts.size} notes are not within their tolerance when the next comes, "
        f"through {slow[0].label}; the worst stands {style.cents(float(off[worst]), sign=True)} ct off at "
        f"{style.number(float(ends[worst]), 3)} s. {cure}",
        int(np.sum(late)),
        float(ends[worst]),
    )


def _followed(curve: Breakpoints, start: float, end: float) -> bool:
    """Whether a hold followed its input between two instants."""
    first = max(0, int(np.searchsorted(curve.seconds, start, side="right")) - 1)
    last = int(np.searchsorted(curve.seconds, end, side="left"))
    return bool(np.any(curve.kinds[first:last] == Trajectory.DECAYING))


def behind_stages(signal: Signal, stages: Sequence[GateStageRecord]) -> Signal:
    """A pulse signal behind circuits that make each rise so long, or keep it up for so long after it has fallen."""
    assert signal.level is not None
    stream = signal.pulses
    for stage in stages:
        if stage.seconds is None:
            continue
        if stage.circuit == STRETCHER:
            stream = pulses((rise, fall + stage.seconds) for rise, fall in stream.spans)
        else:
            stream = fired(stream.rises_seconds, stage.seconds)
    return replace(signal, steps=pulse_steps(stream, signal.level))
