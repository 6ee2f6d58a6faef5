"""Time limits that also hold on a machine that is held up by others."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

from dynamis.errors import InputError

Made = TypeVar("Made")


@contextmanager
def at_once(seconds: float) -> Iterator[None]:
    """What is done takes no more than so much of the processor's time; waiting for the processor does not count."""
    begun = time.process_time()
    yield
    assert time.process_time() - begun < seconds


def once_within(seconds: float, attempt: Callable[[], float], tries: int = 4) -> None:
    """What takes real time keeps to it in one of some tries; a held-up machine spoils one, what is slow all."""
    took = []
    while not took or (min(took) >= seconds and len(took) < tries):
        took.append(attempt())
    assert 0.0 < min(took) < seconds


def at_last(make: Callable[[], Made], tries: int = 5) -> Made:
    """What is made by wires with little patience; a held-up machine spoils a try or two."""
    for _ in range(tries - 1):
        try:
            return make()
        except InputError:
            time.sleep(1.0)
    return make()


def until(ask: Callable[[], object], seconds: float = 60.0) -> None:
    """Wait, without the window, until something is so."""
    by = time.monotonic() + seconds
    while not ask():
        assert time.monotonic() < by, "it did not come within the time"
        time.sleep(0.01)
