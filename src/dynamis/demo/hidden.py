"""What is really so on the Lantern House's bench: the hidden true values behind the stand-ins.

All invented.  Units 02 and 03 and their channels A and B differ, as specimens do.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Final

import numpy as np

from dynamis.bench.chains.port_transfers import make_head
from dynamis.bench.document.records import HeadRecord
from dynamis.converter.dac import Dac
from dynamis.converter.firmware import BoardCorrection, board_correction
from dynamis.devices.standins.interface import HiddenOutput, SimulatedInterface
from dynamis.devices.standins.world import HiddenChannel, HiddenUnit, Loads, SimulatedWorld
from dynamis.pitch.laws import ExponentialLaw, parse_law
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.law import Oscillator
from dynamis.transfer.parameter import World

BOARD_LAW: Final = "voct:scale=1,note=36,volts=0.2"
BOARD_DAC: Final = Dac(12, 0.0, 4.096, gain=1.35, floor_volts=0.006, ceiling_volts=5.51)
# The jack that the Gallery voice may be plugged into, from 0.
INTERFACE_JACK: Final = 2
# A full-scale sine of +18 dBu has this peak: √2 · 0.7746 V · 10^(18/20).
INTERFACE_VOLTS: Final = math.sqrt(2.0) * math.sqrt(0.6) * 10.0**0.9
DESIGN_NAME: Final = "workshop-board"
# By unit and channel: reference, offset in volts, the step at the top carry in LSB, seed of the ripple, ppm/K.
_TRUE: Final = {
    ("02", "A"): (-0.0027, -0.0006, 0.4, 2, 25.0),
    ("02", "B"): (-0.0031, 0.0012, 0.9, 12, 25.0),
    ("03", "A"): (-0.0043, 0.0017, 1.5, 3, -35.0),
    ("03", "B"): (-0.0039, -0.0009, 0.8, 13, -35.0),
}


def hidden_channel(unit: str, letter: str) -> HiddenChannel:
    """The true values of one channel: a ripple of linearity, and a step where the top bit changes."""
    reference, offset, carry_lsb, seed, drift = _TRUE[unit, letter]
    codes = np.arange(BOARD_DAC.codes)
    knots = np.arange(0, BOARD_DAC.codes + 256, 256)
    ripple = np.interp(codes, knots, np.random.default_rng(seed).normal(0, 0.25, knots.size))
    inl = ripple + carry_lsb * (codes >= BOARD_DAC.codes // 2)
    return HiddenChannel(reference, offset, tuple(inl.tolist()), drift, 1000.0, 15e-6)


def lantern_world(seed: int, clock: Callable[[], float], warm_minutes: float = 60.0) -> SimulatedWorld:
    """Units 02 and 03 into the Gallery voice's two inputs of 100 kΩ, nothing plugged yet."""
    units = {
        serial: HiddenUnit(serial, {letter: hidden_channel(serial, letter) for letter in "AB"})
        for serial in ("02", "03")
    }
    voice = Oscillator("gallery", ExponentialLaw(1.0, 36.0, 0.2), scale_limit=0.001, offset_limit_volts=0.002)
    heard = World({"gallery.scale": 0.4, "gallery.offset": -0.3})
    loads = {"A": Loads({"pitch 1": 99.4e3, "pitch 2": 100.7e3}, voice, heard)}
    return SimulatedWorld(BOARD_DAC, units, loads, unit="03", seed=seed, clock=clock, warm_minutes=warm_minutes)


def lantern_interface() -> SimulatedInterface:
    """The Prompt-desk laptop's interface: eight outputs, each with a gain and an offset of its own, which are its
    channels 9 to 16."""
    chance = np.random.default_rng(31)
    gains, offsets = 1.0 + chance.normal(0.0, 0.006, 8), chance.normal(0.0, 0.003, 8)
    outputs = [HiddenOutput(float(gain), float(offset)) for gain, offset in zip(gains, offsets, strict=True)]
    return SimulatedInterface(outputs, INTERFACE_VOLTS, first_channel=8)


def shipped() -> BoardCorrection:
    """What a Workshop board comes with: its design values."""
    head = make_head("shipped", HeadRecord(), parse_law(BOARD_LAW), BOARD_DAC, EqualTemperament())
    return board_correction(head)
