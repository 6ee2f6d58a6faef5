"""What plays, what reads and what holds a correction are to the rest of the program, and how their trouble is named.

The real drivers and the simulated devices stand behind these; nobody else knows which is which.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, Protocol

from dynamis.converter.firmware import BoardCorrection
from dynamis.errors import InputError

Measurand = Literal["volts", "hertz", "cents"]
Trouble = Literal[
    "address",
    "absent",
    "permission",
    "busy",
    "unplugged",
    "silent",
    "garbage",
    "overload",
    "no number",
    "wrong function",
    "wrong range",
    "device error",
    "other device",
    "restarted",
    "damaged line",
    "refused",
    "wrong unit",
    "torn",
    "wrong hash",
    "unsettled",
    "cut off",
    "out of reach",
    "clipped",
    "no sound",
    "no tone",
    "wrong rate",
]


class DeviceError(InputError):
    """A device did not do what was asked; the sentence says what, and what to do about it.

    trouble : which kind of trouble it is.
    """

    def __init__(self, trouble: Trouble, sentence: str) -> None:
        super().__init__(sentence)
        self.trouble = trouble


@dataclass(frozen=True)
class Shown:
    """One value as a meter showed it.

    value : in the unit of what was prepared.  range_volts : full scale of the range it stood on, None where it has none
    (hertz) or cannot tell.  deviation : its own standard uncertainty, in the same unit; 0 where it tells none.
    """

    value: float
    range_volts: float | None = None
    deviation: float = 0.0


class Meter(Protocol):
    """What reads: a voltmeter, a counter, a microphone's socket, somebody who types.

    Every method raises `DeviceError`.
    """

    @property
    def identity(self) -> str:
        """Who answers, in its own words."""
        ...

    @property
    def tells_steady(self) -> bool:
        """Whether one reading says by itself that nothing moved meanwhile; else two in a row have to agree."""
        ...

    def prepare(self, quantity: Measurand, full_scale_volts: float | None) -> None:
        """Set what is measured, and hold this range."""
        ...

    def read(self) -> Shown:
        """One fresh reading, on the function and range that were prepared or not at all."""
        ...

    def recover(self) -> None:
        """After trouble: connect anew, make sure that the same meter answers, and prepare it again."""
        ...

    def close(self) -> None:
        """Let the meter go; never raises."""
        ...


class Player(Protocol):
    """What plays the notes of a run: a board, a voltage source, a converter at a MIDI port, somebody's hand.

    Every method but `close` raises `DeviceError`.
    """

    @property
    def identity(self) -> str:
        """Who plays, in its own words."""
        ...

    def play(self, note: float) -> int | None:
        """Let a note sound, or its volts stand; gives the code where there is one that is known."""
        ...

    def make_safe(self) -> None:
        """What it drives at rest, at once."""
        ...

    def recover(self) -> None:
        """After trouble and before the first note: connect anew, and make sure that the right one answers."""
        ...

    def close(self) -> None:
        """At rest, and let go; never raises."""
        ...


@dataclass(frozen=True)
class BoardIdentity:
    """Who a board says it is.  channels : a letter for each, at most 26.  boots : how often it has started."""

    design: str
    unit: str
    channels: str
    bits: int
    boots: int


class Board(Protocol):
    """A DAC board that plays notes by the correction it holds.

    Every method but `close` raises `DeviceError`; all may be called from any thread.
    """

    @property
    def identity(self) -> BoardIdentity: ...

    def set_code(self, channel: str, code: int) -> int:
        """Put a channel at a code; gives the code it stands at."""
        ...

    def play(self, channel: str, note: float) -> int:
        """Put a channel at a note by the correction it holds; gives the code."""
        ...

    def make_safe(self) -> None:
        """Every output to its safe value, at once: whatever else is being asked of the board is cut off, and raises
        `DeviceError` (cut off) where it was asked."""
        ...

    def held(self, channel: str) -> BoardCorrection:
        """The whole correction that a channel holds, read back."""
        ...

    def held_hash(self, channel: str) -> str:
        """The hash of what a channel holds, worked out by the board."""
        ...

    def send(self, channel: str, correction: BoardCorrection, progress: Callable[[float], None]) -> None:
        """Load a correction, whole or not at all, and verify it by its hash; progress runs from 0 to 1."""
        ...

    def keep_alive(self) -> None:
        """Say that somebody is there, so that the outputs stay."""
        ...

    def recover(self) -> None:
        """After trouble: connect anew where that is needed, and make sure that the same unit answers."""
        ...

    def close(self) -> None:
        """Outputs to their safe value, and let the board go; never raises."""
        ...
