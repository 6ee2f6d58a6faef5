"""MIDI messages out of a stream of bytes, and the bytes of the few that are sent from here.

Source: MIDI 1.0 Detailed Specification 4.2.1, Table I (status bytes), Table II and III (channel voice and mode
messages), "Running Status" and "System Real Time" in the section Data Format; from memory.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Final

NOTE_OFF, NOTE_ON, CONTROL_CHANGE = 0x80, 0x90, 0xB0
SYSEX, SYSEX_END, FIRST_REAL_TIME = 0xF0, 0xF7, 0xF8
ALL_SOUND_OFF, RESET_CONTROLLERS, ALL_NOTES_OFF = 120, 121, 123
CHANNELS: Final = 16
# Bytes behind a status: of channel messages by their upper half, of system common ones by themselves.
_CHANNEL_DATA: Final = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}
_COMMON_DATA: Final = {0xF1: 1, 0xF2: 2, 0xF3: 1, 0xF4: 0, 0xF5: 0, 0xF6: 0, SYSEX_END: 0}
# A system exclusive message that grows longer is given up.
MOST_SYSEX: Final = 65_536


@dataclass(frozen=True)
class MidiMessage:
    """status : 0x80 … 0xFF; of a channel message with the channel in it.  data : what stands behind, each below 128."""

    status: int
    data: bytes = b""

    @property
    def channel(self) -> int | None:
        """From 1 to 16; None of a system message."""
        return (self.status & 0x0F) + 1 if self.status < SYSEX else None

    @property
    def raw(self) -> bytes:
        """Its bytes, whole."""
        return bytes([self.status]) + self.data + (bytes([SYSEX_END]) if self.status == SYSEX else b"")

    @property
    def kind(self) -> int:
        """The status without a channel."""
        return self.status & 0xF0 if self.status < SYSEX else self.status

    @property
    def sounds(self) -> bool:
        """Whether a note begins: a note-on that is not as soft as 0, which ends one."""
        return self.kind == NOTE_ON and self.data[1] > 0

    @property
    def ends(self) -> bool:
        """Whether a note ends."""
        return self.kind == NOTE_OFF or (self.kind == NOTE_ON and self.data[1] == 0)


class MidiParser:
    """Takes bytes as they come, and gives the messages that are whole.

    Running status holds until a system common or exclusive status; real-time bytes may stand anywhere, between the
    bytes of another message too, and change nothing.  Data without a status, and what another status cuts off, are
    dropped and counted.
    """

    def __init__(self) -> None:
        self.dropped = 0
        self._status: int | None = None
        self._data = bytearray()
        self._running = False

    def feed(self, data: bytes) -> Iterator[MidiMessage]:
        """The messages that these bytes complete, in their order."""
        for byte in data:
            if byte >= FIRST_REAL_TIME:
                yield MidiMessage(byte)
            elif byte >= 0x80:
                yield from self._begin(byte)
            else:
                yield from self._go_on(byte)

    def _begin(self, status: int) -> Iterator[MidiMessage]:
        before, data = self._status, bytes(self._data)
        self._data.clear()
        if before == SYSEX and status == SYSEX_END:
            self._status = None
            yield MidiMessage(SYSEX, data)
            return
        self.dropped += len(data)
        self._status, self._running = status, status < SYSEX
        if status != SYSEX and self._wanted == 0:
            self._status = None
            if status != SYSEX_END:
                yield MidiMessage(status)

    @property
    def _wanted(self) -> int:
        assert self._status is not None
        return _CHANNEL_DATA[self._status & 0xF0] if self._status < SYSEX else _COMMON_DATA[self._status]

    def _go_on(self, byte: int) -> Iterator[MidiMessage]:
        if self._status is None:
            self.dropped += 1
            return
        self._data.append(byte)
        if self._status == SYSEX:
            if len(self._data) > MOST_SYSEX:
                self.dropped += len(self._data)
                self._status = None
                self._data.clear()
            return
        if len(self._data) == self._wanted:
            message = MidiMessage(self._status, bytes(self._data))
            self._data.clear()
            if not self._running:
                self._status = None
            yield message


def note_on(channel: int, note: int, velocity: int = 100) -> bytes:
    """channel : 1 … 16.  note, velocity : 0 … 127."""
    return bytes([NOTE_ON | (channel - 1), note, velocity])


def note_off(channel: int, note: int) -> bytes:
    return bytes([NOTE_OFF | (channel - 1), note, 64])


def silence(channel: int) -> bytes:
    """All that is held on a channel let go: all sound off, controllers reset, all notes off."""
    status = CONTROL_CHANGE | (channel - 1)
    return bytes([status, ALL_SOUND_OFF, 0, status, RESET_CONTROLLERS, 0, status, ALL_NOTES_OFF, 0])
