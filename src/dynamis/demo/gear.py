"""The gear of the Lantern House besides its Workshop board and Gallery voice.  All invented."""

from __future__ import annotations

from typing import Final

from dynamis.bench.document import Gear
from dynamis.bench.ports import GateRecord, Port, VoltSpan
from dynamis.pitch.laws import parse_law
from dynamis.transfer.law import PitchSource

BOARD_GATE: Final = Port("gate", "gate", "output", "gate", ohms=1000.0, gate=GateRecord("driven", 0.1, 5.0),
                         bears=VoltSpan(-0.5, 5.5))  # fmt: skip
VOICE_GATE: Final = Port("gate", "gate", "input", "gate", ohms=100e3, bears=VoltSpan(-12.0, 12.0),
                         gate=GateRecord("positive", on_volts=2.0, off_volts=1.0))  # fmt: skip


def more_gear() -> tuple[Gear, ...]:
    """A keyboard, three more voices, a sequencer, an envelope, a drum, a clock, and a filter not yet measured."""
    plain = "voct:scale=1,note=36,volts=0"
    keyboard = PitchSource("keys", parse_law(plain), scale_limit=0.002, offset_limit_volts=0.002, low_volts=0.0,
                           high_volts=5.0)  # fmt: skip
    pitch = Port("pitch", "pitch", "output", law=plain, ohms=1000.0, ohms_limit=0.05,
                 transfers=(keyboard.stored(),))  # fmt: skip
    switch = Port("key", "key contact", "output", "trigger", ohms=50.0, gate=GateRecord("switch"))
    hertz = Port("pitch", "pitch", "input", law="hzv:note=36,volts=0.5", ohms=100e3, bears=VoltSpan(-0.5, 15.0))
    shorting = Port("trigger", "trigger", "input", "trigger", ohms=4700.0, bears=VoltSpan(-0.5, 15.0),
                    gate=GateRecord("shorting", on_volts=1.0, off_volts=4.0, pullup_volts=15.0))  # fmt: skip
    toy = Port("tone", "tone", "input", law="voct:scale=0.37,note=36,volts=1.75", ohms=220e3, bears=VoltSpan(0.0, 3.3),
               silent_below_volts=1.70)  # fmt: skip
    row = Port("row", "row A", "output", law=plain, ohms=1000.0,
               transfers=(PitchSource("row", parse_law(plain), scale_limit=0.01,
                                      low_volts=0.0, high_volts=4.0).stored(),))  # fmt: skip
    weak = Port("gate", "gate", "output", "gate", ohms=2200.0, gate=GateRecord("driven", 0.0, 3.3, seconds=0.01))
    strong = Port("gate", "gate", "input", "gate", ohms=47e3, gate=GateRecord("positive", on_volts=3.5, off_volts=1.0))
    easy = Port("gate", "gate", "input", "gate", ohms=100e3, bears=VoltSpan(-15.0, 15.0),
                gate=GateRecord("positive", on_volts=1.0, off_volts=0.6, min_seconds=0.002))  # fmt: skip
    full = Port("out", "envelope gate", "output", "gate", ohms=470.0, gate=GateRecord("driven", 0.0, 8.0))
    ticks = Port("clock", "clock", "output", "clock", ohms=100.0, gate=GateRecord("driven", 0.0, 10.0, seconds=0.005))
    takes = Port("clock", "clock", "input", "clock", ohms=100e3, bears=VoltSpan(-0.3, 3.6),
                 gate=GateRecord("positive", on_volts=1.6, off_volts=0.8))  # fmt: skip
    tuned = Port("pitch", "pitch", "input", law=plain, ohms=1e6, tune_semitones=5.0)
    unknown = Port("gate", "gate", "input", "gate", ohms=None)
    return (
        Gear("foyer-keyboard", "Foyer keyboard", (pitch, switch)),
        Gear("pit-voice", "Pit voice", (hertz, shorting), (), "Hz/V, with a shorting trigger."),
        Gear("carousel-board", "Carousel board", (toy,), (), "A gutted music-box tone board; op-amps round 1.62 V."),
        Gear("curtain-sequencer", "Curtain sequencer", (row, weak, takes)),
        Gear("wardrobe-envelope", "Wardrobe envelope", (easy, full), (), "Accepts weak gates."),
        Gear("cellar-drum", "Cellar drum", (strong,)),
        Gear("bridge-clock", "Bridge clock", (ticks,)),
        Gear("balcony-voice", "Balcony voice", (tuned,), (), "With a tune knob of five semitones."),
        Gear("attic-filter", "Attic filter", (unknown,), (), "Its gate has not been measured yet."),
    )
