"""What is played live: who is listened to, and the song that grows of it."""

from __future__ import annotations

import time

from dynamis.converter.midi_stream import MidiParser, note_off, note_on
from dynamis.converter.playing.live import LiveSong
from dynamis.devices.midi.inputs import MidiInput, open_input

_VELOCITY = 96


class Live:
    """address : of a MIDI input, None for the computer's keys.  shown : how many changes the window has shown.

    Raises `DeviceError` where the input cannot be opened.
    """

    def __init__(self, address: str | None) -> None:
        self._since = time.monotonic()
        self.song, self.shown = LiveSong(), 0
        self._parser = MidiParser()
        self._input: MidiInput | None = None
        if address is not None:
            self._input = open_input(address, self._came)

    def now(self) -> float:
        """Seconds since it began."""
        return time.monotonic() - self._since

    def _came(self, when: float, data: bytes) -> None:
        for message in self._parser.feed(data):
            self.song.add(when - self._since, message)

    def key(self, note: int, down: bool) -> None:
        """A key of the computer."""
        self._came(time.monotonic(), note_on(1, note, _VELOCITY) if down else note_off(1, note))

    def trouble(self) -> str:
        """Why nothing comes any more; what was held is let go then."""
        if self.song.look(self.now()):
            return "Nothing has come for 300 ms from a sender that says so all the time: is the MIDI lead plugged in?"
        return "" if self._input is None else self._input.trouble

    def close(self) -> None:
        """Stop listening, with nothing held."""
        if self._input is not None:
            self._input.close()
        self.song.silence(self.now())
