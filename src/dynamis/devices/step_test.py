"""A step out of an output, read again and again by a meter: whether it holds a voltage."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from typing import Final

from dynamis.calibration.learning.coupling import Step
from dynamis.devices.interface import DeviceError, Meter
from dynamis.devices.sound.outflow import BLOCK_SECONDS, Outflow

_MOST: Final = 200


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

    Raises `DeviceError`.
    """
    meter.prepare("volts", full_scale_volts)
    meter.read()  # so that the first reading after the step does not wait for the range
    outputs.set_volts(channel, volts)
    began = clock()
    steps: list[Step] = []
    try:
        while clock() - began < seconds and len(steps) < _MOST and not stop():
            before = clock()
            shown = meter.read()
            after = clock()
            sleep(
                max(0.0, began + seconds * (len(steps) + 1) / _MOST - after)
            )  # a quick meter reads evenly all the time
            unsure = max(after - before, BLOCK_SECONDS) / math.sqrt(12.0)
            steps.append(Step((before + after) / 2.0 - began, shown.value, shown.deviation, unsure))
    finally:
        outputs.set_volts(channel, 0.0)
    if not steps:
        raise DeviceError("silent", "The meter gave no reading after the step.")
    # What was read while the step was still on its way says nothing of the fall.
    return steps[max(range(len(steps)), key=lambda k: abs(steps[k].volts)) :]
