"""Benches made of the window's own forms: its tables of fields and rules, its kinds, its dialogs' defaults; seeded."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from dynamis.bench.chains.remembered import drivers
from dynamis.bench.designing.memory import changed
from dynamis.bench.designing.remedy import LinkChange
from dynamis.bench.document.bench import Bench, Gear, Link, Unit
from dynamis.bench.document.commands import add_gear, add_unit, join
from dynamis.bench.document.ports import Knob, Port, PortRef
from dynamis.bench.gear.commands import (
    add_port,
    put_knob,
    set_gear_field,
    set_link_field,
    set_port_field,
    set_through,
)
from dynamis.bench.gear.fields import GEAR_FIELDS, Field, link_fields, port_fields
from dynamis.bench.gear.inner_fields import knob_fields, through_fields, with_knob_value, with_through_value
from dynamis.bench.gear.library import GEAR_KINDS, PORT_KINDS, gear_of
from dynamis.bench.playing.logic import KINDS as LOGIC_KINDS
from dynamis.bench.playing.logic import fresh_line, line_fields, put_line, with_line_value
from dynamis.converter.dac import Dac
from dynamis.converter.playing.phrases import phrases
from dynamis.converter.playing.rendering import ConverterSetting, render_song
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.memory.kinds import KINDS
from dynamis.electrics.memory.remembering import remembering
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import law_text, parse_law
from dynamis.transfer.registry import StoredTransfer

STYLE = Style()
LAWS = (
    "voct:scale=1,note=36,volts=0",
    "voct:scale=1.2,note=24,volts=-1",
    "voct:scale=0.26,note=36,volts=1.4",
    "hzv:note=36,volts=0.5",
    "hzv:note=33,volts=1,offset=0.02",
    "hzv:note=36,volts=0.5,offset=-0.1",
)
VOLTS = (
    "-12",
    "-5",
    "-1",
    "-0.3",
    "0",
    "0",
    "0.8",
    "1",
    "2",
    "2",
    "3.3",
    "3.6",
    "5",
    "5",
    "5.5",
    "8",
    "10",
    "12",
    "15",
)
NUMBERS = {
    "V": VOLTS,
    "Ω": ("0", "0", "1", "50", "470", "1k", "2k2", "10k", "22k", "100k", "1M"),
    "%": ("0", "1", "5", "20"),
    "s": ("0", "0.1 ms", "1 ms", "5 ms", "10 ms", "0.2", "2"),
    "Hz": ("0.1", "2", "10", "100"),
    "A": ("0.01", "0.1"),
    "": ("0", "1", "2", "4", "7", "9", "24", "48"),
}
TEXTS = ("5", "36:47=10,48:84=5,85:96=10", "0", "1", "x", "ring", "gate", "tip", "out", "mode = Hz/V", "Mode", "")


def text_for(field: Field, random: np.random.Generator) -> str:
    """Something that somebody may type into a field, empty at times."""
    if random.random() < 0.15:
        return ""
    if field.kind == "choice":
        return str(field.choices[random.integers(len(field.choices))][1])
    if field.kind == "flag":
        return ("yes", "no")[random.integers(2)]
    if field.kind == "law":
        return LAWS[random.integers(len(LAWS))]
    if field.kind == "note":
        return str(random.integers(0, 128))
    if field.kind == "list":
        return ("5", "3.3", "12, -12", "9", "0, 5")[random.integers(5)]
    choices = NUMBERS.get(field.unit, NUMBERS[""]) if field.kind == "quantity" else TEXTS
    return choices[random.integers(len(choices))]


def board(random: np.random.Generator, name: str) -> Gear:
    """A board by the defaults of its dialog, most of the time."""
    plain = random.random() < 0.6
    bits, high = (
        (12, 5.0) if plain else (int(random.integers(6, 17)), float(random.choice([2.5, 3.3, 4.096, 5.0, 10.0])))
    )
    converter = DacTransfer(
        "dac", Dac(bits, 0.0, high), inl_limit_lsb=0.0 if plain else float(random.choice([0, 1, 8]))
    )
    law = law_text(parse_law(LAWS[0] if plain else LAWS[random.integers(len(LAWS))]))
    ohms = (1000.0, None, 0.0)[random.choice(3, p=(0.8, 0.1, 0.1))]
    trimmers = ("none", "scale", "scale-and-offset")[random.integers(3)]
    port = Port("pitch-a", "pitch A", "output", law=law, ohms=ohms, transfers=(converter.stored(),), trimmers=trimmers)
    return Gear(name.lower(), name, (port,), (Unit("01"),))


def edited(bench: Bench, random: np.random.Generator, edits: int) -> Bench:
    """A bench after some edits by its forms; what a form refuses changes nothing."""
    for _ in range(edits):
        gear = bench.gear[random.integers(len(bench.gear))]
        try:
            if not gear.ports or random.random() < 0.08:
                field = GEAR_FIELDS[random.integers(1, len(GEAR_FIELDS))]
                value = field.read(text_for(field, random), STYLE)
                bench = set_gear_field(bench, gear.id, field, value).bench
                continue
            if bench.links and random.random() < 0.15:
                link = bench.links[random.integers(len(bench.links))]
                fields = link_fields([bench.port(ref).role for ref in (link.output, *link.inputs)])
                field = fields[random.integers(len(fields))]
                bench = set_link_field(bench, link.output, field, field.read(text_for(field, random), STYLE)).bench
                continue
            port = gear.ports[random.integers(len(gear.ports))]
            if random.random() < 0.2:
                bench = within(bench, PortRef(gear.id, port.id), random)
                continue
            fields = port_fields(port)
            field = fields[random.integers(1, len(fields))]
            value = field.read(text_for(field, random), STYLE)
            bench = set_port_field(bench, PortRef(gear.id, port.id), field, value).bench
        except InputError:
            continue
    return bench


def within(bench: Bench, ref: PortRef, random: np.random.Generator) -> Bench:
    """A port with another knob, or following its gear's inputs otherwise, as their dialogs give it."""
    port, gear = bench.port(ref), bench.gear_by(ref.gear)
    if port.direction == "output" and random.random() < 0.5:
        through = port.through
        for field in through_fields(gear):
            if random.random() < 0.6:
                through = with_through_value(through, field, field.read(text_for(field, random), STYLE))
        return bench if through is None else set_through(bench, ref, through).bench
    index = int(random.integers(len(port.knobs))) if port.knobs and random.random() < 0.5 else None
    knob = Knob("Knob") if index is None else port.knobs[index]
    for _ in range(int(random.integers(1, 6))):
        fields = knob_fields(knob)
        field = fields[random.integers(1, len(fields))]
        knob = with_knob_value(knob, field, field.read(text_for(field, random), STYLE))
    return put_knob(bench, ref, knob, index).bench


def remembers(bench: Bench, link: Link, random: np.random.Generator) -> StoredTransfer:
    """A circuit that remembers, with whatever the bench has to drive it, or nothing."""
    kind, off = random.choice(list(KINDS)), random.choice(["held", "grounded", "open"])
    circuit = remembering("m", str(kind), when_off=str(off))
    there = ["", *(value for value, _ in drivers(bench, link, circuit))]
    return changed(circuit, by=there[random.integers(len(there))]).stored()


def branching(bench: Bench, random: np.random.Generator) -> Bench:
    """A bench on which a remedy of some pair was taken, on a branch at times."""
    for link in bench.links:
        if link.inputs and random.random() < 0.3:
            sink = link.inputs[random.integers(len(link.inputs))]
            stage = Stage("s", float(random.choice([0.4, 1.0, 2.0])), in_ohms=100e3).stored()
            if random.random() < 0.4:
                stage = remembers(bench, link, random)
            put = LinkChange(link, sink, "put it there", adds=stage, on_branch=bool(random.random() < 0.7))
            try:
                bench = put(bench).bench
            except InputError:
                continue
    return bench


def random_bench(seed: int) -> Bench:
    """Two to five pieces of gear, edited here and there and joined, also outputs beside each other."""
    random = np.random.default_rng(seed)
    bench = Bench("Random")
    for k in range(int(random.integers(2, 6))):
        kind, name = GEAR_KINDS[random.integers(len(GEAR_KINDS))], f"Gear {k}"
        made = board(random, name) if random.random() < 0.25 else gear_of(kind, name, {one.id for one in bench.gear})
        bench = add_gear(bench, made).bench
        for _ in range(int(random.integers(0, 3))):
            port = PORT_KINDS[random.integers(len(PORT_KINDS))].port
            bench = add_port(bench, made.id, replace(port)).bench
        if random.random() < 0.3 and not made.units:
            bench = add_unit(bench, made.id, "01").bench
    bench = edited(bench, random, int(random.integers(0, 25)))
    every = [(PortRef(gear.id, port.id), port.direction) for gear in bench.gear for port in gear.ports]
    outputs, inputs = ([ref for ref, direction in every if direction == one] for one in ("output", "input"))
    for _ in range(int(random.integers(1, 8)) if outputs and inputs else 0):
        output, sink = outputs[random.integers(len(outputs))], inputs[random.integers(len(inputs))]
        same = {bench.port(output).role, bench.port(sink).role}
        if len(same) > 1 and random.random() < 0.6:
            continue
        try:
            bench = join(bench, output, sink, beside=bool(random.random() < 0.3)).bench
        except InputError:
            continue
    return with_logic(branching(edited(bench, random, int(random.integers(0, 15))), random), random)


def with_logic(bench: Bench, random: np.random.Generator) -> Bench:
    """Some signals made of those that are played, each field as it comes."""
    rendered = render_song(phrases()[2].song, ConverterSetting())
    for _ in range(int(random.integers(0, 4))):
        try:
            line = fresh_line(list(LOGIC_KINDS)[random.integers(len(LOGIC_KINDS))], rendered, bench)
            for field in line_fields(line, rendered, bench):
                if field.kind not in ("flag", "text") and random.random() < 0.4:
                    line = with_line_value(line, field, field.read(text_for(field, random), STYLE))
            bench = put_line(bench, line).bench
        except InputError:
            continue
    return bench
