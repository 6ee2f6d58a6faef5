"""Situations of pitch and modulation, each with its volts and ohms written out: what is proposed first, the parts that a
builder would take (common practice, no source), and the volts at the input by arithmetic and by ngspice.
"""

from __future__ import annotations

import shutil

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import GATE_IN, GATE_OUT, IN, LFO, PITCH_IN, PITCH_OUT, audio, bench, swing
from tests.electrics.spice import swept

from dynamis.bench.chains.node import driving
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.ports import GateRecord, PortRef, PotRecord, SwingRecord, VoltSpan
from dynamis.bench.judging.pairs import judge_link
from dynamis.bench.judging.sides import arriving, sent_swing
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.files.spice import link_spice

needs_ngspice = pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice not installed")
RACK, FIVE, THREE = ((-12.0, 12.0),), ((0.0, 5.0),), ((0.0, 3.3),)
NOTES = {"low_note": 36.0, "high_note": 96.0}


def law(scale: float, volts: float = 0.0, note: int = 36) -> str:
    return f"voct:scale={scale},note={note},volts={volts}"


def sends(text: str, **more):
    return with_(PITCH_OUT, law=text, ohms=1000.0, **more)


def takes(text: str, **more):
    return with_(PITCH_IN, law=text, **more)


def wave(low: float, high: float, ohms: float = 1000.0):
    return with_(LFO, ohms=ohms, swing=SwingRecord(low, high))


PIN = {"bears": VoltSpan(-0.3, 3.6), "ohms": 1e6}
LEVER = with_(LFO, ohms=None, swing=None, pot=PotRecord(10e3, 5.0, 0.0))
# Sender, receiver, rails: title, topology, op-amps, resistors; open volts of the sender and what they are to become.
SITUATIONS = {
    "1 V/oct to 1.2": (sends(law(1)), takes(law(1.2)), RACK, "Gain 1.200", "non-inverting", 1, (0, 5), (0, 6)),
    "1 V/oct to 0.26 with a bias": (
        sends(law(1)),
        takes(law(0.26, 1.3)),
        RACK,
        "Gain 0.260, offset +1.300 V",
        "attenuator-follower",
        1,
        (0, 5),
        (1.3, 2.6),
    ),
    "the same from 5 V": (
        sends(law(1)),
        takes(law(0.26, 1.3)),
        FIVE,
        "Gain 0.260, offset +1.300 V",
        "attenuator-follower",
        1,
        (0, 5),
        (1.3, 2.6),
    ),
    "0.5 V/oct times two": (sends(law(0.5)), takes(law(1)), RACK, "Gain 2.000", "non-inverting", 1, (0, 2.5), (0, 5)),
    # Eight octaves of 1 V from 5 V: what a rail-to-rail op-amp reaches, 0.05 to 4.95 V, notes 25 to 83.
    "eight octaves from 5 V": (
        sends(law(0.5, 0, 24)),
        takes(law(1, 0, 24)),
        FIVE,
        "Gain 2.000, offset 0.000 V, 25 C♯1 to 83 B5",
        "non-inverting",
        1,
        (0.05, 2.45),
        (0.1, 4.9),
    ),
    "±10 V to 0…5 V": (
        wave(-10, 10),
        swing(0.0, 5.0),
        RACK,
        "Gain 0.250, offset +2.500 V",
        "resistors",
        0,
        (-10, 10),
        (0, 5),
    ),
    "0…10 V to 0…5 V": (wave(0, 10), swing(0.0, 5.0, ohms=1e6), RACK, "Gain 0.500", "resistors", 0, (0, 10), (0, 5)),
    "±5 V to a converter of 3.3 V": (
        wave(-5, 5),
        swing(0.0, 3.3, **PIN),
        THREE,
        "Gain 0.330, offset +1.650 V",
        "resistors",
        0,
        (-5, 5),
        (0, 3.3),
    ),
    "±1 V of a computer times five": (
        with_(audio(full_scale_volts=1.0), ohms=100.0),
        swing(-5.0, 5.0),
        RACK,
        "Gain 5.000",
        "non-inverting",
        1,
        (-1, 1),
        (-5, 5),
    ),
    "a lever into a bipolar input": (
        LEVER,
        swing(-5.0, 5.0),
        RACK,
        "Gain 2.000, offset −5.000 V",
        "non-inverting",
        1,
        (0, 5),
        (-5, 5),
    ),
    "a bias of 1.62 V": (
        wave(-5, 5),
        swing(0.02, 3.22, 1.62),
        RACK,
        "Gain 0.320, offset +1.620 V",
        "resistors",
        0,
        (-5, 5),
        (0.02, 3.22),
    ),
}


@needs_ngspice
@pytest.mark.parametrize("case", SITUATIONS)
def test_what_goes_between_is_what_a_builder_takes_and_does_it(case, tmp_path):
    output, receiver, rails, title, topology, amplifiers, open_volts, wanted = SITUATIONS[case]
    notes = {"low_note": 24.0, "high_note": 120.0} if case.startswith("eight") else NOTES
    one = with_(bench(output, receiver, link=notes), rails=rails)
    fit = judge_link(one, one.links[0])[0]
    remedy = remedies_for(one, fit)[0]
    assert remedy.title.startswith(title), remedy.title
    assert (remedy.circuit, remedy.leaves.verdict) == (topology, "fits")
    after = remedy.command(one).bench
    netlist = link_spice(after, after.links[0], IN)
    assert sum(line.startswith("XU") for line in netlist.splitlines()) == amplifiers
    volts = swept(netlist, tmp_path)
    span, allowed = abs(wanted[1] - wanted[0]), 0.03 if receiver.role == "modulation" else 2e-3
    for sent, comes in zip(open_volts, wanted, strict=True):
        found = float(np.interp(sent, volts[:, 0], volts[:, 1]))
        assert found == pytest.approx(comes, abs=allowed * span), (sent, comes, found)


@pytest.mark.parametrize(("count", "ohms", "arrives"), [(1, 100e3, 5 / 1.01), (9, 10e3, 5 / 1.9), (20, 100e3, 5 / 1.2)])
def test_a_long_fan_out_tells_what_arrives_and_a_buffer_mends_it(count, ohms, arrives):
    """So many inputs on 1 kohm: 5 V / (1 + count · 1000 / ohms)."""
    like = [with_(swing(0.0, 5.0, ohms=ohms), id="in" if k == 0 else f"in{k}") for k in range(count)]
    one = bench(wave(0, 5), *like, link={"inputs": tuple(PortRef("voice", port.id) for port in like)})
    link = one.links[0]
    assert arriving(one, link, sent_swing(one, link))[1] == pytest.approx(arrives)
    fit = judge_link(one, link)[0]
    loading = [found for found in fit.findings if found.code == "loading"]
    assert bool(loading) == (1 - arrives / 5 >= 0.05)
    if loading:
        assert loading[0].value == pytest.approx(100 * (arrives / 5 - 1))
        if fit.verdict != "fits":
            mended = next(remedy for remedy in remedies_for(one, fit) if remedy.title == "A buffer")
            assert mended.leaves.verdict == "fits"
            assert driving(mended.command(one).bench, mended.command(one).bench.links[0]).ohms < 1.0


@pytest.mark.parametrize(
    ("bits", "supply", "verdict", "worst"),
    [
        # Half an LSB of 5 V / 2ⁿ at 1 V/oct, and 5 % of the supply over five octaves: 1200 · 5 · 0.05 = 300 ct.
        (8, False, "needs-circuit", 0.5 * 1200 * 5 / 2**8),
        (10, False, "fits", 0.5 * 1200 * 5 / 2**10),
        (12, False, "fits", 0.5 * 1200 * 5 / 2**12),
        (14, False, "fits", 0.5 * 1200 * 5 / 2**14),
        (16, False, "fits", 0.5 * 1200 * 5 / 2**16),
        (12, True, "marginal", 300.0),
        (16, True, "marginal", 300.0),
    ],
)
def test_a_converter_of_so_many_bits_is_judged_by_its_steps_and_its_reference(bits, supply, verdict, worst):
    dac = DacTransfer("d", Dac(bits, 0.0, 5.0), reference_limit=0.05 if supply else 0.0, reference_is_supply=supply)
    one = bench(
        with_(PITCH_OUT, law=law(1), transfers=(dac.stored(),)),
        takes(law(1)),
        link={"low_note": 36.0, "high_note": 95.0},
    )
    fit = judge_link(one, one.links[0])[0]
    assert fit.verdict == verdict, fit.findings
    assert abs(fit.value) == pytest.approx(worst, rel=0.03 if supply else 0.25, abs=0.01)
    assert abs(fit.value) <= worst * 1.001 + 0.6
    if supply:
        assert all(remedy.title != "A buffer" for remedy in remedies_for(one, fit))
        assert any("its supply is its reference" in found.text for found in fit.findings)


def test_one_gate_into_five_inputs_of_which_one_is_shorting():
    """Four inputs of 100 kohm and one held up to 5 V by 10 kohm, on 1 kohm: low is 5 V · (1/10) / (1 + 1/10 + 4/100)."""
    shorting = with_(GATE_IN, id="s", role="trigger", ohms=10e3, gate=GateRecord("shorting", None, None, 0.8, 2.0, 5.0))
    like = [with_(GATE_IN, id="in" if k == 0 else f"in{k}") for k in range(4)]
    every = tuple(PortRef("voice", port.id) for port in (*like, shorting))
    one = bench(GATE_OUT, *like, shorting, link={"inputs": every})
    fits = judge_link(one, one.links[0])
    assert [fit.verdict for fit in fits] == ["marginal"] * 4 + ["needs-circuit"]
    low = 5.0 * 0.1 / (1 + 0.1 + 0.04)
    assert fits[0].value == pytest.approx(0.8 - low, abs=1e-9)
    # A transistor would turn all of them round: it goes on a branch of the shorting one, which the others then need not
    # hold down: the base resistor, to ground at most, is all that is left of it on the node.
    offered = next(remedy for remedy in remedies_for(one, fits[-1]) if remedy.kind == "circuit")
    assert "fits now and would not then" in offered.text
    tree = offered.command(one).bench.links[0]
    assert [fit.verdict for fit in judge_link(offered.command(one).bench, tree)] == ["fits"] * 5
