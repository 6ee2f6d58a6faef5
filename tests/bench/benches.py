"""Ports that many tests join, and benches of two gears."""

from __future__ import annotations

from msgspec.structs import replace as with_

from dynamis.bench.document.bench import Bench, Gear, Link, Setting
from dynamis.bench.document.ports import (
    AudioRecord,
    ClockRecord,
    GateRecord,
    Pole,
    Port,
    PortRef,
    SwingRecord,
)

OUT, IN = PortRef("desk", "out"), PortRef("voice", "in")
VOCT = "voct:scale=1,note=36,volts=1"
GATE_OUT = Port("out", "gate", "output", "gate", ohms=1000.0, gate=GateRecord("driven", 0.0, 5.0))
GATE_IN = Port("in", "gate in", "input", "gate", ohms=100e3, gate=GateRecord("positive", on_volts=2.0, off_volts=0.8))
PULSE = with_(GATE_OUT, role="trigger", gate=GateRecord("driven", 0.0, 5.0, seconds=0.005))
CLOCK_OUT = with_(PULSE, role="clock", clock=ClockRecord(per_quarter=4))
CLOCK_IN = with_(GATE_IN, role="clock", clock=ClockRecord(per_quarter=4))
PITCH_OUT = Port("out", "pitch", "output", law=VOCT, ohms=0)
PITCH_IN = Port("in", "pitch in", "input", law=VOCT, ohms=100e3)
LFO = Port("out", "swing", "output", "modulation", ohms=0.0, swing=SwingRecord(-5.0, 5.0))
DEPTH = Port("in", "depth", "input", "modulation", ohms=100e3, swing=SwingRecord(-5.0, 5.0))
DC = AudioRecord("dc", full_scale_volts=10.0)
AUDIO = Port("out", "out 1", "output", "audio", ohms=100.0, audio=DC)
LINE_IN = Port("in", "line", "input", "audio", ohms=10e3, audio=AudioRecord("ac", 10.0, full_scale_volts=10.0))
TRIGGER_IN = Port("t", "trigger in", "input", "trigger", ohms=100e3, gate=GATE_IN.gate)
SUPPLIED = (Pole("tip", "signal"), Pole("ring", "supply", volts=5.0), Pole("sleeve", "return"))
SPLIT = (Pole("tip", "signal"), Pole("ring", "second-signal", "velocity"), Pole("sleeve", "return"))
SWITCH = (Setting("mode", "Mode", "Hz/V"),)


def bench(sends, takes, *more, link=(), links=(), desk=None, voice=None) -> Bench:
    """A desk into a voice that has more ports; link : fields of the link, links : more of them."""
    one = with_(Link("l", OUT, (IN,), low_note=36, high_note=84), **dict(link))
    return Bench(
        "B",
        (
            Gear("desk", "Prompt desk", (sends, with_(GATE_OUT, id="spare", name="spare")), **(desk or {})),
            Gear("voice", "Pit voice", (takes, *more), **(voice or {})),
        ),
        (one, *links),
    )


def swing(low, high, bias=None, **more):
    return with_(DEPTH, swing=SwingRecord(low, high, bias), **more)


def audio(**values) -> Port:
    return with_(AUDIO, audio=with_(DC, **values))
