"""Dividers and multipliers of a clock."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from dynamis.control.pulses import Pulses, pulses
from dynamis.errors import InputError


def divided(
    clock: Pulses, by: int, offset: int = 0, reset: Pulses | None = None, width: Literal["pulse", "half"] = "pulse"
) -> Pulses:
    """Every `by`-th pulse, the first after a reset (and the first of all) among them where `offset` is 0.

    offset : how many pulses it waits first.  width : as long as the pulse that it lets through, or up for the first
    half of its counts, rounded up.  A reset counts at its rise; a clock at that very instant is the first after it.
    """
    if by < 1 or not 0 <= offset < by:
        raise InputError(
            f"A divider by {by} that waits {offset} pulses divides nothing; 1 or more, and less, are asked."
        )
    resets = np.zeros(0) if reset is None else reset.rises_seconds
    spans: list[tuple[float, float]] = []
    count, seen, up_since = -offset, 0, None
    for rise, fall in clock.spans:
        while seen < resets.size and resets[seen] <= rise:
            if up_since is not None:
                spans.append((up_since, float(resets[seen])))
                up_since = None
            count, seen = -offset, seen + 1
        place = count % by
        count += 1
        if width == "pulse" or by == 1:
            spans += [(rise, fall)] if place == 0 and count > 0 else []
        elif place == 0 and count > 0:
            up_since = rise
        elif up_since is not None and place >= (by + 1) // 2:
            spans.append((up_since, rise))
            up_since = None
    if up_since is not None:
        spans.append((up_since, float(resets[seen]) if seen < resets.size else float("inf")))
    return pulses(spans)


def multiplied(clock: Pulses, times: int | Sequence[int]) -> Pulses:
    """`times` pulses in the place of each, as far apart as the pulse before it tells.

    times : of all, or of each (N,); none where it is 0.  The first pulse has none before it and passes alone: a
    multiplier cannot know sooner.  Where a period turns out shorter than the last, the pulses still to come are
    dropped; where longer, it waits.  Each is up for half its share of the period, or as long as the clock's own pulse
    where that is shorter.
    """
    rises, falls = clock.rises_seconds.tolist(), clock.falls_seconds.tolist()
    if isinstance(times, int) and times < 1:
        raise InputError(f"A multiplier by {times} makes no pulses; 1 or more are asked.")
    each = [times] * len(rises) if isinstance(times, int) else times
    spans: list[tuple[float, float]] = []
    for k, (rise, count) in enumerate(zip(rises, each, strict=True)):
        until = rises[k + 1] if k + 1 < len(rises) else float("inf")
        if k == 0 or count < 2:
            spans += [(rise, falls[k])] if count else []
            continue
        share = (rise - rises[k - 1]) / count
        wide = min(falls[k] - rise, share / 2.0)
        spans += [(at, min(at + wide, until)) for at in (rise + n * share for n in range(count)) if at < until]
    return pulses(spans)
