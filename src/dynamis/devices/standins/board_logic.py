"""The board's side of the line protocol; the same as `firmware/board.c`, answer for answer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Final

from dynamis.converter.firmware import MOST_BASE, MOST_PITCH, MOST_SLOPE, MOST_SWING, BoardCorrection, pitch_steps
from dynamis.converter.heads import MOST_SIXTEENTHS
from dynamis.devices.lines import (
    ENTRIES_A_LINE,
    ERRORS,
    MOST_CHARACTERS,
    PROTOCOL,
    SILENCE_SECONDS,
    frame,
    unframe,
    whole,
)

_TAG_DIGITS: Final = "0123456789abcdef"


@dataclass(frozen=True)
class BoardDesign:
    """What is fixed in a board: names without spaces, a letter for each channel, and what it ships with."""

    design: str
    unit: str
    channels: str
    bits: int
    shipped: BoardCorrection
    safe_code: int = 0


class PowerLostError(Exception):
    """The board lost its power in the middle of storing."""


class _RefusedError(Exception):
    def __init__(self, number: int) -> None:
        super().__init__(ERRORS[number])
        self.number = number


@dataclass
class BoardLogic:
    """A board between its serial port and its converter.

    codes : by channel, what each output stands at.  held : by channel, the correction in force; it and
    `boots` live through a loss of power.  tear_next : lose power in the middle of the next KEEP.
    """

    design: BoardDesign
    held: dict[str, BoardCorrection] = field(default_factory=dict)
    boots: int = 0
    tear_next: bool = False
    on_code: Callable[[str, int], None] = lambda channel, code: None

    def __post_init__(self) -> None:
        for channel in self.design.channels:
            self.held.setdefault(channel, self.design.shipped)
        self.codes: dict[str, int] = {}
        self._line = bytearray()
        self._too_long = False
        self._greeted = False
        self._quiet_since = 0.0
        self._loading: tuple[str, BoardCorrection, int] | None = None
        self._entries: list[int] = []
        self._all_safe()

    # -- power and time ----------------------------------------------------------------------------

    def power_up_volts(self, seconds: float = 0.0) -> bytes:
        """Start, or start again; gives the greeting."""
        self.boots += 1
        self._line.clear()
        self._too_long = self._greeted = False
        self._loading = None
        self._quiet_since = seconds
        self._all_safe()
        return frame("--", "READY", PROTOCOL, self.boots)

    @property
    def greeted(self) -> bool:
        """Whether somebody has said HELLO and is not silent since."""
        return self._greeted

    def tick(self, seconds: float) -> None:
        """Let time pass; silence takes the outputs to their safe value."""
        if self._greeted and seconds - self._quiet_since >= SILENCE_SECONDS:
            self._greeted = False
            self._all_safe()

    def receive(self, data: bytes, seconds: float = 0.0) -> bytes:
        """Take bytes as they come in; gives the replies."""
        answers = bytearray()
        for byte in data:
            if byte == 13:
                continue
            if byte == 10:
                line, too_long = bytes(self._line), self._too_long
                self._line.clear()
                self._too_long = False
                if too_long:
                    answers += frame("--", "ERR", 2, ERRORS[2])
                elif line:
                    answers += self._line_taken(line, seconds)
            elif len(self._line) >= MOST_CHARACTERS:
                self._too_long = True
            else:
                self._line.append(byte)
        return bytes(answers)

    def _all_safe(self) -> None:
        for channel in self.design.channels:
            self._put_out(channel, self.design.safe_code)

    def _put_out(self, channel: str, code: int) -> None:
        self.codes[channel] = code
        self.on_code(channel, code)

    def play_note(self, channel: str, note: float) -> int:
        """Put a channel at a note by the correction it holds; gives the code."""
        return self._put_pitch(channel, int(pitch_steps(note)))

    def _put_pitch(self, channel: str, pitch: int) -> int:
        code = int(self.held[channel].codes(pitch, self.design.bits))
        self._put_out(channel, code)
        return code

    # -- requests ----------------------------------------------------------------------------------

    def _line_taken(self, line: bytes, seconds: float) -> bytes:
        fields = unframe(line)
        if fields is None:
            return frame("--", "ERR", 1, ERRORS[1])
        tag = fields[0]
        if len(tag) != 2 or any(digit not in _TAG_DIGITS for digit in tag) or len(fields) < 2:
            return frame("--", "ERR", 3, ERRORS[3])
        try:
            values = self._obey(fields[1], fields[2:], seconds)
        except _RefusedError as refusal:
            return frame(tag, "ERR", refusal.number, ERRORS[refusal.number])
        except PowerLostError:
            return self.power_up_volts(seconds)
        return frame(tag, "OK", *values)

    def _obey(self, verb: str, values: list[str], seconds: float) -> tuple[object, ...]:
        work = _VERBS.get(verb)
        if work is None:
            raise _RefusedError(3)
        # Whatever is said readably keeps the outputs alive, also what is then refused.
        self._quiet_since = seconds
        if not self._greeted and verb not in ("HELLO", "PING", "SAFE"):
            raise _RefusedError(6)
        fewest, most, method = work
        if not fewest <= len(values) <= most:
            raise _RefusedError(4)
        return method(self, values)

    def _hello(self, values: list[str]) -> tuple[object, ...]:
        self._greeted = True
        design = self.design
        return PROTOCOL, design.design, design.unit, design.channels, design.bits, self.boots

    def _ping(self, values: list[str]) -> tuple[object, ...]:
        return ()

    def _safe(self, values: list[str]) -> tuple[object, ...]:
        self._all_safe()
        return ()

    def _code(self, values: list[str]) -> tuple[object, ...]:
        channel = self._channel(values[0])
        code = _number(values[1], 0, self._most_code)
        self._put_out(channel, code)
        return (code,)

    def _note(self, values: list[str]) -> tuple[object, ...]:
        channel = self._channel(values[0])
        pitch = _number(values[1], 0, MOST_PITCH)
        return (self._put_pitch(channel, pitch),)

    def _look(self, values: list[str]) -> tuple[object, ...]:
        channel = self.held[self._channel(values[0])]
        return channel.law, channel.base, channel.scale, channel.first_note, len(channel.sixteenths), channel.hash

    def _rows(self, values: list[str]) -> tuple[object, ...]:
        entries = self.held[self._channel(values[0])].sixteenths
        first = _number(values[1], 0, len(entries) - 1)
        return entries[first : first + ENTRIES_A_LINE]

    def _load(self, values: list[str]) -> tuple[object, ...]:
        channel = self._channel(values[0])
        if values[1] not in ("E", "L"):
            raise _RefusedError(4)
        most = (MOST_SLOPE if values[1] == "E" else MOST_SWING) - 1
        base = _number(values[2], 1 - MOST_BASE, MOST_BASE - 1)
        scale = _number(values[3], -most, most)
        first = _number(values[4], 0, 127)
        count = _number(values[5], 0, 128 - first)
        if count == 0 and first != 0:
            raise _RefusedError(4)
        self._loading = channel, BoardCorrection("E" if values[1] == "E" else "L", base, scale), count
        self._first, self._entries = first, []
        return ()

    def _put(self, values: list[str]) -> tuple[object, ...]:
        index = _number(values[0], 0, 127)
        entries = [_number(text, -MOST_SIXTEENTHS, MOST_SIXTEENTHS) for text in values[1:]]
        if self._loading is None:
            raise _RefusedError(7)
        if index != len(self._entries) or index + len(entries) > self._loading[2]:
            raise _RefusedError(8)
        self._entries += entries
        return (len(self._entries),)

    def _keep(self, values: list[str]) -> tuple[object, ...]:
        if self._loading is None:
            raise _RefusedError(7)
        channel, constants, count = self._loading
        if len(self._entries) != count:
            raise _RefusedError(8)
        self._loading = None
        stored = replace(constants, first_note=self._first, sixteenths=tuple(self._entries))
        if stored.hash != values[0]:
            raise _RefusedError(9)
        if self.tear_next:
            self.tear_next = False
            raise PowerLostError
        self.held[channel] = stored
        return (stored.hash,)

    def _drop(self, values: list[str]) -> tuple[object, ...]:
        self._loading = None
        return ()

    @property
    def _most_code(self) -> int:
        return int(2**self.design.bits) - 1

    def _channel(self, text: str) -> str:
        if len(text) != 1 or text not in self.design.channels:
            raise _RefusedError(5)
        return text


def _number(text: str, low: int, high: int) -> int:
    number = whole(text, low, high)
    if number is None:
        raise _RefusedError(4)
    return number


_VERBS: Final[dict[str, tuple[int, int, Callable[[BoardLogic, list[str]], tuple[object, ...]]]]] = {
    "HELLO": (0, 0, BoardLogic._hello),
    "PING": (0, 0, BoardLogic._ping),
    "SAFE": (0, 0, BoardLogic._safe),
    "CODE": (2, 2, BoardLogic._code),
    "NOTE": (2, 2, BoardLogic._note),
    "LOOK": (1, 1, BoardLogic._look),
    "ROWS": (2, 2, BoardLogic._rows),
    "LOAD": (6, 6, BoardLogic._load),
    "PUT": (2, 1 + ENTRIES_A_LINE, BoardLogic._put),
    "KEEP": (1, 1, BoardLogic._keep),
    "DROP": (0, 0, BoardLogic._drop),
}
