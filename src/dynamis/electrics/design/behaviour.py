"""What a circuit of gain and offset does besides its volts at rest: noise, settling, a long cable, its trimmers' own
drift, and what it puts out while its rails come up.

Sources: thermal noise 4kTR per hertz (k exact since the SI of 2019); an op-amp settles with noise gain/(2π·GBW) and
its slew rate; the resistor that isolates a capacitive load is that whose corner with it lies at the loop's own
crossover.  The figures of op-amps are those of typical data sheets of each kind, a trimmer's 100 ppm/K and 100 pF a
metre of cable: common practice, no source.
"""

from __future__ import annotations

import csv
import io
import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from dynamis.electrics.circuits.circuit import MID, Circuit
from dynamis.electrics.circuits.clamp import LOOP_NAME
from dynamis.electrics.circuits.variation import Varied
from dynamis.electrics.design.later import KELVIN, Later, moved_cents
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import Budget
from dynamis.electrics.series import values_between
from dynamis.notation.safe import csv_row
from dynamis.notation.style import Style, plain

_BOLTZMANN: Final = 1.380649e-23
_KELVIN: Final = 298.15
BAND_HERTZ: Final = (10.0, 10e3)
CABLE_METRES, CABLE_FARADS = 5.0, 500e-12
_SETTLED: Final = 1.0 / 1200.0  # a cent of an octave
_TRIMMER_PER_KELVIN: Final = 100e-6


@dataclass(frozen=True)
class Behaviour:
    """noise_volts, noise_cents : rms from 10 Hz to 10 kHz, where it weighs most.  settle_seconds : of an octave to a
    cent.  cable_seconds : what a long cable adds.  rings : whether the op-amp drives less than that cable.
    cure_ohms : the output resistor that cures it.  trimmers : by name, cents of 10 °C.  power_up : between which volts
    the output may stand while the rails come up.
    """

    noise_volts: float
    noise_cents: float
    settle_seconds: float
    cable_seconds: float
    rings: bool
    cure_ohms: float | None
    trimmers: tuple[tuple[str, float], ...]
    power_up_volts: tuple[float, float]


def behaviour(circuit: Circuit, requirement: Requirement) -> Behaviour:
    """All of it for a circuit and its requirement."""
    weigh = max(requirement.cents_per_volt(volts) for volts in (requirement.in_low_volts, requirement.in_high_volts))
    noise = noise_volts(circuit)
    load = math.inf if circuit.load_ohms is None else circuit.load_ohms
    out = float(circuit.out_ohms())
    behind = 1.0 / (1.0 / out + 1.0 / load) if out > 0 else 0.0
    rings = _rings(circuit)
    return Behaviour(
        noise,
        noise * weigh,
        settle_seconds(circuit, requirement),
        -math.log(_SETTLED) * behind * CABLE_FARADS,
        rings,
        _isolating(circuit) if rings else None,
        _drifts(circuit, requirement),
        _power_up(circuit, requirement),
    )


def noise_volts(circuit: Circuit) -> float:
    """Volts rms at the output, 10 Hz to 10 kHz: its resistors' and the sender's, and its op-amps' own."""
    band = BAND_HERTZ[1] - BAND_HERTZ[0]
    total = sum(impedance**2 * 4.0 * _BOLTZMANN * _KELVIN / ohms * band for impedance, ohms in circuit.noise_paths())
    amp = circuit.op_amp
    flicker = band + amp.noise_corner_hertz * math.log(BAND_HERTZ[1] / BAND_HERTZ[0])
    for amplifier in circuit.topology.amplifiers:
        total += (noise_gain(circuit, amplifier.name) * amp.noise_volts) ** 2 * flicker
    return math.sqrt(total)


def noise_gain(circuit: Circuit, amplifier: str) -> float:
    """How many times an op-amp's own offset, or noise, stands at the output."""
    moved, here = circuit.line({amplifier: 1e-3}), circuit.line({amplifier: 0.0})
    return abs(float(moved.offset) - float(here.offset)) / 1e-3


def settle_seconds(circuit: Circuit, requirement: Requirement) -> float:
    """Until an octave's step has come within a cent at the output, with nothing but its load on it; 0 of resistors."""
    amp = circuit.op_amp
    if not circuit.topology.amplifiers or not amp.product_hertz:
        return 0.0
    step = (
        abs(requirement.gain) * requirement.volts_per_octave
        if requirement.zero_volts is None
        else abs(requirement.ends[1] - requirement.ends[0]) / 2.0
    )
    constants = [
        _loop_gain(circuit, one.name) / (2.0 * math.pi * amp.product_hertz) for one in circuit.topology.amplifiers
    ]
    return step / amp.slew_volts + -math.log(_SETTLED) * sum(constants)


def _loop_gain(circuit: Circuit, amplifier: str) -> float:
    """The noise gain that an op-amp's own loop has: what its offset is multiplied by at its own output."""
    own = next(one for one in circuit.topology.amplifiers if one.name == amplifier)
    moved, here = (circuit.line({amplifier: volts}, node=own.out) for volts in (1e-3, 0.0))
    return max(1.0, abs(float(moved.offset) - float(here.offset)) / 1e-3)


def _rings(circuit: Circuit) -> bool:
    """Whether the last op-amp drives the cable by itself and cannot."""
    if not circuit.topology.amplifiers or circuit.loop_ohms:
        return False
    return float(circuit.out_ohms()) == 0.0 and circuit.op_amp.lead_farads < CABLE_FARADS


def _isolating(circuit: Circuit) -> float:
    """The output resistor whose corner with the cable lies at the loop's crossover."""
    last = circuit.topology.amplifiers[-1].name
    hertz = (circuit.op_amp.product_hertz or 1e6) / _loop_gain(circuit, last)
    ohms = 1.0 / (2.0 * math.pi * hertz * CABLE_FARADS)
    return next(one for one in values_between(ohms, 2.0 * ohms, "E12") if one >= ohms)


def _drifts(circuit: Circuit, requirement: Requirement) -> tuple[tuple[str, float], ...]:
    """What each trimmer's own drift moves the output by, standing in the middle."""
    share = _TRIMMER_PER_KELVIN * KELVIN
    return tuple(
        (name, moved_cents(circuit, requirement, Varied(name, name, MID, MID * share))) for name in circuit.trimmers
    )


def _power_up(circuit: Circuit, requirement: Requirement) -> tuple[float, float]:
    """Volts between which the output may stand in either order of the rails, clamped where diodes are."""
    if not circuit.topology.amplifiers:
        gain = float(circuit.line().gain)
        ends = [
            gain * volts + float(circuit.line().offset) * on
            for volts in (requirement.in_low_volts, requirement.in_high_volts)
            for on in (0, 1)
        ]
        return min(ends), max(ends)
    low, high = circuit.supply.low, circuit.supply.high
    clamp = circuit.clamp
    return (low if clamp.low is None else max(low, clamp.low)), (high if clamp.high is None else min(high, clamp.high))


def behaviour_words(
    behaviour: Behaviour, circuit: Circuit, requirement: Requirement, style: Style = Style()
) -> list[str]:
    """A sentence for each."""
    sentences = [
        f"Noise {style.number(behaviour.noise_cents, 3)} ct rms, {style.number(1e6 * behaviour.noise_volts, 1)} µV "
        f"from {plain(BAND_HERTZ[0])} Hz to {plain(BAND_HERTZ[1] / 1e3)} kHz."
    ]
    cable = style.engineering(CABLE_FARADS, "F")
    if circuit.topology.amplifiers:
        sentences.append(f"An octave settles to a cent in {style.engineering(behaviour.settle_seconds, 's')}.")
    if behaviour.rings and behaviour.cure_ohms is not None:
        taken = 0.0 if not requirement.load_ohms else 1200.0 * behaviour.cure_ohms / requirement.load_ohms
        lost = f"; outside the loop it would take {style.cents(taken)} ct an octave" if taken else ""
        sentences.append(
            f"A cable of {plain(CABLE_METRES)} m, {cable}, makes the op-amp ring: it drives "
            f"{style.engineering(circuit.op_amp.lead_farads, 'F')}. "
            f"{style.engineering(behaviour.cure_ohms, 'Ω')} at its output, inside the feedback loop, cures it{lost}."
        )
    else:
        why = f", behind its {LOOP_NAME}" if circuit.loop_ohms else ""
        adds = f" and adds {style.engineering(behaviour.cable_seconds, 's')}" if behaviour.cable_seconds >= 1e-6 else ""
        sentences.append(f"A cable of {plain(CABLE_METRES)} m, {cable}, does not make it ring{why}{adds}.")
    sentences += [
        f"{name} by itself drifts by {style.size_of_cents(cents)} ct in 10 °C, at 100 ppm/K."
        for name, cents in behaviour.trimmers
    ]
    if not (circuit.topology.amplifiers or circuit.uses_reference):
        return sentences
    low, high = (style.volts(volts, 1, sign=True) for volts in behaviour.power_up_volts)
    held = ", where its diodes hold it" if circuit.clamp.diodes else ""
    over = [
        requirement.absolute_limits.low is not None
        and behaviour.power_up_volts[0] < requirement.absolute_limits.low - 0.05,
        requirement.absolute_limits.high is not None
        and behaviour.power_up_volts[1] > requirement.absolute_limits.high + 0.05,
    ]
    beyond = ": more than the input bears; switch the rails on first" if any(over) else ""
    sentences.append(
        f"While its rails come up, in either order, the output may stand between {low} and {high}{held}{beyond}."
    )
    return sentences


def errors_csv(parts: Budget, after: Later, behaviour: Behaviour) -> str:
    """All of a circuit's errors as CSV, a line each: what, value, unit."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["what", "value", "unit"])
    rows = [(one.label, one.cents, "ct") for one in parts.parts]
    rows.append(("worst case, untrimmed", parts.worst_cents, "ct"))
    rows.append(("root sum of squares, k = 2", 2.0 * parts.rss_cents, "ct"))
    rows.append(("later, 95 %", after.p95_cents, "ct"))
    rows.append(("later, worst", after.worst, "ct"))
    rows.append(("noise, rms", behaviour.noise_cents, "ct"))
    rows.append(("an octave settles to a cent", 1e3 * behaviour.settle_seconds, "ms"))
    rows.append(("a cable of 5 m adds", 1e3 * behaviour.cable_seconds, "ms"))
    if behaviour.cure_ohms is not None:
        rows.append(("output resistor against ringing", behaviour.cure_ohms, "ohm"))
    rows += [(f"{name}, its own drift in 10 K", cents, "ct") for name, cents in behaviour.trimmers]
    rows.append(("lowest output while rails come up", behaviour.power_up_volts[0], "V"))
    rows.append(("highest output while rails come up", behaviour.power_up_volts[1], "V"))
    writer.writerows(csv_row((what, repr(float(np.round(value, 9))), unit)) for what, value, unit in rows)
    return out.getvalue()
