"""What is played live: who is listened to, the song that grows of it, and where it goes at once."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Mapping

from dynamis.converter.midi_stream import (
    ALL_SOUND_OFF,
    CHANNELS,
    CONTROL_CHANGE,
    MidiMessage,
    MidiParser,
    note_off,
    note_on,
)
from dynamis.converter.playing.computer_keys import KeyChannels
from dynamis.converter.playing.live import LiveSong
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.song import Song
from dynamis.converter.playing.streaming import Sender
from dynamis.devices.live_out import LiveOut
from dynamis.devices.midi.inputs import MidiInput, open_input
from dynamis.devices.promptness import prompt_threads
from dynamis.errors import InputError

_VELOCITY = 96
# So much of it is played anew for each picture.
KEPT_SECONDS = 16.0


class Live:
    """address : of a MIDI input, None for the computer's keys.  setting : of the converter.  shown : how many changes
    the window has shown.

    out : makes where it goes besides the picture, None for nowhere.  Raises `DeviceError` where the input cannot be
    opened, and what `out` raises.
    """

    def __init__(
        self,
        address: str | None,
        setting: ConverterSetting,
        out: Callable[[Callable[[], float]], LiveOut] | None = None,
    ) -> None:
        self._since = time.monotonic()
        self.song, self.shown, self._setting = LiveSong(), 0, setting
        self._keys, self._coming = KeyChannels(), threading.Lock()
        self._parser = MidiParser()
        self._input: MidiInput | None = None
        self._out: LiveOut | None = None if out is None else out(self.now)
        self._prompt = contextlib.ExitStack()
        self._prompt.enter_context(prompt_threads())
        if address is not None:
            try:
                self._input = open_input(address, self._came)
            except BaseException:
                self.close()
                raise

    def now(self) -> float:
        """Seconds since it began."""
        return time.monotonic() - self._since

    def out_trouble(self) -> str:
        """Why it goes nowhere any more; the picture goes on."""
        trouble = "" if self._out is None else self._out.trouble
        if trouble:
            self.end_out()
        return trouble

    @property
    def goes_out(self) -> bool:
        return self._out is not None

    def _came(self, when: float, data: bytes) -> None:
        with self._coming:
            out = self._out
            for message in self._parser.feed(data):
                seconds = max(0.0, when - self._since)
                if out is not None:
                    out.take(seconds, message)
                self.song.add(seconds, message)

    def key(self, note: int, down: bool) -> None:
        """A key of the computer."""
        channel = self._keys.of(note, down, self._setting)
        self._came(time.monotonic(), note_on(channel, note, _VELOCITY) if down else note_off(channel, note))

    def recent(self, setting: ConverterSetting) -> Song:
        """What has come of late, and what all before has led to, for a converter of that setting."""
        now, rules = self.now(), None if setting.zone is not None else setting.rules
        return self.song.recent(now, now - KEPT_SECONDS, setting.channel, rules)

    def change(self, setting: ConverterSetting, senders: Mapping[str, Sender]) -> None:
        """Another setting of the converter: what goes out is at once what the picture shows.

        senders : what corrects the outputs that carry pitches, by their names.

        Raises `InputError` where a signal that goes out is none of it any more; it goes nowhere then.
        """
        self._setting = setting
        with self._coming:  # no message comes between what is played anew and what follows
            out = self._out
            try:
                if out is not None:
                    out.change(setting, self.recent(setting), senders)
                return
            except InputError as error:
                refused = error
        self.end_out()
        raise refused

    def trouble(self) -> str:
        """Why nothing comes any more; what was held is let go then."""
        now, out = self.now(), self._out
        if self.song.look(now):
            with self._coming:
                for channel in range(0 if out is None else CHANNELS):
                    out.take(now, MidiMessage(CONTROL_CHANGE | channel, bytes([ALL_SOUND_OFF, 0])))  # type: ignore[union-attr]
            return "Nothing has come for 300 ms from a sender that says so all the time: is the MIDI lead plugged in?"
        return "" if self._input is None else self._input.trouble

    def end_out(self) -> None:
        """Let it go nowhere any more, at rest."""
        out, self._out = self._out, None
        if out is not None:
            out.close()

    def close(self) -> None:
        """Stop listening, with nothing held."""
        if self._input is not None:
            self._input.close()
        self._prompt.close()
        self.end_out()
        self.song.silence(self.now())
