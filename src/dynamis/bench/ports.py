"""Ports as the document stores them: an output or input, its electrics, levels and poles."""

from __future__ import annotations

from typing import Literal

import msgspec

from dynamis.transfer.registry import StoredTransfer

Trimmers = Literal["none", "scale", "scale-and-offset"]
Role = Literal["pitch", "gate", "trigger", "clock", "modulation"]


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A frozen record; a field that is not known is refused rather than lost."""


class PortRef(Record, frozen=True):
    """A port by its gear's and its own id."""

    gear: str
    port: str


class VoltSpan(Record, frozen=True):
    """From the least volts to the most; None: not known, or no limit."""

    low: float | None = None
    high: float | None = None


class GateRecord(Record, frozen=True):
    """What a gate, trigger or clock is at a port; None where a value is not known.

    kind : an output is "driven" between two levels or a "switch" to ground; an input is "positive" or
    "shorting".  seconds : length of an output's pulse, None for as long as a key is held.
    min_seconds : the shortest that an input takes.  edge : an input acts on a rise, not on a level.
    """

    kind: Literal["driven", "switch", "positive", "shorting"]
    low_volts: float | None = None
    high_volts: float | None = None
    on_volts: float | None = None
    off_volts: float | None = None
    pullup_volts: float | None = None
    seconds: float | None = None
    min_seconds: float | None = None
    edge: bool = False


class Port(Record, frozen=True):
    """An output or input.

    gate : levels or thresholds of a gate, trigger or clock.
    works, bears : the range of volts it is made for, and what it survives.
    silent_below_volts : an input under which its voice falls silent.  tune_semitones : how far its own
    tune knob reaches either way, 0 without one.
    law : what it should follow, in the form `voct:…` or `hzv:…`.
    ohms : output or input resistance, None where it is not known; ohms_limit : its tolerance, a fraction.
    transfers : what the port does, e.g. a DAC or an oscillator.  trimmers : what can be turned.
    """

    id: str
    name: str
    direction: Literal["output", "input"]
    role: Role = "pitch"
    law: str | None = None
    ohms: float | None = None
    ohms_limit: float = 0.0
    transfers: tuple[StoredTransfer, ...] = ()
    trimmers: Trimmers = "none"
    gate: GateRecord | None = None
    works: VoltSpan = VoltSpan()
    bears: VoltSpan = VoltSpan()
    silent_below_volts: float | None = None
    tune_semitones: float = 0.0
