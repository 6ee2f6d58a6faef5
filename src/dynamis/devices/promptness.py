"""Threads that have to come to their turn at once.

Source: sched(7): a thread under SCHED_RR comes ahead of all that are shared out fairly, and gives its place up where it
waits; who may ask for it is said by RLIMIT_RTPRIO, and RLIMIT_RTTIME ends a process whose thread never waits.
"""

from __future__ import annotations

import contextlib
import os
import resource
from typing import Final

# Low among those that are prompt: the system's own come first.
_PRIORITY: Final = 5


def come_promptly() -> bool:
    """Ask that the thread that calls comes to its turn at once; whether it was allowed.

    Only for one that mostly waits.  Without it a message may wait some milliseconds while a picture is drawn.
    """
    limited = resource.getrlimit(resource.RLIMIT_RTTIME)[0] != resource.RLIM_INFINITY
    with contextlib.suppress(OSError):
        if not limited:
            os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(_PRIORITY))
            return True
    return False
