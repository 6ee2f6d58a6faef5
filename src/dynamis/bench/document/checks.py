"""What a bench may not hold: values that no port could have, each refused with one sentence."""

from __future__ import annotations

import math
from collections import Counter
from typing import Any, Final

import msgspec

from dynamis.bench.document.bench import Bench, Branch, GateStageRecord, Gear, Link
from dynamis.bench.document.gate_ports import gate_input
from dynamis.bench.document.limits import (
    MOST_BETWEEN,
    MOST_GEAR,
    MOST_INPUTS,
    MOST_JOINED,
    MOST_LINKS,
    MOST_NUMBER,
    MOST_OHMS,
    MOST_OUTPUTS,
    MOST_PORTS,
    MOST_PORTS_IN_ALL,
    MOST_RAIL,
    MOST_SECONDS,
    MOST_STEPS,
    MOST_TURNED,
    MOST_UNITS,
    MOST_VOLTS,
)
from dynamis.bench.document.ports import SWITCHING, GateRecord, Knob, Port, Through, VoltSpan
from dynamis.bench.document.record_checks import (
    check_a4,
    check_instruments,
    check_law,
    check_tolerance,
    check_tuning,
    counted,
    within,
)
from dynamis.control.logic import check_lines
from dynamis.electrics.gates.candidate import Rails
from dynamis.electrics.gates.levels import GateInput, GateOutput
from dynamis.electrics.potentiometer import LoadedPot
from dynamis.electrics.span import Span
from dynamis.errors import InputError
from dynamis.notation.safe import MOST_NAME
from dynamis.notation.style import plain
from dynamis.transfer.registry import REGISTRY

# What a name that is typed may have.
MOST_TYPED: Final = 80
_NOT_BELOW_ZERO = frozenset(
    [
        "ohms",
        "ohms_limit",
        "level_limit",
        "seconds",
        "min_seconds",
        "max_seconds",
        "attack_seconds",
        "decay_seconds",
        "release_seconds",
        "fed_ohms",
        "load_ohms",
        "corner_hertz",
        "full_scale_volts",
        "per_quarter",
        "most_hertz",
        "tune_semitones",
        "sustain",
        "amperes",
    ]
)
_UNITS = {"ohms": "Ω", "volts": "V", "seconds": "s", "hertz": "Hz", "amperes": "A"}
_WORDS = {
    "ohms": "its resistance",
    "ohms limit": "the tolerance of its resistance",
    "level limit": "the tolerance of its levels",
    "seconds": "the length of its pulse",
    "min": "the shortest pulse it takes",
    "max": "the longest pulse that fires it once",
}


def check_port(port: Port) -> None:
    """Refuse a port that no verdict could be told of; transfers of unknown kinds are kept as they are."""
    named(port.name, "port", MOST_NAME)
    _check_numbers(port, port.name)
    if port.ohms == 0 and port.direction == "input":
        raise InputError(f"The resistance of {port.name} is 0 Ω; an input needs more than that.")
    for span, what in ((port.works, "works"), (port.bears, "bears")):
        _ordered(port.name, f"{what} from", span.low, f"{what} to", span.high)
    if port.swing is not None:
        _ordered(port.name, "swings from", port.swing.low_volts, "to", port.swing.high_volts)
    if port.law is not None:
        check_law(port.law)
    if port.gate is not None and port.role in SWITCHING:
        _check_gate(port, port.gate)
    elif port.gate is not None and port.direction == "input":
        gate_input(port)  # what stands there from another role is met by others on its node
    if port.pot is not None and port.pot.ohms is not None:
        LoadedPot(port.pot.ohms, port.pot.fed_volts or 0.0, port.pot.fed_ohms, port.pot.load_ohms or math.inf)
    if port.audio is not None and port.audio.channel is not None:
        within(f"The channel of {port.name}", port.audio.channel, 0, 1024)
    if port.audio is not None and port.audio.full_scale_dbu is not None:
        within(f"The full scale of {port.name}", port.audio.full_scale_dbu, -100.0, 100.0, "dBu")
    if port.audio is not None and port.audio.full_scale_volts == 0:
        raise InputError(f"The full scale of {port.name} is 0 V; give its peak volts, or leave them unknown.")
    for channel, what in ((None if port.midi is None else port.midi.channel, "MIDI channel"),):
        if channel is not None and not 1 <= channel <= 16:
            raise InputError(f"The {what} of {port.name} is {channel}; 1 to 16 was expected.")
    for knob in port.knobs:
        _check_knob(knob, port.name)
    if port.through is not None:
        _check_through(port, port.through)
    places = [pole.at for pole in port.poles]
    if len(set(places)) < len(places):
        raise InputError(f"{port.name} has a pole twice; each has one place.")
    for stored in port.transfers:
        if REGISTRY.knows(stored):
            REGISTRY.make(port.id, stored)


def _check_knob(knob: Knob, name: str) -> None:
    """Refuse a knob that turns nothing, or stands where it cannot."""
    named(knob.name, "knob", MOST_NAME)
    what = f"{knob.name} of {name}"
    if knob.at is not None:
        within(f"Where {what} stands", knob.at, 0.0, 1.0)
    counted(f"positions of {what}", len(knob.steps), MOST_STEPS)
    for value in (knob.low, knob.high, *knob.steps):
        within(f"The reach of {what}", value or 0.0, -MOST_TURNED, MOST_TURNED)
    if knob.does and knob.reach is not None and knob.reach[0] == knob.reach[1] and len(knob.steps) != 1:
        raise InputError(f"{what} does {plain(knob.reach[0])} at both ends of its turn; give what it does at each.")
    if knob.does == "scale" and knob.reach is not None and knob.reach[0] <= -1.0:
        raise InputError(f"{what} takes away all of the scale at one end; more than −100 % was expected.")


def _check_through(port: Port, through: Through) -> None:
    """Refuse a way through gear that passes nothing, or the same input twice."""
    if port.direction != "output":
        raise InputError(f"{port.name} is an input; only an output follows inputs of its gear.")
    counted(f"ways into {port.name}", len(through.ways), MOST_INPUTS)
    inputs = [way.input for way in through.ways]
    if len(set(inputs)) < len(inputs):
        raise InputError(f"{port.name} follows one input twice; give it one gain.")
    if through.kind == "joined" and len(inputs) > 1:
        raise InputError(f"{port.name} is one node with its input and has {len(inputs)} of them; one was expected.")
    if not 0 <= through.step_volts <= MOST_VOLTS:
        raise InputError(f"{port.name} rounds to steps of {plain(through.step_volts)} V; they cannot be below 0.")
    within(f"What {port.name} adds", through.offset_volts, -MOST_VOLTS, MOST_VOLTS, "V")
    for way in through.ways:
        within(f"The gain of {port.name}", way.gain, -MOST_TURNED, MOST_TURNED)
        within(f"The tolerance of the gain of {port.name}", way.gain_limit, 0.0, 0.99)
        if way.gain == 0:
            raise InputError(f"{port.name} follows an input with a gain of 0, which passes nothing; take the way out.")


def check_link(bench: Bench, link: Link) -> None:
    """Refuse a link whose ends are not there, or whose notes are no notes."""
    if bench.port(link.output).direction != "output":
        raise InputError(f"{bench.label(link.output)} is no output; a link begins at one.")
    for sink in link.inputs:
        if bench.port(sink).direction != "input":
            raise InputError(f"{bench.label(sink)} is no input; a link ends at inputs.")
    check_tolerance(link.tolerance)
    counted("inputs on one output", len(link.inputs), MOST_INPUTS)
    counted("branches", len(link.branches), MOST_INPUTS)
    on_branches = [sink for branch in link.branches for sink in branch.inputs]
    if any(not branch.inputs for branch in link.branches) or not set(on_branches) <= set(link.inputs):
        raise InputError(f"A branch of {bench.label(link.output)} leads to no input of its link.")
    if len(set(on_branches)) < len(on_branches):
        raise InputError(f"An input of {bench.label(link.output)} hangs on two branches; it has one place.")
    parts: tuple[Link | Branch, ...] = (link, *link.branches)
    for part in parts:
        counted("circuits between", len(part.between) + len(part.gate_stages), MOST_BETWEEN)
        for stored in part.between:
            if REGISTRY.knows(stored):
                REGISTRY.make(f"{link.id}.between", stored)
        for stage in part.gate_stages:
            _check_stage(stage)
    check_rails(link.rails or ())
    if not 0 <= link.low_note <= 127 or not 0 <= link.high_note <= 127:
        raise InputError(f"Notes go from 0 to 127; {plain(link.low_note)} to {plain(link.high_note)} were given.")
    if link.low_note > link.high_note:
        raise InputError(f"The lowest note, {plain(link.low_note)}, is above the highest, {plain(link.high_note)}.")
    if not 0 < link.longest_seconds <= MOST_SECONDS:
        raise InputError(f"The longest note lasts {plain(link.longest_seconds)} s; more than 0 was expected.")


def check_rails(rails: tuple[Rails, ...]) -> None:
    """Refuse supplies that cannot be: the lower end at most 0 V, the upper at least, and not both 0."""
    for low, high in rails:
        if not (-MOST_RAIL <= low <= 0 <= high <= MOST_RAIL and low < high):
            raise InputError(f"A supply from {plain(low)} to {plain(high)} V cannot be; its lower end is at most 0 V.")


def _check_stage(stage: GateStageRecord) -> None:
    """Refuse a circuit for gates that is not known, or whose parts are not all there."""
    from dynamis.electrics.gates.stages import CIRCUITS, becomes

    for part in stage.parts:
        if part.ohms is not None and not 0 < part.ohms < math.inf:
            raise InputError(f"{part.name} of the {stage.circuit} is {plain(part.ohms)} Ω; more than 0 was expected.")
    try:
        for output in (GateOutput("driven", -10.0, 10.0), GateOutput("switch", ohms=50.0)):
            if output.kind == "driven" or any(part.name == "R8" for part in stage.parts):
                becomes(stage.circuit, stage.parts, output)
    except KeyError as error:
        what = error.args[0]
        sentence = (
            f"{what!r} is not known here" if stage.circuit not in CIRCUITS else f"the {stage.circuit} has no {what}"
        )
        raise InputError(f"What stands between cannot be worked out: {sentence}.") from error
    if stage.seconds is not None and not 0 < stage.seconds < math.inf:
        raise InputError(f"The {stage.circuit} makes pulses of {plain(stage.seconds)} s; more than 0 was expected.")


def check_gear(gear: Gear) -> None:
    """Refuse gear without a name, with a port twice, or with a port that is refused."""
    named(gear.name, "gear", MOST_NAME)
    ids = [port.id for port in gear.ports]
    if len(set(ids)) < len(ids):
        raise InputError(f"{gear.name} has two ports with the same id.")
    counted("ports", len(gear.ports), MOST_PORTS)
    counted("units", len(gear.units), MOST_UNITS)
    for volts in gear.power.rails:
        within("A rail of its power", volts, -MOST_RAIL * 10, MOST_RAIL * 10, "V")
    _check_numbers(gear.power, gear.name)
    inputs = {port.id for port in gear.ports if port.direction == "input"}
    for port in gear.ports:
        check_port(port)
        for way in () if port.through is None else port.through.ways:
            if way.input not in inputs:
                raise InputError(f"{port.name} follows {way.input!r}, which is no input of {gear.name}.")


def check_bench(bench: Bench) -> None:
    """Refuse what could not be judged, naming gear or link; for benches that come from outside."""
    named(bench.name, "bench", MOST_NAME)
    counted("gears", len(bench.gear), MOST_GEAR)
    counted("links", len(bench.links), MOST_LINKS)
    counted("ports in all", sum(len(gear.ports) for gear in bench.gear), MOST_PORTS_IN_ALL)
    counted("joined pairs", sum(len(link.inputs) for link in bench.links), MOST_JOINED)
    for sink, count in Counter(sink for link in bench.links for sink in link.inputs).items():
        counted(f"outputs on one input ({sink.gear} / {sink.port})", count, MOST_OUTPUTS)
    check_a4(bench.a4_hertz)
    check_instruments(bench.meters)
    check_tuning(bench.tuning)
    check_lines(bench.logic)
    ids = [gear.id for gear in bench.gear]
    if len(set(ids)) < len(ids):
        raise InputError("Two gears of the bench have the same id.")
    for gear in bench.gear:
        try:
            check_gear(gear)
        except InputError as error:
            raise InputError(f"{gear.name}: {error}") from error
    outputs = [link.output for link in bench.links]
    if len(set(outputs)) < len(outputs):
        twice = next(one for one in outputs if outputs.count(one) > 1)
        raise InputError(f"Two links begin at {bench.label(twice)}; one link holds all its inputs.")
    check_rails(bench.rails)
    for link in bench.links:
        check_link(bench, link)
        within("The channel of a program", link.program_channel or 0, 0, 1024)


def named(text: str, what: str, most: int = MOST_TYPED) -> str:
    """A name without needless spaces; refused where there is none, or too much of it: more can be read than typed."""
    cleaned = " ".join(text.split())
    if not cleaned:
        raise InputError(f"The {what} needs a name.")
    if len(cleaned) > most:
        raise InputError(f"The name of the {what} has {len(cleaned)} characters; at most {most} are shown.")
    return cleaned


def _check_gate(port: Port, gate: GateRecord) -> None:
    kinds = ("driven", "switch") if port.direction == "output" else ("positive", "shorting")
    if gate.kind not in kinds:
        raise InputError(f"{port.name} is an {port.direction} and cannot be {gate.kind!r}.")
    if port.direction == "output":
        if gate.low_volts is not None and gate.high_volts is not None and port.ohms is not None:
            GateOutput("driven", gate.low_volts, gate.high_volts, port.ohms, port.bears.span)
        _ordered(port.name, "has its low level at", gate.low_volts, "its high level at", gate.high_volts)
    elif gate_input(port)[0] is None:
        on, off = gate.on_volts, gate.off_volts
        if on is not None and off is not None:  # thresholds can be judged before the rest is known
            GateInput(
                on, off, "shorting" if gate.kind == "shorting" else "positive", works=Span(), absolute_limits=Span()
            )
    if gate.min_seconds is not None and gate.max_seconds is not None and gate.min_seconds > gate.max_seconds:
        raise InputError(f"{port.name} takes no pulse at all: its shortest is longer than its longest.")


def _check_numbers(record: Any, name: str) -> None:
    for key in record.__struct_fields__:  # msgspec's own fields() works out every annotation anew
        value = getattr(record, key)
        if isinstance(value, msgspec.Struct) and key != "transfers":
            _check_numbers(value, name)
        if isinstance(value, bool) or not isinstance(value, int | float):
            continue
        unit = next((one for ending, one in _UNITS.items() if key.endswith(ending)), "")
        words = key.removesuffix("_seconds").removesuffix("_volts").replace("_", " ")
        words, shown = _WORDS.get(words, words), f"{plain(value)} {unit}".rstrip()
        volts = "volts" in key or isinstance(record, VoltSpan)
        most = MOST_VOLTS if volts else MOST_OHMS if key.endswith("ohms") else MOST_NUMBER
        if not -most <= value <= most:
            raise InputError(f"{name}: {words} is {shown}, which is of no size that gear has.")
        if key in ("ohms_limit", "level_limit") and value >= 1.0:
            raise InputError(f"{name}: {words} is {plain(100.0 * value)} %; less than 100 % was expected.")
        if value < 0 and key in _NOT_BELOW_ZERO:
            raise InputError(f"{name}: {words} is {shown}; it cannot be below 0.")


def _ordered(name: str, low_words: str, low_volts: float | None, high_words: str, high_volts: float | None) -> None:
    if low_volts is not None and high_volts is not None and low_volts > high_volts:
        raise InputError(
            f"{name} {low_words} {plain(low_volts)} V {high_words} {plain(high_volts)} V: they are crossed."
        )
