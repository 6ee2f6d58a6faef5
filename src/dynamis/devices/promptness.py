"""Threads that have to come to their turn at once, and an interpreter that lets them.

Source: sched(7): a thread under SCHED_RR comes ahead of all that are shared out fairly, and gives its place up where it
waits; who may ask for it is said by RLIMIT_RTPRIO, and RLIMIT_RTTIME ends a process whose thread never waits.
"""

from __future__ import annotations

import contextlib
import os
import resource
import sys
import threading
from collections.abc import Iterator
from typing import Final

# Low among those that are prompt: the system's own come first.
_PRIORITY: Final = 5
# So long another thread keeps the interpreter while somebody waits who has to be prompt; much less than usual.
_SWITCH_SECONDS: Final = 0.0001


def come_promptly() -> bool:
    """Ask that the thread that calls comes to its turn at once; whether it was allowed.

    Only for one that mostly waits.  Without it, it may wait some milliseconds while a picture is drawn.
    """
    limited = resource.getrlimit(resource.RLIMIT_RTTIME)[0] != resource.RLIM_INFINITY
    with contextlib.suppress(OSError):
        if not limited:
            os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(_PRIORITY))
            return True
    return False


class _Switching:
    """How long a thread keeps the interpreter, while some want it short."""

    def __init__(self) -> None:
        self._lock, self._users, self._usual = threading.Lock(), 0, 0.0

    def shorter(self, users: int) -> None:
        """users : one more, or one less."""
        with self._lock:
            if self._users == 0:
                self._usual = sys.getswitchinterval()
            self._users += users
            sys.setswitchinterval(_SWITCH_SECONDS if self._users else self._usual)


_SWITCHING: Final = _Switching()


@contextlib.contextmanager
def prompt_threads() -> Iterator[None]:
    """While this lasts, a thread that has to be prompt need not wait long for the interpreter."""
    _SWITCHING.shorter(1)
    try:
        yield
    finally:
        _SWITCHING.shorter(-1)
