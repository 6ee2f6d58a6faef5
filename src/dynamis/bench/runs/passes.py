"""What is left to read of a run's plan, where each of its notes is read once or more, up and down in turn."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from dynamis.bench.document.records import RunRecord


def left_of(run: RunRecord, read: Iterable[float]) -> list[float]:
    """Notes that are still to be read, in their order; read : notes of the valid readings."""
    times = Counter(read)
    left: list[float] = []
    for k in range(run.passes):
        order = run.plan if k % 2 == 0 else tuple(reversed(run.plan))
        left += [note for note in order if times[note] <= k]
    return left
