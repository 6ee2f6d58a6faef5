"""The contract suite: every transfer kind, every world it must bear."""

from __future__ import annotations

import numpy as np
import pytest
from contract import SPECIMENS

from dynamis.transfer.parameter import World
from dynamis.transfer.quantity import Reason

CASES = [
    pytest.param(one.transfer, one.inputs, world, id=f"{name}-{k}")
    for name, one in SPECIMENS.items()
    for k, world in enumerate(one.worlds)
]


@pytest.mark.parametrize(("transfer", "inputs", "world"), CASES)
def test_shapes_are_kept_and_nan_stays_nan(transfer, inputs, world):
    assert transfer.forward(inputs, world).shape == inputs.shape
    assert transfer.exact(inputs, world).shape == inputs.shape
    assert transfer.forward(np.array([]), world).shape == (0,)
    holes = np.append(inputs, np.nan)
    assert np.isnan(transfer.forward(holes, world)).tolist() == [False] * inputs.size + [True]
    assert np.isnan(transfer.backward(np.append(transfer.forward(inputs, world), np.nan), world).x[-1])


@pytest.mark.parametrize(("transfer", "inputs", "world"), CASES)
def test_a_sampled_world_equals_a_loop_of_single_ones(transfer, inputs, world):
    sources = [parameter.source for parameter in transfer.parameters()]
    draws = np.random.default_rng(5).uniform(-1, 1, (4, len(sources)))
    sampled = world.with_deviations({name: draws[:, [k]] for k, name in enumerate(sources)})
    together = np.broadcast_to(transfer.forward(inputs, sampled), (4, inputs.size))
    for row, draw in zip(together, draws, strict=True):
        single = world.with_deviations({name: float(draw[k]) for k, name in enumerate(sources)})
        assert transfer.forward(inputs, single) == pytest.approx(row, rel=1e-14)
    low, high = transfer.limits(sampled)
    assert np.shape(low) in ((), (4, 1))
    assert np.all(together >= np.asarray(low) - 1e-12)
    assert np.all(together <= np.asarray(high) + 1e-12)


@pytest.mark.parametrize(("transfer", "inputs", "world"), CASES)
def test_backward_of_forward_is_exact_or_says_why(transfer, inputs, world):
    outputs = transfer.forward(inputs, world)
    reached = transfer.backward(outputs, world)
    again = transfer.forward(reached.x, world)
    assert reached.x.shape == reached.reason.shape == inputs.shape
    exact = reached.reason == Reason.EXACT
    assert again[exact] == pytest.approx(outputs[exact], abs=1e-9)
    assert np.all(exact)


@pytest.mark.parametrize(("transfer", "inputs", "world"), CASES)
def test_backward_gives_the_nearest_that_can_be_reached(transfer, inputs, world):
    outputs = transfer.forward(inputs, world)
    wanted = outputs[:-1] + 0.37 * np.diff(outputs)
    reached = transfer.backward(wanted, world)
    found = transfer.forward(reached.x, world)
    off = np.abs(found - wanted)
    for beside in (-1.0, 1.0):
        other = np.abs(transfer.forward(reached.x + beside, world) - wanted)
        assert np.all(off <= np.where(np.isnan(other), np.inf, other) + 1e-9)
    assert np.all((off <= 1e-9) | (reached.reason != Reason.EXACT))


@pytest.mark.parametrize("name", SPECIMENS)
def test_parameters_are_for_people_and_unique(name):
    transfer = SPECIMENS[name].transfer
    parameters = transfer.parameters()
    assert len({parameter.id for parameter in parameters}) == len(parameters)
    assert all(parameter.label and parameter.source for parameter in parameters)
    assert transfer.input.label
    assert transfer.output.label
    if transfer.believes:
        assert parameters == ()


@pytest.mark.parametrize(
    ("name", "wanted", "reason"),
    [
        ("dac", 9.0, Reason.DEAD_BAND),
        ("dac", 0.001, Reason.DEAD_BAND),
        ("dac", 2.0001, Reason.STEP),
        ("dac downwards", 6.0, Reason.CLAMP),
        ("dac downwards", -5.2, Reason.CLAMP),
        ("constants", 5000.0, Reason.CLAMP),
        ("constants", 150.4, Reason.STEP),
        ("table", 149.0, Reason.STEP),
        ("table", 999.0, Reason.CLAMP),
    ],
)
def test_giving_way_has_its_reason(name, wanted, reason):
    transfer = SPECIMENS[name].transfer
    assert transfer.backward(np.array([wanted]), World()).reason.tolist() == [reason]


def test_reasons_have_words():
    assert [reason.words for reason in Reason] == [
        "exact",
        "rounded to a step",
        "in the dead band",
        "out of reach",
        "below the cut-off",
    ]
