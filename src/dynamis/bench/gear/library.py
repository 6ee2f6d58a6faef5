"""Generic kinds of ports and gear to begin with: sensible values, and a sentence that says where they come from.

Values that differ from one thing to the next are left unknown, so that the program asks for them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from msgspec.structs import replace

from dynamis.bench.document.bench import Gear, Setting
from dynamis.bench.document.commands import new_id
from dynamis.bench.document.ports import (
    AudioRecord,
    ClockRecord,
    EnvelopeRecord,
    GateRecord,
    Knob,
    MidiRecord,
    Pole,
    Port,
    PotRecord,
    SwingRecord,
    Through,
    VoltSpan,
    Way,
)
from dynamis.pitch.laws import parse_law
from dynamis.transfer.law import PitchSource

_VOCT: Final = "voct:scale=1,note=36,volts=0"
_PRACTICE: Final = "Common practice: outputs of about 1 kΩ, inputs of about 100 kΩ."
_SUPPLIED: Final = (Pole("tip", "signal"), Pole("ring", "supply"), Pole("sleeve", "return"))


@dataclass(frozen=True)
class PortKind:
    """A kind of port.  source : where its values come from."""

    name: str
    port: Port
    source: str


@dataclass(frozen=True)
class GearKind:
    """A kind of gear: names of its port kinds, each with the name that the port gets.

    follows : outputs that follow inputs, by their names, with the gain of the ways.  knobs : by the name of their port.
    """

    name: str
    ports: tuple[tuple[str, str], ...]
    source: str
    settings: tuple[Setting, ...] = ()
    follows: tuple[tuple[str, tuple[str, ...], Through], ...] = ()
    knobs: tuple[tuple[str, Knob], ...] = ()


def _out(role: str, ohms: float | None = 1000.0, **more: object) -> Port:
    return Port("", "", "output", role, ohms=ohms, **more)  # type: ignore[arg-type]


def _in(role: str, ohms: float | None = 100e3, **more: object) -> Port:
    return Port("", "", "input", role, ohms=ohms, **more)  # type: ignore[arg-type]


def _positive(on_volts: float | None = 2.0, off_volts: float | None = 0.8, **more: object) -> GateRecord:
    return GateRecord("positive", on_volts=on_volts, off_volts=off_volts, **more)  # type: ignore[arg-type]


def _source(limit: float) -> Port:
    pitch_source = PitchSource("source", parse_law(_VOCT), scale_limit=limit, low_volts=0.0, high_volts=5.0)
    return _out("pitch", law=_VOCT, transfers=(pitch_source.stored(),))


_PORTS: Final[tuple[tuple[str, Port, str], ...]] = (
    ("Pitch output, V/oct", _source(0.005), f"{_PRACTICE} Half a per cent of scale is what untrimmed resistors leave."),
    (
        "Pitch output, Hz/V",
        _out("pitch", law="hzv:note=36,volts=0.5"),
        f"{_PRACTICE} 0.5, 1, 2, 4, 8 V for five octaves.",
    ),
    (
        "Pitch input, V/oct",
        _in("pitch", law=_VOCT, tune_semitones=7.0),
        f"{_PRACTICE} A tune knob of a fifth either way.",
    ),
    ("Pitch input, Hz/V", _in("pitch", law="hzv:note=36,volts=0.5", bears=VoltSpan(-0.5, 15.0)), _PRACTICE),
    (
        "Pitch input, battery-run board",
        _in("pitch", law="voct:scale=0.4,note=36,volts=1.7", silent_below_volts=1.6, bears=VoltSpan(0.0, 3.3)),
        "Small boards work round a virtual ground: a third to a half volt an octave on a bias. Measure both before "
        "you join anything.",
    ),
    (
        "Gate output",
        _out("gate", gate=GateRecord("driven", 0.0, 5.0)),
        "Common practice: 0 and 5 V; 3.3 to 15 V are met.",
    ),
    (
        "Gate input",
        _in("gate", gate=_positive()),
        "Receivers switch between 0.7 and 3 V: 0.8 and 2.0 V are the limits of TTL (JESD8C.01).",
    ),
    (
        "Gate input, thresholds not known",
        _in("gate", gate=_positive(None, None)),
        "Turn a known voltage up and down to find both thresholds.",
    ),
    (
        "Trigger output",
        _out("trigger", gate=GateRecord("driven", 0.0, 5.0, seconds=0.005)),
        "Common practice: 1 to 20 ms.",
    ),
    (
        "Trigger input",
        _in("trigger", gate=_positive(min_seconds=0.001, edge=True)),
        "TTL limits (JESD8C.01); 1 ms is common practice.",
    ),
    (
        "Contact to ground",
        _out("trigger", 50.0, gate=GateRecord("switch")),
        "An open collector or a key contact; 50 Ω is common practice.",
    ),
    (
        "Shorting trigger input",
        _in("trigger", 10e3, gate=GateRecord("shorting", on_volts=0.8, off_volts=2.0, pullup_volts=5.0)),
        "Common practice: a pull-up to 5 to 15 V inside. Measure its volts with nothing plugged in.",
    ),
    (
        "Clock output",
        _out("clock", gate=GateRecord("driven", 0.0, 5.0, seconds=0.005), clock=ClockRecord(per_quarter=4)),
        "Common practice: 1, 2, 4, 24 or 48 pulses a quarter note.",
    ),
    (
        "Clock input",
        _in("clock", gate=_positive(edge=True), clock=ClockRecord(per_quarter=4)),
        "One pulse is one step for most step sequencers.",
    ),
    (
        "Reset input",
        _in("clock", gate=_positive(edge=True), clock=ClockRecord("reset")),
        "A short pulse just before the first clock.",
    ),
    ("Run input", _in("clock", gate=_positive(), clock=ClockRecord("run")), "Runs for as long as the level is up."),
    ("Modulation output, bipolar", _out("modulation", swing=SwingRecord(-5.0, 5.0)), "Common practice: ±5 V."),
    (
        "Modulation output, unipolar",
        _out("modulation", swing=SwingRecord(0.0, 5.0)),
        "Common practice: 0 to 5 V, or 0 to 10 V.",
    ),
    (
        "Modulation input",
        _in(
            "modulation",
            swing=SwingRecord(-5.0, 5.0),
            knobs=(Knob("Depth", "full up", does="depth", low=0.0, high=1.0),),
        ),
        "Its depth knob scales what comes in: that “full up” is unity is to be proved.",
    ),
    (
        "Modulation input, on a bias",
        _in("modulation", swing=SwingRecord(), bears=VoltSpan(0.0, 3.3)),
        "Its bias is its voltage with nothing plugged in: measure it.",
    ),
    (
        "Lever axis",
        _out("modulation", 470.0, swing=SwingRecord(-3.5, 3.5)),
        "Common practice: ±3.5 V on some, ±5 V or 0 to 5 V on others; turn it to both ends.",
    ),
    (
        "Ribbon",
        _out("modulation", 1000.0, swing=SwingRecord(0.0, 5.0)),
        "Either end may be high, and it may hold or drop when let go.",
    ),
    (
        "Pedal",
        _out("modulation", None, pot=PotRecord(22e3, 5.0), poles=_SUPPLIED),
        "A potentiometer of 10 to 100 kΩ, in two wirings: look which pole the wiper is on.",
    ),
    ("Wheel", _out("modulation", swing=SwingRecord(0.0, 5.0)), "Common practice: 0 to 5 V."),
    (
        "Pedal input",
        _in("modulation", 47e3, swing=SwingRecord(0.0, 5.0), poles=_SUPPLIED),
        "It feeds the pedal from its ring: a plug of two poles shorts that supply.",
    ),
    (
        "Computer output, DC-coupled",
        _out("audio", 150.0, audio=AudioRecord("dc", full_scale_dbu=18.0)),
        "EBU R68 aligns full scale at +18 dBu, 8.70 V peak. Measure the volts of each channel.",
    ),
    (
        "Computer output, AC-coupled",
        _out("audio", 150.0, audio=AudioRecord("ac", 2.0, full_scale_dbu=18.0)),
        "Holds no voltage; 2 Hz is common practice, time a step to find it.",
    ),
    ("Computer output, not known", _out("audio", None, audio=AudioRecord()), "Play a step and watch whether it stays."),
    (
        "Audio input",
        _in("audio", 10e3, audio=AudioRecord("ac", 10.0, full_scale_dbu=18.0)),
        "EBU R68; inputs are nearly always AC-coupled.",
    ),
    (
        "Known voltage",
        _out("modulation", 10.0, swing=SwingRecord(0.0, 10.0)),
        "Write its own limits into the notes: it is what everything else is compared with.",
    ),
    (
        "Way in",
        _in("pitch"),
        "An input of gear that passes on what it gets: no law of its own. Common practice: 100 kΩ.",
    ),
    ("Way out", _out("pitch"), "An output that follows inputs of its gear: say which, and with which gains."),
    ("MIDI output", _out("midi", None, midi=MidiRecord(1)), "MIDI 1.0: sixteen channels."),
    ("MIDI input", _in("midi", None, midi=MidiRecord()), "MIDI 1.0: a current loop through an opto-isolator."),
)
PORT_KINDS: Final = tuple(
    PortKind(name, replace(port, name=name.split(",")[0].lower(), id="new"), source) for name, port, source in _PORTS
)
_BY_NAME: Final = {kind.name: kind for kind in PORT_KINDS}

GEAR_KINDS: Final = (
    GearKind(
        "Voice, V/oct",
        (("Pitch input, V/oct", "pitch"), ("Gate input", "gate"), ("Modulation input", "modulation")),
        _PRACTICE,
    ),
    GearKind(
        "Voice, Hz/V",
        (("Pitch input, Hz/V", "pitch"), ("Shorting trigger input", "trigger")),
        "Hz/V and shorting triggers go together as a rule.",
    ),
    GearKind(
        "Battery-run tone board",
        (("Pitch input, battery-run board", "tone"), ("Modulation input, on a bias", "modulation")),
        "Opened up by its owner: everything is to be measured.",
    ),
    GearKind(
        "Keyboard",
        (("Pitch output, V/oct", "pitch"), ("Gate output", "gate"), ("Trigger output", "trigger")),
        _PRACTICE,
    ),
    GearKind("MIDI keyboard", (("MIDI output", "MIDI out"),), "MIDI 1.0."),
    GearKind(
        "Converter board",
        (
            ("MIDI input", "MIDI in"),
            ("Pitch output, V/oct", "pitch"),
            ("Gate output", "gate"),
            ("Modulation output, unipolar", "modulation"),
        ),
        "For a DAC whose codes are known, begin a run and put the board on the bench there.",
    ),
    GearKind(
        "Step sequencer",
        (("Pitch output, V/oct", "row A"), ("Gate output", "gate"), ("Clock input", "clock"), ("Reset input", "reset")),
        "One pulse, one step.",
        (Setting("tempo", "Tempo"), Setting("length", "Last step")),
    ),
    GearKind(
        "Clock", (("Clock output", "clock"), ("Trigger output", "reset")), "Common practice: 4 pulses a quarter note."
    ),
    GearKind(
        "Envelope",
        (("Gate input", "gate"), ("Gate output", "envelope")),
        "An envelope that accepts weak gates can stand in for a gate booster.",
    ),
    GearKind(
        "Two-axis lever",
        (("Lever axis", "across"), ("Lever axis", "along")),
        "The zero may be in the middle or at an edge, set by an offset.",
    ),
    GearKind("Ribbon", (("Ribbon", "position"), ("Gate output", "touch")), "A gate while it is touched."),
    GearKind("Pedal", (("Pedal", "wiper"),), "Buffer both sides."),
    GearKind(
        "Computer interface",
        (("Computer output, DC-coupled", "out 1"), ("Computer output, DC-coupled", "out 2"), ("Audio input", "in 1")),
        "Number the channels as the program does; the panel may say otherwise.",
    ),
    GearKind(
        "Known voltage source",
        (("Known voltage", "volts"),),
        "Only comparison with a known voltage takes a meter's gain error out.",
    ),
    GearKind(
        "Adder",
        (("Way in", "in 1"), ("Way in", "in 2"), ("Way out", "sum")),
        "1 % of gain is 12 cents of every octave: prove each way by an octave.",
        follows=(("sum", ("in 1", "in 2"), Through(ways=(Way("", 1.0, 0.01),))),),
    ),
    GearKind(
        "Buffered splitter",
        (("Way in", "in"), ("Way out", "out 1"), ("Way out", "out 2")),
        "Unplugging one output moves nothing at the other.",
        follows=tuple((name, ("in",), Through(ways=(Way("", 1.0, 0.001),))) for name in ("out 1", "out 2")),
    ),
    GearKind(
        "Passive multiple",
        (("Way in", "in"), ("Way out", "out 1"), ("Way out", "out 2"), ("Way out", "out 3")),
        "One node: all that is plugged in hangs on the one sender.",
        follows=tuple((name, ("in",), Through("joined")) for name in ("out 1", "out 2", "out 3")),
    ),
    GearKind(
        "Attenuator",
        (("Way in", "in"), ("Way out", "out")),
        "A level knob has no mark for exactly one.",
        follows=(("out", ("in",), Through()),),
        knobs=(("in", Knob("Level", does="depth", low=0.0, high=1.0)),),
    ),
    GearKind(
        "Quantizer",
        (("Way in", "in"), ("Way out", "out")),
        "Steps of a semitone at 1 V/oct: 83.3 mV.",
        follows=(("out", ("in",), Through(step_volts=1.0 / 12.0)),),
    ),
    GearKind("Empty", (), "Add its ports one by one."),
)


def port_of(kind: str, name: str) -> Port:
    """A port of a kind of the library, under a name of its own."""
    return replace(_BY_NAME[kind].port, name=name, id=new_id(name, set()))


def gear_of(kind: GearKind, name: str, taken: set[str]) -> Gear:
    """A gear of a kind.  taken : ids of gear that are there already."""
    ports: list[Port] = []
    for port_kind, text in kind.ports:
        port = port_of(port_kind, text)
        ports.append(replace(port, id=new_id(text, {one.id for one in ports})))
    by_name = {one.name: one.id for one in ports}
    for output, inputs, through in kind.follows:
        like = through.ways[0] if through.ways else Way("")
        ways = tuple(replace(like, input=by_name[one]) for one in inputs)
        ports = [replace(one, through=replace(through, ways=ways)) if one.name == output else one for one in ports]
    for at, knob in kind.knobs:
        ports = [replace(one, knobs=(*one.knobs, knob)) if one.name == at else one for one in ports]
    if kind.name == "Envelope":
        ports[0] = replace(ports[0], envelope=EnvelopeRecord(0.005, 0.05, 1.0, 0.1, ports[1].id))
    return Gear(new_id(name, taken), name, tuple(ports), notes=kind.source, settings=kind.settings)
