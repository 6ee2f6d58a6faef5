"""What circuits do besides their volts at rest, against ngspice: its own noise analysis, and transients of op-amps with
one pole at their gain times bandwidth.
"""

from __future__ import annotations

import csv
import io
import math
import shutil
from dataclasses import replace

import numpy as np
import pytest
from tests.electrics.spice import asked

from dynamis.bench.designing.between import smallest_with_op_amp
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import OP_AMPS
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting
from dynamis.electrics.design.behaviour import behaviour, behaviour_words, errors_csv, noise_gain, noise_volts
from dynamis.electrics.design.kinds import kind_words, own_cents
from dynamis.electrics.design.later import later
from dynamis.electrics.design.proposal import propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import budget

needs_ngspice = pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice not installed")
CASES = {
    "resistors": Requirement(0.37, source_ohms=1e3, load_ohms=1e5),
    "follower": Requirement(1.0, source_ohms=1e4, load_ohms=1e5, op_amp=OP_AMPS["precision"]),
    "non-inverting": Requirement(2.0, source_ohms=1e3, load_ohms=2e4, op_amp=OP_AMPS["jfet"]),
    "difference": Requirement(0.37, 1.676, source_ohms=1e3, load_ohms=1e5, op_amp=OP_AMPS["jfet"]),
    "inverting-pair": Requirement(1.5, source_ohms=1e3, load_ohms=1e5, op_amp=OP_AMPS["precision"]),
}


def made(name: str):
    requirement = CASES[name]
    return propose_one(TOPOLOGIES[name], requirement, Counting(op_amps=False)), requirement


def deck(circuit, requirement: Requirement) -> list[str]:
    """The netlist without its sweep."""
    lines = netlist(circuit, requirement.in_low_volts, requirement.in_high_volts).splitlines()[1:]
    return [line for line in lines if not line.startswith((".dc", ".print", ".end\n")) and line != ".end"]


@needs_ngspice
@pytest.mark.parametrize("name", CASES)
def test_noise_is_that_of_ngspice(name, tmp_path):
    """Resistors at 25 °C (ngspice's own 27 °C are a third of a per cent more), the op-amps quiet."""
    proposal, requirement = made(name)
    circuit = proposal.circuit
    quiet = replace(circuit, op_amp=replace(circuit.op_amp, noise_volts=0.0))
    lines = [line.replace("DC", "AC 1 DC") if line.startswith("Vin ") else line for line in deck(circuit, requirement)]
    commands = ["noise v(out) Vin dec 100 10 10k", "setplot noise2", "print onoise_total"]
    assert noise_volts(quiet) == pytest.approx(
        asked(lines, commands, r"onoise_total = ([-+0-9.e]+)", tmp_path), rel=0.01
    )
    total = noise_volts(quiet) ** 2
    flat = 9990.0 + circuit.op_amp.noise_corner_hertz * math.log(1000.0)
    total += sum(
        (noise_gain(circuit, one.name) * circuit.op_amp.noise_volts) ** 2 * flat for one in circuit.topology.amplifiers
    )
    assert noise_volts(circuit) == pytest.approx(math.sqrt(total))


@needs_ngspice
@pytest.mark.parametrize("name", ["follower", "non-inverting", "difference"])
def test_an_octave_settles_to_a_cent_when_it_is_said_to(name, tmp_path):
    """A step of an octave into op-amps of one pole: a tenth before it is still off, a tenth after it is there."""
    proposal, requirement = made(name)
    amp = replace(proposal.circuit.op_amp, slew_volts=math.inf)
    circuit = replace(proposal.circuit, op_amp=amp)
    seconds = behaviour(circuit, requirement).settle_seconds
    farads = amp.gain / (2.0 * math.pi * amp.product_hertz * 1e6)
    lines = [line if not line.startswith("Rx ") else f"{line}\nCx x 0 {farads}" for line in deck(circuit, requirement)]
    lines = [
        f"Vin in 0 PULSE({requirement.in_low_volts} {requirement.in_low_volts + 1} 1u 1n 1n 1 2)"
        if line.startswith("Vin ")
        else line
        for line in lines
    ]
    gain, step = float(circuit.line().gain), 1e-9

    def at(instant: float) -> float:
        commands = [
            f"tran {seconds / 400} {1e-6 + 30 * seconds} 0 {seconds / 100}",
            f"meas tran found find v(out) at={1e-6 + step + instant}",
        ]
        return asked(lines, commands, r"found\s*=\s*([-+0-9.e]+)", tmp_path)

    there = at(29 * seconds)
    cents = [abs(at(share * seconds) - there) / gain * 1200.0 for share in (0.85, 1.15)]
    assert cents[0] > 1.0 > cents[1], cents


def test_slewing_adds_to_it_and_resistors_settle_at_once():
    proposal, requirement = made("non-inverting")
    slow = replace(proposal.circuit, op_amp=replace(proposal.circuit.op_amp, slew_volts=1e4))
    assert behaviour(slow, requirement).settle_seconds - behaviour(
        proposal.circuit, requirement
    ).settle_seconds == pytest.approx(2 / 1e4, rel=1e-2)
    divider, asked_for = made("resistors")
    told = behaviour(divider.circuit, asked_for)
    assert (told.settle_seconds, told.rings, told.cure_ohms) == (0.0, False, None)
    # 500 pF behind the divider's own resistance beside the load: ln 1200 time constants.
    behind = 1.0 / (1.0 / float(divider.circuit.out_ohms()) + 1e-5)
    assert told.cable_seconds == pytest.approx(math.log(1200) * behind * 500e-12)


def test_a_long_cable_rings_unless_a_resistor_stands_in_the_loop():
    proposal, requirement = made("non-inverting")
    told = behaviour(proposal.circuit, requirement)
    assert told.rings
    # The corner of the resistor with 500 pF lies at or below the loop's crossover, 3 MHz over a gain of 2.
    assert 1.0 / (2 * math.pi * told.cure_ohms * 500e-12) <= 3e6 / 2.0 * 1.001
    words = " ".join(behaviour_words(told, proposal.circuit, requirement))
    assert f"{told.cure_ohms:.0f} Ω at its output" in words
    assert f"{1200 * told.cure_ohms / 2e4:.1f} ct an octave" in words
    clamped = replace(requirement, absolute_limits=replace(requirement.absolute_limits, low=-0.3, high=5.5))
    held = propose_one(TOPOLOGIES["non-inverting"], replace(clamped, in_high_volts=2.0), Counting(op_amps=False))
    assert held.circuit.loop_ohms
    assert not behaviour(held.circuit, clamped).rings


def test_power_up_a_trimmer_s_drift_and_the_csv_of_all_errors():
    proposal, requirement = made("difference")
    told = behaviour(proposal.circuit, requirement)
    assert told.power_up_volts == (-12.0, 12.0)
    assert {name for name, _ in told.trimmers} == set(proposal.circuit.trimmers)
    # 0.1 % of half a trimmer, as a change of its travel.
    for name, cents in told.trimmers:
        moved, here = proposal.circuit.line({name: 0.5005}), proposal.circuit.line()
        ends = [
            abs(float((moved.gain - here.gain) * volts + moved.offset - here.offset))
            * requirement.cents_per_volt(volts)
            for volts in (0.0, 5.0)
        ]
        assert cents == pytest.approx(max(ends), rel=0.01)
    text = errors_csv(budget(proposal.circuit, requirement), later(proposal.circuit, requirement, 2000), told)
    rows = list(csv.DictReader(io.StringIO(text)))
    assert {row["unit"] for row in rows} == {"ct", "ms", "V", "ohm"}
    assert float(next(row["value"] for row in rows if row["what"] == "noise, rms")) == pytest.approx(
        told.noise_cents, abs=1e-8
    )
    assert np.all(np.isfinite([float(row["value"]) for row in rows]))


@pytest.mark.parametrize(
    ("tolerance", "allowed", "kind", "jfet", "precision"),
    [
        # Into 0.26 V/oct 3 mV ahead of a gain below 1 are 1200/0.26 ct a volt, what amplifies them apart; 75 µV a fortieth.
        (0.0005, 20.0, "precision", 3.1e-3, 85e-6),
        # Trimmed at 25 °C 10 µV/K and 1 µV/K for 10 K are left: not enough to matter.
        (0.01, 5.0, "jfet", 1e-4, 1e-5),
    ],
)
def test_the_kind_of_op_amp_is_that_which_leaves_least_and_says_so(tolerance, allowed, kind, jfet, precision):
    requirement = Requirement(
        0.26, 0.5, source_ohms=1e3, load_ohms=1e5, op_amp=OP_AMPS["jfet"], tolerance=tolerance, tolerance_cents=allowed
    )
    found = smallest_with_op_amp(requirement)
    circuit = found.circuit
    assert circuit.op_amp.name == kind
    gain = sum(noise_gain(circuit, one.name) for one in circuit.topology.amplifiers)
    left = {
        name: own_cents(replace(circuit, op_amp=OP_AMPS[name]), requirement, OP_AMPS[name])
        for name in ("jfet", "precision")
    }
    for name, volts in (("jfet", jfet), ("precision", precision)):
        bias = 0.0 if found.trims else OP_AMPS[name].bias_amperes * 1e5
        assert left[name] == pytest.approx(volts * gain * 1200.0 / 0.26, rel=0.02, abs=bias * gain * 1200 / 0.26)
    words = kind_words(circuit, requirement)
    assert words.startswith(circuit.op_amp.title[0].upper())
    assert f"{left[kind]:.1f} ct" in words
