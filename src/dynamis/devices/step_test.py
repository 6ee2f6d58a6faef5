"""A step out of an output, read again and again by a meter: whether it holds a voltage."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from typing import Final

from dynamis.calibration.learning.coupling import Step
from dynamis.devices.interface import DeviceError, Meter
from dynamis.devices.sound.outflow import BLOCK_SECONDS, Outflow
from dynamis.errors import InputError

_MOST: Final = 200
# A reading whose instant is so many times less sure than the surest one's was held up; so many have to be left.
_HELD_UP: Final = 3.0
_FEWEST: Final = 3


def stepped(
    outputs: Outflow,
    channel: int,
    volts: float,
    meter: Meter,
    seconds: float,
    *,
    full_scale_volts: float = 10.0,
    clock: Callable[[], float] = time.monotonic,
    sleep: Callable[[float], None] = time.sleep,
    stop: Callable[[], bool] = lambda: False,
) -> list[Step]:
    """Let a channel, from 0, step from 0 V, and read it for some seconds; it goes back to 0 V, whatever happens.

    Where the computer was held up, what flowed out and the clock disagree, or a reading took long: what was read then
    is left out, since nobody can say when it was.  Raises `DeviceError`, and InputError, since no device is to blame,
    where too little is left.
    """
    meter.prepare("volts", full_scale_volts)
    meter.read()  # so that the first reading after the step does not wait for the range
    outputs.set_volts(channel, volts)
    began, poured = clock(), outputs.poured_seconds

    def instants() -> tuple[float, float]:
        return clock() - began, outputs.poured_seconds - poured

    steps: list[Step] = []
    try:
        while clock() - began < seconds and len(steps) < _MOST and not stop():
            before = instants()
            shown = meter.read()
            after = instants()
            first, last = min(before), max(after)
            # A quick meter reads evenly all the time.
            sleep(max(0.0, began + seconds * (len(steps) + 1) / _MOST - clock()))
            unsure = max(last - first, BLOCK_SECONDS) / math.sqrt(12.0)
            steps.append(Step((first + last) / 2.0, shown.value, shown.deviation, unsure))
    finally:
        outputs.set_volts(channel, 0.0)
    if not steps:
        raise DeviceError("silent", "The meter gave no reading after the step.")
    # What was read while the step was still on its way says nothing of the fall.
    steps = steps[max(range(len(steps)), key=lambda k: abs(steps[k].volts)) :]
    least = min(one.seconds_deviation for one in steps)
    kept = [one for one in steps if one.seconds_deviation <= _HELD_UP * least]
    if len(kept) < min(len(steps), _FEWEST):
        raise InputError(
            f"The computer was held up while the step was read: of {len(steps)} readings only {len(kept)} can be given "
            "their instant. Let other programs rest, then try again.",
        )
    return kept
