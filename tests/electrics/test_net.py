"""The node, against Kirchhoff's handbook values and against ngspice."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from spice import ngspice

from dynamis.electrics.net import Net, Terminal, cents_per_octave_lost
from dynamis.errors import InputError
from dynamis.transfer.parameter import World

CASES = json.loads((Path(__file__).parent.parent / "oracles" / "loading.json").read_text())["cases"]
LOADED = [case for case in CASES if "load_ohms" in case["given"] and "source_ohms" in case["given"]]


def node(source_ohms: float, loads: list[float]) -> Net:
    inputs = tuple(Terminal(f"in{k}", f"input {k}", ohms, False) for k, ohms in enumerate(loads))
    return Net("node", (Terminal("out", "output", source_ohms, True), *inputs))


@pytest.mark.parametrize("case", LOADED, ids=lambda case: case["id"])
def test_loading_agrees_with_kirchhoff(case):
    given, expected = case["given"], case["expect"]
    net = node(given["source_ohms"], given["load_ohms"])
    found = net.solve({"out": given["volts"]}, World())
    assert float(found["in0"]) == pytest.approx(expected["volts"], abs=1e-9)
    factor = float(net.share("out", World())[0])
    assert factor == pytest.approx(expected["factor"], rel=1e-12)
    assert cents_per_octave_lost(factor) == pytest.approx(expected["cents_per_octave"], abs=1e-7)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
@pytest.mark.parametrize("case", LOADED[:4], ids=lambda case: case["id"])
def test_loading_agrees_with_ngspice(case, tmp_path):
    given = case["given"]
    net = node(given["source_ohms"], given["load_ohms"])
    found = float(net.solve({"out": given["volts"]}, World())["out"])
    assert found == pytest.approx(ngspice(case["spice"], case["node"], tmp_path), abs=1e-8)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
def test_two_outputs_on_one_node_average_by_their_conductances(tmp_path):
    net = Net("n", (Terminal("a", "a", 1000, True), Terminal("b", "b", 2200, True), Terminal("i", "i", 100e3, False)))
    found = float(net.solve({"a": 5.0, "b": -1.0}, World())["i"])
    spice = ["V1 s 0 5", "R1 s n 1000", "V2 t 0 -1", "R2 t n 2200", "RL n 0 100000"]
    assert found == pytest.approx(ngspice(spice, "n", tmp_path), abs=1e-8)
    driven = net.transfer("a", "i").forward(np.array([5.0]), World(driven={"b": -1.0}))
    assert driven[0] == pytest.approx(found)


def test_two_equal_outputs_at_5_and_0_volts_make_half():
    # Derived: two 1 kΩ outputs at 5 V and 0 V make 2.5 V.
    net = Net("n", (Terminal("a", "a", 1000, True), Terminal("b", "b", 1000, True)))
    assert float(net.solve({"a": 5.0, "b": 0.0}, World())["a"]) == 2.5


def test_unplugging_one_input_retunes_the_others():
    net = node(1000, [100e3, 100e3])
    assert float(net.share("out", World())[0]) == pytest.approx(1 / 1.02)
    assert float(net.share("out", World(plugged=frozenset({"in0"})))[0]) == pytest.approx(1 / 1.01)
    assert float(net.share("out", World(plugged=frozenset()))[0]) == 1.0


def test_an_output_without_resistance_holds_the_node():
    net = Net("n", (Terminal("a", "a", 0, True), Terminal("b", "b", 1000, True), Terminal("i", "i", 1e5, False)))
    assert float(net.solve({"a": 3.0, "b": 5.0}, World())["i"]) == 3.0


@pytest.mark.parametrize(("ohms", "drives"), [(-1, True), (0, False), (-5, False)])
def test_an_impossible_resistance_is_refused(ohms, drives):
    with pytest.raises(InputError, match="has to be above 0"):
        Terminal("x", "the input", ohms, drives)


def test_two_stiff_outputs_have_no_answer():
    with pytest.raises(InputError, match="fight for one node"):
        Net("n", (Terminal("a", "a", 0, True), Terminal("b", "b", 0, True)))
