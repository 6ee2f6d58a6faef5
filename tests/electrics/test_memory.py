"""Circuits that remember as parts between: their netlists against ngspice, their figures by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest
from tests.electrics.spice import printed

from dynamis.bench.chains.node import REGISTRY
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.memory.kinds import KINDS
from dynamis.electrics.memory.remembering import remembering
from dynamis.electrics.memory.schematic import memory_schematic
from dynamis.electrics.memory.spice import memory_netlist, trial_signals
from dynamis.electrics.part import value_words
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.transfer.parameter import NOMINAL
from dynamis.transfer.registry import StoredTransfer

CIRCUITS = {
    "hold": remembering("m", "sample-and-hold", ohms=1e3, farads=100e-9, leak_amperes=4e-6),
    "glide": remembering("m", "glide", ohms=47e3, farads=1e-6),
    "gated, grounded": remembering("m", "gated-pitch"),
    "gated, open": remembering("m", "gated-pitch", when_off="open", ohms=100e3, farads=10e-9),
    "gated, held": remembering("m", "gated-pitch", when_off="held", ohms=1e3, farads=100e-9, leak_amperes=4e-6),
    "maximum": remembering("m", "maximum"),
    "rectifier": remembering("m", "maximum", by="ground"),
    "minimum": remembering("m", "minimum", Supply(0.0, 9.0), "rail-to-rail"),
}


@pytest.mark.parametrize("name", CIRCUITS)
def test_its_netlist_does_in_ngspice_what_is_said_of_it(name, tmp_path):
    """Within 1 % of the span but for the steps round an edge, over a jump up and one back."""
    circuit = CIRCUITS[name]
    heard, driven, seconds = trial_signals(circuit, 1.0, 3.0)
    said = circuit.respond(heard, driven)
    rows = printed(memory_netlist(circuit, 1.0, 3.0, name), tmp_path)[:, -2:]
    rows = rows[(rows[:, 0] > 0.01 * seconds) & (rows[:, 0] < 0.99 * seconds)]
    near = seconds / 1000.0
    around = np.stack([said.at(rows[:, 0] + off) for off in (-near, 0.0, near)])
    beyond = np.maximum(rows[:, 1] - around.max(axis=0), around.min(axis=0) - rows[:, 1])
    assert np.mean(beyond > 0.02) < 0.002
    assert np.ptp(rows[:, 1]) > 0.5  # something happened


@pytest.mark.parametrize("name", CIRCUITS)
def test_it_is_stored_drawn_and_listed_with_all_its_parts(name):
    circuit, style = CIRCUITS[name], Style()
    assert REGISTRY.make("m", circuit.stored()) == circuit
    drawn = {symbol.words[0]: symbol.words for symbol in memory_schematic(circuit, style).symbols if symbol.words}
    for part in circuit.parts:
        assert drawn[part.name][1:] == ((value_words(part, style),) if value_words(part, style) else ())
    assert circuit.forward(2.0, NOMINAL) == 2.0
    assert REGISTRY.make("m", remembering("m", circuit.kind).stored()) == remembering("m", circuit.kind)


def test_figures_are_those_of_the_parts():
    hold = CIRCUITS["hold"]
    assert hold.droop_volts_per_second == pytest.approx(40.0)  # i = C dV/dt: 4 uA of 100 nF
    assert CIRCUITS["gated, grounded"].droop_volts_per_second == 0.0
    # tau ln 1200 to a cent of an octave: 7.09 time constants.
    assert CIRCUITS["glide"].settles_seconds(1 / 1200) == pytest.approx(0.047 * math.log(1200.0))
    jfet = OP_AMPS["jfet"]
    assert CIRCUITS["glide"].offset_limit_volts == pytest.approx(2 * 3e-3 + jfet.bias_amperes * 47e3)
    assert (CIRCUITS["gated, open"].in_ohms, CIRCUITS["glide"].in_ohms > 1e9) == (100e3, True)
    # A diode's 0.6 V beyond what passes.
    assert CIRCUITS["maximum"].high_volts == pytest.approx(jfet.swing(Supply())[1] - 0.6)
    assert CIRCUITS["minimum"].low_volts == pytest.approx(0.05 + 0.6)


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"kind": "echo"}, f"one of {', '.join(KINDS)}"),
        ({"kind": "glide", "op_amp": "tube"}, "'tube' op-amp"),
        ({"kind": "glide", "ohms": 0.0}, "resistor of a glide is 0"),
        ({"kind": "glide", "farads": math.inf}, "capacitor of a glide"),
        ({"kind": "sample-and-hold", "leak_amperes": -1.0}, "leak of a sample and hold"),
        ({"kind": "gated-pitch", "when_off": "loud"}, "When it is off it is 'loud'"),
    ],
)
def test_what_makes_no_circuit_is_refused(values, words):
    with pytest.raises(InputError, match=words):
        REGISTRY.make("m", StoredTransfer("remembering", 1, values))
    with pytest.raises(InputError, match="needs its clock"):
        CIRCUITS["hold"].respond(trial_signals(CIRCUITS["glide"], 1.0, 2.0)[0])
