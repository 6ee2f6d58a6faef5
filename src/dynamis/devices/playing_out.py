"""A song out of devices that take one thing at a time: messages to a MIDI port, notes to the channels of a board."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Final, Protocol

import numpy as np

from dynamis.control.stepped import Steps
from dynamis.converter.midi_stream import silence
from dynamis.converter.playing.following import CLOCK, CLOCKS_A_QUARTER, START, STOP
from dynamis.converter.playing.song import Song
from dynamis.devices.interface import Board, DeviceError
from dynamis.devices.promptness import come_promptly, prompt_threads

# It is looked this often whether somebody wants it to stop.
_LOOK_SECONDS: Final = 0.02
Action = Callable[[], object]


class Sends(Protocol):
    """An open MIDI port, or who holds one."""

    def send(self, data: bytes) -> None: ...


class TimedOut:
    """Does things at their times, in a thread of its own.

    actions : (seconds from its beginning, what is done), rising.  rest : what leaves it at rest, done at the end, and
    when it is stopped.  failed : is told why it ended early.
    """

    def __init__(
        self,
        actions: Iterable[tuple[float, Action]],
        seconds: float,
        rest: Action,
        failed: Callable[[DeviceError], object],
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._actions, self._seconds, self._rest, self._failed = actions, seconds, rest, failed
        self._clock, self._since = clock, clock()
        self._stop = threading.Event()
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._run, name="playing out", daemon=True)
        self._thread.start()

    @property
    def played_seconds(self) -> float | None:
        """How far it is, None once it has ended."""
        return None if self._over.is_set() else min(self._clock() - self._since, self._seconds)

    def stop(self, wait_seconds: float) -> None:
        """End it, at rest; gives up waiting for a device that does not answer."""
        self._stop.set()
        if threading.current_thread() is not self._thread:
            self._thread.join(wait_seconds)

    def _run(self) -> None:
        come_promptly()
        try:
            with prompt_threads():
                for when, act in self._actions:
                    if not self._until(when):
                        break
                    act()
                else:
                    self._until(self._seconds)
        except DeviceError as error:
            self._failed(error)
        finally:
            with contextlib.suppress(DeviceError):  # where it is gone, so is what it held
                self._rest()
            self._over.set()

    def _until(self, when: float) -> bool:
        """Wait for an instant; False where somebody wants it to stop."""
        while (left := self._since + when - self._clock()) > 0.0:
            if self._stop.wait(min(left, _LOOK_SECONDS)):
                return False
        return not self._stop.is_set()


def midi_actions(song: Song, port: Sends, channel: int | None, *, clock: bool) -> list[tuple[float, Action]]:
    """The messages of a channel, or of all, to a port; where asked with start, 24 clocks a quarter note, and stop."""
    mine = np.ones(song.ticks.size, bool) if channel is None else song.channels == channel
    rows: list[tuple[float, int, bytes]] = []
    columns = (song.seconds[mine], song.statuses[mine], song.first_bytes[mine], song.second_bytes[mine])
    for when, status, first, second in zip(*(one.tolist() for one in columns), strict=True):
        behind = (first,) if status & 0xE0 == 0xC0 else (first, second)
        rows.append((when, 2, bytes([status, *behind])))
    if clock:
        count = int(np.ceil(song.end_tick / song.tempo.quarter_ticks * CLOCKS_A_QUARTER - 1e-9))
        beats = song.tempo.seconds_at(np.arange(count) * song.tempo.quarter_ticks / CLOCKS_A_QUARTER)
        rows += [(0.0, 0, bytes([START])), (song.end_seconds, 3, bytes([STOP]))]
        rows += [(when, 1, bytes([CLOCK])) for when in beats.tolist()]
    rows.sort(key=lambda row: row[:2])

    def sends(data: bytes) -> Action:
        return lambda: port.send(data)

    return [(when, sends(data)) for when, _, data in rows]


def midi_rest(song: Song, port: Sends, channel: int | None) -> Action:
    """Lets everything go on the channels that were used."""
    used = sorted({int(one) for one in song.channels}) if channel is None else [channel]

    def rest() -> None:
        for one in used:
            port.send(silence(one))

    return rest


def board_actions(board: Board, notes: Mapping[str, Steps]) -> list[tuple[float, Action]]:
    """notes : by a board's channel, the notes that it plays by the correction it holds, fractions too."""

    def plays(channel: str, note: float) -> Action:
        return lambda: board.play(channel, note)

    rows = [
        (when, plays(channel, note))
        for channel, steps in notes.items()
        for when, note in zip(steps.seconds.tolist(), steps.volts.tolist(), strict=True)
    ]
    return sorted(rows, key=lambda row: row[0])


def check_limit(volts: Sequence[float], limit_volts: float | None) -> None:
    """Refuse volts beyond a limit; `None` for none.  Raises `DeviceError`."""
    worst = max((abs(one) for one in volts), default=0.0)
    if limit_volts is not None and worst > limit_volts:
        raise DeviceError(
            "out of reach",
            f"The song goes to {worst:.4g} V where at most {limit_volts:.4g} V may leave: raise the limit, or choose "
            "another law.",
        )
