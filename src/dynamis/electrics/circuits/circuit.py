"""A circuit as built: a topology with parts in its slots, its supply and its op-amps."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.electrics.circuits.clamp import LOOP_OHMS, Clamp
from dynamis.electrics.circuits.network import GROUND, Branch, Held, Network, NodeLine, Values
from dynamis.electrics.circuits.supply import OP_AMPS, OpAmp, Supply
from dynamis.electrics.circuits.topology import INPUT, JACK, OUT, RAIL, Topology
from dynamis.electrics.series import next_value
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.notation.style import plain

FloatArray = NDArray[np.float64]
Rail = Literal["vp", "vn", "ref"]
SOURCE: Final = "RS"
LOAD: Final = "RL"
MID: Final = 0.5
# Trimmers of 25 turns, left to 1/50 of a turn.  Source: common practice, no source.
TURNS: Final = 25.0
STEPS_PER_TURN: Final = 50.0


@dataclass(frozen=True)
class Fitted:
    """What is in a slot: one resistor, or two in series or in parallel, and a trimmer in series with them.

    ohms : of each resistor.  trimmer_ohms : 0 for none; it is wired as a variable resistance.
    """

    ohms: tuple[float, ...]
    joined: Literal["series", "parallel"] = "series"
    trimmer_ohms: float = 0.0

    def __post_init__(self) -> None:
        if not self.ohms or len(self.ohms) > 2 or not all(0 < one < np.inf for one in self.ohms):
            parts = " and ".join(f"{plain(one)} Ω" for one in self.ohms) or "nothing"
            raise InputError(f"A slot holds one or two resistors of more than 0 Ω; {parts} stood there.")
        if not 0 <= self.trimmer_ohms < np.inf:
            raise InputError(f"A trimmer of {plain(self.trimmer_ohms)} Ω is none; 0 Ω or more was expected.")

    @classmethod
    def parse(cls, text: str, slot: str, *, trimmer_ohms: float = 0.0, decimal_comma: bool = False) -> Fitted:
        """`4k7`, `4k7 + 220` in series or `10k || 22k` in parallel; raises `InputError` for what is none."""
        parts = re.split(r"\+|\|\||∥|//", text)
        joined: Literal["series", "parallel"] = "parallel" if re.search(r"\|\||∥|//", text) else "series"
        ohms = tuple(parse_quantity(part, "Ω", slot, decimal_comma=decimal_comma) for part in parts)
        return cls(ohms, joined, trimmer_ohms)

    def stepped(self, values: Sequence[float], *, up: bool) -> Fitted | None:
        """With the next value of those there are, of the resistor alone or the larger of two; None at their end."""
        largest = self.ohms.index(max(self.ohms))
        following = next_value(self.ohms[largest], values, up=up)
        if following is None:
            return None
        return replace(self, ohms=tuple(following if k == largest else one for k, one in enumerate(self.ohms)))

    def names(self, slot: str) -> tuple[str, ...]:
        """The names of its resistors: R1, or R1a and R1b."""
        return (slot,) if len(self.ohms) == 1 else (f"{slot}a", f"{slot}b")

    @property
    def total(self) -> float:
        """With the trimmer at mid-travel, ohms."""
        return float(self.value("", {}))

    def value(self, slot: str, values: Mapping[str, Values]) -> Values:
        """Ohms of all that is in the slot; values : by part name, nominal where it is absent."""
        each = [values.get(name, ohms) for name, ohms in zip(self.names(slot), self.ohms, strict=True)]
        if len(each) == 1:
            fixed = each[0]
        elif self.joined == "series":
            fixed = each[0] + each[1]
        else:
            fixed = 1.0 / (1.0 / each[0] + 1.0 / each[1])
        if self.trimmer_ohms:
            return fixed + values.get(trimmer_name(slot), MID) * self.trimmer_ohms
        return fixed


def trimmer_name(slot: str) -> str:
    """RV1 stands in slot R1; its value is the travel, from 0 to 1."""
    return "RV" + slot[1:]


@dataclass(frozen=True)
class Reference:
    """Where an offset is taken from: a rail, or a reference part of its own.

    tolerance, per_kelvin : of a reference part; a rail has the supply's.
    """

    node: Rail = "vp"
    volts: float = 12.0
    tolerance: float = 0.0
    per_kelvin: float = 0.0


@dataclass(frozen=True)
class Circuit:
    """slots : what is fitted, by slot; those that are absent are open.

    source_ohms : of the sender.  load_ohms : of all inputs together, None for none.  out_ohms : outside the
    feedback loop.  resistor_tolerance : a fraction, of every resistor that `tolerances` does not name;
    resistor_per_kelvin : what its data sheet allows.  clamp : at the output, its diodes as they are fitted.
    closed : the slots whose switch is closed.
    """

    topology: Topology
    slots: tuple[tuple[str, Fitted], ...] = ()
    supply: Supply = Supply()
    op_amp: OpAmp = OP_AMPS["ideal"]
    reference: Reference = Reference()
    source_ohms: float = 0.0
    load_ohms: float | None = None
    resistor_tolerance_fraction: float = 0.01
    resistor_per_kelvin: float = 0.0
    clamp: Clamp = Clamp()
    closed: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        known = [slot.name for slot in self.topology.slots]
        for name, _ in self.slots:
            if name not in known:
                raise InputError(
                    f"{self.topology.title} has no place {name}; it has {', '.join(known) or 'no resistors'}."
                )
        if self.source_ohms < 0 or (self.load_ohms is not None and not self.load_ohms > 0):
            raise InputError(
                f"A sender of {plain(self.source_ohms)} Ω and a load of {plain(self.load_ohms or 0.0)} Ω were given; "
                "at least 0 Ω and more than 0 Ω were expected."
            )

    @cached_property
    def by_slot(self) -> dict[str, Fitted]:
        return dict(self.slots)

    @cached_property
    def connected(self) -> tuple[str, ...]:
        """The slots that are fitted and not switched off."""
        return tuple(name for name, _ in self.slots if name in self.closed or not self.topology.slot(name).switched)

    @property
    def resistors(self) -> list[tuple[str, float, str]]:
        """Name, ohms and role of each resistor."""
        return [
            (part, ohms, self.topology.slot(name).role)
            for name, fitted in self.slots
            for part, ohms in zip(fitted.names(name), fitted.ohms, strict=True)
        ]

    @property
    def trimmers(self) -> dict[str, float]:
        """Ohms of each trimmer by its name, in the order in which they are set: offset, then scale."""
        first = [self.topology.offset_slot, self.topology.scale_slot]
        slots = sorted(self.by_slot, key=lambda one: first.index(one) if one in first else 2)
        return {trimmer_name(one): self.by_slot[one].trimmer_ohms for one in slots if self.by_slot[one].trimmer_ohms}

    @property
    def loop_ohms(self) -> float:
        """Of the resistor that a clamp has behind the op-amp, inside the feedback loop; 0 without one."""
        return LOOP_OHMS if self.clamp.diodes and self.topology.amplifiers else 0.0

    @property
    def uses_reference(self) -> bool:
        """Whether anything hangs on the rail or reference that an offset is taken from."""
        return any(self.topology.slot(name).b == RAIL or self.topology.slot(name).a == RAIL for name, _ in self.slots)

    def fitting(self, **slots: Fitted | None) -> Circuit:
        """The same circuit with other parts in some of its slots; None empties one."""
        every = {**self.by_slot, **slots}
        order = [slot.name for slot in self.topology.slots]
        return replace(self, slots=tuple((name, one) for name in order if (one := every.get(name)) is not None))

    # -- what it does ------------------------------------------------------------------------------

    def line(self, values: Mapping[str, Values] | None = None, node: str = OUT, loaded: bool = True) -> NodeLine:
        """Volts of a node over the sender's own volts.

        values : of parts by name, travel of trimmers, volts of `vp`, `vn` and `ref`, offset of an op-amp by its name
        and bias current by `U1.bias`; nominal where one is absent.  loaded : with `load_ohms` on the output.
        """
        network, ohms, held = self._asked(values or {}, loaded)
        if node == JACK and node not in network.nodes:
            node = INPUT  # nothing but a resistance stands between them
        return network.solve(INPUT, node, ohms, held)

    def line_with(self, ohms: Mapping[str, Values]) -> NodeLine:
        """As `line`, with these ohms in the slots; those not named as fitted."""
        network, nominal, held = self._asked({}, True)
        return network.solve(INPUT, OUT, {**nominal, **ohms}, held)

    def out_ohms(self, values: Mapping[str, Values] | None = None) -> FloatArray:
        """What the inputs hang on."""
        network, ohms, _ = self._asked(values or {}, False)
        return network.output_ohms(OUT, ohms, INPUT)

    def noise_paths(self) -> list[tuple[float, float]]:
        """(volts at the output for an ampere across it, its ohms) of every resistance, sender and load included."""
        network, ohms, _ = self._asked({}, True)
        found = []
        for branch in network.branches:
            own = ohms[branch.name] + ohms[branch.behind] if branch.behind else ohms[branch.name]
            found.append((float(network.impedance(OUT, branch, ohms, INPUT)), float(own)))
        return found

    def _asked(self, values: Mapping[str, Values], loaded: bool) -> tuple[Network, dict[str, Values], Held]:
        load = self.load_ohms if loaded else None
        network = _network(
            self.topology,
            self.connected,
            self.reference.node,
            self.source_ohms > 0,
            load is not None,
            self.op_amp.gain,
        )
        ohms: dict[str, Values] = {name: self.by_slot[name].value(name, values) for name in self.connected}
        if self.source_ohms > 0:
            ohms[SOURCE] = values.get(SOURCE, self.source_ohms)
        if load is not None:
            ohms[LOAD] = values.get(LOAD, load)
        volts: dict[str, Values] = {
            "vp": values.get("vp", self.supply.high),
            "vn": values.get("vn", self.supply.low),
            "ref": values.get("ref", self.reference.volts),
            **{node: values.get(node, 0.0) for node in self.topology.inputs},
        }
        names = [one.name for one in self.topology.amplifiers]
        offsets = {name: values[name] for name in names if name in values}
        bias = {name: values[f"{name}.bias"] for name in names if f"{name}.bias" in values}
        return network, ohms, Held(volts, offsets or None, bias or None)

    @cached_property
    def limits(self) -> tuple[float, float]:
        """The least and the most input volts between which no op-amp leaves its swing or its common mode."""
        low, high = -np.inf, np.inf
        swing, common = self.op_amp.swing(self.supply), self.op_amp.common(self.supply)
        for amp in self.topology.amplifiers:
            for node, ends in ((amp.out, swing), (amp.plus, common)):
                gain, offset = self._tip() if node == OUT and self.loop_ohms else self._at(node)
                if abs(gain) < 1e-9:
                    if not ends[0] - 1e-9 <= offset <= ends[1] + 1e-9:
                        return np.nan, np.nan
                    continue
                first, last = sorted((end - offset) / gain for end in ends)
                low, high = max(low, first), min(high, last)
        return (low, high) if low <= high else (np.nan, np.nan)

    def _at(self, node: str) -> tuple[float, float]:
        """Gain and offset of a node."""
        line = self.line(node=node)
        return float(line.gain), float(line.offset)

    def _tip(self) -> tuple[float, float]:
        """Of the last op-amp's own output, ahead of the resistor that a clamp has: what load and feedback draw more."""
        gain, offset = out = self._at(OUT)
        if self.load_ohms is not None:
            share = self.loop_ohms / self.load_ohms
            gain, offset = gain + share * out[0], offset + share * out[1]
        for name in self.connected:
            slot = self.topology.slot(name)
            if OUT in (slot.a, slot.b):
                other, share = self._at(slot.b if slot.a == OUT else slot.a), self.loop_ohms / self.by_slot[name].total
                gain, offset = gain + share * (out[0] - other[0]), offset + share * (out[1] - other[1])
        return gain, offset

    def supply_amperes(self, most_volts: float) -> float:
        """What it draws: its op-amps at rest and what they and the dividers carry with `most_volts` at the output."""
        rest = self.op_amp.supply_amperes * len(self.topology.amplifiers)
        carried = 0.0 if self.load_ohms is None else abs(most_volts) / self.load_ohms
        for name, fitted in self.slots:
            slot = self.topology.slot(name)
            if RAIL in (slot.a, slot.b):
                carried += abs(self.reference.volts) / fitted.total
            elif slot.place == "feedback":
                carried += abs(most_volts) / fitted.total
        return rest + carried


def _behind_source(branches: list[Branch], pluses: list[str]) -> list[Branch]:
    """The sender's resistance: in series with the one branch at the jack, or where there are more, one of its own."""
    at_jack = [one for one in branches if JACK in (one.a, one.b)]
    if len(at_jack) != 1 or JACK in pluses:
        return [*branches, Branch(SOURCE, INPUT, JACK)]
    only = at_jack[0]
    a, b = (INPUT if node == JACK else node for node in (only.a, only.b))
    joined = Branch(only.name, a, b, SOURCE)
    return [joined if one is only else one for one in branches]


@lru_cache(maxsize=256)
def _network(topology: Topology, fitted: tuple[str, ...], rail: Rail, source: bool, load: bool, gain: float) -> Network:
    """The network with only what is there; a feedback slot that stays empty is a wire, and so is a sender of 0 Ω."""
    same = {RAIL: str(rail)}
    if not source:
        same[JACK] = INPUT
    for slot in topology.slots:
        if slot.place == "feedback" and slot.name not in fitted:
            same[slot.b] = slot.a
        if slot.place == "series" and slot.name not in fitted:
            same[slot.b] = same.get(slot.a, slot.a)

    def at(node: str) -> str:
        return same.get(node, node)

    branches = [Branch(slot.name, at(slot.a), at(slot.b)) for slot in topology.slots if slot.name in fitted]
    if source:
        branches = _behind_source(branches, [one.plus for one in topology.amplifiers])
    if load:
        branches.append(Branch(LOAD, OUT, GROUND))
    amplifiers = tuple(
        replace(one, plus=at(one.plus), minus=at(one.minus), out=at(one.out)) for one in topology.amplifiers
    )
    return Network(tuple(branches), amplifiers, (INPUT, "vp", "vn", "ref", *topology.inputs), gain)
