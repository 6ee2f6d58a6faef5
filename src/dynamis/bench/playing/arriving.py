"""What arrives of a song at the inputs that a converter of the bench is joined with: volts, and what they act on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.port_transfers import converter_of, dac_if_known, make_head
from dynamis.bench.chains.tree import path_in
from dynamis.bench.document.bench import Bench, Gear, Link
from dynamis.bench.document.ports import Port, PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.judging.levels import Levels, levels_of
from dynamis.bench.playing.in_time import Carried, behind_stages, in_time, not_arrived
from dynamis.bench.playing.lanes import ARRIVES, SENT, Lane, Played, curve_lane, lane_of
from dynamis.control.stepped import Level, Steps, steps
from dynamis.converter.playing.findings import PlayFinding
from dynamis.converter.playing.rendering import ConverterSetting, Kind, Signal
from dynamis.converter.playing.signals import note_steps
from dynamis.converter.playing.streaming import Sender
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law
from dynamis.pitch.notes import note_label
from dynamis.transfer.parameter import NOMINAL

# Which of a gear's outputs puts out which signal, by its role.
_ROLES: Final[dict[Kind, str]] = {"gate": "gate", "trigger": "trigger"}
# Common practice, no source.
_USUAL_PULLUP: Final = 5.0


@dataclass(frozen=True, eq=False)
class Arrived:
    """lanes : what stands at each input, behind what is sent: pitches as the converter's codes have them, corrections
    in force taken in, where codes are known.  sources : by the name of a lane, the signal that it comes from."""

    lanes: tuple[Lane, ...]
    findings: tuple[PlayFinding, ...]
    sources: dict[str, str]


def setting_for(bench: Bench, output: PortRef, setting: ConverterSetting) -> ConverterSetting:
    """A setting with what a gear's own ports say: the law, the gate's and the trigger's levels, the trigger's
    length."""
    gear, port = bench.gear_by(output.gear), bench.port(output)
    if port.law is None:
        raise InputError(f"{bench.label(output)} has no pitch law yet; give it one.")
    setting = replace(setting, law=parse_law(port.law))
    for kind, role in _ROLES.items():
        sends = _beside(gear, output, role)
        gate = None if sends is None else sends.gate
        if sends is None or gate is None:
            continue
        if gate.kind == "switch":
            level = Level(_pulled_up(bench, PortRef(gear.id, sends.id)), 0.0, shorting=True)
        elif gate.low_volts is None or gate.high_volts is None:
            continue
        else:
            level = Level(gate.low_volts, gate.high_volts)
        setting = replace(setting, gate=level) if kind == "gate" else replace(setting, trigger=level)
        if kind == "trigger" and gate.seconds is not None:
            setting = replace(setting, trigger_seconds=gate.seconds)
    return setting


def outputs_of(gear: Gear, role: str) -> list[Port]:
    """A gear's outputs of a role, in their order: the first of each role is the first voice's."""
    return [one for one in gear.ports if one.direction == "output" and one.role == role]


def _beside(gear: Gear, pitch: PortRef, role: str) -> Port | None:
    """The gate or trigger that belongs to a pitch output: the one at its place, or a single one."""
    ports, pitches = outputs_of(gear, role), [one.id for one in outputs_of(gear, "pitch")]
    place = pitches.index(pitch.port) if pitch.port in pitches else 0
    return next(iter(ports[place : place + 1] or ports), None)


def _pulled_up(bench: Bench, output: PortRef) -> float:
    """What a contact is pulled up to by what it is joined with; the usual where nobody says."""
    sinks = [sink for link in bench.links if link.output == output for sink in link.inputs]
    gates = [bench.port(sink).gate for sink in sinks]
    return max((one.pullup_volts for one in gates if one is not None and one.pullup_volts), default=_USUAL_PULLUP)


def arrive(
    bench: Bench,
    output: PortRef,
    heads: Mapping[str, HeadRecord],
    played: Played,
    style: Style,
    *,
    goes_on: bool = False,
) -> Arrived:
    """What arrives wherever the gear of a pitch output is joined; of several voices each by outputs of its own.

    heads : the corrections in force, by the gear's ports; none for those that have none.  goes_on : whether it is still
    played, so that nobody knows yet what becomes of the last note and of a pulse that is up.
    """
    sent: list[Lane] = []
    lanes: list[Lane] = []
    findings: list[PlayFinding] = []
    sources: dict[str, str] = {}
    carried = dict(_sent_from(bench, output, played))

    def at_jack(ref: PortRef) -> Signal | None:
        """A voice's jacks, and those that no voice has, such as clocks."""
        if ref.gear != output.gear or ref in carried:
            return carried.get(ref)
        kind = bench.port(ref).role
        return next((one for one in played.rendered.signals if one.kind == kind and one.voice is None), None)

    for ref, signal in carried.items():
        head = heads.get(ref.port, HeadRecord())
        if signal.kind == "pitch":
            foreign = _foreign(bench, ref, played, signal)
            if foreign is not None:
                findings.append(foreign)
                continue
            codes = _codes(bench, ref, head, played, signal)
            if codes is not None:
                sent.append(lane_of(codes))
                sources[codes.name] = signal.name
        for link, sink in _joined(bench, ref):
            name = f"{ARRIVES}{bench.label(sink)}"
            if signal.kind == "pitch":
                made = _pitch(bench, link, sink, head, played, signal, at_jack, name, style, goes_on=goes_on)
            else:
                until = played.rendered.seconds if goes_on else np.inf
                made = _switched(bench, link, sink, signal, name, style, until)
            lane, found = made
            findings += found
            if lane is not None:
                lanes.append(lane)
                sources[name] = signal.name
    return Arrived((*sent, *lanes), tuple(findings), sources)


def _sent_from(bench: Bench, output: PortRef, played: Played) -> Iterator[tuple[PortRef, Signal]]:
    """(output of the gear, the signal that it carries): a single voice's all by the pitch output that was chosen and
    what belongs to it, several each by the outputs at its place."""
    gear, performance = bench.gear_by(output.gear), played.rendered.performance
    by_voice = {(one.voice, one.kind): one for one in played.rendered.signals if one.voice is not None}
    for voice, number in enumerate(performance.numbers):
        for kind in ("pitch", *_ROLES):
            ports = outputs_of(gear, kind)
            if performance.several:
                port = next(iter(ports[number - 1 : number]), None)
            else:
                port = bench.port(output) if kind == "pitch" else _beside(gear, output, kind)
            signal = by_voice.get((voice, kind))
            if port is not None and signal is not None:
                yield PortRef(gear.id, port.id), signal


def _joined(bench: Bench, ref: PortRef) -> Iterator[tuple[Link, PortRef]]:
    """(link, input) of an output."""
    for link in bench.links:
        if link.output == ref:
            for sink in link.inputs:
                yield link, sink


def _follows(bench: Bench, ref: PortRef, setting: ConverterSetting) -> bool:
    """Whether an output has the law that is played by."""
    law = bench.port(ref).law
    return law is not None and parse_law(law) == setting.law


def _foreign(bench: Bench, ref: PortRef, played: Played, signal: Signal) -> PlayFinding | None:
    """Of an output whose law is not the one that is played by: nobody knows what it would put out."""
    if _follows(bench, ref, played.setting):
        return None
    has = "no law yet" if bench.port(ref).law is None else f"another law than {signal.name} is played by"
    return PlayFinding("arrives", f"{bench.label(ref)} has {has}: what it puts out is not drawn.", 1, None)


def sender_of(bench: Bench, ref: PortRef, head: HeadRecord, setting: ConverterSetting) -> Sender | None:
    """The nominal volts of the codes that a head sends for notes; None for an output that is no known converter."""
    port = bench.port(ref)
    converter = dac_if_known("converter", converter_of(port))
    if converter is None or port.law is None:
        return None
    made = make_head("head", head, parse_law(port.law), converter.dac, setting.tuning)
    return lambda notes: converter.dac.nominal_volts(made.forward(notes, NOMINAL))


def senders(
    bench: Bench, output: PortRef, heads: Mapping[str, HeadRecord], setting: ConverterSetting
) -> dict[str, Sender]:
    """By the names of pitches, what the gear's outputs are sent for notes, corrections in force taken in.

    Those are left out whose codes nobody knows, or that have another law than is played by.
    """
    ports = outputs_of(bench.gear_by(output.gear), "pitch") if setting.several else [bench.port(output)]
    found: dict[str, Sender] = {}
    for number, port in enumerate(ports, 1):
        ref = PortRef(output.gear, port.id)
        sender = sender_of(bench, ref, heads.get(port.id, HeadRecord()), setting)
        if sender is not None and _follows(bench, ref, setting):
            found[f"pitch{number}" if setting.several else "pitch"] = sender
    return found


def _codes(bench: Bench, ref: PortRef, head: HeadRecord, played: Played, signal: Signal) -> Signal | None:
    """The nominal volts of the codes that the head sends for the notes of a voice."""
    sender = sender_of(bench, ref, head, played.setting)
    if sender is None:
        return None
    assert signal.voice is not None
    notes = _notes(played, signal.voice)
    different, places = np.unique(notes.volts, return_inverse=True)
    volts = sender(different)
    if not np.all(np.isfinite(volts)):
        return None
    name = SENT + signal.name.removeprefix("pitch")
    return Signal(name, "pitch", steps(notes.seconds, volts[places], float(volts[places][0])), signal.voice)


def _notes(played: Played, voice: int) -> Steps:
    return note_steps(
        played.rendered.performance,
        voice,
        played.rendered.message_seconds,
        with_bend=played.setting.bend_into_pitch,
    )


def _pitch(
    bench: Bench,
    link: Link,
    sink: PortRef,
    head: HeadRecord,
    played: Played,
    signal: Signal,
    carried: Carried,
    name: str,
    style: Style,
    *,
    goes_on: bool,
) -> tuple[Lane | None, list[PlayFinding]]:
    made = link_chain(bench, link, head, sink)
    if made.chain is None:
        return None, [PlayFinding("arrives", made.sentence, 1, None)]
    assert signal.voice is not None
    notes = _notes(played, signal.voice)
    different, places = np.unique(notes.volts, return_inverse=True)
    with np.errstate(all="ignore"):
        volts = made.chain.trace(different, made.true, NOMINAL)[-2]
        cents = made.chain.error_cents(different, made.true)
    if not np.all(np.isfinite(volts)):
        return None, [
            PlayFinding("arrives", f"{bench.label(sink)} gets no volts that its law has a pitch for.", 1, None)
        ]
    changed = steps(notes.seconds, volts[places], float(volts[places][0]))
    lane = lane_of(Signal(name, "pitch", changed, signal.voice))
    later: list[PlayFinding] = []
    timed = in_time(bench, made, notes, carried)
    if timed is not None:
        if timed.through:
            lane = curve_lane(name, timed.curve, "pitch", voice=signal.voice)
        end = None if goes_on else played.rendered.seconds
        later = list(not_arrived(bench, link, sink, made, notes, timed, end, style))
    worst = int(np.argmax(np.abs(cents)))
    return lane, [
        PlayFinding(
            "arrives",
            f"{bench.label(sink)} plays these notes up to {style.cents(float(cents[worst]), sign=True)} ct off, "
            f"most at {note_label(float(different[worst]), style)}.",
            1,
            float(notes.seconds[int(np.argmax(places == worst))]),
            name,
        ),
        *later,
    ]


def _switched(
    bench: Bench, link: Link, sink: PortRef, signal: Signal, name: str, style: Style, until: float
) -> tuple[Lane | None, list[PlayFinding]]:
    levels = levels_of(bench, link, sink)
    label = bench.label(sink)
    if not isinstance(levels, Levels):
        return None, [PlayFinding("arrives", one.text, 1, None) for one in levels[:1]]
    signal = behind_stages(signal, path_in(bench, link, sink).gate_stages)
    assert signal.level is not None
    up = signal.steps.volts == signal.level.high
    volts = np.where(up, levels.on_from, levels.off_from)
    lane = lane_of(
        Signal(
            name, signal.kind, Steps(signal.steps.seconds, volts), signal.voice, Level(levels.off_from, levels.on_from)
        )
    )
    return lane, [_acts(levels, label, signal, up, style, name, until)]


def _acts(
    levels: Levels, label: str, signal: Signal, up: np.ndarray, style: Style, name: str, until: float
) -> PlayFinding:
    """What an input does with the pulses that arrive.  until : how long one has been up that has not fallen."""
    rises = signal.steps.seconds[up]
    at = float(rises[0]) if rises.size else None
    if levels.fit.on_margin_volts < 0.0:
        bound = "at most " if levels.shorting else ""
        needs = f"{style.volts(levels.on_from, 2)} arrive, {bound}{style.volts(levels.on_volts, 2)} are needed"
        return PlayFinding("misses", f"{label} never goes on: {needs}.", int(rises.size), at, name)
    if levels.fit.off_margin_volts < 0.0:
        bound = "at least " if levels.shorting else ""
        needs = f"{style.volts(levels.off_from, 2)} stay, {bound}{style.volts(levels.off_volts, 2)} are wanted"
        return PlayFinding("misses", f"{label} never goes off: {needs}.", int(rises.size), at, name)
    ends = np.append(signal.steps.seconds[1:], np.inf)[up]
    least = levels.min_seconds or 0.0
    short = ends - rises < least
    if np.any(short):
        return PlayFinding(
            "misses",
            f"{label} misses {int(np.sum(short))} of {rises.size} pulses: they are shorter than the "
            f"{style.engineering(least, 's')} that it takes.",
            int(np.sum(short)),
            float(rises[short][0]),
            name,
        )
    long = np.minimum(ends, until) - rises > (levels.max_seconds or np.inf)
    if np.any(long):
        return PlayFinding(
            "misses",
            f"{label}: {int(np.sum(long))} of {rises.size} pulses are longer than the "
            f"{style.engineering(levels.max_seconds, 's')} in which it is over: they hold it, or fire it twice.",
            int(np.sum(long)),
            float(rises[long][0]),
            name,
        )
    fires = "once" if rises.size == 1 else f"{rises.size} times"
    return PlayFinding(
        "arrives", f"{label} goes on {fires}: {style.volts(levels.on_from, 2)} arrive.", int(rises.size), None, name
    )
