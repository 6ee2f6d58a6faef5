"""Time that counts only while this program runs, for whatever is waited for.

Where the computer was held up (too much to do, or another machine beside it on the same processor), no device has kept
anybody waiting: its answer may be there already, and nobody has looked.  So limits of waiting are counted by this
clock, and a device that answers is not called silent.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Final

_BEAT_SECONDS: Final = 0.05
# A beat that comes later than this was held up; what is beyond does not count.
_MOST_COUNTED_SECONDS: Final = 0.1


class RunningTime:
    """Seconds that only go forward, and stand while no thread of this program comes to its turn.

    clock : seconds that only go forward, whatever happens.  idle_seconds : where nobody has asked for so long, nobody
    counts until somebody does.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic, idle_seconds: float = 30.0) -> None:
        self._clock, self._idle_seconds = clock, idle_seconds
        self._lock = threading.Lock()
        self._counted, self._looked, self._asked = 0.0, clock(), clock()
        self._beats: threading.Thread | None = None

    def __call__(self) -> float:
        with self._lock:
            seconds = self._count()
            self._asked = self._looked
            if self._beats is None:
                self._beats = threading.Thread(target=self._beat, name="running time", daemon=True)
                self._beats.start()
        return seconds

    def _count(self) -> float:
        now = self._clock()
        self._counted += min(max(0.0, now - self._looked), _MOST_COUNTED_SECONDS)
        self._looked = now
        return self._counted

    def _beat(self) -> None:
        while True:
            time.sleep(_BEAT_SECONDS)
            with self._lock:
                self._count()
                if self._looked - self._asked > self._idle_seconds:
                    self._beats = None
                    return


running_seconds: Final = RunningTime()


def wait_until(comes: Callable[[float], bool], seconds: float) -> bool:
    """Whether something comes within seconds of running.

    comes : waits for it itself, for at most the seconds it is given, and says whether it came.
    """
    until = running_seconds() + seconds
    while True:
        left = until - running_seconds()
        if comes(max(0.0, min(left, _MOST_COUNTED_SECONDS))):
            return True
        if left <= 0.0:
            return False
