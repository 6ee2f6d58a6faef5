"""What transfers and chains give, kept; see `tests/keeping.py`."""

from __future__ import annotations

import numpy as np
from tests.keeping import attempt, hold
from tests.transfer.contract import SPECIMENS

from dynamis.converter.dac import Dac
from dynamis.converter.heads import ConstantsHead
from dynamis.converter.transfers import DacTransfer
from dynamis.pitch import ExponentialLaw
from dynamis.transfer.breakpoints import Breakpoints, Trajectory
from dynamis.transfer.chain import Chain
from dynamis.transfer.distinct import among, distinct
from dynamis.transfer.law import Oscillator, WantedPitch
from dynamis.transfer.parameter import NOMINAL, Parameter, World


def test_every_transfer_gives_what_it_gave():
    made = {}
    for name, one in SPECIMENS.items():
        transfer, wide = one.transfer, np.concatenate([one.inputs, [one.inputs.min() - 3.0, one.inputs.max() + 3.0]])
        made[name] = [
            [
                attempt(lambda w=world, t=transfer, x=wide: t.forward(x, w)),
                attempt(lambda w=world, t=transfer, x=wide: t.exact(x, w)),
                attempt(lambda w=world, t=transfer, x=one.inputs: t.backward(t.forward(x, w) * 1.01, w)),
                transfer.limits(world),
            ]
            for world in one.worlds
        ] + [transfer.parameters(), str(transfer.input), str(transfer.output)]
    hold("transfer_specimens", made)


def test_chains_worlds_and_breakpoints_give_what_they_gave():
    law, dac = ExponentialLaw(1, 36, 0.2), Dac(12, 0, 4.096, 1.35)
    chain = Chain(
        (
            ConstantsHead("h", law, dac, 0.001, 0.997),
            DacTransfer("d", dac, "jack", 0.005, 0.003, 0.5, 50.0),
            SPECIMENS["stage"].transfer,
            Oscillator("o", law, scale_limit=0.01, offset_limit_volts=0.01, scale_per_kelvin=1e-4),
        ),
        WantedPitch(),
    )
    notes = np.arange(36.0, 97.0, 6)
    worlds = (NOMINAL, World({"d.reference": 0.7, "o.scale": -1.0}, celsius=40.0))
    told = [
        [chain.trace(notes, world), chain.error_cents(notes, world), chain.budget(notes, world)] for world in worlds
    ]
    parameters = [
        Parameter("p", "P", "V", 2.0, 0.01, relative, spread, "p", 20.0, per_kelvin, limit)
        for relative in (True, False)
        for spread in ("normal", "uniform")
        for per_kelvin, limit in ((0.0, 0.0), (1e-3, 1e-4))
    ]
    moving = (NOMINAL, World({"p": 1.0}), World({"p/drift": -1.0, "p": 0.5}, celsius=35.0))
    moved = [[one.value(world) for world in moving] + [one.standard_fraction, one.drift_source] for one in parameters]
    lines = [
        Breakpoints(
            np.array([0.0, 1.0, 2.0, 3.0]),
            np.array([0.0, 1.0, -1.0, 2.0]),
            np.full(4, kind, np.int8),
            np.array([1.0, 0.5, 0.0, 3.0]),
            np.array([0.1, 0.2, 0.3, 0.4]),
        ).at(np.array([-1.0, 0.0, 0.5, 1.0, 1.7, 2.5, 3.0, 9.0]))
        for kind in (Trajectory.HELD, Trajectory.RAMPED, Trajectory.DECAYING)
    ]
    bad = [
        attempt(lambda t=times: Breakpoints(np.array(t), np.zeros(len(t)), np.zeros(len(t), np.int8)))
        for times in ([], [0.0, 0.0], [1.0, 0.0], [0.0, 1.0])
    ]
    twice = DacTransfer("d", dac, "jack", 0.005)
    bad += [
        attempt(
            lambda: Chain(
                (chain.transfers[0], chain.transfers[1], chain.transfers[2], chain.transfers[1]), WantedPitch()
            )
        )
    ]
    bad += [attempt(lambda: Chain((chain.transfers[0], twice, SPECIMENS["oscillator"].transfer), WantedPitch()))]
    few = [distinct([3.0, 1.0, np.nan, 3.0, np.nan, -0.0, 0.0]), among([1.0, 2.0, 3.0], [2.0, 5.0])]
    hold("transfer_chains", [told, moved, lines, bad, few])
