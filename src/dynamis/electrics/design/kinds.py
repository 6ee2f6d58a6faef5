"""Which kind of op-amp suits a circuit: by what each leaves of its own once the trimmers are set.

An offset trimmer takes an op-amp's offset out at 25 °C and leaves its drift; without one all of it stays.  The figures
are those of `circuits/supply.py`.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Final

from dynamis.electrics.circuits.circuit import Circuit
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp
from dynamis.electrics.design.later import KELVIN
from dynamis.electrics.design.requirement import Requirement
from dynamis.notation.style import Style

# Another kind is taken where it leaves that much less: a share of the first, and cents.
_MUCH_LESS, _LEAST_CENTS = 0.7, 0.5
_ORDER: Final = ("jfet", "precision", "rail-to-rail")


def own_cents(circuit: Circuit, requirement: Requirement, kind: OpAmp) -> float:
    """Cents that op-amps of a kind may add at their limits 10 °C away, trimmed as the circuit is."""
    trimmed = circuit.topology.offset_slot in {f"R{name[2:]}" for name in circuit.trimmers}
    here = circuit.line()
    weigh = max(requirement.cents_per_volt(volts) for volts in (requirement.in_low_volts, requirement.in_high_volts))
    volts = 0.0
    for amplifier in circuit.topology.amplifiers:
        offset = KELVIN * kind.offset_per_kelvin + (0.0 if trimmed else kind.offset_limit_volts)
        moved = circuit.line({amplifier.name: offset})
        volts += abs(float(moved.offset) - float(here.offset))
        if not trimmed and kind.bias_amperes:
            drawn = circuit.line({f"{amplifier.name}.bias": kind.bias_amperes})
            volts += abs(float(drawn.offset) - float(here.offset))
    return volts * weigh


def suits(circuit: Circuit, requirement: Requirement, kind: OpAmp) -> bool:
    """Whether op-amps of a kind run from the circuit's supply and reach all of the input range there."""
    supply = circuit.supply
    if supply.high - supply.low > kind.most_volts:
        return False
    low, high = replace(circuit, op_amp=kind).limits
    return bool(low <= requirement.in_low_volts + 1e-9 and high >= requirement.in_high_volts - 1e-9)


def kinds_left(circuit: Circuit, requirement: Requirement) -> dict[str, float]:
    """By kind what it would leave, cents; only those that suit."""
    if not circuit.topology.amplifiers:
        return {}
    return {
        name: own_cents(circuit, requirement, OP_AMPS[name])
        for name in _ORDER
        if suits(circuit, requirement, OP_AMPS[name])
    }


def best_kind(circuit: Circuit, requirement: Requirement) -> OpAmp:
    """The circuit's own kind, unless another leaves much less."""
    left, own = kinds_left(circuit, requirement), circuit.op_amp
    if not left or own.name == "ideal":
        return own
    name = min(left, key=lambda one: left[one])
    here = left.get(own.name, float("inf"))
    return OP_AMPS[name] if left[name] < _MUCH_LESS * here and left[name] < here - _LEAST_CENTS else own


def kind_words(circuit: Circuit, requirement: Requirement, style: Style = Style()) -> str:
    """Why this kind of op-amp; empty where there is none, or any will do."""
    left, own = kinds_left(circuit, requirement), circuit.op_amp
    if own.name not in left:
        return ""
    title = f"{own.title[0].upper()}{own.title[1:]}"
    others = [
        f"a {OP_AMPS[name].title} would leave {style.size_of_cents(cents)} ct"
        for name, cents in left.items()
        if name != own.name
    ]
    text = f"{title}: of its own it leaves {style.size_of_cents(left[own.name])} ct, 10 °C away"
    return "; ".join([text, *others]) + "."
