"""The node, against Kirchhoff's handbook values and against ngspice."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from spice import ngspice

from dynamis.electrics.net import Arm, Net, Terminal, cents_per_octave_lost
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


# -- trees ---------------------------------------------------------------------------------------------


def random_tree(seed: int) -> tuple[Net, dict[str, float], list[str]]:
    """A tree of two to seven nodes with outputs, pull-ups, biased and plain inputs on them; its volts; the same as a
    deck."""
    random = np.random.default_rng(seed)
    count = int(random.integers(2, 8))
    arms, terminals, volts, deck, stiff = [], [], {}, [], set()

    def ohms() -> float:
        return float(np.round(10 ** random.uniform(2, 5.5), 1))

    for k in range(1, count):
        parent, own = int(random.integers(k)), ohms()
        arms.append(Arm(f"arm{k}", f"arm {k}", f"{parent}", f"{k}", own))
        deck.append(f"RA{k} n{parent} n{k} {own}")
    for k in range(int(random.integers(count, 3 * count)) + 1):
        node = int(random.integers(count)) if k else 0
        drives, own = k == 0 or random.random() < 0.3, ohms()
        if drives and node not in stiff and random.random() < 0.3:
            own = 0.0
            stiff.add(node)
        value = float(np.round(random.uniform(-12, 12), 2)) if drives or random.random() < 0.5 else 0.0
        terminals.append(Terminal(f"t{k}", f"t{k}", own, drives, 0.0, 0.0 if drives else value, node=str(node)))
        deck.append(f"V{k} {f'n{node}' if own == 0 else f's{k}'} 0 {value}")
        if own:
            deck.append(f"RT{k} s{k} n{node} {own}")
        if drives:
            volts[f"t{k}"] = value
    return Net("tree", tuple(terminals), tuple(arms)), volts, deck


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
@pytest.mark.parametrize("seed", range(12))
def test_a_tree_of_nodes_agrees_with_ngspice(seed, tmp_path):
    net, volts, deck = random_tree(seed)
    found = net.solve(volts, World())
    for one in net.terminals[:: max(1, len(net.terminals) // 3)]:
        expected = ngspice(deck, f"n{one.node}", tmp_path)
        assert float(found[one.id]) == pytest.approx(expected, abs=1e-7)
        # the same as a transfer from the first output, the others as the world drives them
        world = World(driven={name: value for name, value in volts.items() if name != "t0"})
        loading = net.transfer("t0", one.id)
        assert loading.forward(volts["t0"], world) == pytest.approx(expected, abs=1e-7)
        spread = World({f"{net.arms[0].id}.ohms": np.zeros((5, 1))}, driven=world.driven)
        assert np.shape(loading.forward(np.full(3, volts["t0"]), spread)) in ((3,), (5, 3))


def test_an_arm_of_nothing_and_a_node_in_the_air_are_refused():
    ends = (Terminal("a", "a", 1e3, True, node="x"), Terminal("b", "b", 1e5, False, node="y"))
    for arms, word in (
        ((), "nothing joins"),
        ((Arm("r", "the pot", "x", "x", 1e3),), "nothing joins|from one node"),
        ((Arm("r", "the pot", "x", "y", 0.0),), "above 0"),
    ):
        with pytest.raises(InputError, match=word):
            Net("n", ends, arms)
    held = (Terminal("a", "a", 0.0, True, node="x"), Terminal("b", "b", 0.0, True, node="y"))
    net = Net("n", held, (Arm("r", "the lead", "x", "y", 100.0),))  # two stiff ones with something between
    assert {name: float(value) for name, value in net.solve({"a": 5.0, "b": 1.0}, World()).items()} == {
        "a": 5.0,
        "b": 1.0,
    }
