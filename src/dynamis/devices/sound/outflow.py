"""Voltages out of DC-coupled outputs: levels that are held, poured out as a WAV that never ends.

Nothing leaves before somebody has said that no speaker hangs there; every sample stays within a limit in volts,
whatever is asked for; and a level is reached by a ramp, since a jump is a click.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from dynamis.converter.playing.generators import Voltage
from dynamis.devices.interface import DeviceError
from dynamis.devices.running_time import running_seconds
from dynamis.devices.sound.endless import endless_header
from dynamis.notation.style import plain

FloatArray = NDArray[np.float64]
USUAL_RATE: Final = 48_000
MOST_CHANNELS: Final = 64
BLOCK_SECONDS: Final = 0.01
RAMP_SECONDS: Final = 0.005
# A sender with a clock of its own is never further ahead of it than this.
_AHEAD_SECONDS: Final = 0.03
_REACHED_SECONDS: Final = 2.0
_CLOSED: Final = "The computer's outputs were let go: connect them again."


@dataclass(frozen=True)
class Line:
    """Who takes what flows.  write : is given whole blocks, and raises `OSError` where nobody takes them.  trouble :
    why nobody does, empty where somebody does.  paced : whether this side keeps the time, since the other takes
    whatever comes."""

    write: Callable[[bytes], object]
    close: Callable[[], None]
    trouble: Callable[[], str] = lambda: ""
    paced: bool = True


class Outflow:
    """Some channels, each held at a value; full scale is 1.

    identity : whom it flows to.  connect : opens the line, and raises `DeviceError`.  full_scale_volts : of each
    channel, what a value of 1 puts out.  limit_volts : nothing beyond leaves.  offset_volts : of each channel, what
    silence puts out; taken off again.
    """

    def __init__(
        self,
        identity: str,
        connect: Callable[[], Line],
        full_scale_volts: Sequence[float],
        limit_volts: float,
        *,
        offset_volts: Sequence[float] | None = None,
        rate: int = USUAL_RATE,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.identity, self.rate = identity, rate
        self._connect, self._clock = connect, clock
        self._scale = np.array(full_scale_volts, float)
        self._offset = np.zeros(self._scale.size) if offset_volts is None else np.array(offset_volts, float)
        self._limit = abs(limit_volts)
        self._lock = threading.Lock()
        self._confirmed = False
        self._begin()

    def _begin(self) -> None:
        """Open the line, every channel at 0."""
        self._now, self._wanted = np.zeros(self._scale.size), np.zeros(self._scale.size)
        self._parts: dict[int, Voltage] = {}
        self._at, self._length, self._gone, self._let_go = 0.0, 0.0, "", False
        self.poured_seconds = 0.0  # how much has flowed, by whose clock ever it does
        self._line = self._connect()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._pour, args=(self._line, self._stop), name="outputs", daemon=True)
        self._thread.start()

    def recover(self) -> None:
        """After trouble: open the line anew where it is gone.  What was confirmed of its outputs still holds for
        whoever goes on.  Raises `DeviceError`."""
        if not self.trouble:
            return
        self._end()
        self._begin()

    @property
    def trouble(self) -> str:
        """Why nobody takes anything any more, empty where somebody does."""
        return self._line.trouble() or self._gone or (_CLOSED if self._let_go else "")

    @property
    def channels(self) -> int:
        return int(self._scale.size)

    def full_scale_volts(self, channel: int) -> float:
        """What a sample of 1 puts out of a channel, from 0, nominally."""
        return float(self._scale[channel])

    def offset_volts(self, channel: int) -> float:
        """What silence puts out of a channel, from 0."""
        return float(self._offset[channel])

    def reach_volts(self, channel: int) -> float:
        """How far a channel, from 0, can go either way."""
        return min(self._limit, float(self._scale[channel] - abs(self._offset[channel])))

    @property
    def limit_volts(self) -> float:
        return self._limit

    def confirm(self, no_speakers: bool) -> None:
        """Whether somebody has looked that no speaker and no headphones hang on the outputs; without it all are at
        0."""
        with self._lock:
            self._confirmed = no_speakers
        if not no_speakers:
            self.make_safe()

    def set_volts(self, channel: int, volts: float) -> None:
        """Hold a channel, from 0, at nominal volts, and wait until it stands there.  Raises `DeviceError`."""
        self._check(channel, volts)
        with self._lock:
            self._check_confirmed()
            self._parts.pop(channel, None)
            self._wanted[channel] = (volts - self._offset[channel]) / self._scale[channel]
        self._reach()

    def play(self, parts: Mapping[int, Voltage], seconds: float | None = None) -> None:
        """Let channels, from 0, follow voltages from their beginning; the others stay.

        seconds : after which they go to 0; None: until `stop`.  Raises `DeviceError` where one goes beyond what may
        leave.
        """
        for channel, part in parts.items():
            self._check(channel, part.most_volts)
        with self._lock:
            self._check_confirmed()
            self._parts, self._at = dict(parts), 0.0
            self._length = float("inf") if seconds is None else seconds

    def stop(self) -> None:
        """What follows voltages goes to 0."""
        with self._lock:
            for channel in self._parts:
                self._wanted[channel] = 0.0
            self._parts = {}

    @property
    def played_seconds(self) -> float | None:
        """How far the voltages are that are followed; None while none is."""
        return self._at if self._parts else None

    def _check(self, channel: int, volts: float) -> None:
        """Refuse a channel that is not there, and volts that may not leave it."""
        if not 0 <= channel < self.channels:
            raise DeviceError(
                "address", f"{self.identity} has {self.channels} channels; channel {channel + 1} was asked for."
            )
        bound = self.reach_volts(channel)
        if abs(volts) > bound:
            raise DeviceError(
                "out of reach",
                f"{plain(round(volts, 4))} V were asked for; channel {channel + 1} gives at most "
                f"{plain(round(bound, 4))} V.",
            )

    def _check_confirmed(self) -> None:
        if not self._confirmed:
            raise DeviceError(
                "refused",
                "The outputs stay at 0 V until you say that no speaker and no headphones hang on them: they carry DC, "
                "and are far louder than music.",
            )

    def _reach(self) -> None:
        until = running_seconds() + _REACHED_SECONDS
        while not np.array_equal(self._now, self._wanted):
            self.alive()
            if running_seconds() > until:
                raise DeviceError("silent", f"{self.identity} takes nothing: is it still running?")
            self._stop.wait(BLOCK_SECONDS / 2.0)

    def make_safe(self) -> None:
        """Every channel to 0, at once, by a short ramp.  Raises `DeviceError` where nobody takes it any more."""
        with self._lock:
            self._parts = {}
            self._wanted[:] = 0.0
        self.alive()
        self._reach()

    def alive(self) -> None:
        """Raises `DeviceError` where nobody takes anything any more."""
        trouble = self.trouble
        if trouble:
            raise DeviceError("unplugged", trouble)

    def close(self) -> None:
        """At rest, and let go; never raises."""
        with contextlib.suppress(DeviceError):  # where it is gone, so is what it held
            self.make_safe()
        self._end()

    def _end(self) -> None:
        self._let_go = True
        self._stop.set()
        self._thread.join(2.0)
        self._line.close()

    # -- pouring -------------------------------------------------------------------------------------

    def block(self) -> bytes:
        """The next block: each channel on its way to where it is wanted, within the limit."""
        count = round(BLOCK_SECONDS * self.rate)
        with self._lock:
            if self._parts and self._at >= self._length:  # the last block has been played
                self._wanted[list(self._parts)] = 0.0
                self._parts = {}
            parts, at, length = dict(self._parts), self._at, self._length
            self._at += count / self.rate
            wanted = self._wanted.copy()
        share = np.minimum(1.0, (np.arange(count) + 1.0) / (RAMP_SECONDS * self.rate))
        frames = self._now + (wanted - self._now) * share[:, None]
        instants = np.minimum(at + np.arange(count) / self.rate, length)
        for channel, part in parts.items():
            follows = (part.at(instants) - self._offset[channel]) / self._scale[channel]
            # It begins by a ramp too, from where the channel stands.
            frames[:, channel] = follows if at > 0.0 else self._now[channel] + (follows - self._now[channel]) * share
            wanted[channel] = frames[-1, channel]
        with self._lock:  # what was meanwhile wanted otherwise stays so
            followed = [channel for channel in parts if channel in self._parts]
            self._wanted[followed] = wanted[followed]
        low = np.maximum(-1.0, (-self._limit - self._offset) / self._scale)
        high = np.minimum(1.0, (self._limit - self._offset) / self._scale)
        self._now = wanted
        return np.clip(frames, low, high).astype("<f4").tobytes()

    def _pour(self, line: Line, stop: threading.Event) -> None:
        since, sent = self._clock(), 0.0
        self.poured_seconds = 0.0
        try:
            line.write(endless_header(self.channels, self.rate))
            while not stop.is_set():
                if line.paced:
                    wait = since + sent - _AHEAD_SECONDS - self._clock()
                    if wait > 0:
                        stop.wait(wait)
                line.write(self.block())
                sent += BLOCK_SECONDS
                self.poured_seconds = sent
        except (OSError, ValueError) as error:
            if not stop.is_set():
                reason = getattr(error, "strerror", None) or error
                self._gone = f"{self.identity} is gone ({reason}): start it again, then go on."
