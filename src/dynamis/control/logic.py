"""Signals made of others: divided, multiplied, joined, sampled, drawn by chance, played as a row, ratcheted.

Each is a line: a name, what it is made of by their names, and its numbers.  A line may use what stands before it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final, Literal, TypeVar

import msgspec

from dynamis.control.envelopes import Acts, Rise, Risen, rise_of
from dynamis.control.pulses import Pulses, both, either, inverted
from dynamis.control.ratchets import checked, ratcheted
from dynamis.control.rates import divided, multiplied
from dynamis.control.sampling import by_chance, level_as_pulses, row_steps, sampled
from dynamis.control.sequencer import Listening, Step, steps_of
from dynamis.control.stepped import Level, Steps, pulse_steps
from dynamis.errors import InputError

MOST_LINES: Final = 24
MOST_STEPS: Final = 64
MOST_VOLTS: Final = 1000.0
_MOST_RATE: Final = 1024
_MOST_PULSES: Final = 2_000_000


class _Line(msgspec.Struct, frozen=True, forbid_unknown_fields=True, tag_field="makes"):
    """name : of the signal that it makes."""

    name: str


class _PulseLine(_Line, frozen=True):
    """low_volts, high_volts : of its output, while it is down and up."""

    low_volts: float = 0.0
    high_volts: float = 5.0


class Divided(_PulseLine, frozen=True, tag="divided", kw_only=True):
    """Every `by`-th pulse of `of`, `waits` first; half : up for half of its counts."""

    of: str
    by: int = 2
    waits: int = 0
    half: bool = False
    reset: str = ""


class Multiplied(_PulseLine, frozen=True, tag="multiplied", kw_only=True):
    """`times` pulses in the place of each of `of`."""

    of: str
    times: int = 2


class Joined(_PulseLine, frozen=True, tag="joined", kw_only=True):
    """Up while one of two is, or while both are."""

    of: str
    other: str
    how: Literal["or", "and"] = "or"


class Inverted(_PulseLine, frozen=True, tag="inverted", kw_only=True):
    """Up while `of` is not."""

    of: str


class Edges(_PulseLine, frozen=True, tag="edges", kw_only=True):
    """A level as an edge: up from `on_volts` until `off_volts`."""

    of: str
    on_volts: float = 2.0
    off_volts: float = 1.0


class Ratcheted(_PulseLine, frozen=True, tag="ratcheted", kw_only=True):
    """`control` chooses by `thresholds`, from ×1 on, how many pulses take the place of each of `of`."""

    of: str
    control: str
    thresholds: tuple[float, ...] = (0.5, 1.5, 2.5, 3.5)


class Sampled(_Line, frozen=True, tag="sampled", kw_only=True):
    """What `of` stands at as `clock` rises, held until it rises again."""

    of: str
    clock: str


class Chance(_Line, frozen=True, tag="chance", kw_only=True):
    """Another voltage at each pulse of `clock`; levels : how many different ones, 0 for any."""

    clock: str
    low_volts: float = 0.0
    high_volts: float = 5.0
    levels: int = 0
    seed: int = 1


class Row(_Line, frozen=True, tag="row", kw_only=True):
    """Steps of `volts`, a pulse of `clock` each, taken back by `reset` alone."""

    clock: str
    volts: tuple[float, ...] = (0.0, 1.0, 2.0, 3.0, 4.0, 3.0, 2.0, 1.0)
    reset: str = ""


class Envelope(_Line, frozen=True, tag="envelope", kw_only=True):
    """What `of` starts."""

    of: str
    attack_seconds: float = 0.002
    decay_seconds: float = 0.05
    acts: Acts = "edge"


LogicLine = Divided | Multiplied | Joined | Inverted | Edges | Ratcheted | Sampled | Chance | Row | Envelope
_NAMES: Final = ("of", "other", "control", "clock", "reset")
_LEVELS: Final = {(Edges, "of"), (Sampled, "of"), (Ratcheted, "control")}


def asks_for(line: LogicLine) -> dict[str, str]:
    """The signals that a line is made of, by the field that names them."""
    return {key: getattr(line, key) for key in _NAMES if getattr(line, key, "")}


def takes_levels(kind: type[Any], field: str) -> bool:
    """Whether a field may name any signal; else it names one that is up or down."""
    return (kind, field) in _LEVELS


def check_line(line: LogicLine) -> None:
    """Refuse numbers that nothing can be made with."""
    if line.name != " ".join(line.name.split()) or not line.name.isprintable() or not 1 <= len(line.name) <= 40:
        raise InputError("A signal needs a name of 1 to 40 characters, without spaces at its ends.")
    for key, least, most in (("by", 1, _MOST_RATE), ("times", 1, _MOST_RATE), ("levels", 0, 1000), ("seed", 0, 2**31)):
        value = getattr(line, key, None)
        if value is not None and not least <= value <= most:
            raise InputError(f"{line.name}: {key} {value}; {least} to {most} were expected.")
    volts = [getattr(line, key) for key in ("low_volts", "high_volts", "on_volts", "off_volts") if hasattr(line, key)]
    volts += [*getattr(line, "volts", ()), *getattr(line, "thresholds", ())]
    if not all(abs(one) <= MOST_VOLTS for one in volts):
        raise InputError(f"{line.name}: volts up to ± {MOST_VOLTS:g} V were expected.")
    if isinstance(line, _PulseLine) and line.low_volts == line.high_volts:
        raise InputError(f"{line.name}: down and up are both {line.low_volts:g} V, which nothing can tell apart.")
    if isinstance(line, Divided) and not 0 <= line.waits < line.by:
        raise InputError(f"{line.name}: it waits for {line.waits} pulses; 0 to {line.by - 1} were expected.")
    if isinstance(line, Chance) and line.levels == 1:
        raise InputError(f"{line.name}: one level is no chance; two or more, or 0 for any, were expected.")
    if isinstance(line, Edges) and line.off_volts > line.on_volts:
        raise InputError(f"{line.name}: on from {line.on_volts:g} V and off at {line.off_volts:g} V are crossed.")
    if isinstance(line, Row) and not 1 <= len(line.volts) <= MOST_STEPS:
        raise InputError(f"{line.name}: a row of {len(line.volts)} steps; 1 to {MOST_STEPS} were expected.")
    if isinstance(line, Ratcheted):
        checked(line.thresholds)
    if isinstance(line, Envelope):
        Rise(line.attack_seconds, line.decay_seconds, line.acts)


def check_lines(lines: tuple[LogicLine, ...]) -> None:
    """Refuse lines that no one could have made: too many, a name twice."""
    if len(lines) > MOST_LINES:
        raise InputError(f"{len(lines)} signals are made; at most {MOST_LINES} were expected.")
    for line in lines:
        check_line(line)
    twice = next((one.name for one in lines if [two.name for two in lines].count(one.name) > 1), None)
    if twice is not None:
        raise InputError(f"Two signals are called {twice!r}; each needs a name of its own.")


@dataclass(frozen=True, eq=False)
class Given:
    """Signals by their names; of those that are up or down the pulses as well.  counted : so many pulses were made by
    multiplying.  rows : the volts of rows, and their
    steps as they are played."""

    levels: dict[str, Steps]
    pulses: dict[str, Pulses]
    rows: dict[str, tuple[tuple[float, ...], list[Step]]]
    end_seconds: float
    counted: list[int] = field(default_factory=lambda: [0])

    def stream(self, name: str) -> Pulses:
        """Raises `InputError` for one that is not there, or is neither up nor down."""
        if name not in self.levels:
            raise InputError(f"there is no {name}")
        if name not in self.pulses:
            raise InputError(f"{name} is a level; make an edge of it first")
        return self.pulses[name]

    def level(self, name: str) -> Steps:
        if name not in self.levels:
            raise InputError(f"there is no {name}")
        return self.levels[name]


Made = Pulses | Steps | Risen
Kind = TypeVar("Kind", bound=_Line)


def _row(line: Row, given: Given) -> Steps:
    reset = given.stream(line.reset) if line.reset else None
    played = steps_of(given.stream(line.clock), len(line.volts), Listening(), reset)
    given.rows[line.name] = line.volts, played
    return row_steps(line.volts, played)


_MAKE: Final[Mapping[type[Any], Callable[[Any, Given], Made]]] = {
    Divided: lambda line, given: divided(
        given.stream(line.of),
        line.by,
        line.waits,
        given.stream(line.reset) if line.reset else None,
        "half" if line.half else "pulse",
    ),
    Multiplied: lambda line, given: multiplied(given.stream(line.of), line.times),
    Joined: lambda line, given: (either if line.how == "or" else both)(given.stream(line.of), given.stream(line.other)),
    Inverted: lambda line, given: inverted(given.stream(line.of)),
    Edges: lambda line, given: level_as_pulses(given.level(line.of), line.on_volts, line.off_volts),
    Ratcheted: lambda line, given: ratcheted(given.stream(line.of), given.level(line.control), line.thresholds),
    Sampled: lambda line, given: sampled(given.level(line.of), given.stream(line.clock)),
    Chance: lambda line, given: by_chance(
        given.stream(line.clock), Level(line.low_volts, line.high_volts), line.seed, line.levels
    ),
    Row: _row,
    Envelope: lambda line, given: rise_of(
        Rise(line.attack_seconds, line.decay_seconds, line.acts), given.stream(line.of), given.end_seconds
    ),
}


def _check_count(line: LogicLine, given: Given) -> None:
    """Refuse more pulses than anybody would look at."""
    if isinstance(line, Multiplied | Ratcheted):
        times = line.times if isinstance(line, Multiplied) else len(line.thresholds)
        count = given.stream(line.of).rises_seconds.size * times
        left = _MOST_PULSES - given.counted[0]
        if count > left:
            raise InputError(f"it would make up to {count} pulses; {left} more at most are made")
        given.counted[0] += count


def make(line: LogicLine, given: Given) -> Made:
    """What a line makes, which is given to those behind it; raises `InputError` saying what it waits for."""
    _check_count(line, given)
    made = _MAKE[type(line)](line, given)
    if isinstance(made, Pulses):
        assert isinstance(line, _PulseLine)
        given.pulses[line.name] = made
        given.levels[line.name] = pulse_steps(made, Level(line.low_volts, line.high_volts))
    elif isinstance(made, Steps):
        given.levels[line.name] = made
    return made


def in_words(line: LogicLine) -> str:
    """How it is made: `clock4 divided by 3`."""
    match line:
        case Divided():
            back = f", reset by {line.reset}" if line.reset else ""
            return f"{line.of} divided by {line.by}{back}"
        case Multiplied():
            return f"{line.of} times {line.times}"
        case Joined():
            return f"{line.of} {line.how} {line.other}"
        case Inverted():
            return f"not {line.of}"
        case Edges():
            return f"{line.of} as an edge, on from {line.on_volts:g} V, off at {line.off_volts:g} V"
        case Ratcheted():
            return f"{line.of} ratcheted by {line.control}, ×0 to ×{len(line.thresholds)}"
        case Sampled():
            return f"{line.of} sampled by {line.clock}"
        case Chance():
            return f"stepped random at {line.clock}, seed {line.seed}"
        case Row():
            back = f", reset by {line.reset}" if line.reset else ""
            return f"{len(line.volts)} steps at {line.clock}{back}"
        case Envelope():
            return f"an envelope that {line.of} starts"
