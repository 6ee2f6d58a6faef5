"""What is played live, straight out: volts by the computer's outputs, notes by a board, messages by a MIDI port."""

from __future__ import annotations

import contextlib
import math
import queue
import threading
from collections.abc import Callable, Iterable, Mapping
from types import MappingProxyType
from typing import Final, Protocol

import numpy as np

from dynamis.control.stepped import FloatArray
from dynamis.converter.midi_stream import MidiMessage, silence
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.song import Song
from dynamis.converter.playing.streaming import LiveConverter, Sender
from dynamis.devices.interface import Board, DeviceError
from dynamis.devices.playing_out import Sends
from dynamis.devices.promptness import come_promptly
from dynamis.devices.sound.outflow import BLOCK_SECONDS, Outflow
from dynamis.errors import InputError

# Outputs play what came so long ago: a block, and what a busy machine is late by.
LAG_SECONDS: Final = BLOCK_SECONDS + 0.005
_MOST_WAITING: Final = 4096
Senders = Mapping[str, Sender]
# So long a window may wait for a device to come to rest.
_CLOSE_SECONDS: Final = 0.3


class LiveOut(Protocol):
    """Where live messages go besides the picture."""

    def take(self, seconds: float, message: MidiMessage) -> None:
        """A message, with when it came; never waits."""
        ...

    def change(self, setting: ConverterSetting, before: Song, senders: Senders) -> None:
        """Another setting, as if it had been there from the first message on.

        Raises `InputError` where a signal that goes out is none of it; all goes on as it was then.
        """
        ...

    @property
    def trouble(self) -> str:
        """Why nothing goes out any more, empty while it does."""
        ...

    def close(self) -> None:
        """At rest; never raises."""
        ...


class _Volts:
    """What one channel follows: changes as they were told, a little later."""

    most_volts = 0.0  # what goes beyond the limit is held at it, sample by sample

    def __init__(self, live: OutputsLive, start: float) -> None:
        self._live, self._rows = live, [(-np.inf, start)]

    def add(self, when: float, volts: float) -> None:
        self._rows.append((max(when, self._rows[-1][0]), volts))  # one that was on its way long comes late

    def at(self, seconds: FloatArray) -> FloatArray:
        with self._live.lock:
            then = self._live.then(seconds)
            when, volts = (np.array([row[k] for row in self._rows]) for k in (0, 1))
            places = np.searchsorted(when, then, side="right") - 1
            del self._rows[: int(places[-1])]  # what is over
        return np.asarray(volts[places])


def _check(made: LiveConverter, names: Iterable[str]) -> None:
    """Raise `InputError` where a signal is none of a converter."""
    missing = next((name for name in names if name not in made.names), None)
    if missing is not None:
        raise InputError(f"The converter has no {missing} any more: begin anew to choose what goes out.")


class OutputsLive:
    """channels : from 0, by the names of signals.  now : seconds as messages are stamped with.  senders : by the names
    of pitches, what corrects the outputs that carry them.

    Raises `DeviceError` where the outputs are not to be used yet.
    """

    def __init__(
        self,
        outputs: Outflow,
        setting: ConverterSetting,
        channels: Mapping[str, int],
        now: Callable[[], float],
        senders: Senders = MappingProxyType({}),
    ) -> None:
        self._outputs, self._now = outputs, now
        self.lock = threading.RLock()
        self._behind: float | None = None
        self._converter = LiveConverter(setting, self._tell, None, senders)
        self._parts = {name: _Volts(self, self._converter.stands(name)) for name in channels}
        outputs.play({channel: self._parts[name] for name, channel in channels.items()})

    def _tell(self, name: str, when: float, volts: float) -> None:
        if name in self._parts:
            self._parts[name].add(when, volts)

    def change(self, setting: ConverterSetting, before: Song, senders: Senders) -> None:
        made = LiveConverter(setting, self._tell, before, senders)
        _check(made, self._parts)
        with self.lock:
            self._converter = made
            now = self._now()
            made.settle(now)
            for name, part in self._parts.items():
                part.add(now, made.stands(name))

    def then(self, seconds: FloatArray) -> FloatArray:
        """The instants of messages that instants of the outputs play; told so far."""
        with self.lock:
            wanted = self._now() - LAG_SECONDS - float(seconds[-1])
            if self._behind is None or abs(wanted - self._behind) > LAG_SECONDS:  # the two clocks drift apart
                self._behind = wanted
            then = seconds + self._behind
            self._converter.settle(float(then[-1]) + BLOCK_SECONDS)
            return then

    def take(self, seconds: float, message: MidiMessage) -> None:
        with self.lock:
            self._converter.take(seconds, message.status, *message.data[:2])

    @property
    def trouble(self) -> str:
        return self._outputs.trouble

    def close(self) -> None:
        self._outputs.stop()


class _Queue:
    """Does things one after the other in a thread of its own.

    rest : what leaves the device at rest, done at the end, and where it does not answer.  trouble : why it does not;
    what comes after that is dropped.
    """

    def __init__(self, rest: Callable[[], object]) -> None:
        self.trouble, self._rest = "", rest
        self._waiting: queue.Queue[Callable[[], object] | None] = queue.Queue(_MOST_WAITING)
        self._thread = threading.Thread(target=self._run, name="live out", daemon=True)
        self._thread.start()

    def put(self, act: Callable[[], object] | None) -> None:
        with contextlib.suppress(queue.Full):  # a device that takes nothing is told by its own error
            self._waiting.put_nowait(act)

    def close(self) -> None:
        """Do what waits, then rest; a device that is slow to answer is not waited for."""
        self.put(None)
        self._thread.join(_CLOSE_SECONDS)

    def _run(self) -> None:
        come_promptly()
        try:
            while (act := self._waiting.get()) is not None:
                act()
        except DeviceError as error:
            self.trouble = str(error)
        finally:
            with contextlib.suppress(DeviceError):  # where it is gone, so is what it held
                self._rest()


class BoardLive:
    """channels : a board's channel by the names of pitches; it plays their notes by the correction it holds, the latest
    where it takes longer than they come.  limit_volts : a note beyond it is not played; None for no limit."""

    def __init__(
        self, board: Board, setting: ConverterSetting, channels: Mapping[str, str], limit_volts: float | None = None
    ) -> None:
        self._board, self._channels = board, channels
        self._limit = math.inf if limit_volts is None else limit_volts
        self._converter = LiveConverter(setting, self._tell)
        self._wanted: dict[str, float] = {}
        self._queue = _Queue(board.make_safe)

    def change(self, setting: ConverterSetting, before: Song, senders: Senders) -> None:
        made = LiveConverter(setting, self._tell, before)  # the board corrects for itself
        _check(made, self._channels)
        self._converter = made
        for name in self._channels:
            self._tell(name, 0.0, made.stands(name))

    def _tell(self, name: str, when: float, volts: float) -> None:
        if name not in self._channels or abs(volts) > self._limit:
            return
        note = self._converter.note_at(name)
        if note is not None:
            channel = self._channels[name]
            self._wanted[channel] = note
            self._queue.put(lambda: self._play(channel))

    def _play(self, channel: str) -> None:
        note = self._wanted.pop(channel, None)
        if note is not None:  # else a later one was played already
            self._board.play(channel, note)

    def take(self, seconds: float, message: MidiMessage) -> None:
        self._converter.take(seconds, message.status, *message.data[:2])

    @property
    def trouble(self) -> str:
        return self._queue.trouble

    def close(self) -> None:
        self._queue.close()


class MidiLive:
    """Every message goes on to a port as it comes."""

    def __init__(self, port: Sends) -> None:
        self._port, self._queue = port, _Queue(self._silence)
        self._used: set[int] = set()

    def change(self, setting: ConverterSetting, before: Song, senders: Senders) -> None:
        """Messages are what they are."""

    def take(self, seconds: float, message: MidiMessage) -> None:
        if message.channel is not None:
            self._used.add(message.channel)
        self._queue.put(lambda: self._port.send(message.raw))

    def _silence(self) -> None:
        for channel in sorted(self._used):
            self._port.send(silence(channel))

    @property
    def trouble(self) -> str:
        return self._queue.trouble

    def close(self) -> None:
        self._queue.close()
