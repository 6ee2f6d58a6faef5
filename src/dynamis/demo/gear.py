"""The gear of the Lantern House besides its Workshop board and Gallery voice.  All invented.

Between them they show every finding once, and one link of each role that fits.
"""

from __future__ import annotations

from typing import Final

from dynamis.bench.document.bench import Gear, Link, Power, Setting
from dynamis.bench.document.ports import (
    AudioRecord,
    ClockRecord,
    EnvelopeRecord,
    GateRecord,
    Knob,
    MidiRecord,
    Need,
    Normal,
    Pole,
    Port,
    PortRef,
    PotRecord,
    SwingRecord,
    Through,
    VoltSpan,
    Way,
)
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.demo.hidden import BOARD_LAW, INTERFACE_VOLTS
from dynamis.electrics.memory.remembering import remembering
from dynamis.pitch.laws import parse_law
from dynamis.transfer.law import PitchSource

_PLAIN: Final = "voct:scale=1,note=36,volts=0"


def _out(name: str, role: str, ohms: float | None = 1000.0, **more: object) -> Port:
    return Port(name.replace(" ", "-"), name, "output", role, ohms=ohms, **more)  # type: ignore[arg-type]


def _in(name: str, role: str, ohms: float | None = 100e3, **more: object) -> Port:
    return Port(name.replace(" ", "-"), name, "input", role, ohms=ohms, **more)  # type: ignore[arg-type]


def _takes(on_volts: float, off_volts: float, **more: object) -> GateRecord:
    return GateRecord("positive", on_volts=on_volts, off_volts=off_volts, **more)  # type: ignore[arg-type]


def _plays(
    name: str, low_volts: float, high_volts: float, ohms: float = 1000.0, limit: float = 0.01, **more: object
) -> Port:
    source = PitchSource("source", parse_law(_PLAIN), scale_limit=limit, low_volts=low_volts, high_volts=high_volts)
    return _out(name, "pitch", ohms, law=_PLAIN, transfers=(source.stored(),), **more)


# The output of the laptop that plays pitch.
LAPTOP_PITCH: Final = PortRef("prompt-desk-laptop", "out-3")


def _laptop_pitch() -> Port:
    """An output of the laptop that holds a voltage and plays the part of a converter, on its channel 11."""
    converter = DacTransfer(
        "outputs",
        Dac(18, -INTERFACE_VOLTS, INTERFACE_VOLTS),  # as fine as any voltmeter; a table reaches 0.1 V with it
        reference_limit=0.02,
        offset_limit_volts=0.01,
        reference_ppm_per_kelvin=50.0,
    ).stored()
    audio = AudioRecord("dc", full_scale_dbu=18.0, channel=11, panel="3")
    return _out("out 3", "pitch", 150.0, law=BOARD_LAW, transfers=(converter,), audio=audio)


BOARD_MORE: Final = (
    _out("gate", "gate", gate=GateRecord("driven", 0.1, 5.0), bears=VoltSpan(-0.5, 5.5)),
    _out("modulation", "modulation", 100.0, swing=SwingRecord(-4.0, 4.0)),
    _in("MIDI in", "midi", None, midi=MidiRecord(1)),
)
VOICE_MORE: Final = (
    _in("gate", "gate", gate=_takes(2.0, 1.0), bears=VoltSpan(-12.0, 12.0)),
    _in("trigger", "trigger", gate=_takes(2.0, 1.0, min_seconds=0.001, edge=True), bears=VoltSpan(-12.0, 12.0)),
    _in("vibrato", "modulation", swing=SwingRecord(-3.5, 3.5), knobs=(Knob("Vibrato depth", "full up"),)),
    _in("swell", "modulation", swing=SwingRecord(0.0, 10.0, curve="exponential")),
)
LEVER: Final = (
    _out("across", "modulation", 470.0, swing=SwingRecord(-5.0, 5.0)),
    _out("along", "modulation", 470.0, swing=SwingRecord(0.0, 5.0)),
)


def more_gear() -> tuple[Gear, ...]:
    """What else stands in the Lantern House."""
    keyboard = PitchSource(
        "keys", parse_law(_PLAIN), scale_limit=0.002, offset_limit_volts=0.002, low_volts=0.0, high_volts=5.0
    )
    return (
        Gear(
            "foyer-keyboard",
            "Foyer keyboard",
            (
                _out("pitch", "pitch", law=_PLAIN, ohms_limit=0.05, transfers=(keyboard.stored(),)),
                _out("key contact", "trigger", 50.0, gate=GateRecord("switch")),
                _out("MIDI out", "midi", None, midi=MidiRecord(1)),
            ),
            power=Power("adapter", (9.0,), 0.2),
        ),
        Gear(
            "prompt-desk-laptop",
            "Prompt-desk laptop",
            (
                *(
                    _out(
                        f"out {k}",
                        "audio",
                        150.0,
                        audio=AudioRecord("dc", full_scale_dbu=18.0, channel=8 + k, panel=str(k)),
                    )
                    for k in (1, 2)
                ),
                _laptop_pitch(),
                _out("headphones", "audio", 32.0, audio=AudioRecord("ac", 2.0, full_scale_volts=1.4)),
                _out("main out", "audio", 300.0, audio=AudioRecord("unknown", full_scale_dbu=24.0, balanced="one-leg")),
            ),
            notes="Jacks 1 to 8 of its interface are channels 9 to 16 on screen.",
            power=Power("battery"),
        ),
        Gear(
            "foyer-mixer",
            "Foyer mixer",
            (
                _in("line", "audio", 10e3, audio=AudioRecord("ac", 8.0, full_scale_volts=12.0)),
                _in("quiet", "audio", 2.2e3, audio=AudioRecord("ac", 20.0, full_scale_volts=1.1)),
            ),
            power=Power("mains"),
        ),
        Gear(
            "pit-voice",
            "Pit voice",
            (
                _in(
                    "pitch",
                    "pitch",
                    law="hzv:note=36,volts=0.5",
                    bears=VoltSpan(-0.5, 15.0),
                    needs=(Need("pitch-switch", "outside"),),
                ),
                _in(
                    "trigger",
                    "trigger",
                    4700.0,
                    bears=VoltSpan(-0.5, 15.0),
                    gate=GateRecord("shorting", on_volts=1.0, off_volts=4.0, pullup_volts=15.0),
                ),
            ),
            (),
            "Hz/V, with a shorting trigger.",
            settings=(Setting("pitch-switch", "Pitch switch", "inside", ("inside", "outside")),),
        ),
        Gear(
            "carousel-board",
            "Carousel board",
            (
                _in(
                    "tone",
                    "pitch",
                    220e3,
                    law="voct:scale=0.37,note=36,volts=1.75",
                    bears=VoltSpan(0.0, 3.3),
                    silent_below_volts=1.70,
                    poles=(Pole("tip", "signal"),),
                ),
                _in("tremolo", "modulation", 220e3, swing=SwingRecord(0.02, 3.22, 1.62), bears=VoltSpan(-0.3, 3.6)),
            ),
            (),
            "A gutted music-box tone board; op-amps round 1.62 V.",
            power=Power("battery", (3.3,), 0.03),
        ),
        Gear(
            "curtain-sequencer",
            "Curtain sequencer",
            (
                *(_plays(f"row {letter}", 0.0, 4.0) for letter in "AB"),
                _plays("row C", 0.0, 4.0, 100.0, 0.0005),
                _out("gate", "gate", 2200.0, gate=GateRecord("driven", 0.0, 3.3, seconds=0.01)),
                _out(
                    "clock out",
                    "clock",
                    470.0,
                    gate=GateRecord("driven", 0.0, 3.3, seconds=0.002),
                    clock=ClockRecord(per_quarter=4),
                ),
                _in(
                    "clock",
                    "clock",
                    bears=VoltSpan(-0.3, 3.6),
                    gate=_takes(1.6, 0.8, edge=True),
                    clock=ClockRecord(per_quarter=4, most_hertz=60.0, voids=("tempo", "gate-length")),
                ),
                _in(
                    "reset",
                    "clock",
                    bears=VoltSpan(-0.3, 3.6),
                    gate=_takes(1.6, 0.8, edge=True),
                    clock=ClockRecord("reset", acts="rise", together="reset"),
                ),
                _in(
                    "run",
                    "clock",
                    bears=VoltSpan(-0.3, 12.0),
                    gate=_takes(1.6, 0.8),
                    clock=ClockRecord("run", acts="while-low"),
                ),
            ),
            (),
            "Three rows of eight.",
            settings=(Setting("tempo", "Tempo", "96"), Setting("gate-length", "Gate length", "half")),
        ),
        Gear(
            "wardrobe-envelope",
            "Wardrobe envelope",
            (
                _in(
                    "gate",
                    "gate",
                    gate=_takes(1.0, 0.6, min_seconds=0.002),
                    works=VoltSpan(-1.0, 8.0),
                    bears=VoltSpan(-15.0, 15.0),
                    envelope=EnvelopeRecord(0.02, 0.0, 1.0, 0.03, "envelope"),
                ),
                _out("envelope", "gate", 470.0, gate=GateRecord("driven", 0.0, 8.0)),
            ),
            (),
            "Accepts weak gates.",
        ),
        Gear(
            "cellar-drum",
            "Cellar drum",
            (
                _in("gate", "gate", 47e3, gate=_takes(3.5, 1.0, max_seconds=0.004)),
                _in("clock", "clock", gate=_takes(2.0, 0.8), clock=ClockRecord(per_quarter=4, acts="fall")),
                _in("hold", "clock", gate=_takes(2.0, 0.8), clock=ClockRecord("reset", acts="while-high")),
            ),
        ),
        Gear(
            "bridge-clock",
            "Bridge clock",
            (
                _out(
                    "clock",
                    "clock",
                    100.0,
                    gate=GateRecord("driven", 0.0, 10.0, seconds=0.005),
                    clock=ClockRecord(per_quarter=24),
                ),
                _out("reset", "trigger", 100.0, gate=GateRecord("driven", 0.0, 3.3, seconds=0.002)),
            ),
        ),
        Gear(
            "balcony-voice",
            "Balcony voice",
            (
                _in("pitch", "pitch", 1e6, law=_PLAIN, tune_semitones=5.0),
                _in("gate", "gate", gate=_takes(2.0, 1.0, needs_trigger=True)),
                _in("trigger", "trigger", gate=_takes(2.0, 1.0)),
            ),
            (),
            "With a tune knob of five semitones; its gate wants a trigger with it.",
        ),
        Gear(
            "attic-filter",
            "Attic filter",
            (
                _in("gate", "gate", None),
                _in(
                    "cut-off",
                    "modulation",
                    swing=SwingRecord(-10.0, 10.0),
                    normal=Normal("its own envelope", volts=8.0, ohms=4700.0),
                ),
                _in(
                    "pedal",
                    "modulation",
                    12e3,
                    swing=SwingRecord(0.0, 5.0),
                    poles=(Pole("tip", "signal"), Pole("ring", "supply", volts=5.0), Pole("sleeve", "return")),
                ),
            ),
            (),
            "Its gate has not been measured yet.",
        ),
        Gear("fly-lever", "Fly lever", LEVER),
        Gear(
            "floor-pedal",
            "Floor pedal",
            (
                _out(
                    "wiper",
                    "modulation",
                    None,
                    pot=PotRecord(22e3, 5.0),
                    poles=(Pole("tip", "signal"), Pole("ring", "supply"), Pole("sleeve", "return")),
                ),
            ),
            (),
            "22 kΩ, wiper on the tip.",
        ),
        Gear(
            "balcony-ribbon",
            "Balcony ribbon",
            (
                _plays(
                    "pitch",
                    0.0,
                    5.0,
                    poles=(Pole("tip", "signal"), Pole("ring", "second-signal", "pressure"), Pole("sleeve", "return")),
                ),
                _out("touch", "gate", gate=GateRecord("driven", 1.2, 5.0)),
            ),
        ),
        Gear(
            "stage-door-bell",
            "Stage-door bell",
            (
                _in(
                    "strike",
                    "trigger",
                    4700.0,
                    gate=GateRecord("shorting", on_volts=-6.0, off_volts=-3.0, pullup_volts=-9.0),
                ),
                _in("ring", "trigger", gate=_takes(2.0, 1.0, min_seconds=0.02)),
            ),
        ),
        Gear(
            "trapdoor-adder",
            "Trapdoor adder",
            (
                _in("row", "pitch"),
                _in("hand", "pitch"),
                _out(
                    "sum",
                    "pitch",
                    100.0,
                    through=Through(ways=(Way("row", 1.0, 0.0005, True), Way("hand", 0.994, 0.005))),
                ),
            ),
            (),
            "Adds what a hand plays to a row; the gain of its second input was never proved.",
        ),
        Gear(
            "loft-voice",
            "Loft voice",
            (
                _in("pitch", "pitch", law=_PLAIN, knobs=(Knob("Scale", does="scale", low=-0.03, high=0.03),)),
                _in("gate", "gate", gate=_takes(2.0, 1.0)),
                _in(
                    "growl",
                    "modulation",
                    swing=SwingRecord(-4.0, 4.0),
                    knobs=(Knob("Growl", does="depth", low=0.0, high=1.0, at=0.0),),
                ),
            ),
            (),
            "Its scale can be turned by 3 % from the front; growl is off.",
        ),
        Gear(
            "lamp-reference",
            "Lamp reference",
            (_out("volts", "modulation", 10.0, swing=SwingRecord(0.0, 10.0)),),
            (),
            "A known voltage source, 10.000 V within 0.01 %.",
        ),
    )


# A slow row glides; a lever may lift the swell; a ribbon transposes with the next clock, whose pulse is too short.
_LAGS: Final = remembering("lags", "glide", op_amp="precision", ohms=22e3, farads=2.2e-6).stored()
_HIGHER: Final = remembering("higher", "maximum", by="fly-lever/along").stored()
_HELD: Final = remembering(
    "held", "sample-and-hold", op_amp="precision", ohms=1e3, farads=1e-6, by="curtain-sequencer/clock-out"
).stored()


def more_links() -> tuple[Link, ...]:
    """One that fits of each role, and some faults that only a joined pair can have."""

    def link(output: str, *inputs: str, **more: object) -> Link:
        refs = [PortRef(*one.split("/")) for one in (output, *inputs)]
        return Link(output.replace("/", "-"), refs[0], tuple(refs[1:]), **more)  # type: ignore[arg-type]

    return (
        link("curtain-sequencer/row-C", "balcony-voice/pitch", low_note=36.0, high_note=60.0, between=(_LAGS,)),
        link("balcony-ribbon/touch", "cellar-drum/gate"),
        link("curtain-sequencer/gate", "cellar-drum/gate", "gallery-voice/trigger"),
        link("curtain-sequencer/clock-out", "cellar-drum/clock"),
        link("lamp-reference/volts", "gallery-voice/swell", between=(_HIGHER,)),
        link("prompt-desk-laptop/out-2", "foyer-mixer/line", program_channel=10),
        link("foyer-keyboard/MIDI-out", "workshop-board/MIDI-in"),
        link("fly-lever/along", "wardrobe-envelope/gate"),
        link("curtain-sequencer/row-B", "trapdoor-adder/row", low_note=36.0, high_note=60.0),
        link("balcony-ribbon/pitch", "trapdoor-adder/hand", low_note=36.0, high_note=60.0, between=(_HELD,)),
        link("trapdoor-adder/sum", "loft-voice/pitch", low_note=36.0, high_note=60.0),
    )
