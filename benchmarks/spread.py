"""Spread of a million samples over 61 notes, as a ratio to drawing the numbers; and against runs of ngspice.

Run by hand: python benchmarks/spread.py
"""

from __future__ import annotations

import resource
import subprocess
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.circuits.topology import TOPOLOGIES
from dynamis.electrics.circuits.variation import Counting, at, varied_in
from dynamis.electrics.design.proposal import propose_one
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import BLOCK, spread

SAMPLES = 1_000_000
ROUNDS = 5
NGSPICE_RUNS = 20


def drawing(parameters: int) -> float:
    """Seconds to draw the numbers, in the same blocks."""
    rng, start = np.random.default_rng(1), time.perf_counter()
    for _ in range(0, SAMPLES, BLOCK):
        rng.random((parameters, BLOCK))
    return time.perf_counter() - start


def best(work) -> float:
    found = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def by_ngspice(circuit, requirement: Requirement, counting: Counting) -> float:
    """Seconds of one sample in ngspice: its netlist written and run."""
    rng, varied = np.random.default_rng(1), varied_in(circuit, counting)
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "one.cir"
        start = time.perf_counter()
        for _ in range(NGSPICE_RUNS):
            values = at(varied, {one.key: float(rng.uniform(-1, 1)) for one in varied})
            parts = {slot: tuple(float(values[name]) for name in one.names(slot)) for slot, one in circuit.slots}
            real = circuit.fitting(**{slot: replace(one, ohms=parts[slot]) for slot, one in circuit.slots})
            path.write_text(netlist(real, requirement.in_low_volts, requirement.in_high_volts))
            subprocess.run(["ngspice", "-b", str(path)], capture_output=True, check=True)
        return (time.perf_counter() - start) / NGSPICE_RUNS


def brute_force(circuit, requirement: Requirement, counting: Counting, notes: int) -> None:
    """The same over every note, as it would be were the error no line."""
    rng, varied = np.random.default_rng(1), varied_in(circuit, counting)
    volts = np.linspace(requirement.in_low_volts, requirement.in_high_volts, notes)
    for _ in range(0, SAMPLES, BLOCK):
        drawn = rng.random((len(varied), BLOCK)) * 2.0 - 1.0
        line = circuit.line(at(varied, {one.key: drawn[k] for k, one in enumerate(varied)}))
        slope, shift = line.gain - requirement.gain, line.offset - requirement.offset_volts
        worst = np.abs(slope * volts[0] + shift)
        for one in volts[1:]:
            np.maximum(worst, np.abs(slope * one + shift), out=worst)


def measured(title: str, name: str, requirement: Requirement) -> None:
    """One circuit without trimmers: drawing, spread, every note by itself, ngspice."""
    made, counting = propose_one(TOPOLOGIES[name], replace(requirement, tolerance_cents=1e6)), Counting()
    parameters = len(varied_in(made.circuit, counting))
    drawn = best(lambda: drawing(parameters))
    spent = best(lambda: spread(made.circuit, requirement, counting, samples=SAMPLES))
    every = best(lambda: brute_force(made.circuit, requirement, counting, 61))
    one = by_ngspice(made.circuit, requirement, counting)
    print(
        f"{title}: {parameters} parameters, drawing in one thread {1e3 * drawn:.0f} ms, spread in two "
        f"{1e3 * spent:.0f} ms: {spent / drawn:.2f} × (every note by itself, in one, {every / drawn:.1f} ×); ngspice "
        f"{1e3 * one:.1f} ms a sample, {one * SAMPLES / spent:.0f} × as long"
    )


def main() -> None:
    op_amp = replace(OP_AMPS["jfet"], bias_amperes=0.0)
    requirement = Requirement(0.37, 1.676, 0.2, 5.2, supply=Supply(-12, 12, 0.01), op_amp=op_amp, pairs=False)
    measured("one op-amp, linear in the note", "attenuator-follower", requirement)
    measured("two op-amps, linear in the note", "inverting-pair", requirement)
    linear = replace(requirement, gain=0.6, offset_volts=0.12, in_low_volts=0.5, in_high_volts=8.0, zero_volts=0.12)
    measured("Hz/V, not linear in the note", "attenuator-follower", linear)
    trimmed = propose_one(TOPOLOGIES["attenuator-follower"], requirement)
    spent = best(lambda: spread(trimmed.circuit, requirement, Counting(), samples=SAMPLES))
    print(f"with {len(trimmed.trims)} trimmers set in every sample: {1e3 * spent:.0f} ms")
    print(f"most memory: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
