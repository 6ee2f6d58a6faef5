"""What stands between, potentiometers, audio levels: against ngspice, handbook formulas and published levels."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some
from spice import ngspice, ngspice_at

from dynamis.electrics.audio_levels import droop_left, seconds_until, sine_peak_volts
from dynamis.electrics.gates.circuits import gate_circuit, gate_circuits
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.gates.stages import CIRCUITS, NEVER, becomes
from dynamis.electrics.net import Net, Terminal
from dynamis.electrics.potentiometer import LoadedPot
from dynamis.electrics.span import Span
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.transfer.parameter import World

ORACLES = Path(__file__).parent.parent / "oracles"
POTS = [one for one in json.loads((ORACLES / "loading.json").read_text())["cases"] if "pot_ohms" in one["given"]]
LEVELS = json.loads((ORACLES / "audio-level.json").read_text())["cases"]


@pytest.mark.parametrize("case", POTS, ids=lambda case: case["id"])
def test_loaded_potentiometers_agree_with_kirchhoff_and_ngspice(case, tmp_path):
    given, wanted = case["given"], case["expect"]["volts"]
    pot = LoadedPot(given["pot_ohms"], given["supply_volts"], given["fixed_ohms"], given["load_ohms"])
    assert float(pot.volts(given["wiper"])) == pytest.approx(wanted, abs=1e-9)
    assert float(pot.volts(given["wiper"])) == pytest.approx(
        ngspice(case["spice"], case["node"], tmp_path), abs=1e-5
    )  # its ends are 1 µΩ


def test_a_wiper_is_a_quarter_of_its_potentiometer_at_mid_travel():
    assert float(LoadedPot(100e3, 5.0).source_ohms(0.5)) == 25e3
    assert LoadedPot(10e3, 5.0).bend[1] == pytest.approx(0.0, abs=1e-12)


def test_a_node_with_biased_inputs_and_two_outputs_agrees_with_ngspice(tmp_path):
    net = Net(
        "n",
        (
            Terminal("a", "a", 1000.0, True),
            Terminal("b", "b", 470.0, True),
            Terminal("i", "i", 220e3, False, 0.0, 1.62),
            Terminal("p", "p", 4700.0, False, 0.0, 15.0),
        ),
    )
    spice = [
        "V1 s 0 5",
        "R1 s n 1000",
        "V2 t 0 0.4",
        "R2 t n 470",
        "V3 u 0 1.62",
        "R3 u n 220k",
        "V4 v 0 15",
        "R4 v n 4700",
    ]
    assert float(net.solve({"a": 5.0, "b": 0.4}, World())["i"]) == pytest.approx(
        ngspice(spice, "n", tmp_path), abs=1e-8
    )


@pytest.mark.parametrize("case", LEVELS, ids=lambda case: case["id"])
def test_audio_levels_and_droop_agree_with_their_definitions(case):
    given, wanted = case["given"], case["expect"]
    if "seconds" in given:
        corner = 1.0 / (2.0 * np.pi * given["ohms"] * given["farads"])
        left = float(droop_left(given["seconds"], corner))
        assert (corner, left) == pytest.approx((wanted["corner_hertz"], wanted["fraction_left"]), rel=1e-9)
        cent = 1.0 - 1.0 / 1200.0 / given["volts"]
        assert seconds_until(cent, corner) == pytest.approx(wanted["seconds_to_one_cent"], rel=1e-6)
    elif "sine_peak_volts" in wanted and "dbu" in given:
        assert float(sine_peak_volts(given["dbu"])) == pytest.approx(wanted["sine_peak_volts"], rel=1e-9)
    elif "full_scale_dbu" in given:
        peak = float(sine_peak_volts(given["full_scale_dbu"]))
        told = {"sample_value": 1.0 / peak, "lsb_volts": peak / 2**15, "octaves_each_way": peak}
        assert any(key in wanted for key in told)
        for key in told.keys() & wanted.keys():
            assert told[key] == pytest.approx(wanted[key], rel=1e-9)


def test_droop_agrees_with_a_transient_of_ngspice(tmp_path):
    # 5 V behind 10 uF into 10 kohm: exp(-t/RC), to the one per cent that a transient is good for.
    found = ngspice_at(["V1 s 0 pulse(0 5 0 1n 1n 10 20)", "C1 s n 10u ic=0", "R1 n 0 10k"], "n", 0.08, tmp_path)
    corner = 1.0 / (2.0 * np.pi * 10e3 * 10e-6)
    assert 5.0 * float(droop_left(0.08, corner)) == pytest.approx(found, rel=0.01)


positive = some.floats(0.05, 0.95)


@given(
    some.floats(-1.0, 1.0),
    some.floats(1.5, 12.0),
    some.floats(100.0, 5e3),
    some.sampled_from(["driven", "switch"]),
    some.floats(0.5, 4.0),
    positive,
    some.sampled_from(["positive", "shorting"]),
    some.floats(2e3, 200e3),
)
def test_a_circuit_put_between_becomes_what_it_was_chosen_for(low, high, ohms, sends, on, share, takes, input_ohms):
    output = GateOutput(sends, low, high, ohms, Span()) if sends == "driven" else GateOutput("switch", ohms=ohms)
    first, second = on, on * share
    sink = (
        GateInput(first, second, "positive", input_ohms, 0.0, Span(-12.0, 12.0))
        if takes == "positive"
        else (GateInput(second, first, "shorting", input_ohms, 5.0))
    )
    found = gate_circuit(output, sink)
    if found is None:
        return
    carried = sink.pullup_volts / sink.ohms if takes == "shorting" else 0.0
    made = becomes(found.name, found.parts, output, carried)
    assert made.kind == found.becomes.kind
    assert made.ohms == pytest.approx(found.becomes.ohms, rel=0.05)
    assert (made.low_volts, made.high_volts) == pytest.approx(
        (found.becomes.low_volts, found.becomes.high_volts), abs=1e-9
    )


def test_a_circuit_that_is_not_driven_stays_off():
    found = gate_circuit(GateOutput("driven", 0.0, 5.0), GateInput(0.8, 2.0, "shorting", 10e3, 5.0))
    assert found.name == "transistor to ground"
    assert becomes(found.name, found.parts, GateOutput("driven", 0.0, 0.6), 0.5e-3) == NEVER
    weak = next(
        one for one in gate_circuits(GateOutput("driven", 0.0, 2.0), GateInput(4.0, 1.0)) if "and divider" in one.name
    )
    assert becomes(weak.name, weak.parts, GateOutput("driven", 0.0, 0.1)) == NEVER
    assert {found.name, weak.name} <= set(CIRCUITS)
    with pytest.raises(KeyError, match="magic"):
        becomes("magic", (), GateOutput())


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"gain": 0.0}, "passes nothing on"),
        ({"in_ohms": 0.0}, "more than 0 Ω at its input"),
        ({"low_volts": 5.0, "high_volts": 1.0}, "not below its highest"),
    ],
)
def test_an_impossible_stage_is_refused(values, words):
    with pytest.raises(InputError, match=words):
        Stage("s", **values)
