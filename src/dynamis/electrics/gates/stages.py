"""Circuits for gates as built: what an output becomes behind the parts that stand between, also under stress.

The same levels of parts as in `library.py`, which chooses them.  Levels: an op-amp's output reaches to 1.5 V from ±
rails and to 50 mV from the ends of a single one, a logic output to 0.1 V; a saturated transistor leaves 0.2 V, a
base-emitter junction takes 0.7 V, a small MOSFET is 5 ohms when on; a Schottky diode drops 0.3 V, a Zener diode 0.7 V
forwards.  Source: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Final, Literal

from msgspec.structs import replace as with_

from dynamis.electrics.gates.levels import GateOutput, moved
from dynamis.electrics.part import Part
from dynamis.electrics.span import Span

RAIL: Final = 12.0
SWING: Final = RAIL - 1.5
SATURATED_VOLTS, JUNCTION_VOLTS, MOSFET_OHMS = 0.2, 0.7, 5.0
SCHOTTKY_VOLTS, FORWARD_VOLTS = 0.3, 0.7
LOGIC_VOLTS: Final = 0.1
OUT_OHMS: Final = 100.0
NEVER: Final = GateOutput("driven", 0.0, 0.0, OUT_OHMS)
CIRCUITS: Final = (
    "divider",
    "resistor and clamp",
    "diode and divider",
    "transistor to ground",
    "transistor",
    "logic buffer",
    "buffer",
    "amplifier",
    "comparator",
    "comparator and divider",
    "comparator and MOSFET to ground",
    "stretcher",
    "pulse from a rise",
)


@dataclass(frozen=True)
class Stress:
    """rails, sender : volts as a share of what they should be.  missing : the rail that is not there.  parts :
    resistors as a share of their value, by name, 1 where they are not named."""

    rails: float = 1.0
    sender: float = 1.0
    missing: Literal["", "upper", "lower"] = ""
    parts: Mapping[str, float] = field(default_factory=dict)

    def rail(self, volts: float) -> float:
        """A rail as it stands."""
        gone = (self.missing == "upper" and volts > 0) or (self.missing == "lower" and volts < 0)
        return 0.0 if gone else volts * self.rails


CALM: Final = Stress()


@dataclass(frozen=True)
class _Built:
    """The parts by name, as they stand under stress."""

    parts: Mapping[str, Part]
    stress: Stress

    def has(self, name: str) -> bool:
        return name in self.parts

    def ohms(self, name: str) -> float:
        ohms = self.parts[name].ohms
        if ohms is None:
            raise KeyError(name)
        return ohms * self.stress.parts.get(name, 1.0)

    def rail(self, name: str) -> float:
        return self.stress.rail(self.parts[name].rail_volts)

    def swing(self, name: str) -> tuple[float, float]:
        """What an op-amp's output reaches; with a rail missing it may put out the other."""
        part = self.parts[name]
        high, low = self.stress.rail(part.rail_volts), self.stress.rail(part.volts)
        room = 0.05 if part.volts == 0 else 1.5
        if self.stress.missing and part.volts < 0:
            return low, high
        return min(low + room, high), max(high - room, low)


def becomes(
    circuit: str, parts: Sequence[Part], output: GateOutput, carried_amperes: float = 0.0, stress: Stress = CALM
) -> GateOutput:
    """The output behind a circuit.

    carried_amperes : what a closed contact has to carry, the pull-ups' current.  A circuit that the output does
    not drive stays off.  Raises `KeyError` for a circuit or a part that is not there.
    """
    stage = _Built({part.name: part for part in parts}, stress)
    output = moved(output, stress.sender)
    if circuit == "transistor to ground":
        return _to_ground(output, stage.ohms("R1"), carried_amperes)
    plain = {
        "divider": _divider,
        "resistor and clamp": _clamp,
        "diode and divider": _diode,
        "transistor": _transistor,
        "logic buffer": _logic,
        "buffer": _follower,
        "amplifier": _amplifier,
        "comparator": _comparator,
        "comparator and divider": _two_amplifiers,
        "comparator and MOSFET to ground": _mosfet,
        "stretcher": _stretched,
        "pulse from a rise": _pulsed,
    }
    if circuit not in plain:
        raise KeyError(circuit)
    return plain[circuit](output, stage)


# -- without an active part ------------------------------------------------------------------------


def _divider(output: GateOutput, stage: _Built) -> GateOutput:
    return replace(divided(output, stage.ohms("R1"), stage.ohms("R2")), clamp=clamp_of(stage))


def divided(output: GateOutput, upper_ohms: float, lower_ohms: float) -> GateOutput:
    """A divider behind an output."""
    total = output.ohms + upper_ohms + lower_ohms
    ratio = lower_ohms / total
    return GateOutput(
        "driven", output.low_volts * ratio, output.high_volts * ratio, (output.ohms + upper_ohms) * lower_ohms / total
    )


def _clamp(output: GateOutput, stage: _Built) -> GateOutput:
    return GateOutput(
        "driven", output.low_volts, output.high_volts, output.ohms + stage.ohms("R1"), clamp=clamp_of(stage)
    )


def clamp_of(stage: _Built) -> Span:
    """Between which volts the diodes at the receiver hold it."""
    grounded = stage.has("D1") and "from ground" in stage.parts["D1"].role
    low: float | None = -SCHOTTKY_VOLTS if grounded else None
    high: float | None = None
    if stage.has("D2"):
        high = max(0.0, stage.rail("D2")) + SCHOTTKY_VOLTS
    if stage.has("Z1"):
        high = stage.parts["Z1"].volts
        low = -FORWARD_VOLTS if low is None else low
    return Span(low, high)


def _diode(output: GateOutput, stage: _Built) -> GateOutput:
    """What a diode lets through, divided; below its drop the lower resistor holds 0 V."""
    upper, lower = stage.ohms("R1"), stage.ohms("R2")
    total = output.ohms + upper + lower
    low, high = (max(0.0, volts - SCHOTTKY_VOLTS) * lower / total for volts in (output.low_volts, output.high_volts))
    return GateOutput("driven", low, high, (output.ohms + upper) * lower / total, clamp=clamp_of(stage))


# -- with one ----------------------------------------------------------------------------------------


def transistor_drive(output: GateOutput, ohms: float) -> float:
    """Amperes into a transistor's base through `ohms` while the output is high."""
    return (output.high_volts - JUNCTION_VOLTS) / (output.ohms + ohms)


def _to_ground(output: GateOutput, ohms: float, carried_amperes: float) -> GateOutput:
    if output.kind != "driven" or output.low_volts > 0.4 or transistor_drive(output, ohms) < carried_amperes / 10.0:
        return NEVER
    return GateOutput("switch", ohms=SATURATED_VOLTS / carried_amperes if carried_amperes > 0 else MOSFET_OHMS)


def _transistor(output: GateOutput, stage: _Built) -> GateOutput:
    """A contact takes the base current away, and the collector rises to what R2 (and R3) give it."""
    base, collector = stage.rail("R1"), stage.rail("R2")
    upper = stage.ohms("R2")
    lower = stage.ohms("R3") if stage.has("R3") else None
    share = 1.0 if lower is None else lower / (upper + lower)
    closed = base * output.ohms / (output.ohms + stage.ohms("R1"))
    drive = (base - JUNCTION_VOLTS) / stage.ohms("R1")
    if base > 0 and (closed > 0.4 or drive < collector / upper / 10.0):
        return NEVER
    high = max(0.0, collector) * share
    return GateOutput("driven", min(SATURATED_VOLTS, high), high, upper * share, clamp=clamp_of(stage))


def _logic(output: GateOutput, stage: _Built) -> GateOutput:
    rail = stage.rail("U1")
    entered = behind_front(output, stage)
    off, on = logic_thresholds(stage.parts["U1"])
    if rail <= 0 or entered.low_volts > off or entered.high_volts < on:
        return NEVER
    return _ended(LOGIC_VOLTS, max(LOGIC_VOLTS, rail - LOGIC_VOLTS), stage, "R10")


def logic_thresholds(part: Part) -> tuple[float, float]:
    """(off below, on above) of a logic buffer, by its kind and its rail.

    Source: JESD8C.01 for TTL levels; 30 and 70 % of the rail for CMOS, JESD7-A from memory.
    """
    return (0.8, 2.0) if "TTL" in part.role else (0.3 * part.rail_volts, 0.7 * part.rail_volts)


def behind_front(output: GateOutput, stage: _Built) -> GateOutput:
    """What reaches an active part: the output, or what the parts ahead of it leave, D3, R11 and R12."""
    if not stage.has("R11"):
        return output
    ahead = {name: with_(stage.parts[one], name=name) for one, name in (("R11", "R1"), ("R12", "R2"))}
    factors = {"R1": stage.stress.parts.get("R11", 1.0), "R2": stage.stress.parts.get("R12", 1.0)}
    inner = _Built(ahead, replace(stage.stress, parts=factors))
    return _diode(output, inner) if stage.has("D3") else _divider(output, inner)


def _ended(low_volts: float, high_volts: float, stage: _Built, name: str) -> GateOutput:
    """Two levels behind the resistor at an output and the diodes there."""
    clamp = clamp_of(stage)
    return GateOutput("driven", min(low_volts, high_volts), max(low_volts, high_volts), stage.ohms(name), clamp=clamp)


def _follower(output: GateOutput, stage: _Built) -> GateOutput:
    least, most = stage.swing("U1") if stage.parts["U1"].rail_volts else (-SWING, SWING)
    if stage.stress.missing:
        return _ended(least, most, stage, "R1")
    low, high = (min(most, max(least, volts)) for volts in (output.low_volts, output.high_volts))
    return _ended(low, high, stage, "R1")


def _amplifier(output: GateOutput, stage: _Built) -> GateOutput:
    least, most = stage.swing("U1")
    if stage.stress.missing:
        return _ended(least, most, stage, "R1")
    gain, entered = 1.0 + stage.ohms("R4") / stage.ohms("R3"), behind_front(output, stage)
    low, high = (min(most, max(least, gain * volts)) for volts in (entered.low_volts, entered.high_volts))
    return _ended(low, high, stage, "R1")


def _comparator(output: GateOutput, stage: _Built) -> GateOutput:
    least, most = stage.swing("U1")
    if stage.stress.missing:
        return _ended(least, most, stage, "R5")
    entered = behind_front(output, stage)
    lower, upper = comparator_thresholds(stage)
    if not (entered.low_volts < lower and entered.high_volts > upper):
        return replace(NEVER, clamp=clamp_of(stage))
    return _ended(least, most, stage, "R5")


def _stretched(output: GateOutput, stage: _Built) -> GateOutput:
    """A comparator behind a capacitor that the output charges; one of older files follows its sender's levels."""
    if not stage.has("R5"):
        low, high = (min(SWING, max(-SWING, volts)) for volts in (output.low_volts, output.high_volts))
        return GateOutput("driven", low, high, OUT_OHMS)
    least, most = stage.swing("U1")
    if not stage.stress.missing and output.high_volts - JUNCTION_VOLTS <= stage.rail("R3") * stage.ohms("R4") / (
        stage.ohms("R3") + stage.ohms("R4")
    ):
        return replace(NEVER, clamp=clamp_of(stage))
    return _ended(least, most, stage, "R5")


def _pulsed(output: GateOutput, stage: _Built) -> GateOutput:
    """The rise of an output through a capacitor, at its peak; its fall, held by a diode."""
    if output.kind == "switch":
        return NEVER
    ohms, ahead = stage.ohms("R1"), output.ohms + stage.ohms("R2")
    share = ohms / (ohms + ahead)
    peak = (output.high_volts - output.low_volts) * share
    held = clamp_of(stage)
    low = -SCHOTTKY_VOLTS if stage.has("D1") else -peak
    return GateOutput("driven", min(low, peak), peak, share * ahead, clamp=held)


def comparator_thresholds(stage: _Built) -> tuple[float, float]:
    """(falling, rising) of a comparator whose + input hangs on the sender through R1 and on its output through R2."""
    least, most = stage.swing("U1")
    reference = stage.rail("R3") * stage.ohms("R4") / (stage.ohms("R3") + stage.ohms("R4")) if stage.has("R3") else 0.0
    back = stage.ohms("R1") / stage.ohms("R2")
    return reference + back * (reference - most), reference + back * (reference - least)


# -- with two ----------------------------------------------------------------------------------------


def _two_amplifiers(output: GateOutput, stage: _Built) -> GateOutput:
    if not _switches(output, stage):
        return NEVER
    if stage.stress.missing:
        return GateOutput("driven", stage.stress.rail(-RAIL), stage.stress.rail(RAIL), OUT_OHMS)
    second = stage.parts.get("R6")
    low, high = network_levels(stage.ohms("R5"), second, stage.ohms("R7"), stage.stress.rails)
    return GateOutput("driven", low, high, OUT_OHMS)


def _mosfet(output: GateOutput, stage: _Built) -> GateOutput:
    return GateOutput("switch", ohms=MOSFET_OHMS) if _switches(output, stage) else NEVER


def network_levels(first_ohms: float, second: Part | None, third_ohms: float, up: float) -> tuple[float, float]:
    """The two levels that three resistors make of a comparator's: from it, from a rail, to ground.

    up : the rails as a share of what they should be.
    """
    ohms = None if second is None else second.ohms
    beside = 0.0 if second is None or ohms is None else 1.0 / ohms
    total = 1.0 / first_ohms + beside + 1.0 / third_ohms
    gain, bias = 1.0 / first_ohms / total, beside / total
    swing, rail = RAIL * up - 1.5, 0.0 if second is None else second.rail_volts * up
    return bias * rail - gain * swing, bias * rail + gain * swing


def _switches(output: GateOutput, stage: _Built) -> bool:
    """Whether an output takes a comparator from ± 12 V past both of its thresholds."""
    if output.kind == "switch":
        upper, lower = stage.ohms("R8"), stage.ohms("R9")
        high = RAIL * lower / (upper + lower)
        low = high * output.ohms / (output.ohms + upper * lower / (upper + lower))
        if output.absolute_limits.outside(high):
            return False
    else:
        low, high = output.low_volts, output.high_volts
        if stage.has("R11"):
            share = stage.ohms("R12") / (stage.ohms("R12") + stage.ohms("R11") + output.ohms)
            low, high = low * share, high * share
    above = stage.parts.get("R3")
    middle = 0.0
    if above is not None:
        middle = above.rail_volts * stage.ohms("R4") / (stage.ohms("R3") + stage.ohms("R4"))
    half = SWING * stage.ohms("R1") / (stage.ohms("R1") + stage.ohms("R2"))
    return low < middle - half and high > middle + half
