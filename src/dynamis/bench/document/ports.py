"""Ports as the document stores them: an output or input, its electrics, levels and poles."""

from __future__ import annotations

from typing import Final, Literal

import msgspec

from dynamis.electrics.span import Span
from dynamis.transfer.registry import StoredTransfer

Trimmers = Literal["none", "scale", "scale-and-offset"]
Role = Literal["pitch", "gate", "trigger", "clock", "modulation", "audio", "midi"]
# Roles of which only the levels count.
SWITCHING: Final = ("gate", "trigger", "clock")
Contact = Literal["tip", "ring", "ring 2", "sleeve"]
Carries = Literal["signal", "second-signal", "cold-leg", "supply", "return", "nothing"]


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

    @property
    def span(self) -> Span:
        return Span(self.low, self.high)


class GateRecord(Record, frozen=True):
    """What a gate, trigger or clock is at a port; None where a value is not known.

    kind : an output is "driven" between two levels or a "switch" to ground; an input is "positive" or
    "shorting".  seconds : length of an output's pulse, None for as long as a key is held.
    min_seconds, max_seconds : the shortest pulse that an input takes, and the longest that fires it once only.
    edge : an input acts on a rise, not on a level.  needs_trigger : it sounds only when a trigger of its
    gear comes with it.  level_limit : tolerance of an output's levels, a fraction.
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
    max_seconds: float | None = None
    needs_trigger: bool = False
    level_limit: float = 0.0


class ClockRecord(Record, frozen=True):
    """What a clock port sends or takes besides its levels.

    signal : pulses of a clock, a reset, or a level that is up while it runs.  per_quarter : pulses a quarter
    note, None where any do or it is not known.  most_hertz : the fastest that an input follows.
    voids : settings of its gear, by id, that mean nothing under an outside clock.
    acts : of an input, the edge that it acts on once, or the level while which it acts; "" where nobody said.
    waits : of a reset, whether it goes back only with the next clock.
    together : what a reset does that comes with a clock: the "reset" first, and the clock then steps on; the
    "reset-alone", the clock is lost; the "clock" first, which the reset takes back.  "" where nobody said.
    """

    signal: Literal["clock", "reset", "run"] = "clock"
    per_quarter: float | None = None
    most_hertz: float | None = None
    voids: tuple[str, ...] = ()
    acts: Literal["", "rise", "fall", "while-high", "while-low"] = ""
    waits: bool = False
    together: Literal["", "reset", "reset-alone", "clock"] = ""


class SwingRecord(Record, frozen=True):
    """A modulation: the volts that an output swings between, or between which an input acts.

    bias_volts : where an input sits inside, None where it sits at 0 V.
    """

    low_volts: float | None = None
    high_volts: float | None = None
    bias_volts: float | None = None
    curve: Literal["linear", "exponential", "logarithmic"] = "linear"


class PotRecord(Record, frozen=True):
    """A potentiometer at a port.

    As an output (a pedal, a lever): fed with `fed_volts` through `fed_ohms`, its wiper is the output; None for what the
    jack that it is plugged into has on a pole.  to_volts : of its lower end, which stands on another rail or on ground.
    As an input (a range knob): it hangs from the input to ground and its wiper feeds `load_ohms`.
    wiring : which pole of the plug the wiper is on.
    """

    ohms: float | None = None
    fed_volts: float | None = None
    fed_ohms: float = 0.0
    load_ohms: float | None = None
    wiring: Literal["wiper-on-tip", "wiper-on-ring"] = "wiper-on-tip"
    to_volts: float = 0.0


class AudioRecord(Record, frozen=True):
    """A computer's or other audio port.

    coupling, corner_hertz : whether it holds a voltage, and where it begins to fall if not.
    full_scale_volts : peak volts of a full-scale sine; full_scale_dbu : the same as a level, where volts were not
    measured.  offset_volts : what it gives for silence, None where its levels were never measured.  balanced : which
    legs are driven; a plug of two poles leaves half the level of both, all of one. channel : its number in programs.
    panel : the label at the jack.
    """

    coupling: Literal["dc", "ac", "unknown"] = "unknown"
    corner_hertz: float | None = None
    full_scale_volts: float | None = None
    full_scale_dbu: float | None = None
    balanced: Literal["no", "both-legs", "one-leg", "cross-coupled", "unknown"] = "no"
    channel: int | None = None
    panel: str = ""
    offset_volts: float | None = None


class MidiRecord(Record, frozen=True):
    """channel : 1 to 16, None for all."""

    channel: int | None = None


class EnvelopeRecord(Record, frozen=True):
    """The envelope that a gate input starts.

    sustain : the largest, a share of the peak.  output : the port it leaves by.
    """

    attack_seconds: float = 0.0
    decay_seconds: float = 0.0
    sustain: float = 1.0
    release_seconds: float = 0.0
    output: str = ""


class Pole(Record, frozen=True):
    """One contact of a jack and what it carries.

    what : in words.  volts : of a supply.  port : the id of the gear's other port that this pole is, "" for none.
    """

    at: Contact
    carries: Carries
    what: str = ""
    volts: float | None = None
    port: str = ""


class Knob(Record, frozen=True):
    """A knob, slider or range switch of a port.

    mark : where it has to stand, in words.  proved : whether that was checked by a reading.
    does : what it does to the volts at its port, "" where nobody said: "depth" multiplies them (an attenuator, or with
    `low` below 0 one that turns them over too), "scale" changes their gain by a share, "offset" adds volts, "octave"
    adds octaves to what sounds.
    low, high : what it does at the two ends of its turn, in these terms.  steps : of a switch, its positions in their
    order, in the place of both.  at : where it stands, a share of its turn, None where nobody looked.
    behind_switch : of an input whose jack is switched, whether it acts on what feeds the jack inside, too.
    """

    name: str
    mark: str = ""
    proved: bool = False
    does: Literal["", "depth", "scale", "offset", "octave"] = ""
    low: float | None = None
    high: float | None = None
    steps: tuple[float, ...] = ()
    at: float | None = None
    behind_switch: bool = True

    @property
    def reach(self) -> tuple[float, float] | None:
        """The least and the most that it does; None where it does nothing that is known."""
        ends = self.steps or ((self.low, self.high) if None not in (self.low, self.high) else ())
        known = [one for one in ends if one is not None]
        return (min(known), max(known)) if self.does and known else None

    def value_at(self, share: float) -> float:
        """What it does at a share of its turn; of a switch at the nearest position."""
        if self.steps:
            return self.steps[round(min(1.0, max(0.0, share)) * (len(self.steps) - 1))]
        low, high = self.low or 0.0, self.high or 0.0
        return low + share * (high - low)

    def share_of(self, value: float) -> float:
        """The share of its turn at which it comes nearest to a value."""
        if self.steps:
            nearest = min(range(len(self.steps)), key=lambda k: abs(self.steps[k] - value))
            return nearest / max(1, len(self.steps) - 1)
        low, high = self.low or 0.0, self.high or 0.0
        return min(1.0, max(0.0, (value - low) / (high - low))) if high != low else 0.0


class Way(Record, frozen=True):
    """How an output follows one input of its gear: with a gain.

    input : its id.  gain_limit : tolerance of the gain, a fraction.  proved : whether the gain is that of readings.
    """

    input: str
    gain: float = 1.0
    gain_limit: float = 0.0
    proved: bool = False


class Through(Record, frozen=True):
    """How an output follows inputs of its own gear, which then may stand between others.

    kind : "sum" adds what comes in by each of `ways` (a buffer, an adder, a mixer); "joined" is one node with its input
    (a passive multiple).  offset_volts : added to the sum.  step_volts : of a quantizer, the steps that it
    rounds to; 0 for none.
    """

    kind: Literal["sum", "joined"] = "sum"
    ways: tuple[Way, ...] = ()
    offset_volts: float = 0.0
    step_volts: float = 0.0


class Normal(Record, frozen=True):
    """What a jack is joined to while nothing is plugged in, and loses when something is.

    source : the port it comes from, where it is one of the bench.  volts, ohms : of the source inside.
    """

    what: str
    source: PortRef | None = None
    volts: float | None = None
    ohms: float | None = None


class Need(Record, frozen=True):
    """A setting of the gear (by id) at which the port is as it is described here."""

    setting: str
    value: str


class Port(Record, frozen=True):
    """An output or input.

    gate, clock, swing, pot, audio, midi, envelope : what it is besides, as its role asks.
    works, bears : the range of volts it is made for, and what it survives.
    silent_below_volts : an input under which its voice falls silent.  tune_semitones : how far its own
    tune knob reaches either way, 0 without one.  rests_at_volts : of an input with nothing plugged in, behind its
    resistance.  release : of a pitch output when no key is held.
    law : what it should follow, in the form `voct:…` or `hzv:…`.
    ohms : output or input resistance, None where it is not known; ohms_limit : its tolerance, a fraction.
    transfers : what the port does, e.g. a DAC or an oscillator.  trimmers : what can be turned.
    poles : from the tip on; none given means a signal and its return.  through : of an output that follows inputs of
    its own gear.
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
    clock: ClockRecord | None = None
    swing: SwingRecord | None = None
    pot: PotRecord | None = None
    audio: AudioRecord | None = None
    midi: MidiRecord | None = None
    envelope: EnvelopeRecord | None = None
    rests_at_volts: float = 0.0
    release: Literal["held", "open", "grounded"] = "held"
    poles: tuple[Pole, ...] = ()
    knobs: tuple[Knob, ...] = ()
    normal: Normal | None = None
    needs: tuple[Need, ...] = ()
    through: Through | None = None

    @property
    def pulls_up(self) -> bool:
        """Whether it is an input that is held up and acts when it is shorted."""
        return self.gate is not None and self.gate.kind == "shorting" and self.direction == "input"

    @property
    def rest_volts(self) -> float:
        """The volts behind an input's resistance: those of its pull-up, or where it rests with nothing plugged in."""
        if self.gate is not None and self.pulls_up:
            return self.gate.pullup_volts or 0.0
        return self.rests_at_volts
