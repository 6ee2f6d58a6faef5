"""What every transfer kind must hold; a kind enters by a line in `SPECIMENS`."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from dynamis.converter.dac import Dac
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.circuits.built import BuiltCircuit
from dynamis.electrics.circuits.circuit import Circuit, Fitted, Reference
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.exponential.choose import choose
from dynamis.electrics.exponential.converter import ExponentialConverter
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.net import Net, Terminal
from dynamis.electrics.signals.shaping import SwitchedJack
from dynamis.electrics.stage import Stage
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.transfer.chain import Transfer
from dynamis.transfer.law import Oscillator, PitchSource, WantedPitch
from dynamis.transfer.parameter import World

DAC = Dac(12, 0.0, 4.096, gain=1.35, floor_volts=0.006, ceiling_volts=5.45)
NODE = Net(
    "node",
    (
        Terminal("out", "board", 1000.0, True, 0.01),
        Terminal("in1", "voice 1", 100e3, False, 0.01),
        Terminal("in2", "voice 2", 47e3, False, 0.05),
        Terminal("other", "other board", 1000.0, True),
    ),
)

PAIR = Circuit(
    TOPOLOGIES["inverting-pair"],
    (
        ("R1", Fitted((61.9e3,))),
        ("R2", Fitted((24.3e3,))),
        ("R4", Fitted((95.3e3,), trimmer_ohms=10e3)),
        ("R5", Fitted((100e3,))),
        ("R3", Fitted((732e3,))),
    ),
    Supply(-12, 12, 0.05),
    OP_AMPS["jfet"],
    Reference("vn", -12.0),
    1e3,
    None,
    0.01,
    50e-6,
)
DIVIDER = Circuit(
    TOPOLOGIES["resistors"],
    (("R1", Fitted((10e3, 470.0))), ("R2", Fitted((22e3, 47e3), "parallel")), ("R3", Fitted((33e3,)))),
    Supply(-12, 12, 0.05),
)
LOGGED = choose(LawRequirement(0.25, 8.0, 0.2, 5.2, "logarithmic"))
PAIRED = choose(LawRequirement(0.0, 5.0, 0.25, 8.0))


@dataclass(frozen=True)
class Specimen:
    """A transfer with inputs that it takes, and worlds it must bear."""

    transfer: Transfer
    inputs: np.ndarray
    worlds: tuple[World, ...] = field(default_factory=lambda: (World(),))


def _moved(*sources: str) -> tuple[World, ...]:
    return (World(), World(dict.fromkeys(sources, 0.7), celsius=35.0))


SPECIMENS = {
    "constants": Specimen(
        ConstantsHead("h", ExponentialLaw(1, 36, 0.2), DAC, 0.0011, 0.9963), np.arange(36.0, 97.0, 7)
    ),
    "constants in hertz": Specimen(
        ConstantsHead("h", LinearLaw(36, 0.5), DAC, 0.2, 1.01, "hertz"), np.arange(36.0, 76.0, 7)
    ),
    "table": Specimen(
        TableHead("t", ConstantsHead("h", ExponentialLaw(1, 36, 0.2), DAC), 36, (-3, 5, 40, -16)), np.arange(36.0, 40.0)
    ),
    "dac": Specimen(
        DacTransfer("d", DAC, "jack", 0.005, 0.003, 2.0, 50.0),
        np.array([148.0, 1630.0, 3852.0]),
        _moved("d.reference", "d.offset", "d.inl", "d.reference/drift"),
    ),
    "dac downwards": Specimen(
        DacTransfer("d", Dac(12, 0, 4.096, -2.5, 5.12), reference_limit=0.01),
        np.array([0.0, 2048.0, 4095.0]),
        _moved("d.reference"),
    ),
    "dac with inl": Specimen(DacTransfer("d", Dac(4, 0, 16, inl_lsb=(0.0, 0.2, -0.3, 0.1) * 4)), np.arange(16.0)),
    "node": Specimen(
        NODE.transfer("out", "in1"),
        np.linspace(-5, 5, 5),
        (*_moved("out.ohms", "in2.ohms"), World(plugged=frozenset({"in1"})), World(driven={"other": 2.0})),
    ),
    "oscillator": Specimen(
        Oscillator("o", ExponentialLaw(1, 36, 0.2), scale_limit=0.01, offset_limit_volts=0.01, scale_per_kelvin=1e-4),
        np.linspace(0, 5, 6),
        _moved("o.scale", "o.offset"),
    ),
    "linear oscillator": Specimen(
        Oscillator("o", LinearLaw(36, 0.5, 0.02), scale_limit=0.01), np.linspace(0.5, 8, 6), _moved("o.scale")
    ),
    "pitch source": Specimen(
        PitchSource("k", ExponentialLaw(1.2, 48, 1), scale_limit=0.01, offset_limit_volts=0.01, high_volts=5.0),
        np.arange(36.0, 84.0, 7),
        _moved("k.scale", "k.offset"),
    ),
    "linear pitch source": Specimen(
        PitchSource("k", LinearLaw(36, 0.5, 0.02), scale_limit=0.01), np.arange(36.0, 84.0, 7), _moved("k.scale")
    ),
    "stage": Specimen(
        Stage("s", 0.37, 1.676, 0.01, 0.002, 1e6, 100.0, -10.5, 10.5),
        np.linspace(-5, 5, 7),
        _moved("s.gain", "s.offset"),
    ),
    "stage that turns": Specimen(Stage("s", -2.0, low_volts=-4.0, high_volts=4.0), np.linspace(-5, 5, 7)),
    "circuit": Specimen(
        BuiltCircuit("c", PAIR, source=Terminal("o", "the board", 1e3, True, 0.01).parameter),
        np.linspace(-5, 5, 7),
        _moved("c.R1", "c.R2/drift", "c.vn", "c.U2", "o.ohms"),
    ),
    "trimmed circuit": Specimen(
        BuiltCircuit("c", PAIR, (("RV4", 0.61),), True), np.linspace(-5, 5, 7), _moved("c.RV4", "c.R1/drift")
    ),
    "resistors": Specimen(BuiltCircuit("c", DIVIDER), np.linspace(-5, 5, 7), _moved("c.R1a", "c.R3", "c.vp")),
    "exponential converter": Specimen(
        PAIRED, np.linspace(-0.5, 5, 7), _moved("between.R1", "between.VR2", "between.U3", "between.R5/drift")
    ),
    "logarithmic converter": Specimen(
        LOGGED, np.geomspace(0.25, 8, 7), _moved("between.R8", "between.VR2", "between.U2", "between.R5/drift")
    ),
    "trimmed converter": Specimen(
        ExponentialConverter("e", PAIRED.parts, PAIRED.travel, True, 1e3),
        np.linspace(0, 5, 7),
        _moved("e.bulk", "e.RV4"),
    ),
    "switched jack": Specimen(
        SwitchedJack("j", "p", 5.0, 100e3, 0.7, 22e3, 1e3),
        np.linspace(-5, 5, 7),
        (World(), World(plugged=frozenset({"p"}))),
    ),
    "biased node": Specimen(
        Net("n", (Terminal("out", "o", 1000.0, True), Terminal("in", "i", 100e3, False, 0.01, 1.62))).transfer(
            "out", "in"
        ),
        np.linspace(-5, 5, 5),
        _moved("in.ohms"),
    ),
    "wish": Specimen(WantedPitch(), np.arange(36.0, 97.0, 12)),
}
