"""What steps a sequencer: its clock, reset and run inputs, each acting on an edge or a level, in an order."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from dynamis.control.pulses import Pulses, inverted
from dynamis.errors import InputError

Acts = Literal["rise", "fall", "while-high", "while-low"]
ACTS: tuple[Acts, ...] = ("rise", "fall", "while-high", "while-low")


@dataclass(frozen=True)
class Listening:
    """How a sequencer takes its inputs.

    clock : the edge that steps it.  reset : an edge that takes it back once, or a level that holds it on its first
    step.  run : a level while which clocks count, or an edge that starts and stops it in turn.
    reset_with : it goes back at once, or with the next clock, which then is the first.
    first : which of a reset and a clock within `together_seconds` of each other it obeys first: after "reset" the
    clock moves it on to its second step; "reset-alone" swallows that clock; after "clock" it ends on its first.
    """

    clock: Literal["rise", "fall"] = "rise"
    reset: Acts = "rise"
    run: Acts = "while-high"
    reset_with: Literal["at-once", "next-clock"] = "at-once"
    first: Literal["reset", "reset-alone", "clock"] = "reset-alone"
    together_seconds: float = 0.001


@dataclass(frozen=True)
class Step:
    """From `seconds` on it stands on `step` (from 0), because of a clock or a reset."""

    seconds: float
    step: int
    why: Literal["clock", "reset"]


def _acting(stream: Pulses, acts: Acts) -> tuple[list[float], Pulses | None]:
    """The instants at which an input acts, and of one that acts on a level when it does."""
    if acts in ("while-low", "fall"):
        falls = [one for one in stream.falls_seconds.tolist() if math.isfinite(one)]
        return falls, inverted(stream, -math.inf) if acts == "while-low" else None
    return stream.rises_seconds.tolist(), stream if acts == "while-high" else None


def _up(stream: Pulses | None, seconds: float) -> bool:
    return stream is not None and bool(stream.up(seconds))


def steps_of(
    clock: Pulses,
    count: int,
    listening: Listening = Listening(),
    reset: Pulses | None = None,
    run: Pulses | None = None,
    starts_on: int = -1,
) -> list[Step]:
    """Where a row of `count` steps stands, change by change; a clock without a reset never resets anything.

    starts_on : the step it stands on before, -1 for one whose first clock sounds the first step.
    """
    if count < 1:
        raise InputError(f"A row of {count} steps has none to play; 1 or more are asked.")
    clocks, _ = _acting(clock, listening.clock)
    back, held = ([], None) if reset is None else _acting(reset, listening.reset)
    turns, runs = ([], None) if run is None else _acting(run, listening.run)
    together = listening.together_seconds
    # Edges that toggle a run come first, so that a clock at the same instant is counted or not as it then stands.
    events = [(at, 0, "run") for at in turns if runs is None] if run is not None else []
    events += [(at, 1, "reset") for at in back] + [(at, 2, "clock") for at in clocks]
    stands, going, waits = starts_on, run is None, False
    steps: list[Step] = []
    for at, _, what in sorted(_ordered(events, back, listening)):
        if what == "run":
            going = not going
        elif what == "reset":
            if listening.reset_with == "next-clock" and held is None:
                waits = True
            elif stands != 0:
                stands = 0
                steps.append(Step(at, 0, "reset"))
        elif going or _up(runs, at):
            beside = any(abs(at - one) <= together for one in back)
            if _up(held, at) or (beside and listening.first == "reset-alone" and not waits and stands == 0):
                continue
            stands = 0 if waits else (stands + 1) % count
            waits = False
            steps.append(Step(at, stands, "clock"))
    return steps


def _ordered(
    events: list[tuple[float, int, str]], back: list[float], listening: Listening
) -> list[tuple[float, int, str]]:
    """A reset and a clock that come together put into the order in which they are obeyed."""
    found = []
    for at, place, what in events:
        near = [one for one in back if what == "clock" and abs(at - one) <= listening.together_seconds]
        if near and listening.first == "clock":
            found.append((min(at, *near), 0, what))
        elif near:
            found.append((max(at, *near), place, what))
        else:
            found.append((at, place, what))
    return found
